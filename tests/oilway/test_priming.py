"""Priming read off cranking logs whose bursts were made to known times."""

from __future__ import annotations

import numpy as np
import pytest

from basso.analysis import analyse
from basso.oilway.priming import against_history, find_priming, priming_by_hand, priming_of, priming_words
from basso.pressure.options import JudgeOptions
from basso.units import FloatArray
from support import recording_of


def cranking_log(
    bursts: list[tuple[float, float]],
    pressure_from: float | None,
    start: float | None,
    end: float = 120.0,
    running_kpa: float = 400.0,
) -> tuple[FloatArray, FloatArray, FloatArray]:
    """rpm 220 within each burst, 900 from ``start``; pressure while cranking from ``pressure_from`` on."""
    t = np.arange(0.0, end, 0.05)
    rng = np.random.default_rng(1)
    rpm, kpa = np.zeros(t.size), rng.normal(0, 1.5, t.size)
    for a, b in bursts:
        on = (t >= a) & (t < b)
        rpm[on] = 220 + rng.normal(0, 15, int(on.sum()))
        if pressure_from is not None:
            kpa[on & (t >= pressure_from)] += 140.0
    if start is not None:
        rpm[t >= start] = 900.0
        kpa[t >= start] += running_kpa
    return t, rpm, kpa


def test_bursts_rests_and_seconds_to_pressure() -> None:
    p = priming_of(*cranking_log([(5, 12), (35, 42), (70, 74)], pressure_from=38.0, start=90.0))
    assert p is not None and len(p.bursts) == 3
    assert p.bursts[1].start_s == pytest.approx(35.0, abs=0.06)
    assert p.cranked_s == pytest.approx(18.0, abs=0.3)
    assert p.first_s == pytest.approx(10.0, abs=0.2)  # 7 s of the first burst and 3 s of the second
    assert p.steady_s == pytest.approx(10.5, abs=0.2)
    assert p.started_s == pytest.approx(90.0, abs=0.06)
    assert [s for s, _ in p.after_start] == [1.0, 3.0, 10.0] and p.after_start[0][1] == pytest.approx(400, abs=8)
    assert p.cautions == ()


@pytest.mark.parametrize(
    ("log", "says"),
    [
        (cranking_log([(5, 25)], 10.0, 60.0), "One burst lasted 20 s"),
        (cranking_log([(5, 11), (15, 21)], 18.0, 60.0), "A rest of 4 s is short"),
        (cranking_log([(5, 11)], None, 40.0), "started before any pressure showed"),
        (cranking_log([(5, 15), (35, 45), (65, 78)], None, None), "No pressure after 33 s"),
        (cranking_log([(5, 11)], 8.0, 40.0, running_kpa=0.0), "No pressure within 3 s"),
    ],
)
def test_cautions(log: tuple[FloatArray, FloatArray, FloatArray], says: str) -> None:
    p = priming_of(*log)
    assert p is not None and any(says in c for c in p.cautions), p


def test_a_drive_without_cranking_is_no_priming() -> None:
    t = np.arange(0.0, 10.0, 0.05)
    assert priming_of(t, np.full(t.size, 3000.0), np.full(t.size, 300.0)) is None


def test_against_history() -> None:
    assert "too few earlier" in against_history(8.0, [7.0])
    assert "as usual here" in against_history(8.0, [7.0, 8.0, 7.5])
    assert "slower" in against_history(14.0, [7.0, 8.0, 7.5])


def test_an_absolute_sensor_shows_no_pressure_before_there_is_any_and_the_farthest_comes_last() -> None:
    t, rpm, kpa = cranking_log([(5, 12), (35, 42)], pressure_from=38.0, start=90.0)
    far = cranking_log([(5, 12), (35, 42)], pressure_from=40.0, start=90.0)[2]
    rows = "\n".join(f"{a:.2f},{b:.0f},{c + 101.3:.1f},{d:.1f}" for a, b, c, d in zip(t, rpm, kpa, far, strict=True))
    recording = recording_of(f"Time [s],RPM,Oil pressure [kPa],Oil pressure filter out [kPa]\n{rows}\n".encode())
    judged = analyse(recording, JudgeOptions())
    found = find_priming(judged.corrected)
    assert found is not None and found.first_s == pytest.approx(10.0, abs=0.3)
    assert len(found.elsewhere) == 1 and found.elsewhere[0][1] == pytest.approx(12.0, abs=0.3)
    assert "after 12" in priming_words(found, [9.0, 10.0])


def test_by_stopwatch() -> None:
    p = priming_by_hand([(0.0, 8.0), (30.0, 36.0)], 33.0, 60.0)
    assert p is not None and p.first_s == pytest.approx(11.0) and p.cranked_s == pytest.approx(14.0)
    assert p.cautions == ()
    assert priming_by_hand([], None) is None
    none = priming_by_hand([(0.0, 8.0)], None, 20.0)
    assert none is not None and any("before any pressure" in c for c in none.cautions)
