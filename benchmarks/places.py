"""Laps and corners on circuits nobody tuned on: counted, timed, told left from right, and kept apart from session to
session.

    python -m benchmarks.places [pairs of sessions] [first seed]

Each pair drives one random circuit on two days: other oil level, pace, logger rate and lap line; the second day's
receiver is off by a few metres, poor (1 Hz, wandering by 6 m) or not there at all. The truth is the circuit's own
curvature and the car's own way along it. A corner keeps its identity where, on a pass of the second day, the place told
at its apex is the place it had on the first.
"""

from __future__ import annotations

import sys
from collections import defaultdict
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).parent.parent / "tests"))

from basso.analysis import Analysis, analyse
from basso.recording.channel import Channel
from basso.recording.recording import Recording
from basso.recording.roles import Role
from basso.recording.spans import runs_of
from basso.standin.car import Outing
from basso.standin.circuit import Circuit, random_circuit
from basso.standin.faults import Logger
from basso.standin.pan import Pan
from basso.standin.scenarios import generator, run_setup
from basso.standin.simulate import Setup, Simulated
from basso.track.circuit_map import lay, map_of
from basso.track.corners import TrackMap
from basso.track.laps import Lap
from basso.track.line import driven_path
from support import recording_of

MEANS = ("column", "path", "poor path", "pattern")
"""By what the second day's laps and places are told."""


@dataclass(frozen=True, slots=True)
class Row:
    """One session of a pair by one of the means."""

    seed: int
    means: str
    driven: int
    found: int
    time_off_s: float
    interval_s: float
    corners: int
    true_corners: int
    sides_right: bool
    kept: int
    passes: int
    laid: bool


def true_corners(circuit: Circuit) -> list[tuple[float, float, str]]:
    """Start, end and direction of what turns by 12° or more with a radius under 400 m."""
    k = circuit.curvature_per_m
    found = [
        (float(a), float(b), side)
        for sign, side in ((1.0, "left"), (-1.0, "right"))
        for a, b in runs_of(sign * k > 1.0 / 400.0, 3)
        if abs(float(k[a:b].sum())) > 0.2
    ]
    return sorted(found)


def _day(seed: int, day: int, circuit: Circuit) -> tuple[Simulated, Recording, int]:
    rng = generator(f"places/day {day}", seed)
    laps = int(rng.integers(5, 10))
    session = Outing(laps=laps, pace=float(rng.uniform(0.95, 1.0)), spread=float(rng.uniform(0.008, 0.02)))
    setup = Setup(circuit, pan=Pan(fill_l=float(rng.uniform(3.8, 5.0))), session=session)
    logger = Logger(int(rng.choice([10, 20, 50, 100])), gps=True)
    simulated, csv = run_setup(setup, logger, generator(f"places/drive {day}", seed))
    return simulated, recording_of(csv), laps


def _by(recording: Recording, means: str, rng: np.random.Generator) -> Recording:
    """What the second day's logger knows of where it is."""
    if means == "column":
        return recording
    path = (Role.LATITUDE, Role.LONGITUDE)
    kept = [c for c in recording.channels if c.role is not Role.LAP]
    if means == "pattern":
        return recording.with_channels(tuple(c for c in kept if c.role not in path))
    return recording.with_channels(tuple(_moved(c, means, rng) if c.role in path else c for c in kept))


def _moved(channel: Channel, means: str, rng: np.random.Generator) -> Channel:
    metre = 1.0 / 111_195.0
    values = channel.values + rng.normal(0.0, 3.0) * metre
    if means != "poor path":
        return replace(channel, values=values)
    n = values.size
    walk = np.cumsum(rng.normal(0.0, 1.0, n))
    walk -= np.linspace(walk[0], walk[-1], n)
    every = np.maximum(np.searchsorted(channel.time_s, np.floor(channel.time_s), side="left"), 0)
    return replace(
        channel, values=(values + 6.0 * metre * walk / max(float(walk.std()), 1e-9))[np.minimum(every, n - 1)]
    )


def _at_apexes(
    a: Analysis, track: TrackMap, simulated: Simulated, length: float, corners: list[tuple[float, float, str]]
) -> dict[int, list[str | None]]:
    """By true corner, the place told at its middle on each complete lap of the analysis."""
    way = simulated.drive.distance_m
    told: dict[int, list[str | None]] = defaultdict(list)
    for lap in a.laps:
        if not lap.complete:
            continue
        first, last = (int(np.clip(t * 100.0, 0, way.size - 1)) for t in (lap.start_s, lap.end_s))
        for i, (start, end, _) in enumerate(corners):
            middle = (start + end) / 2.0
            base = np.floor((way[first] - middle) / length) + 1.0
            at = int(np.searchsorted(way, base * length + middle))
            if at < last:
                place = track.place_of(int(np.clip(np.searchsorted(a.time_s, at / 100.0), 0, a.time_s.size - 1)))
                told[i].append(place.id if place is not None and place.is_corner else None)
    return told


def _time_off(b: Analysis, whole: list[Lap], simulated: Simulated, length: float, means: str) -> tuple[float, float]:
    """By how much a lap's time is off (the median over the laps), and the interval at which it was told."""
    way, speed = simulated.drive.distance_m, simulated.drive.speed_mps
    off = []
    for lap in whole:
        first, last = (int(np.clip(t * 100.0, 0, way.size - 1)) for t in (lap.start_s, lap.end_s))
        # The true lap from where this one begins: a line elsewhere makes another lap of the same drive.
        off.append(abs(float(way[last] - way[first]) - length) / max(float(speed[last]), 1.0))
    path = driven_path(b.corrected) if "path" in means else None
    step = path.time_s if path is not None else b.time_s
    return float(np.median(off)) if off else np.inf, float(np.median(np.diff(step)))


def _pair(seed: int) -> list[Row]:
    circuit = random_circuit(generator("places", seed))
    corners = true_corners(circuit)
    first_sim, first, _ = _day(seed, 1, circuit)
    second_sim, second, driven = _day(seed, 2, circuit)
    a = analyse(first)
    if a.track is None:
        return [Row(seed, m, driven, 0, np.inf, 1.0, 0, len(corners), False, 0, 1, False) for m in MEANS]
    lasting = map_of("made", [a.track])
    was = {
        i: max(set(p), key=p.count)
        for i, p in _at_apexes(a, a.track, first_sim, circuit.length_m, corners).items()
        if p
    }
    rows = []
    for means in MEANS:
        b = analyse(_by(second, means, generator(f"places/{means}", seed)))
        whole = [x for x in b.laps if x.complete]
        own = [p for p in (b.track.places if b.track is not None else ()) if p.is_corner]
        laid = lay(b.track, lasting) if b.track is not None else None
        now = _at_apexes(b, laid, second_sim, circuit.length_m, corners) if laid is not None else {}
        passes = [(p, was[i]) for i, places in now.items() if i in was and was[i] is not None for p in places]
        asked = len(passes) if laid is not None else driven * len(was)
        sides, true_sides = [p.kind for p in own], [s for _, _, s in corners]
        turned = any(sides[i:] + sides[:i] == true_sides for i in range(len(sides)))
        off, interval = _time_off(b, whole, second_sim, circuit.length_m, means)
        rows.append(
            Row(
                seed,
                means,
                driven,
                len(whole),
                off,
                interval,
                len(own),
                len(corners),
                turned,
                sum(p == w for p, w in passes),
                asked,
                laid is not None,
            )
        )
    return rows


def main() -> None:
    """Run everything and print."""
    pairs = int(sys.argv[1]) if len(sys.argv) > 1 else 30
    first = int(sys.argv[2]) if len(sys.argv) > 2 else 0
    with ProcessPoolExecutor(2) as pool:
        rows = [r for found in pool.map(_pair, range(first, first + pairs)) for r in found]
    print("second day by   laps exact  time in one interval  corners +-1  sides right  laid on the map  identity kept")
    for means in MEANS:
        own = [r for r in rows if r.means == means]
        kept = sum(r.kept for r in own) / max(sum(r.passes for r in own), 1)
        print(
            f"{means:<15} {np.mean([r.driven == r.found for r in own]):10.2f} "
            f"{np.mean([r.time_off_s <= r.interval_s + 1e-6 for r in own]):21.2f}"
            f" {np.mean([abs(r.corners - r.true_corners) <= 1 for r in own]):12.2f} "
            f"{np.mean([r.sides_right for r in own if r.corners == r.true_corners]):12.2f}"
            f" {np.mean([r.laid for r in own]):16.2f} {kept:14.3f}"
        )
    for r in rows:
        if r.driven != r.found or not r.laid or r.kept < r.passes:
            print(
                f"  seed {r.seed}, {r.means}: {r.found} of {r.driven} laps, {r.corners} of "
                f"{r.true_corners} corners, {r.kept} of {r.passes} kept"
            )


if __name__ == "__main__":
    main()
