"""How often a threshold's interval holds the truth: ``python -m benchmarks.thresholds [logs] [first seed]``.

Random circuits, engines and pans with the pickup off the centre, its slosh and damping unknown. The truth is the steady
g at which the head over the pickup falls to where air is drawn, by exact surfaces, at the running level of the passes.
Prints for each direction found its interval and the truth; how often the 95 % interval holds it; how often "nothing
fell up to here" is wrong.
"""

from __future__ import annotations

import sys
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).parent.parent / "tests"))

from basso.analysis import analyse
from basso.pressure.thresholds import Threshold, find_thresholds
from basso.standin.car import Car, Outing
from basso.standin.circuit import random_circuit
from basso.standin.engine import Heat, TrueEngine, lagged
from basso.standin.faults import Logger
from basso.standin.pan import Pan
from basso.standin.scenarios import generator, run_setup
from basso.standin.simulate import Setup
from basso.sump.shape import BoxPan
from basso.sump.surface import pickup_head_m
from support import recording_of

_WAY = {"left": (0.0, 1.0), "right": (0.0, -1.0), "braking": (-1.0, 0.0), "acceleration": (1.0, 0.0)}


@dataclass(frozen=True)
class Row:
    """One direction of one log."""

    seed: int
    found: Threshold
    true_g: float | None


def _setup(seed: int) -> tuple[Setup, Logger]:
    rng = generator("thresholds", seed)
    shape = BoxPan(
        float(rng.uniform(0.22, 0.30)),
        float(rng.uniform(0.17, 0.24)),
        0.16,
        (float(rng.uniform(-0.06, 0.06)), float(rng.uniform(-0.06, 0.06)), 0.008),
    )
    pan = Pan(
        shape=shape,
        fill_l=float(rng.uniform(3.4, 4.8)),
        slosh_hz=float(rng.uniform(0.4, 0.8)),
        damping=float(rng.uniform(0.55, 0.85)),
    )
    engine = TrueEngine(bearing=float(rng.uniform(0.8, 1.4)), relief_kpa=float(rng.uniform(380, 620)))
    heat, drive = (
        Heat(start_c=float(rng.uniform(70, 88))),
        (random_circuit(rng), Outing(laps=int(rng.integers(6, 10)))),
    )
    return Setup(drive[0], Car(), engine, heat=heat, pan=pan, session=drive[1]), Logger(
        int(rng.choice([10, 20, 50, 100])), gps=True
    )


def _one(seed: int) -> list[Row]:
    setup, logger = _setup(seed)
    simulated, csv = run_setup(setup, logger, generator("thresholds/drive", seed))
    a = analyse(recording_of(csv))
    side, along = (np.nan_to_num(g) if g is not None else None for g in (a.lateral_g, a.longitudinal_g))
    held = lagged(setup.pan.held_up_l * simulated.drive.rpm / 7000.0, setup.pan.held_up_s)
    rows = []
    for t in find_thresholds(a.time_s, a.share, a.rpm, side, along, a.judged):
        at = np.clip((a.time_s[t.at] * 100.0).astype(int), 0, held.size - 1)
        running = setup.pan.fill_l - (float(np.median(held[at])) if at.size else 0.6)
        rows.append(Row(seed, t, _bared_at(setup.pan, t.direction, running)))
    return rows


def _bared_at(pan: Pan, direction: str, volume_l: float) -> float | None:
    g = np.linspace(0.0, 2.5, 501)
    x, y = _WAY[direction]
    bare = np.flatnonzero(pickup_head_m(pan.shape, np.full(g.shape, volume_l), x * g, y * g) < pan.mouth_m)
    return float(g[bare[0]]) if bare.size else None


def main() -> None:
    """Run everything and print."""
    logs = int(sys.argv[1]) if len(sys.argv) > 1 else 40
    first = int(sys.argv[2]) if len(sys.argv) > 2 else 600
    inside, wide, wrong, bounds = [], [], 0, 0
    with ProcessPoolExecutor(2) as pool:
        for rows in pool.map(_one, range(first, first + logs)):
            for r in rows:
                t = r.found
                true = "never" if r.true_g is None else f"{r.true_g:.2f} g"
                if t.g is not None and t.high_g is not None:
                    inside.append(r.true_g is not None and (t.low_g or 0.0) <= r.true_g <= t.high_g)
                    wide.append(t.high_g - (t.low_g or 0.0))
                    low = "less" if t.low_g is None else f"{t.low_g:.2f}"
                    mark = "" if inside[-1] else "   missed"
                    print(f"  {r.seed} {t.direction:<13}{t.g:.2f} g ({low} to {t.high_g:.2f}), truth {true}{mark}")
                elif t.low_g is not None:
                    bounds += 1
                    wrong += r.true_g is not None and r.true_g < t.low_g
    print(f"{len(inside)} thresholds: {np.mean(inside):.1%} hold the truth, {np.median(wide):.2f} g wide in the middle")
    print(f"{bounds} directions in which nothing fell: {wrong} of the bounds lie over the truth")


if __name__ == "__main__":
    main()
