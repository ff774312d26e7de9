"""Which side the lateral g is positive to: a turn is a turn until something proves that it is a left or a right."""

from __future__ import annotations

import re
from dataclasses import replace

import numpy as np
import pytest

from basso.analysis import Analysis, analyse
from basso.findings.corners.findings import find_corners
from basso.memory.decisions import Decision
from basso.memory.memory import Memory
from basso.pressure.options import JudgeOptions
from basso.recording.channel import Channel
from basso.recording.recording import Recording
from basso.recording.roles import Role
from basso.report.documents import analysis_document
from basso.report.tables import as_csv, dips_sheet
from basso.standin.car import Outing
from basso.standin.circuit import harrowfell
from basso.standin.engine import Heat
from basso.standin.faults import Logger, Mount
from basso.standin.scenarios import generator
from basso.standin.simulate import Setup
from basso.track.circuit_map import CircuitMap, map_of
from basso.units import DisplayUnits
from basso.words.corners import place_words, side_words, threshold_words
from basso.words.headline import sentence
from support import driven_and_logged, recording_of

SI = DisplayUnits()
_SIDED = re.compile(r"\b(left|right)\b", re.IGNORECASE)


def driven(flipped: bool = False, gps: bool = False, seed: int = 3) -> Recording:
    """Harrowfell, whose long lefts bare the pickup, by a logger whose lateral g may be positive to the right."""
    setup = Setup(harrowfell(), heat=Heat(start_c=92), session=Outing(laps=4))
    logger = Logger(gps=gps, mount=Mount(flip_lateral=flipped))
    return recording_of(driven_and_logged(setup, logger, generator("side", seed))[1])


def with_column(recording: Recording, name: str, sign: float = 1.0) -> Recording:
    """The same with a column that turns with the car: of the car itself, so it does not depend on how the g is
    mounted."""
    g, speed = recording.channel(Role.LATERAL_G), recording.channel(Role.SPEED)
    assert g is not None and speed is not None
    rate = np.degrees(9.80665 * sign * g.values / np.maximum(speed.values, 4.0))
    return recording.with_channels((*recording.channels, Channel(name, None, None, False, g.time_s, rate)))


def causes(a: Analysis) -> set[str]:
    return {d.cause.name for d in a.dips}


def all_words(a: Analysis) -> str:
    """Everything that is said of a session: headline, reasons, rivals, places, corners, tables."""
    told = find_corners(a)
    assert told is not None
    rivals = [w for d in a.dips for r in a.rivals(d) for w in (*r.speaks_for, *r.speaks_against)]
    places = [*(place_words(p) for p in told.places), *(p.place.label for p in told.places)]
    corners = [*(threshold_words(t, a.side) for t in told.thresholds), side_words(told)]
    return "\n".join(
        [
            sentence(a, SI),
            *(d.cause.reason for d in a.dips),
            *rivals,
            *places,
            *corners,
            as_csv(dips_sheet(a, SI)).decode(),
        ]
    )


@pytest.mark.parametrize("flipped", [False, True])
def test_without_proof_a_turn_is_a_turn_and_nothing_says_left_or_right(flipped: bool) -> None:
    a = analyse(driven(flipped))
    assert not a.side.proven and "turn" in causes(a) and not causes(a) & {"left_turn", "right_turn"}
    assert not _SIDED.search(all_words(a))
    assert "sign not proven" in sentence(a, SI) and "say which way the first turn went" in sentence(a, SI)
    events = analysis_document(a)["events"]
    assert {"turn"} <= {e["cause"] for e in events} and not {"left_turn", "right_turn"} & {e["cause"] for e in events}


def test_both_sides_are_told_apart_without_being_named() -> None:
    one, other = (analyse(driven(flipped)) for flipped in (False, True))
    assert {d.cause.side for d in one.dips if d.cause.name == "turn"} == {"one_side"}
    assert {d.cause.side for d in other.dips if d.cause.name == "turn"} == {"other_side"}


@pytest.mark.parametrize("flipped", [False, True])
def test_a_path_proves_it_and_puts_it_right(flipped: bool) -> None:
    a = analyse(driven(flipped, gps=True))
    assert a.side.proven and "left_turn" in causes(a) and "right_turn" not in causes(a)
    assert any(c.kind == "sign" for c in a.corrections) is flipped


@pytest.mark.parametrize("name", ["Yaw rate [°/s]", "Gierrate", "Lacet", "YawRate", "Steering angle", "Lenkwinkel [°]"])
def test_rate_of_turn_and_steering_prove_it(name: str) -> None:
    a = analyse(with_column(driven(), name))
    assert a.side.proven and "left_turn" in causes(a)


def test_a_rate_of_turn_that_runs_against_it_turns_it_over_and_steering_leaves_it_open() -> None:
    """Steering is counted to the right by many; it proves nothing where it disagrees."""
    turned = analyse(with_column(driven(flipped=True), "Yaw rate", sign=-1.0))
    assert "left_turn" in causes(turned) and any(c.kind == "sign" for c in turned.corrections)
    steered = analyse(with_column(driven(flipped=True), "Steering angle", sign=-1.0))
    assert not steered.side.proven and "turn" in causes(steered)


@pytest.mark.parametrize(("flipped", "said"), [(False, 1.0), (True, -1.0)])
def test_somebodys_word_proves_it(flipped: bool, said: float) -> None:
    recording = driven(flipped)
    lateral = recording.channel(Role.LATERAL_G)
    assert lateral is not None
    a = analyse(recording, JudgeOptions(edited=frozenset({(lateral.name, "sign", said)})))
    assert a.side.proven and "left_turn" in causes(a) and "right_turn" not in causes(a)
    assert any(c.kind == "sign" for c in a.corrections) is flipped


def _surveyed(with_path: bool) -> CircuitMap:
    track = analyse(driven(gps=True, seed=9)).track
    assert track is not None
    circuit = map_of("Harrowfell", [track])
    return circuit if with_path else replace(circuit, shape=replace(circuit.shape, path=None))


@pytest.mark.parametrize("flipped", [False, True])
def test_a_kept_map_that_was_made_from_a_path_proves_it_and_puts_it_right(flipped: bool) -> None:
    a = analyse(driven(flipped), JudgeOptions(circuits=(_surveyed(True),)))
    assert a.side.proven and "left_turn" in causes(a) and "right_turn" not in causes(a)
    assert any(c.kind == "sign" for c in a.corrections) is flipped
    assert a.track is not None and a.track.circuit == "Harrowfell"


def test_a_map_without_a_path_proves_nothing() -> None:
    assert not analyse(driven(), JudgeOptions(circuits=(_surveyed(False),))).side.proven


def test_what_was_said_of_one_log_holds_for_every_log_with_its_columns() -> None:
    first, second = driven(seed=3), driven(seed=4)
    lateral = first.channel(Role.LATERAL_G)
    assert lateral is not None
    decision = Decision(edited=frozenset({(lateral.name, "sign", -1.0), ("Oil pressure", "offset", 3.0)}))
    Memory.own().decisions.keep_log(first, decision)
    assert Memory.own().decisions.of_log(first) == decision
    assert Memory.own().decisions.of_log(second).edited == {(lateral.name, "sign", -1.0)}, "the zero is that log's own"
    Memory.own().decisions.keep_log(second, Decision())
    assert Memory.own().decisions.of_log(first).edited == {("Oil pressure", "offset", 3.0)}
