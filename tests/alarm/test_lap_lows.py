"""The lowest margin place by place, from speed and lap number alone."""

from __future__ import annotations

from dataclasses import replace

from basso.alarm.lap_lows import LapLows
from basso.alarm.live import LiveReading
from basso.track.corners import Place

TURN = Place("1", "left", 100.0, 150.0, 200.0, 1.0)
BRAKING = Place("B1", "braking", 300.0, 350.0, 380.0, 0.8)
READING = LiveReading(
    time_s=0.0,
    rpm=5000.0,
    pressure_kpa=300.0,
    expected_kpa=None,
    floor_kpa=240.0,
    low_margin_kpa=60.0,
    oil_temp_c=None,
    lateral_g=None,
    longitudinal_g=None,
    speed_mps=20.0,
    state="ok",
    lap=0,
    dips=0,
    ages_s={},
)


def driven(
    lows: LapLows, start_s: float, lap: int, seconds: float, low: float = 60.0, speed: float | None = 20.0
) -> float:
    for n in range(round(seconds * 10)):
        at = start_s + 0.1 * n
        lows.hear(replace(READING, time_s=at, lap=lap, low_margin_kpa=low, speed_mps=speed))
    return start_s + seconds


def test_a_margin_belongs_to_the_place_the_speed_leads_to() -> None:
    lows = LapLows((TURN, BRAKING))
    at = driven(lows, 0.0, 0, 3.0, -99.0)  # half a lap: where it began is not known
    at = driven(lows, at, 1, 7.0, -10.0)  # 140 m: in turn 1
    assert lows.now == TURN
    at = driven(lows, at, 1, 9.0, -30.0)  # up to 320 m: the turn's end, nothing, braking
    assert lows.now == BRAKING
    first, second = lows.rows
    assert (first.places_known, first.lows, first.other_kpa) == (False, {}, -99.0)
    assert (second.places_known, second.lows) == (True, {"1": -30.0, "B1": -30.0})
    assert second.other_kpa == -30.0, "between the two"


def test_a_silent_speed_leaves_the_place_open_until_the_next_lap() -> None:
    lows = LapLows((TURN,))
    at = driven(lows, 0.0, 0, 1.0)
    at = driven(lows, at, 1, 3.0)
    at = driven(lows, at, 1, 1.0, speed=None)
    at = driven(lows, at, 1, 4.0, -50.0)
    assert lows.now is None and lows.rows[-1].lows == {} and lows.rows[-1].other_kpa == -50.0
    assert not lows.rows[-1].places_known
    at = driven(lows, at, 2, 7.0, -5.0)
    assert lows.now == TURN and lows.rows[-1].places_known
    lows.hear(replace(READING, time_s=at + 5.0, lap=2))
    assert lows.now is None, "five seconds of silence: it may be anywhere"


def test_so_many_laps_are_kept_and_none_without_a_lap_number() -> None:
    lows = LapLows((TURN,), keep=3)
    at = 0.0
    for lap in range(6):
        at = driven(lows, at, lap, 1.0)
    assert [row.lap for row in lows.rows] == [3, 4, 5]
    lows.hear(replace(READING, time_s=at, lap=None, low_margin_kpa=-500.0))
    assert lows.now is None and all(row.other_kpa == 60.0 for row in lows.rows)


def test_what_is_not_judged_is_no_margin() -> None:
    lows = LapLows((TURN,))
    lows.hear(replace(READING, low_margin_kpa=None))
    assert lows.rows[0].other_kpa is None
