"""How right Basso is, against the simulator's hidden truth: ``python -m benchmarks.verdicts [seeds]``.

Dips and causes over fault-specific sessions on random circuits, changed physics and logger faults; trials over pairs
whose truth is known. Prints one row for each, and totals.
"""

from __future__ import annotations

import sys
from collections import Counter
from collections.abc import Callable, Iterable
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).parent.parent / "tests"))

from basso.analysis import analyse
from basso.standin.car import Car, Outing
from basso.standin.circuit import harrowfell, random_circuit
from basso.standin.engine import Heat, TrueEngine
from basso.standin.faults import Logger
from basso.standin.pan import Pan
from basso.standin.scenarios import generator, run_setup
from basso.standin.simulate import Setup, true_dips
from basso.sump.shape import BoxPan
from basso.workflow import run_trial
from support import judged_scenario, recording_of, score, side_said

NAMED = [
    "truth-left",
    "truth-right",
    "truth-braking",
    "truth-launch",
    "truth-high-rpm",
    "truth-hot-oil",
    "truth-healthy",
    "truth-worn",
    "baseline-1",
    "plus-0.4",
    "gated",
    "hot-day",
    "hill-climb",
]
_OFFSET = Pan(shape=BoxPan(0.26, 0.20, 0.16, (0.0, 0.055, 0.008)), fill_l=4.3)
VARIANTS: dict[str, tuple[dict[str, object], Logger]] = {
    "10 Hz": ({}, Logger(10)),
    "100 Hz": ({}, Logger(100)),
    "absolute, bar": ({}, Logger(25, absolute=True, pressure_unit="bar")),
    "noise 8 kPa": ({}, Logger(50, noise_kpa=8.0)),
    "spikes, 50 Hz": ({}, Logger(50, spikes_per_min=6.0, dropouts_per_min=3.0)),
    "spikes, 10 Hz": ({}, Logger(10, spikes_per_min=6.0, dropouts_per_min=3.0)),
    "late by 0.15 s": ({}, Logger(50, delay_s=0.15)),
    "late by 0.30 s": ({}, Logger(50, delay_s=0.30)),
    "slow gallery": ({"engine": TrueEngine(lag_s=0.15)}, Logger(50)),
    "small pump": ({"engine": TrueEngine(pump_l_per_rev=0.008, bearing=0.8)}, Logger(50)),
    "no relief": ({"engine": TrueEngine(relief_kpa=900.0)}, Logger(50)),
    "thick oil": ({"engine": TrueEngine(oil="SAE 50", bearing=1.6)}, Logger(50)),
    "quick slosh": ({"pan": replace(_OFFSET, slosh_hz=1.5, damping=0.3)}, Logger(50)),
    "slow slosh": ({"pan": replace(_OFFSET, slosh_hz=0.3, fill_l=4.2)}, Logger(50)),
    "low on oil": ({"pan": replace(_OFFSET, fill_l=3.6)}, Logger(50)),
    "fast car": ({"car": Car(grip_g=1.7, brake_g=1.6, drive_g=0.8, power_w=350e3)}, Logger(50)),
    "slow car": ({"car": Car(grip_g=1.0, brake_g=0.9, drive_g=0.4, power_w=80e3)}, Logger(50)),
}


@dataclass(frozen=True)
class Row:
    name: str
    true: int
    hits: int
    invented: int
    missed: int
    causes_right: int
    onset_s: tuple[float, ...]
    hours: float


def _row(name: str, truth: list, analysis) -> Row:  # type: ignore[no-untyped-def,type-arg]
    s = score(truth, analysis.dips)
    right = sum(t.cause == d.cause.name for t, d in s.pairs)
    onset = tuple(abs(t.start_s - d.dip.start_s) for t, d in s.pairs)
    return Row(name, len(truth), len(s.pairs), s.invented, s.missed, right, onset, analysis.exposure.running_s / 3600)


def named(job: tuple[str, int]) -> Row:
    """One named scenario and seed."""
    judged = judged_scenario(*job)
    return _row(job[0], judged.truth, judged.analysis)


def varied(job: tuple[str, int]) -> Row:
    """One change of physics or logger, on a random circuit."""
    changes, logger = VARIANTS[job[0]]
    circuit = random_circuit(generator("bench circuit " + job[0], job[1]))
    setup = replace(Setup(circuit, pan=_OFFSET, session=Outing(laps=5)), **changes)  # type: ignore[arg-type]
    simulated, csv = run_setup(setup, logger, generator("bench " + job[0], job[1]))
    recording = recording_of(csv)
    return _row(job[0], true_dips(simulated), analyse(recording, side_said(recording)))


COOL, HOT = Heat(start_c=86.0, ambient_c=15.0), Heat(start_c=94.0, ambient_c=27.0)
PAIRS: dict[str, tuple[tuple[float, Heat, int], tuple[float, Heat, int], str]] = {
    "+0.15 L, B 10 °C hotter": ((4.2, COOL, 9), (4.35, HOT, 9), "better"),
    "no change, B cooler": ((4.2, HOT, 9), (4.2, COOL, 9), "no_clear_change"),
    "one lap": ((4.2, COOL, 3), (4.6, COOL, 1), "not_comparable"),
    "two and three laps, no change": ((4.2, COOL, 3), (4.2, COOL, 2), "not_comparable"),
    "another circuit": ((4.2, COOL, 6), (4.6, COOL, 6), "not_comparable"),
    "-0.3 L, B cooler": ((4.5, HOT, 9), (4.2, COOL, 9), "worse"),
}


def trial(job: tuple[str, int]) -> tuple[str, bool, bool]:
    """One pair and seed: was the verdict right, and would the naive difference have been?"""
    name, seed = job
    a, b, wanted = PAIRS[name]
    rng = generator("trial circuit", seed)
    circuit = harrowfell() if seed % 2 == 0 else random_circuit(rng)
    other = random_circuit(rng) if name == "another circuit" else circuit
    sides = []
    for tag, track, (fill, heat, laps) in (("a", circuit, a), ("b", other, b)):
        setup = Setup(track, pan=Pan(fill_l=fill), heat=heat, session=Outing(laps=laps))
        sides.append(recording_of(run_setup(setup, Logger(), generator(tag + name, seed))[1]))
    c = run_trial("A", [sides[0]], "B", [sides[1]])
    naive = c.naive_kpa or 0.0
    looks = "better" if naive > 6 else "worse" if naive < -6 else "no_clear_change"
    return name, c.verdict == wanted, looks == wanted


def _table(title: str, rows: Iterable[Row]) -> None:
    print(
        f"\n{title}\n{'session':<18}{'true':>6}{'found':>7}{'extra':>7}{'missed':>8}"
        f"{'F1':>8}{'cause':>8}{'onset ms':>10}"
    )
    grouped: dict[str, list[Row]] = {}
    for r in rows:
        grouped.setdefault(r.name, []).append(r)
    total = Counter[str]()
    onsets: list[float] = []
    for name, group in grouped.items():
        hits, extra, missed = (sum(getattr(r, k) for r in group) for k in ("hits", "invented", "missed"))
        right = sum(r.causes_right for r in group)
        onset = [o for r in group for o in r.onset_s]
        onsets += onset
        total.update(hits=hits, extra=extra, missed=missed, right=right)
        f1 = 2 * hits / max(2 * hits + extra + missed, 1)
        cause = f"{right / hits:8.3f}" if hits else f"{'–':>8}"
        ms = f"{1000 * np.median(onset):10.0f}" if onset else f"{'–':>10}"
        shown = f"{f1:8.3f}" if hits + extra + missed else f"{'–':>8}"
        print(f"{name:<18}{hits + missed:>6}{hits + extra:>7}{extra:>7}{missed:>8}{shown}{cause}{ms}")
        if name == "truth-healthy":
            hours = sum(r.hours for r in group)
            print(f"{'':18}{extra / hours:.2f} false alarms in a running hour ({hours:.1f} h)")
    f1 = 2 * total["hits"] / max(2 * total["hits"] + total["extra"] + total["missed"], 1)
    print(f"{'all':<18}{'':28}{f1:8.3f}{total['right'] / max(total['hits'], 1):8.3f}{1000 * np.median(onsets):10.0f}")


def main() -> None:
    """Run everything on two processes."""
    seeds = int(sys.argv[1]) if len(sys.argv) > 1 else 5

    def jobs(names: Iterable[str], first: int = 201) -> list[tuple[str, int]]:
        return [(n, first + s) for n in names for s in range(seeds)]

    with ProcessPoolExecutor(2) as pool:
        run: Callable = pool.map  # type: ignore[type-arg]
        _table("Named sessions, unseen seeds", run(named, jobs(NAMED)))
        _table("Changed physics and loggers, random circuits", run(varied, jobs(VARIANTS)))
        print(f"\nTrials\n{'pair':<28}{'right':>8}{'naive right':>14}")
        results = list(run(trial, [(n, s) for n in PAIRS for s in range(2 * seeds)]))
    for name in PAIRS:
        mine = [r for r in results if r[0] == name]
        print(f"{name:<28}{sum(r[1] for r in mine):>4}/{len(mine)}{sum(r[2] for r in mine):>10}/{len(mine)}")


if __name__ == "__main__":
    main()
