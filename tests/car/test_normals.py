"""A build's normal in the garage: learned from its sessions, kept in versions, held against the next session."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import lru_cache
from pathlib import Path

import numpy as np
import pytest

from basso.analysis import analyse
from basso.car.history import CarHistory, car_history
from basso.car.known import known_of
from basso.car.normals import curve_of, kept_normals, learn_build, sessions_to_learn_from, title_of, versions
from basso.garage.bundle import export_car, import_car
from basso.garage.records import Build, Car, Engine, Normal, OilEntry, Session
from basso.garage.store import Garage
from basso.memory.memory import Memory
from basso.normal.changed import normals_apart
from basso.normal.expected import ExpectedPressure
from basso.oil.grades import grade, usual
from basso.pressure.options import JudgeOptions
from basso.recording.recording import Recording
from basso.recording.roles import Role
from basso.standin.car import Outing as Drive
from basso.standin.circuit import harrowfell
from basso.standin.engine import Heat, TrueEngine, balance_kpa, pump_flow
from basso.standin.faults import Logger
from basso.standin.scenarios import generator, run_setup
from basso.standin.simulate import Setup
from support import CLEAN, made_recording, recording_of

pytestmark = pytest.mark.usefixtures("shared_cache")

RPM, HEAT = np.array([2500.0, 4000.0, 5500.0]), np.array([92.0, 95.0, 98.0])


@lru_cache(maxsize=16)
def drive(
    seed: int, oil: str = "10W-40", bearing: float = 1.15, start_c: float = 78.0, logger: Logger = CLEAN
) -> Recording:
    setup = Setup(
        harrowfell(), engine=TrueEngine(oil=oil, bearing=bearing), heat=Heat(start_c=start_c), session=Drive(laps=4)
    )
    return recording_of(run_setup(setup, logger, generator("normals", seed))[1])


def true_kpa(oil: str = "10W-40", heat: np.ndarray = HEAT) -> np.ndarray:
    engine = TrueEngine(oil=oil)
    return np.array(
        [
            balance_kpa(engine, np.array([n]), np.array([t]), pump_flow(engine, np.array([n])))[0]
            for n, t in zip(RPM, heat, strict=True)
        ]
    )


def garage_of(*logs: Recording, **of_session: str) -> tuple[CarHistory, Callable[[Session], Recording | None]]:
    """A car with one build, whose sessions are these logs, a day apart."""
    car = Car(name="Car 31")
    engine = Engine(car=car.id, name="Two litre")
    build = Build(car=car.id, engine=engine.engine, name="Build 1", since="2026-04-01", oil_grade="10W-40")
    sessions = tuple(
        Session(
            car=car.id,
            build=build.id,
            title=f"Stint {i + 1}",
            began=f"2026-05-{i + 1:02d}",
            log_hash=log.content_hash,
            **of_session,
        )
        for i, log in enumerate(logs)
    )
    by_hash = {log.content_hash: log for log in logs}
    return CarHistory(car, (engine,), (build,), sessions), lambda s: by_hash.get(s.log_hash)


def keeping(history: CarHistory, *records: Normal) -> CarHistory:
    return replace(history, normals=(*history.normals, *records))


def test_a_builds_normal_is_learned_from_all_its_sessions_and_is_nearer_than_one() -> None:
    history, log_of = garage_of(drive(1), drive(2, start_c=60.0), drive(3, start_c=95.0))
    learned = learn_build(history, history.builds[0], log_of, Memory.own().decisions, "2026-06-01", "first")
    assert learned.record is not None and learned.used == ("Stint 1", "Stint 2", "Stint 3") and learned.left_out == ()
    assert learned.record.sessions == tuple(s.id for s in history.sessions)
    np.testing.assert_allclose(learned.expected.at(RPM, HEAT), true_kpa(), rtol=0.03)
    (alone,) = (analyse(drive(1)).expected,)
    assert learned.expected.temperature_range_c is not None and alone.temperature_range_c is not None
    assert learned.expected.temperature_range_c[0] < alone.temperature_range_c[0]
    assert np.all(learned.expected.spread_at(RPM, HEAT) <= alone.spread_at(RPM, HEAT) + 1e-3)


def test_what_was_kept_is_what_was_learned(tmp_path: Path) -> None:
    history, log_of = garage_of(drive(1))
    learned = learn_build(history, history.builds[0], log_of, Memory.own().decisions, "2026-06-01")
    assert learned.record is not None
    with Garage(tmp_path / "here") as garage, Garage(tmp_path / "there") as other:
        garage.add("everything", history.car, *history.engines, *history.builds, *history.sessions)
        garage.add("a normal", learned.record)
        export_car(garage, history.car, tmp_path / "car.basso.zip", Memory.own().decisions)
        import_car(other, tmp_path / "car.basso.zip")
        copy, _ = import_car(other, tmp_path / "car.basso.zip", "Car 32")
        for place, car in ((garage, history.car), (other, history.car), (other, copy)):
            there = car_history(place, car)
            (kept,) = there.normals
            curve = curve_of(kept)
            assert curve is not None and kept.sessions == (there.sessions[0].id,) and kept.build == there.builds[0].id
            np.testing.assert_allclose(curve.at(RPM, HEAT), learned.expected.at(RPM, HEAT), rtol=1e-4)
        garage.remove("removing Build 1", *history.builds)
        assert garage.all(Normal) == []


def test_sessions_that_would_mislead_are_left_out_and_it_is_said_why() -> None:
    history, log_of = garage_of(*(drive(i) for i in range(1, 6)))
    a, b, c, d, e = history.sessions
    rebuilt = replace(history.engines[0], id="r", since="2026-05-02", reason="new bearings")
    sessions = (a, b, replace(c, accumulator="armed"), replace(d, log_hash=""), e)
    history = replace(history, sessions=sessions, engines=(*history.engines, rebuilt))
    good, out = sessions_to_learn_from(history, history.builds[0].id)
    assert [s.title for s in good] == ["Stint 2", "Stint 5"]
    assert dict(out) == {
        "Stint 1": "the engine has had another card since",
        "Stint 3": "its accumulator was armed",
        "Stint 4": "it has no log",
    }
    learned = learn_build(
        history,
        history.builds[0],
        lambda s: None if s.id == b.id else log_of(s),
        Memory.own().decisions,
        "2026-06-01",
        only=[b.id, e.id],
    )
    assert learned.used == ("Stint 5",) and ("Stint 2", "its samples are not kept here") in learned.left_out


def test_with_nothing_to_learn_from_there_is_no_record_but_a_reason() -> None:
    still = made_recording(oil_pressure=300.0, rpm=3000.0)
    history, log_of = garage_of(replace(still, content_hash="a" * 64))
    learned = learn_build(history, history.builds[0], log_of, Memory.own().decisions, "2026-06-01")
    assert learned.record is None and not learned.expected.valid and learned.expected.reason
    empty = learn_build(history, history.builds[0], lambda _: None, Memory.own().decisions, "2026-06-01")
    assert empty.record is None and empty.left_out == (("Stint 1", "its samples are not kept here"),)


def test_sessions_on_another_grade_are_moved_by_its_viscosity() -> None:
    thick, thin = drive(5, oil="10W-40"), drive(4, oil="5W-30")
    history, log_of = garage_of(thick, thin)
    oil = (
        OilEntry(car=history.car.id, day="2026-04-30", kind="fill", grade="10W-40"),
        OilEntry(car=history.car.id, day="2026-05-02", kind="change", grade="5W-30"),
    )
    history = replace(history, oil=oil)
    learned = learn_build(history, history.builds[0], log_of, Memory.own().decisions, "2026-06-01")
    assert learned.expected.oil == grade("5W-30")
    np.testing.assert_allclose(learned.expected.at(RPM, HEAT), true_kpa("5W-30"), rtol=0.03)
    # Taken as one oil the thin one would be expected to make what the thick one does.
    mixed = learn_build(replace(history, oil=()), history.builds[0], log_of, Memory.own().decisions, "2026-06-01")
    off = [float(np.max(np.abs(e.at(RPM, HEAT) / true_kpa("5W-30") - 1.0))) for e in (learned.expected, mixed.expected)]
    assert off[0] < 0.6 * off[1]


def test_a_normal_with_another_oil_in_is_what_the_engine_shows_with_it() -> None:
    normal = analyse(drive(1), JudgeOptions(oil=grade("10W-40"))).expected
    thick = normal.on_oil(grade("15W-50"))
    np.testing.assert_allclose(thick.at(RPM, HEAT + 8.0), true_kpa("15W-50", HEAT + 8.0), rtol=0.03)
    assert np.all(thick.at(RPM, HEAT) > normal.at(RPM, HEAT)) and thick.oil == grade("15W-50")
    # What it rests on moves along: a thicker oil is as thick where it is hotter.
    assert thick.temperature_range_c is not None and normal.temperature_range_c is not None
    assert thick.temperature_range_c[0] > normal.temperature_range_c[0] + 3.0
    np.testing.assert_allclose(thick.on_oil(grade("10W-40")).at(RPM, HEAT), normal.at(RPM, HEAT), rtol=1e-6)
    back = ExpectedPressure.from_plain(thick.as_plain())
    np.testing.assert_allclose(back.at(RPM, HEAT), thick.at(RPM, HEAT), rtol=1e-9)
    assert np.array_equal(back.covers(RPM, HEAT), thick.covers(RPM, HEAT))


def test_the_newest_version_of_the_own_build_holds_and_others_are_told_of() -> None:
    history, log_of = garage_of(drive(1), drive(2))
    first = learn_build(
        history, history.builds[0], log_of, Memory.own().decisions, "2026-06-01", only=[history.sessions[0].id]
    ).record
    second = learn_build(history, history.builds[0], log_of, Memory.own().decisions, "2026-07-01").record
    assert first is not None and second is not None
    history = keeping(history, second, first)
    assert [n.day for n in versions(history, history.builds[0].id)] == ["2026-06-01", "2026-07-01"]
    kept = kept_normals(history, history.sessions[1], usual())
    assert [(k.title, k.holds, k.own, k.sessions) for k in kept] == [
        ("Build 1, version 1", False, False, 1),
        ("Build 1, version 2", True, True, 2),
    ]
    # On another build only the newest is of interest, and it holds for nothing there; of another engine none is.
    other = Build(car=history.car.id, engine=history.engines[0].engine, name="Build 2", since="2026-08-01")
    later = replace(history.sessions[1], id="later", build=other.id, began="2026-08-02")
    on_other = replace(history, builds=(*history.builds, other), sessions=(*history.sessions, later))
    assert [(k.title, k.holds) for k in kept_normals(on_other, later, usual())] == [("Build 1, version 2", False)]
    rebuilt = replace(on_other, engines=(*history.engines, replace(history.engines[0], id="r", since="2026-08-01")))
    assert kept_normals(rebuilt, later, usual()) == ()
    # What a later Basso wrote otherwise is passed over.
    assert (
        curve_of(replace(first, curve={**first.curve, "form": 99})) is None
        and curve_of(replace(first, curve={"form": 1})) is None
    )
    assert title_of(history, first) == "Build 1, version 1"


def test_a_session_is_laid_over_the_kept_normal_and_a_loss_that_is_always_there_shows() -> None:
    worn = drive(6, bearing=1.9)
    history, log_of = garage_of(drive(1), drive(2), worn)
    record = learn_build(
        history,
        history.builds[0],
        log_of,
        Memory.own().decisions,
        "2026-06-01",
        only=[s.id for s in history.sessions[:2]],
    ).record
    assert record is not None
    known = known_of(keeping(history, record), worn, log_of, Memory.own().decisions)
    assert known is not None and known.in_force is not None and known.in_force.title == "Build 1, version 1"
    own, held = (analyse(worn, JudgeOptions(known=known, by_kept=by)) for by in (False, True))
    assert float(np.nanmedian(own.share[own.settled])) == pytest.approx(1.0, abs=0.02)
    assert float(np.nanmedian(held.share[held.settled])) < 0.9
    assert any(c.id == "expected" and "Build 1, version 1" in c.message for c in held.checks)
    assert not any(c.id == "expected" for c in own.checks)


def test_a_log_that_shows_no_normal_of_its_own_takes_the_kept_one_and_says_so() -> None:
    short = drive(7)
    channels = tuple(replace(c, time_s=c.time_s[700:1100], values=c.values[700:1100]) for c in short.channels)
    piece = replace(short, channels=channels, content_hash="b" * 64)
    assert not analyse(piece).expected.valid
    history, log_of = garage_of(drive(1), piece)
    record = learn_build(
        history, history.builds[0], log_of, Memory.own().decisions, "2026-06-01", only=[history.sessions[0].id]
    ).record
    assert record is not None
    known = known_of(keeping(history, record), piece, log_of, Memory.own().decisions)
    found = analyse(piece, JudgeOptions(known=known))
    assert found.expected.valid and np.isfinite(found.expected_kpa[found.judged]).all()
    (said,) = (c for c in found.checks if c.id == "expected")
    assert "kept on 2026-06-01" in said.message and "this log shows none" in said.message
    # Without oil temperature a normal by oil temperature cannot hold it.
    cold = piece.with_channels(tuple(c for c in piece.channels if c.role is not Role.OIL_TEMP))
    assert not analyse(cold, JudgeOptions(known=known)).expected.valid
    given = JudgeOptions(normal=known.in_force.expected) if known and known.in_force else JudgeOptions()
    assert any(c.id == "expected" and "by oil temperature" in c.message for c in analyse(cold, given).checks)


def test_one_normal_laid_over_another_says_by_how_much_and_where() -> None:
    young, worn = (analyse(drive(i, bearing=b)).expected for i, b in ((1, 1.15), (6, 1.5)))
    apart = normals_apart(young, worn)
    assert apart is not None and apart.temperature_c is not None
    rpm, heat = (np.linspace(*r, 9) for r in (apart.rpm, apart.temperature_c))
    grid = np.meshgrid(rpm, heat)
    engines = TrueEngine(), TrueEngine(bearing=1.5)
    older, newer = (balance_kpa(e, grid[0].ravel(), grid[1].ravel(), pump_flow(e, grid[0].ravel())) for e in engines)
    assert apart.low_kpa < float(np.mean(newer - older)) < apart.high_kpa < 0.0
    same = normals_apart(young, analyse(drive(2)).expected)
    assert same is not None and same.low_kpa < 0.0 < same.high_kpa
    by_rpm = analyse(
        drive(2).with_channels(tuple(c for c in drive(2).channels if c.role is not Role.OIL_TEMP))
    ).expected
    assert normals_apart(young, by_rpm) is None
