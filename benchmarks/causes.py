"""How often a cause is named right, and both where two directions bared the pickup together.

    python -m benchmarks.causes [logs] [first seed]

Random circuits, engines and pans, half of them with the pickup towards a corner of the pan and more oil in, so that
braking into a turn does what neither does alone. The truth is the exact surface: by how much the g each way lowers the
head over the pickup, when the air that made the pressure cross the floor was drawn. Two directions count as together
where the lesser takes 0.30 of the head and more, as one alone up to 0.15; between the two either answer is right.
"""

from __future__ import annotations

import sys
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).parent.parent / "tests"))

from basso.analysis import analyse
from basso.standin.engine import lagged
from basso.standin.faults import Logger
from basso.standin.scenarios import generator, run_setup
from basso.standin.simulate import Setup, true_dips
from basso.sump.shape import BoxPan
from basso.sump.surface import pickup_head_m
from benchmarks.thresholds import _setup as plain_setup
from support import recording_of

_THROWN = ("left_turn", "right_turn", "braking", "acceleration")
_TOGETHER, _ALONE = 0.30, 0.15


@dataclass(frozen=True, slots=True)
class Row:
    """One true dip that was found: what bared the pickup, and what was told."""

    seed: int
    true: str
    lesser: float
    told: str
    told_with: str


def _setup(seed: int) -> tuple[Setup, Logger]:
    setup, logger = plain_setup(seed)
    if seed % 2:
        return setup, logger
    rng = generator("causes", seed)
    length, width = float(rng.uniform(0.22, 0.30)), float(rng.uniform(0.17, 0.24))
    fore, side = rng.choice([-1.0, 1.0], 2)
    pickup = (
        float(fore * rng.uniform(0.5, 0.85) * length / 2),
        float(side * rng.uniform(0.5, 0.85) * width / 2),
        0.008,
    )
    pan = replace(setup.pan, shape=BoxPan(length, width, 0.16, pickup), fill_l=float(rng.uniform(4.6, 6.2)))
    return replace(setup, pan=pan), logger


def _one(seed: int) -> list[Row]:
    setup, logger = _setup(seed)
    simulated, csv = run_setup(setup, logger, generator("causes/drive", seed))
    a = analyse(recording_of(csv))
    oil, pan = simulated.oil, setup.pan
    held = lagged(pan.held_up_l * simulated.drive.rpm / 7000.0, pan.held_up_s)
    rows = []
    for true in true_dips(simulated):
        found = next((d for d in a.dips if d.dip.start_s < true.end_s and d.dip.end_s > true.start_s), None)
        if true.cause not in _THROWN or found is None:
            continue
        at = max(0, int(true.start_s * 100) - 20)
        level = float(pickup_head_m(pan.shape, np.array([pan.fill_l - held[at]]), np.zeros(1), np.zeros(1))[0])
        part = slice(max(0, at - 5), at + 5)
        taken = [
            max(level - float(h[part].mean()), 0.0) for h in (oil.head_lateral_only_m, oil.head_longitudinal_only_m)
        ]
        rows.append(
            Row(seed, true.cause, min(taken) / max(sum(taken), 1e-9), found.cause.name, found.cause.together_with)
        )
    return rows


def main() -> None:
    """Run everything and print."""
    logs = int(sys.argv[1]) if len(sys.argv) > 1 else 60
    first = int(sys.argv[2]) if len(sys.argv) > 2 else 0
    with ProcessPoolExecutor(2) as pool:
        rows = [r for found in pool.map(_one, range(first, first + logs)) for r in found]
    print("pickup              dips  cause right  both name it  together: told of  one alone: told as one")
    for words, own in (
        ("off the middle", [r for r in rows if r.seed % 2]),
        ("towards a corner", [r for r in rows if r.seed % 2 == 0]),
    ):
        both = [bool(r.told_with) for r in own if r.lesser >= _TOGETHER]
        one = [not r.told_with for r in own if r.lesser <= _ALONE]
        right = np.mean([r.told == r.true for r in own])
        among = np.mean([r.true in (r.told, r.told_with) for r in own])
        print(
            f"{words:<18} {len(own):5d} {right:12.3f} {among:13.3f} {np.mean(both):8.3f} of "
            f"{len(both):4d} {np.mean(one):16.3f} of {len(one):4d}"
        )


if __name__ == "__main__":
    main()
