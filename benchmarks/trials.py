"""How good trials are: ``python -m benchmarks.trials [pairs of each kind] [first seed]``.

Pairs of stand-in sessions on random circuits, of eleven kinds: what was changed and what changed with it. The truth is
counterfactual: each side is driven again, by the same driver in the same heat, with the other side's pan, and the
noise-free galleries are held against each other pass by pass. Prints how often the 95 % interval holds it, how wide it
is (also against one that knows the true slope over temperature and takes the spread for known), and how often the
verdict is right.
"""

from __future__ import annotations

import sys
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).parent.parent / "tests"))

from basso.findings.corners.passes import Pass
from basso.standin.car import Outing
from basso.standin.circuit import Circuit, harrowfell, random_circuit
from basso.standin.engine import Heat
from basso.standin.faults import Logger, write_csv
from basso.standin.pan import Pan
from basso.standin.scenarios import generator
from basso.standin.simulate import Setup, Simulated, simulate
from basso.sump.shape import BoxPan
from basso.trial.effect import estimate_effect
from basso.trial.verdict import Comparison
from basso.units import FloatArray
from basso.workflow import run_trial
from support import recording_of

COOL, WARM, HOT = (
    Heat(start_c=84.0, ambient_c=14.0),
    Heat(start_c=88.0, ambient_c=19.0),
    Heat(start_c=94.0, ambient_c=26.0),
)
_ASIDE = BoxPan(0.26, 0.20, 0.16, (0.0, 0.055, 0.008))
_SMALL_KPA = 6.0
"""Below this a true effect is none (the least that a verdict is given on)."""


@dataclass(frozen=True)
class Side:
    """One side: its pan, the heat and laps of its runs, and what its sensor reads wrong."""

    pan: Pan
    heats: tuple[Heat, ...]
    laps: int = 9
    zero_kpa: float = 0.0
    gain: float = 1.0
    stopped: bool = True
    pace: float = 1.0


def pair(kind: str, rng: np.random.Generator) -> tuple[Side, Side]:
    """Both sides of a trial of a kind."""
    fill = float(rng.uniform(4.1, 4.5))
    pan = Pan(fill_l=fill)
    aside = Pan(shape=_ASIDE, fill_l=fill + 0.1)
    more = replace(pan, fill_l=fill + float(rng.uniform(0.12, 0.4)))
    zero_kpa, gain = float(rng.choice([-22.0, -12.0, 12.0, 22.0])), float(rng.choice([1.0, 0.96, 1.04]))
    same = Side(pan, (WARM,))
    shifted = replace(same, zero_kpa=zero_kpa, gain=gain)
    return {
        "better, B hotter": (Side(pan, (COOL,)), Side(more, (HOT,))),
        "none, B cooler": (Side(pan, (HOT,)), Side(pan, (COOL,))),
        "none, B slower": (same, Side(pan, (WARM,), pace=0.985)),
        "small, few laps": (Side(pan, (WARM,), 4), Side(replace(pan, fill_l=fill + 0.08), (WARM,), 4)),
        "none, few laps": (replace(same, laps=3), Side(pan, (COOL,), int(rng.choice([2, 3])))),
        "worse": (Side(more, (WARM,)), Side(pan, (COOL,))),
        "one side cured": (Side(aside, (WARM,)), Side(Pan(fill_l=fill + 0.1), (WARM,))),
        "drift over the day": (Side(pan, (COOL, HOT), 5), Side(more, (WARM, WARM), 5)),
        "none, drift": (Side(pan, (COOL, WARM), 5), Side(pan, (WARM, HOT), 5)),
        "shifted sensor, none": (same, shifted),
        "shifted, no stop": (same, replace(shifted, pan=more, stopped=False)),
    }[kind]


KINDS = (
    "better, B hotter",
    "none, B cooler",
    "none, B slower",
    "small, few laps",
    "none, few laps",
    "worse",
    "one side cured",
    "drift over the day",
    "none, drift",
    "shifted sensor, none",
    "shifted, no stop",
)


@dataclass(frozen=True)
class Row:
    """What became of one trial; NaN where it was not comparable."""

    kind: str
    seed: int
    verdict: str
    truth: float = float("nan")
    estimate: float = float("nan")
    low: float = float("nan")
    high: float = float("nan")
    oracle: float = float("nan")


def _runs(circuit: Circuit, side: Side, pan: Pan, seed: int, tag: str) -> list[tuple[Simulated, Setup]]:
    """The drives of a side with a pan: the same drives whatever the pan."""
    outing = Outing(laps=side.laps, pace=side.pace)
    if not side.stopped:
        outing = replace(outing, off_before_s=0.0, off_after_s=0.0)
    made = []
    for n, heat in enumerate(side.heats):
        setup = Setup(circuit, pan=pan, heat=heat, session=outing)
        made.append((simulate(setup, generator(f"trials drive {tag} {n}", seed)), setup))
    return made


def trial(job: tuple[str, int]) -> Row:
    """One pair and seed."""
    kind, seed = job
    rng = generator(f"trials {kind}", seed)
    circuit = harrowfell() if seed % 4 == 0 else random_circuit(rng)
    sides = pair(kind, rng)
    logger = Logger(int(rng.choice([20, 25, 50])), noise_kpa=float(rng.choice([1.0, 2.0, 4.0])))
    own = [_runs(circuit, s, s.pan, seed, t) for s, t in zip(sides, "ab", strict=True)]
    other = [_runs(circuit, s, o.pan, seed, t) for s, o, t in zip(sides, sides[::-1], "ab", strict=True)]
    logs = []
    for side, runs, tag in zip(sides, own, "ab", strict=True):
        read = replace(logger, zero_kpa=side.zero_kpa, pressure_scale=side.gain)
        logs.append(
            [
                recording_of(write_csv(run, read, generator(f"trials log {kind} {tag} {n}", seed)))
                for n, (run, _) in enumerate(runs)
            ]
        )
    c = run_trial("A", logs[0], "B", logs[1])
    e = c.effect_kpa
    if e is None:
        return Row(kind, seed, verdict=c.verdict)
    passes = c.passes_in_question
    true = np.array([_lowest(p, own[p.side][p.log][0]) for p in passes])
    with_other = np.array([_lowest(p, other[p.side][p.log][0]) for p in passes])
    at_b = np.array([p.side == 1 for p in passes])
    gained = np.where(at_b, true - with_other, with_other - true)
    truth = _by_place(passes, gained)
    oracle = _oracle(c, np.where(at_b, with_other, true))
    return Row(kind, seed, c.verdict, truth, e.estimate, e.low, e.high, oracle)


def _lowest(p: Pass, run: Simulated) -> float:
    first, last = np.searchsorted(run.drive.time_s, (p.start_s, p.end_s))
    return float(run.pressure_kpa[first : last + 1].min())


def _by_place(passes: tuple[Pass, ...], values: FloatArray) -> float:
    """What is in the middle between the sides, place by place, each by how much it tells (a regression's weights)."""
    total = weights = 0.0
    for place in {p.place for p in passes}:
        sides = [[v for p, v in zip(passes, values, strict=True) if p.place == place and p.side == s] for s in (0, 1)]
        if all(sides):
            weight = 1.0 / (1.0 / len(sides[0]) + 1.0 / len(sides[1]))
            total += weight * 0.5 * (float(np.mean(sides[0])) + float(np.mean(sides[1])))
            weights += weight
    return total / weights


def _oracle(c: Comparison, without: FloatArray) -> float:
    """Half the width of an interval that knows how the lowest pressure goes with temperature and how laps spread."""
    passes = list(c.passes_in_question)
    heat = np.array([p.temperature_c for p in passes])
    places = np.array([[p.place == k for k in sorted({q.place for q in passes})] for p in passes], dtype=np.float64)
    slope = np.linalg.lstsq(np.column_stack([places, heat]), without, rcond=None)[0][-1]
    told = np.array([p.min_pressure_kpa for p in passes]) - slope * (heat - heat.mean())
    found = estimate_effect([replace(p, temperature_c=float("nan")) for p in passes], told)
    if found is None:
        return float("nan")
    from scipy.special import stdtrit

    laps = found.laps_a + found.laps_b
    return 0.5 * (found.high - found.low) * 1.96 / float(stdtrit(max(2, laps - 4), 0.975))


def _right(r: Row) -> bool | None:
    """None where there is nothing to be right about: the effect is neither plain nor none."""
    if abs(r.truth) < 1.0:
        return r.verdict not in ("better", "worse")
    if abs(r.truth) < 2.0 * _SMALL_KPA:
        return None
    return r.verdict == ("better" if r.truth > 0.0 else "worse")


def main() -> None:
    """Run everything on two processes and print the table."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 20
    first = int(sys.argv[2]) if len(sys.argv) > 2 else 9001
    with ProcessPoolExecutor(2) as pool:
        rows = list(pool.map(trial, [(k, first + i) for k in KINDS for i in range(count)], chunksize=2))
    print(
        f"{'kind':<24}{'told':>6}{'holds':>8}{'half':>7}{'oracle':>8}{'ratio':>7}{'error':>7}{'right':>8}{'false':>8}"
    )
    for kind in (*KINDS, "all"):
        mine = [r for r in rows if kind in (r.kind, "all")]
        _line(kind, mine)
    for r in rows:
        missed = np.isfinite(r.truth) and not r.low <= r.truth <= r.high
        if missed or _right(r) is False:
            what = "misses" if missed else "wrong"
            print(
                f"  {what}: {r.kind} · {r.seed}: {r.truth:+.1f}, told {r.estimate:+.1f} "
                f"({r.low:+.1f} to {r.high:+.1f}), {r.verdict}"
            )


def _line(kind: str, rows: list[Row]) -> None:
    told = [r for r in rows if np.isfinite(r.truth)]
    if not told:
        print(f"{kind:<24}{0:>6}")
        return
    half = np.array([0.5 * (r.high - r.low) for r in told])
    oracle = np.array([r.oracle for r in told])
    right = [x for r in rows if (x := _right(r)) is not None and np.isfinite(r.truth)]
    none = [r for r in told if abs(r.truth) < 1.0]
    false = sum(r.verdict in ("better", "worse") for r in none)
    print(
        f"{kind:<24}{len(told):>3}/{len(rows):<3}{np.mean([r.low <= r.truth <= r.high for r in told]):>7.3f}"
        f"{np.median(half):>7.1f}{np.nanmedian(oracle):>8.1f}{np.nanmedian(half / oracle):>7.2f}"
        f"{np.median([abs(r.estimate - r.truth) for r in told]):>7.1f}"
        f"{sum(right):>5}/{len(right):<3}{false:>5}/{len(none)}"
    )


if __name__ == "__main__":
    main()
