"""Circuits and the owner's decisions as the garage keeps them: learned, carried along, taken away with what they are
about."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from basso.car.circuits import UNNAMED, circuit_named, kept_circuit, map_in, maps_for
from basso.car.history import car_history
from basso.garage.bundle import export_car, import_car
from basso.garage.records import Build, Car, Circuit, Ruling, Session
from basso.garage.store import Garage
from basso.memory.memory import Memory
from basso.track.corners import TrackMap, places_of
from basso.track.shape import LapShape


def lap(seed: int, shift: int = 0, corners: int = 6) -> TrackMap:
    """A made lap of 3 km, begun ``shift`` cells further on."""
    rng = np.random.default_rng(seed)
    x = np.arange(600)
    side = np.zeros(600)
    for at in np.linspace(50, 550, corners):
        side += rng.choice([-1.2, 1.2]) * np.exp(-(((x - at) / rng.uniform(8, 16)) ** 2))
    shape = LapShape(3000.0, np.roll(side, -shift), laps=5)
    return TrackMap(np.empty(0), shape, places_of(shape))


def filled(folder: Path) -> tuple[Garage, Car, list[Session]]:
    garage = Garage(folder)
    car = Car(name="Car 31")
    build = Build(car=car.id, engine="", name="Build 1", since="2026-04-01")
    sessions = [
        Session(
            car=car.id,
            build=build.id,
            title=f"Stint {i}",
            began=f"2026-05-0{i}",
            circuit="Harrowfell",
            log_hash=f"{i:016x}",
        )
        for i in (1, 2, 3)
    ]
    garage.add("a car", car, build, *sessions)
    return garage, car, sessions


def test_a_circuit_grows_with_its_sessions_counts_each_once_and_leaves_out_what_was_driven_elsewhere(
    tmp_path: Path,
) -> None:
    garage, car, (one, two, three) = filled(tmp_path)
    history = car_history(garage, car)
    first = kept_circuit(history, one, [(one, lap(1))], "2026-05-01")
    garage.add("a circuit", first)
    history = car_history(garage, car)
    again = kept_circuit(history, one, [(one, lap(1)), (two, lap(1, 40)), (three, lap(8, corners=4))], "2026-05-04")
    assert again.id == first.id and again.sessions == (one.id, two.id)
    made = map_in(again)
    assert made is not None and made.shape.laps == 10 and [p.id for p in made.places if p.is_corner] == list("123456")
    assert circuit_named(history, " harrowfell ") == first and circuit_named(history, "Quarrymoss") is None
    unnamed = kept_circuit(
        history,
        Session(car=car.id, build="", title="x", began="2026-05-05"),
        [(three, lap(8, corners=4))],
        "2026-05-05",
    )
    assert unnamed.name == UNNAMED
    with pytest.raises(ValueError):
        kept_circuit(
            history, Session(car=car.id, build="", title="x", began="2026-05-05", circuit="New"), [], "2026-05-05"
        )


def test_the_sessions_own_circuit_is_tried_first_and_one_written_otherwise_is_passed_over(tmp_path: Path) -> None:
    garage, car, (one, *_) = filled(tmp_path)
    harrowfell = kept_circuit(car_history(garage, car), one, [(one, lap(1))], "2026-05-01")
    other = Circuit(car=car.id, name="Elsewhere", survey={"form": 99})
    broken = Circuit(car=car.id, name="Broken", survey={"form": 1, "length_m": 3.0})
    garage.add("circuits", other, broken, harrowfell)
    assert [m.name for m in maps_for(car_history(garage, car), one)] == ["Harrowfell"]
    assert map_in(other) is None and map_in(broken) is None


def test_a_car_takes_its_circuits_and_decisions_along_and_a_build_its_decisions_away(tmp_path: Path) -> None:
    garage, car, (one, *_) = filled(tmp_path / "here")
    circuit = kept_circuit(car_history(garage, car), one, [(one, lap(1))], "2026-05-01")
    ruling = Ruling(
        car=car.id, session=one.id, day="2026-05-02", decision="run on", reason="nothing seen", seen="No dips."
    )
    garage.add("kept", circuit, ruling)
    export_car(garage, car, tmp_path / "car.basso.zip", Memory.own().decisions)
    with Garage(tmp_path / "there") as there:
        copy, _ = import_car(there, tmp_path / "car.basso.zip", "Car 32")
        history = car_history(there, copy)
        assert history.rulings[0].session in {s.id for s in history.sessions} and history.rulings[0].session != one.id
        assert set(history.circuits[0].sessions) < {s.id for s in history.sessions}
    (build,) = garage.all(Build, car.id)
    edit = garage.remove("the build", build)
    assert garage.all(Ruling, car.id) == [] and garage.all(Circuit, car.id) == [circuit]
    garage.undo(edit)
    assert garage.all(Ruling, car.id) == [ruling]
