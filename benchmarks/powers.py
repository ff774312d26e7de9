"""Whether trials see what plans promise: ``python -m benchmarks.powers [cars] [trials of each] [first seed]``.

A stand-in car's own log is planned from; then trials of that many laps a side are driven, in which side B loses less of
its healthy pressure in every dip, by as much as the plan was asked to see on average. Counted: how often the trial says
better, beside the power the plan promised.
"""

from __future__ import annotations

import sys
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).parent.parent / "tests"))

from basso.analysis import analyse
from basso.recording.recording import Recording
from basso.standin.car import Outing
from basso.standin.circuit import harrowfell, random_circuit
from basso.standin.engine import Heat
from basso.standin.faults import Logger, write_csv
from basso.standin.pan import Pan
from basso.standin.scenarios import generator
from basso.standin.simulate import Setup, Simulated, simulate
from basso.trial.match import read_alike_of, side_of
from basso.trial.plan import plan_trial
from basso.workflow import run_trial
from support import recording_of

_PLANNED_FROM_LAPS = 10
_MOST_LAPS = 16
"""Longer plans are counted, not driven."""


@dataclass(frozen=True)
class Row:
    """One car: what was asked, promised and seen."""

    seed: int
    effect_kpa: float
    laps: int | None
    promised: float
    seen: tuple[str, ...]
    true_kpa: float
    half_kpa: float


def car(job: tuple[int, int]) -> Row:
    """Plan from one car's log and drive its trials."""
    seed, trials = job
    rng = generator("powers", seed)
    circuit = harrowfell() if seed % 4 == 0 else random_circuit(rng)
    logger = Logger(int(rng.choice([20, 25, 50])), noise_kpa=float(rng.choice([1.0, 2.0, 4.0])))
    effect = float(rng.choice([8.0, 12.0, 18.0, 26.0]))
    setup = Setup(
        circuit,
        pan=Pan(fill_l=float(rng.uniform(4.1, 4.5))),
        heat=Heat(start_c=88.0, ambient_c=19.0),
        session=Outing(laps=_PLANNED_FROM_LAPS),
    )
    driven = simulate(setup, generator("powers log", seed))
    analysis = analyse(_logged(driven, logger, seed, "own"))
    plan = plan_trial([analysis], effect)
    nothing = Row(seed, effect, plan.laps_per_side, plan.reached or float("nan"), (), float("nan"), float("nan"))
    if plan.laps_per_side is None or plan.laps_per_side > _MOST_LAPS or analysis.track is None:
        return nothing
    ids = {p.id for p in plan.places}
    side = side_of("A", [analysis], analysis.track, 0, read_alike_of([[analysis]], analysis.track))
    spans = [(p.start_s, p.end_s) for p in side.passes if p.place in ids]
    recovered = _share_recovered(driven, spans, effect)
    if recovered is None:
        return nothing
    outing = replace(setup, session=Outing(laps=plan.laps_per_side + 2))
    seen, true, half = [], [], []
    for n in range(trials):
        a = simulate(outing, generator(f"powers a {n}", seed))
        b = _recovered(simulate(outing, generator(f"powers b {n}", seed)), recovered)
        c = run_trial("A", [_logged(a, logger, seed, f"a {n}")], "B", [_logged(b, logger, seed, f"b {n}")])
        seen.append(c.verdict)
        if c.effect_kpa is not None:
            half.append(0.5 * (c.effect_kpa.high - c.effect_kpa.low))
            at_b = [p for p in c.passes_in_question if p.side == 1]
            true.append(float(np.mean([_gain(b, recovered, p.start_s, p.end_s) for p in at_b])))
    promised = plan.reached if plan.reached is not None else float("nan")
    return Row(
        seed, effect, plan.laps_per_side, promised, tuple(seen), float(np.mean(true or [np.nan])),
        float(np.median(half or [np.nan])),
    )  # fmt: skip


def _logged(run: Simulated, logger: Logger, seed: int, tag: str) -> Recording:
    return recording_of(write_csv(run, logger, generator(f"powers logger {tag}", seed)))


def _recovered(run: Simulated, share: float) -> Simulated:
    """The same drive, had it lost less: that share of what it lost is there again."""
    lost = np.maximum(0.0, run.healthy_kpa - run.pressure_kpa)
    return replace(run, pressure_kpa=run.pressure_kpa + share * lost)


def _share_recovered(run: Simulated, spans: list[tuple[float, float]], effect: float) -> float | None:
    """Which share of the loss has to be there again for the lowest to rise by the effect on average."""
    shares = np.linspace(0.02, 1.0, 50)
    gains = [np.mean([_lowest(_recovered(run, s), *x) - _lowest(run, *x) for x in spans]) for s in shares]
    return float(np.interp(effect, gains, shares)) if gains[-1] > effect else None


def _gain(run: Simulated, share: float, start_s: float, end_s: float) -> float:
    """What a recovered drive shows over what it would have shown."""
    lost = np.maximum(0.0, run.healthy_kpa - run.pressure_kpa) / (1.0 - share) if share < 1.0 else 0.0
    without = replace(run, pressure_kpa=run.pressure_kpa - share * lost)
    return _lowest(run, start_s, end_s) - _lowest(without, start_s, end_s)


def _lowest(run: Simulated, start_s: float, end_s: float) -> float:
    first, last = np.searchsorted(run.drive.time_s, (start_s, end_s))
    return float(run.pressure_kpa[first : last + 1].min())


def main() -> None:
    """Run everything on two processes and print the table."""
    cars = int(sys.argv[1]) if len(sys.argv) > 1 else 24
    trials = int(sys.argv[2]) if len(sys.argv) > 2 else 10
    first = int(sys.argv[3]) if len(sys.argv) > 3 else 4001
    with ProcessPoolExecutor(2) as pool:
        rows = list(pool.map(car, [(first + i, trials) for i in range(cars)]))
    print(f"{'seed':<6}{'effect':>7}{'laps':>6}{'promised':>10}{'seen':>7}{'true':>7}{'half':>7}")
    for r in rows:
        seen = f"{np.mean([v == 'better' for v in r.seen]):.2f}" if r.seen else "–"
        print(
            f"{r.seed:<6}{r.effect_kpa:>7.0f}{r.laps or 0:>6}{r.promised:>10.2f}{seen:>7}{r.true_kpa:>7.1f}"
            f"{r.half_kpa:>7.1f}  {sorted(set(r.seen))}"
        )
    driven = [r for r in rows if r.seen]
    count = sum(len(r.seen) for r in driven)
    promised = sum(r.promised * len(r.seen) for r in driven) / count
    achieved = sum(v == "better" for r in driven for v in r.seen) / count
    print(f"all: promised {promised:.3f}, seen {achieved:.3f}, {count} trials of {len(driven)} cars")


if __name__ == "__main__":
    main()
