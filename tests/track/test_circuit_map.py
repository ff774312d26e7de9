"""A circuit's lasting map: a corner keeps its number and its name, whoever tells where the car is."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from basso.analysis import Analysis, analyse
from basso.pressure.options import JudgeOptions
from basso.recording.recording import Recording
from basso.recording.roles import Role
from basso.standin.car import Outing
from basso.standin.circuit import Circuit, harrowfell, quarrymoss, random_circuit
from basso.standin.faults import Logger
from basso.standin.scenarios import generator, run_setup
from basso.standin.simulate import Setup
from basso.track.circuit_map import CircuitMap, begun_at, lay, map_of
from basso.track.corners import TrackMap, place_of
from support import recording_of

_PATH = (Role.LATITUDE, Role.LONGITUDE)


def drive(circuit: Circuit, day: str, laps: int = 5, rate: int = 20) -> Recording:
    setup = Setup(circuit, session=Outing(laps=laps))
    return recording_of(run_setup(setup, Logger(rate, gps=True), generator("circuit map " + day, 1))[1])


def without(recording: Recording, *roles: Role) -> Recording:
    return recording.with_channels(tuple(c for c in recording.channels if c.role not in roles))


def track_of(recording: Recording) -> TrackMap:
    track = analyse(recording).track
    assert track is not None
    return track


@pytest.fixture(scope="module")
def first() -> TrackMap:
    return track_of(drive(harrowfell(), "one"))


@pytest.fixture(scope="module")
def second() -> Recording:
    return drive(harrowfell(), "two", laps=6)


def corners_passed(a: Analysis, track: TrackMap) -> list[str]:
    """The ids of the corners in the order in which one lap goes through them, from the first on."""
    lap = [x for x in a.laps if x.complete][1]
    part = slice(*np.searchsorted(a.time_s, (lap.start_s, lap.end_s)))
    told = [place_of(track.places, [float(m)]) for m in track.lap_distance_m[part]]
    ids = [p.id for p in told if p is not None and p.is_corner]
    once = [x for i, x in enumerate(ids) if i == 0 or ids[i - 1] != x]
    at = once.index("1")
    return list(dict.fromkeys(once[at:] + once[:at]))


@pytest.mark.parametrize("gone", [(), (Role.LAP,), (Role.LAP, *_PATH)])
def test_corners_keep_their_numbers_and_names_by_lap_column_by_path_and_by_neither(
    gone: tuple[Role, ...], first: TrackMap, second: Recording
) -> None:
    circuit = map_of("Harrowfell", [first]).named("4", "Long Meadow")
    a = analyse(without(second, *gone), JudgeOptions(circuits=(circuit,)))
    assert a.track is not None and a.track.circuit == "Harrowfell" and a.track.places == circuit.places
    assert corners_passed(a, a.track) == [str(i) for i in range(1, 9)]
    named = {d.place.label for d in a.dips if d.place is not None and d.place.name}
    assert named <= {"turn 4 Long Meadow"}


def test_another_circuit_is_not_laid_on_the_map(first: TrackMap) -> None:
    circuit = map_of("Harrowfell", [first])
    for recording in (
        drive(random_circuit(generator("elsewhere", 4)), "elsewhere"),
        drive(quarrymoss(), "hill", laps=3),
    ):
        a = analyse(recording, JudgeOptions(circuits=(circuit,)))
        assert a.track is not None and a.track.circuit is None


def test_a_map_is_kept_as_plain_figures_and_comes_back(first: TrackMap) -> None:
    made = map_of("Harrowfell", [first]).named("2", "Kiln")
    back = CircuitMap.from_plain("Harrowfell", made.as_plain())
    assert back.places == made.places and back.shape.closed and back.shape.length_m == made.shape.length_m
    laid = lay(first, back)
    assert laid is not None and np.nanmax(np.abs(laid.lap_distance_m - first.lap_distance_m) % first.length_m) < 3.0


def test_more_drives_make_one_map_and_names_stay(first: TrackMap, second: Recording) -> None:
    known = map_of("Harrowfell", [first]).named("6", "Sheepfold")
    grown = map_of("Harrowfell", [track_of(second)], known)
    assert grown.shape.laps == 5 + 6
    assert [p.name for p in grown.places if p.is_corner] == ["", "", "", "", "", "Sheepfold", "", ""]
    elsewhere = track_of(drive(random_circuit(generator("elsewhere", 4)), "elsewhere"))
    assert map_of("Harrowfell", [elsewhere], known).shape.laps == 5, "what was driven elsewhere is left out"
    with pytest.raises(ValueError):
        map_of("Nowhere", [])


@pytest.mark.parametrize("gone", [(), (Role.LAP, *_PATH)])
def test_laps_are_cut_at_a_line_that_was_set(gone: tuple[Role, ...], first: TrackMap, second: Recording) -> None:
    circuit = begun_at(map_of("Harrowfell", [first]).named("6", "Sheepfold"), 1700.0)
    assert circuit.line_set and [p.name for p in circuit.places if p.is_corner].index("Sheepfold") == 1
    recording = without(second, *gone)
    a = analyse(recording, JudgeOptions(circuits=(circuit,)))
    b = analyse(recording)
    # Half a lap apart from where the laps began before.
    starts, before = ([x.start_s for x in y.laps if x.complete] for y in (a, b))
    usual = float(np.median([x.time_s for x in b.laps if x.complete]))
    if not gone:
        assert all(0.2 * usual < min(abs(s - t) for t in before) for s in starts)
    assert len(starts) >= len(before) - 1
    assert np.median([x.time_s for x in a.laps if x.complete]) == pytest.approx(usual, rel=0.02)
    assert a.track is not None and corners_passed(a, a.track)[:2] == ["1", "2"]


def test_a_receiver_that_updates_once_a_second_tells_laps_and_places(first: TrackMap, second: Recording) -> None:
    """The logger writes the last position again until the next: what stands still in between is no place."""
    slow = []
    for c in second.channels:
        every = np.searchsorted(c.time_s, np.floor(c.time_s)) if c.role in _PATH else np.arange(c.values.size)
        slow.append(replace(c, values=c.values[np.minimum(every, c.values.size - 1)]))
    a = analyse(without(second.with_channels(tuple(slow)), Role.LAP), JudgeOptions(circuits=(map_of("H", [first]),)))
    assert sum(x.complete for x in a.laps) == 6 and a.track is not None
    assert corners_passed(a, a.track) == [str(i) for i in range(1, 9)]
    times = [x.time_s for x in a.laps if x.complete]
    true = [x.time_s for x in analyse(second).laps if x.complete]
    assert np.median(times) == pytest.approx(float(np.median(true)), abs=1.0)
