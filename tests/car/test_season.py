"""A car's season: sessions held against each other at one engine speed and temperature, each judged by itself."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from functools import lru_cache

import numpy as np
import pytest

from basso.car.history import CarHistory
from basso.car.season import Season, season_of
from basso.garage.records import Build, Car, FloorChoice, Session
from basso.memory.memory import Memory
from basso.recording.recording import Recording
from basso.report.season_document import season_document, season_rows, season_text
from basso.standin.car import Outing
from basso.standin.circuit import harrowfell
from basso.standin.engine import Heat, TrueEngine, balance_kpa, pump_flow
from basso.standin.faults import Logger
from basso.standin.scenarios import generator, run_setup
from basso.standin.simulate import Setup
from basso.units import UNITS, DisplayUnits
from basso.words.season import season_words
from support import CLEAN, recording_of

pytestmark = pytest.mark.usefixtures("shared_cache")

AT = (5500.0, 92.0)
WORN = 1.5


@lru_cache(maxsize=8)
def drive(seed: int, bearing: float = 1.15, logger: Logger = CLEAN) -> Recording:
    setup = Setup(harrowfell(), engine=TrueEngine(bearing=bearing), heat=Heat(start_c=80.0), session=Outing(laps=3))
    return recording_of(run_setup(setup, logger, generator("season", seed))[1])


def true_margin(bearing: float = 1.15) -> float:
    engine, rpm = TrueEngine(bearing=bearing), np.array([AT[0]])
    return float(balance_kpa(engine, rpm, np.array([AT[1]]), pump_flow(engine, rpm))[0]) - 48.3 * AT[0] / 1000.0


def season(logs: Sequence[Recording | None], **of_session: Sequence[str]) -> Season:
    """The season of sessions on one build, a day apart, each with what is said of it."""
    car = Car(name="Car 31")
    build = Build(car=car.id, name="Build 1", since="2026-01-01", oil_grade="10W-40")
    made = [
        Session(
            car=car.id,
            build=build.id,
            title=f"Day {n}",
            began=f"2026-05-{n:02d}T10:00:00",
            log_hash=log.content_hash if log is not None else "",
            **{k: v[n - 1] for k, v in of_session.items()},  # type: ignore[arg-type]
        )
        for n, log in enumerate(logs, 1)
    ]
    history = CarHistory(car, builds=(build,), sessions=tuple(made[::-1]))
    by = {s.id: log for s, log in zip(made, logs, strict=True)}
    return season_of(history, lambda s: by[s.id], Memory().decisions)


def test_margins_hold_the_true_one_and_wear_is_told() -> None:
    found = season([drive(1), drive(2, WORN)])
    assert [p.session.title for p in found.points] == ["Day 1", "Day 2"]  # oldest first, however they lie
    for p, bearing in zip(found.points, (1.15, WORN), strict=True):
        margin = p.margin_at(*AT)
        assert margin is not None and margin[0] - 3.0 < true_margin(bearing) < margin[2] + 3.0
    first, second, *_ = season_words(found, *AT)
    assert first.startswith("At 5500 rpm and 92 °C normal stands") and "in Day 2" in first
    assert (
        second.startswith("It was ")
        and "in Day 1: now " in second
        and second.endswith(" kPa less, as the sensor reads it.")
    )
    same = season_words(season([drive(1), drive(3)]), *AT)
    assert same[1].endswith("no change that single sessions can tell.")


def test_the_default_place_is_hot_and_driven_by_all() -> None:
    found = season([drive(1), drive(2, WORN)])
    assert found.rpm is not None and found.temperature_c is not None and found.temperature_c > 90.0
    assert all(p.margin_at(found.rpm, found.temperature_c) is not None for p in found.points)
    assert all(p.margin_at(found.rpm, found.temperature_c + 40.0) is None for p in found.points)


def test_dips_are_told_by_the_way_they_went_over_flying_laps() -> None:
    (point,) = season([drive(1)]).points
    assert point.laps == 3 and not point.masked
    assert set(point.dips_per_lap) <= {"left turns", "right turns", "turns", "braking", "acceleration", "other"}
    assert sum(point.dips_per_lap.values()) > 0.3
    assert any(w.startswith("Most dips: Day 1, ") for w in season_words(season([drive(1)]), *AT))


def test_a_log_that_was_kept_twice_counts_once() -> None:
    again = replace(drive(1), content_hash="exported once more")
    found = season([drive(1), again, None])
    assert [p.session.title for p in found.points] == ["Day 1"]
    assert found.left_out == (("Day 2", "it is the same drive as Day 1"), ("Day 3", "it has no log"))


def test_an_armed_accumulator_proves_nothing_of_the_pan() -> None:
    found = season([drive(1), drive(2, WORN)], accumulator=["off", "armed"])
    assert [p.masked for p in found.points] == [False, True]
    words = season_words(found, *AT)
    assert "in Day 1 (" in words[0] and not any(w.startswith("It was") for w in words)
    assert "With an accumulator armed, so no proof of the pan: Day 2." in words


def test_a_zero_that_differs_is_named_with_its_session() -> None:
    absolute = drive(3, logger=replace(CLEAN, absolute=True))
    found = season([absolute, drive(1)])
    assert found.points[0].zero_kpa == pytest.approx(101.0, abs=3.0) and found.points[1].zero_kpa == pytest.approx(
        0, abs=2
    )
    assert any("with the engine stopped in Day 1, 0 kPa in Day 2" in w for w in season_words(found, *AT))


def test_where_the_zero_is_not_proven_the_margin_is_less_sure_and_wear_is_not_claimed() -> None:
    found = season([drive(1), drive(2, WORN)])
    first, second = found.points
    blind = replace(second, zero_proven=False)
    (low, margin, high), wide = second.margin_at(*AT) or (0.0, 0.0, 0.0), blind.margin_at(*AT)
    assert first.zero_proven and wide == pytest.approx((low - 20.0, margin, high + 20.0))
    close = replace(first, session=second.session, zero_proven=False)
    words = season_words(replace(found, points=(first, close)), *AT)
    assert "The sensor's zero is not proven, so the margin is less sure: Day 2." in words
    assert words[1].endswith("no change that single sessions can tell.")


def test_a_floor_that_falls_with_normal_gives_no_margin() -> None:
    (point,) = season([drive(1)]).points
    assert point.normal_at(*AT) is not None and point.margin_at(*AT) is not None
    only_share = replace(point, floors=point.floors[1:])
    assert [f.rule for f in only_share.floors] == ["share:0.7"] and only_share.margin_at(*AT) is None
    words = season_words(Season((only_share,), (), *AT))
    assert words[0].endswith("no session drove there, or every floor falls with normal.")


def test_the_owners_floor_is_held_to() -> None:
    car = Car(name="Car 31")
    choice = FloorChoice(car=car.id, since="2026-01-01", floors=("fixed:100",), reason="builder")
    log = drive(1)
    s = Session(car=car.id, build="", title="Day 1", began="2026-05-01", log_hash=log.content_hash)
    found = season_of(CarHistory(car, sessions=(s,), floors=(choice,)), lambda _: log, Memory().decisions)
    assert found.points[0].floor_at(6000.0) == 100.0


def test_document_table_and_text_say_the_same_in_their_units() -> None:
    found = season([drive(1), None])
    made = season_document("Car 31", found, *AT)
    assert made["schema"] == "basso.season/1" and made["at"] == {"rpm": 5500.0, "oil_temp_c": 92.0}
    margin = made["sessions"][0]["margin"]
    assert margin["low"] < margin["kpa"] < margin["high"] and made["left_out"][0]["why"] == "it has no log"
    heads, row = season_rows(found, AT, DisplayUnits(pressure=UNITS["psi"]))
    shown = dict(zip(heads, row, strict=True))
    assert float(shown["Margin, psi"]) == pytest.approx(margin["kpa"] / 6.894757, abs=0.02)
    assert f"margin {margin['kpa']:.0f} kPa" in season_text(found, *AT)
    assert season_words(season([None])) == [
        "No session with a log that is kept can be judged, so there is nothing to draw a line through."
    ]
