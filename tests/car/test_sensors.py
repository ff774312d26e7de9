"""The register of sensors: what sat where on a day, over cars, with its calibrations."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from basso.car.cards import trial_cards
from basso.car.history import CarHistory, car_history
from basso.car.known import known_of
from basso.car.sensors import (
    fitted_on,
    ground_of,
    known_sensor,
    life,
    mates,
    moved,
    read_differently,
    sensor_of_channel,
    taken_off,
)
from basso.errors import InputError
from basso.formats.registry import read_recording
from basso.formats.write import recording_bytes
from basso.garage.bundle import export_car, import_car
from basso.garage.records import Build, Calibration, Car, Engine, Sensor, Session
from basso.garage.store import Garage
from basso.memory.memory import Memory
from basso.recording.recording import Recording
from basso.units import DisplayUnits
from basso.workflow import known_by_garage, open_recording
from support import CLEAN, harrowfell_session, write_temporary

CAR = Car(name="Car 31")


def sensor(**said: object) -> Sensor:
    return Sensor(car=CAR.id, name="P1", **said)  # type: ignore[arg-type]


def test_the_card_that_holds_is_that_of_the_day() -> None:
    first = sensor(since="2026-04-01", place="filter outlet")
    later = replace(sensor(sensor=first.sensor, since="2026-05-10", place="main gallery"))
    off = replace(later, id="off", since="2026-07-01", fitted=False)
    cards = [off, later, first]
    assert fitted_on(cards, "2026-03-31") == []
    assert fitted_on(cards, "2026-04-01T10:00") == [first]
    assert fitted_on(cards, "2026-06-30") == [later]
    assert fitted_on(cards) == [] and taken_off(cards) == [off]


def test_a_sensor_moved_to_another_car_keeps_its_history() -> None:
    other = Car(name="Car 32")
    first = sensor(since="2026-04-01", mount="on a flexible line", low_kpa=0.0, high_kpa=1000.0, return_ohm=0.1)
    off, on = moved(first, other.id, "2026-06-01")
    assert (off.car, off.fitted, on.car, on.fitted) == (CAR.id, False, other.id, True)
    assert off.sensor == on.sensor == first.sensor and len({off.id, on.id, first.id}) == 3
    # What is the sensor's own goes along; how it sat there does not.
    assert (on.high_kpa, on.mount, on.return_ohm) == (1000.0, "unknown", None)
    stays = life([on, off, first], first.sensor, {CAR.id: "Car 31", other.id: "Car 32"})
    assert [(s.car, s.card.since, s.until) for s in stays] == [
        ("Car 31", "2026-04-01", "2026-06-01"),
        ("Car 32", "2026-06-01", ""),
    ]


def test_the_sensor_of_a_column_is_the_one_that_names_it_or_the_only_one_that_can_be_meant() -> None:
    named = sensor(channel="Oil P")
    gallery, pump = sensor(), sensor(place="pump outlet")
    assert sensor_of_channel([gallery, named], " oil p") == named
    assert sensor_of_channel([gallery, named], "Oil P [psi]") == named
    assert sensor_of_channel([pump, gallery], "Oil P") == gallery
    assert sensor_of_channel([gallery, sensor()], "Oil P") is None
    assert sensor_of_channel([sensor(measures="temperature")], "Oil P") is None


def test_what_does_not_go_together_is_told() -> None:
    a = sensor(reference="gauge", channel="P", return_pin="3")
    b = replace(sensor(reference="absolute", channel="p", return_pin="3"), name="P2")
    assert len(mates([a, b])) == 3 and "count from different things" in mates([a, b])[0]
    assert mates([a, replace(b, reference="gauge", channel="Q", return_pin="4")]) == []


def test_the_newest_calibration_until_the_day_counts_and_an_unusable_one_is_passed_over() -> None:
    card = sensor(low_kpa=0.0, high_kpa=1000.0, low_v=0.5, high_v=4.5, return_ma=400.0, return_ohm=0.2)

    def made(day: str, gain: float, reads: str = "kPa") -> Calibration:
        points = tuple((p, gain * p) for p in (0.0, 200.0, 400.0, 600.0, 800.0))
        return Calibration(car=CAR.id, sensor=card.sensor, day=day, points=points, reads=reads)

    calibrations = [made("2026-06-01", 1.05), made("2026-04-01", 1.0), replace(made("2026-07-01", 1.2), points=())]
    assert known_sensor(card, calibrations, "2026-05-01").gain == pytest.approx(1.0)
    newest = known_sensor(card, calibrations)
    assert (newest.gain, newest.gain_off, newest.calibrated_on) == (pytest.approx(1.05), True, "2026-06-01")
    assert known_sensor(card, []).gain is None
    assert ground_of(card) == pytest.approx(20.0) and ground_of(replace(card, high_v=None)) is None


@pytest.fixture(scope="module")
def logs() -> list[Recording]:
    """Three sessions as files."""
    made = [harrowfell_session(CLEAN, laps=2, seed=s) for s in (31, 32, 33)]
    return [
        read_recording(write_temporary(recording_bytes(r, ".csv", {}), f"stint-{i}.csv")) for i, r in enumerate(made)
    ]


@pytest.fixture
def garage(tmp_path: Path, logs: list[Recording]) -> Garage:
    folder = tmp_path / "garage"
    with Garage(folder) as garage:
        engine = Engine(car=CAR.id, name="Two litre")
        build = Build(car=CAR.id, engine=engine.engine, name="Build 1", since="2026-04-01", oil_grade="10W-40")
        sessions = [
            Session(car=CAR.id, build=build.id, title=f"Stint {i}", began=f"2026-05-0{i + 1}", log_hash=r.content_hash)
            for i, r in enumerate(logs)
        ]
        garage.add(
            "a car", CAR, engine, build, *sessions, sensor(since="2026-04-01", reference="gauge", mount="on the block")
        )
        for r in logs[:2]:
            garage.files.keep_samples(r.content_hash, recording_bytes(r, ".parquet", {}))
        yield garage


def test_the_garage_knows_the_sensor_and_the_sessions_before_a_log(garage: Garage, logs: list[Recording]) -> None:
    known = known_by_garage(garage.folder, logs, Memory.own())
    last = known[logs[2].content_hash]
    assert last.sensor is not None and last.sensor.mount == "on the block"
    assert [e.title for e in last.earlier] == ["Stint 0", "Stint 1"]
    assert all(e.expected.valid and e.same_sensor for e in last.earlier)
    assert [e.zero_kpa for e in last.earlier] == pytest.approx([0.0, 0.0], abs=3.0)
    assert known[logs[0].content_hash].earlier == ()
    stranger = harrowfell_session(CLEAN, laps=2, seed=99)
    assert known_by_garage(garage.folder, [stranger], Memory.own()) == {}


def test_what_the_garage_keeps_of_a_log_is_that_log(garage: Garage, logs: list[Recording]) -> None:
    kept = open_recording(garage.files.samples_file(logs[1].content_hash))
    assert kept.content_hash == logs[1].content_hash
    assert [e.title for e in known_by_garage(garage.folder, [kept], Memory.own())[kept.content_hash].earlier] == [
        "Stint 0"
    ]


def test_figures_are_worked_out_once(garage: Garage, logs: list[Recording], tmp_path: Path) -> None:
    history, asked = car_history(garage, CAR), []

    def log_of(session: Session) -> Recording | None:
        asked.append(session.title)
        return next((r for r in logs[:2] if r.content_hash == session.log_hash), None)

    first, again = (
        known_of(history, logs[2], log_of, Memory.own().decisions, figures_folder=tmp_path / "figures")
        for _ in range(2)
    )
    assert asked == ["Stint 0", "Stint 1"]
    assert first is not None and again is not None
    assert [e.as_plain() for e in first.earlier] == [e.as_plain() for e in again.earlier]
    for file in (tmp_path / "figures").iterdir():
        file.write_text("{ cut", encoding="utf-8")
    damaged = known_of(history, logs[2], log_of, Memory.own().decisions, figures_folder=tmp_path / "figures")
    assert damaged is not None and len(damaged.earlier) == 2


def test_a_log_that_cannot_be_read_or_is_another_is_passed_over(
    garage: Garage, logs: list[Recording], tmp_path: Path
) -> None:
    def log_of(session: Session) -> Recording | None:
        if session.title == "Stint 0":
            raise InputError("gone")
        return logs[2]

    known = known_of(
        car_history(garage, CAR), logs[2], log_of, Memory.own().decisions, figures_folder=tmp_path / "none"
    )
    assert known is not None and known.earlier == ()


def test_of_another_engine_or_sensor_only_what_still_holds_is_used(
    garage: Garage, logs: list[Recording], tmp_path: Path
) -> None:
    def at(history: CarHistory) -> list[tuple[bool, bool]]:
        known = known_of(
            history,
            logs[2],
            lambda s: next(r for r in logs if r.content_hash == s.log_hash),
            Memory.own().decisions,
            figures_folder=tmp_path,
        )
        assert known is not None
        return [(e.expected.valid, e.same_sensor) for e in known.earlier]

    history = car_history(garage, CAR)
    (card,), (engine,) = history.sensors, history.engines
    elsewhere = replace(card, id="s2", since="2026-05-02", place="filter outlet")
    rebuilt = replace(engine, id="e2", since="2026-05-02")
    assert at(history) == [(True, True), (True, True)]
    assert at(replace(history, sensors=(card, elsewhere))) == [(True, False), (True, True)]
    assert at(replace(history, engines=(engine, rebuilt))) == [(False, True), (True, True)]


def test_a_bundle_takes_sensors_and_calibrations_along_and_a_copy_gets_its_own(tmp_path: Path) -> None:
    with Garage(tmp_path / "a") as a, Garage(tmp_path / "b") as b:
        card = sensor(since="2026-04-01")
        a.add(
            "a car",
            CAR,
            card,
            Calibration(car=CAR.id, sensor=card.sensor, day="2026-04-02", points=((0.0, 0.1), (400.0, 401.0))),
        )
        bundle = tmp_path / "car.basso.zip"
        export_car(a, CAR, bundle, Memory.own().decisions)
        import_car(b, bundle)
        assert replace(car_history(b, CAR), arrivals=()) == car_history(a, CAR)  # but for where it came from
        copy, _ = import_car(b, bundle, "Copy")
        (copied,), (calibration,) = car_history(b, copy).sensors, car_history(b, copy).calibrations
        assert calibration.sensor == copied.sensor != card.sensor
        np.testing.assert_array_equal(calibration.points, ((0.0, 0.1), (400.0, 401.0)))


def test_a_trial_over_two_places_or_two_sensors_is_cautioned() -> None:
    gallery = sensor(channel="Oil pressure [psi]")
    there_too = replace(gallery, channel="oil pressure")
    moved_on, other = replace(gallery, place="filter outlet"), sensor(channel="Oil pressure")
    assert read_differently([[gallery]], [[there_too]]) == []
    (place,) = read_differently([[gallery]], [[moved_on]])
    assert "main gallery on A and at the filter outlet on B" in place
    (another,) = read_differently([[gallery], [gallery]], [[other]])
    assert "another sensor" in another
    assert read_differently([[gallery]], [[sensor(channel="P2", place="pump outlet")]]) == []
    assert read_differently([], [[gallery]]) == []


def test_the_cards_of_a_trial_say_so(garage: Garage, logs: list[Recording]) -> None:
    history = car_history(garage, CAR)
    (card,) = history.sensors
    elsewhere = replace(card, id="s2", since="2026-05-02", place="filter outlet")
    cards = trial_cards(
        [replace(history, sensors=(card, elsewhere))], [logs[0].content_hash], [logs[1].content_hash], DisplayUnits()
    )
    assert cards is not None and any("taken at the main gallery on A" in c for c in cards.cautions)
