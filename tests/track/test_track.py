"""Laps and places of the stand-in's circuit."""

from __future__ import annotations

import numpy as np
import pytest

from basso.recording.recording import Recording
from basso.recording.roles import Role
from basso.standin.car import Outing
from basso.standin.circuit import harrowfell, random_circuit
from basso.standin.faults import Logger
from basso.standin.pan import Pan
from basso.standin.scenarios import generator, run_setup
from basso.standin.simulate import Setup
from basso.track.laps import find_laps
from basso.workflow import run_trial
from support import judged_scenario, made_recording, recording_of


def test_out_and_in_laps_are_not_complete() -> None:
    laps = judged_scenario("baseline-1", 3).analysis.laps
    assert [lap.number for lap in laps] == list(range(9))
    assert [lap.complete for lap in laps] == [False] + [True] * 7 + [False]


def test_lap_times_are_those_that_were_driven() -> None:
    judged = judged_scenario("baseline-1", 3)
    true = np.bincount(judged.simulated.drive.lap.astype(int))[1:8] * 0.01
    found = [lap.time_s for lap in judged.analysis.laps if lap.complete]
    assert found == pytest.approx(true.tolist(), abs=0.06)


def test_no_lap_column_no_laps() -> None:
    assert find_laps(made_recording(oil_pressure=300.0, rpm=3000.0)) == ()


def test_corners_of_harrowfell_in_order_and_direction() -> None:
    track = judged_scenario("baseline-1", 3).analysis.track
    assert track is not None
    corners = [p for p in track.places if p.is_corner]
    assert [p.kind for p in corners] == ["right", "left", "right", "left", "left", "left", "left", "right"]
    assert [p.id for p in corners] == [str(i) for i in range(1, 9)]
    assert track.length_m == pytest.approx(harrowfell().length_m, rel=0.01)


def test_the_heavy_braking_zone_is_before_the_hairpin() -> None:
    track = judged_scenario("baseline-1", 3).analysis.track
    assert track is not None
    hairpin = next(p for p in track.places if p.id == "6")
    zones = [p for p in track.places if p.kind == "braking"]
    assert any(0 < hairpin.apex_m - z.apex_m < 200 for z in zones)
    assert max(z.peak_g for z in zones) > 1.0


def test_dips_are_told_by_lap_and_place() -> None:
    dips = judged_scenario("baseline-1", 3).analysis.dips
    inside = [d for d in dips if d.lap is not None and d.lap.complete]
    assert inside
    assert all(d.place is not None for d in inside)
    assert {"turn 2 left", "turn 4 left"} <= {d.place.label for d in inside if d.place is not None}


@pytest.mark.parametrize("seed", range(6))
def test_random_circuits_close(seed: int) -> None:
    circuit = random_circuit(np.random.default_rng(seed))
    turned = float(np.degrees(circuit.curvature_per_m.sum()))
    assert abs(turned) == pytest.approx(360.0, abs=3.0)
    assert np.hypot(circuit.x_m[-1], circuit.y_m[-1]) < 3.0
    assert 800.0 < circuit.length_m < 6000.0


def _without(recording: Recording, *roles: Role) -> Recording:
    return recording.with_channels(tuple(c for c in recording.channels if c.role not in roles))


@pytest.mark.parametrize("seed", range(4))
@pytest.mark.parametrize("means", ["path", "pattern"])
def test_laps_are_found_without_a_lap_column(seed: int, means: str) -> None:
    """On circuits nobody tuned on: as many laps as were driven, and their time, from GPS or from the g alone."""
    circuit = random_circuit(generator("laps", seed))
    setup = Setup(circuit, session=Outing(laps=6))
    simulated, csv = run_setup(setup, Logger(20, gps=means == "path"), generator("laps drive", seed))
    true = np.bincount(simulated.drive.lap.astype(int))[1:7] * 0.01
    laps = find_laps(_without(recording_of(csv), Role.LAP))
    complete = [lap.time_s for lap in laps if lap.complete]
    assert 5 <= len(complete) <= 7
    assert np.median(complete) == pytest.approx(float(np.median(true)), rel=0.03)
    assert not laps[0].complete and not laps[-1].complete


def test_driving_about_gives_no_laps() -> None:
    n = 6000
    rng = np.random.default_rng(1)
    wander = np.convolve(rng.normal(0, 1, n), np.ones(60) / 8, mode="same")
    recording = made_recording(seconds=n / 50, oil_pressure=300.0, rpm=3000.0, lateral_g=wander, speed=25.0)
    assert find_laps(recording) == ()


def test_a_trial_needs_no_lap_column() -> None:
    """A by GPS, B by the g alone: their laps begin at different places and are laid on each other."""
    sides = []
    for name, fill, gps in (("a", 4.2, True), ("b", 4.5, False)):
        setup = Setup(harrowfell(), pan=Pan(fill_l=fill), session=Outing(laps=7))
        csv = run_setup(setup, Logger(20, gps=gps), generator("no laps " + name, 1))[1]
        sides.append(_without(recording_of(csv), Role.LAP))
    c = run_trial("A", [sides[0]], "B", [sides[1]])
    assert c.verdict == "better"
    assert c.effect_kpa is not None and c.effect_kpa.low > 0


@pytest.mark.parametrize("without", [(Role.LAP,), (Role.LAP, Role.LATITUDE, Role.LONGITUDE)])
@pytest.mark.parametrize("seed", [931, 932, 933])
def test_a_line_that_is_found_parts_the_drive_into_as_many_laps_as_were_driven(
    seed: int, without: tuple[Role, ...]
) -> None:
    rng = generator("track/laps", seed)
    driven = int(rng.integers(5, 9))
    setup = Setup(random_circuit(rng), session=Outing(laps=driven))
    recording = recording_of(run_setup(setup, Logger(20, gps=True), generator("track/drive", seed))[1])
    bare = recording.with_channels(tuple(c for c in recording.channels if c.role not in without))
    assert sum(lap.complete for lap in find_laps(bare)) == driven
