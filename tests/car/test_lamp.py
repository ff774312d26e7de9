"""The lamp's rpm is a trend only of one engine with one oil."""

from __future__ import annotations

from dataclasses import replace

import pytest

from basso.car.history import CarHistory
from basso.car.lamp import lamp_trend, lamp_words
from basso.garage.records import Build, Car, Engine, OilEntry, Session

CAR = Car(name="Car 31")
ENGINE = Engine(car=CAR.id, name="Two litre", engine="a")
OTHER = Engine(car=CAR.id, name="Spare", engine="b")
BUILD = Build(car=CAR.id, engine="a", name="Build 1", since="2026-01-01")
SPARE = Build(car=CAR.id, engine="b", name="Build 2", since="2026-01-01")
FILLS = (
    OilEntry(car=CAR.id, day="2026-01-01", kind="fill", grade="5W-40", volume_l=4.0),
    OilEntry(car=CAR.id, day="2026-06-01", kind="change", grade="10W-60", volume_l=4.0),
)


def session(day: str, rpm: float | None, build: Build = BUILD, peak_c: float | None = None) -> Session:
    return Session(car=CAR.id, build=build.id, title=day, began=day, lamp_rpm=rpm, peak_oil_c=peak_c)


def history(*sessions: Session) -> CarHistory:
    return CarHistory(car=CAR, engines=(ENGINE, OTHER), builds=(BUILD, SPARE), sessions=sessions, oil=FILLS)


def test_one_engine_with_one_oil() -> None:
    words = lamp_words(lamp_trend(history(session("2026-02-01", 800.0), session("2026-03-01", 950.0))))
    assert words == "The lamp goes out at 950 rpm hot with 5W-40, up 150 since 2026-02-01: look for thin oil or wear."


@pytest.mark.parametrize(
    ("rpm", "says"), [(874.0, "as on 2026-02-01"), (876.0, "up 76"), (726.0, "as on"), (724.0, "down 76")]
)
def test_what_is_the_same_by_eye(rpm: float, says: str) -> None:
    assert says in lamp_words(lamp_trend(history(session("2026-02-01", 800.0), session("2026-03-01", rpm))))


def test_another_oil_or_engine_is_no_wear() -> None:
    before = session("2026-02-01", 800.0)
    assert lamp_trend(history(before, session("2026-07-01", 1000.0))) is None, "another oil"
    assert lamp_trend(history(before, session("2026-03-01", 1000.0, SPARE))) is None, "another engine"
    trend = lamp_trend(history(before, session("2026-03-01", 1000.0, SPARE), session("2026-04-01", 810.0)))
    assert trend is not None and (trend.count, trend.others) == (2, 1)
    assert lamp_words(trend).endswith("as on 2026-02-01. 1 with another engine or oil left out.")


def test_hotter_oil_alone_would_do_it() -> None:
    cool, hot = session("2026-02-01", 800.0, peak_c=100.0), session("2026-03-01", 950.0, peak_c=108.5)
    assert "the oil was hotter, which alone would do it" in lamp_words(lamp_trend(history(cool, hot)))
    alike = replace(hot, peak_oil_c=108.0)
    assert "look for thin oil or wear" in lamp_words(lamp_trend(history(cool, alike)))


def test_without_two_readings_nothing_is_said() -> None:
    assert lamp_words(lamp_trend(history(session("2026-02-01", None)))) == ""
    assert lamp_words(lamp_trend(history(session("2026-02-01", 800.0), session("2026-03-01", None)))) == ""
