"""How good proposed alarms are on drives they were not set by: ``python -m benchmarks.alarms [seed] [seeds]``.

Each stand-in car of a scenario is driven twice; the alarm is set by the first drive and proved on the second. Prints,
for each kind of device and for the one called best, the share of severe dips caught (goal 0.95) and false alarms an
hour (goal 0.5). The 8 kPa of ``basso.alarm.proposals`` were set by seeds 41 to 43, which kind is best by 60 to 64;
others are unseen.
"""

from __future__ import annotations

import sys
import tempfile
from collections import Counter, defaultdict
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

from basso.alarm.backtest import Proof
from basso.alarm.proposals import propose
from basso.analysis import Analysis
from basso.standin.faults import write_csv
from basso.standin.scenarios import SCENARIOS, generator
from basso.standin.simulate import simulate
from basso.workflow import judge, open_recording

NAMES = ("baseline-1", "plus-0.4", "gated", "hot-day", *(name for name in SCENARIOS if name.startswith("truth-")))


def _drive(name: str, seed: int, which: str) -> Analysis:
    setup, logger = SCENARIOS[name].setup(generator(name, seed))
    rng = generator(name + which, seed)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / f"{which}.csv"
        path.write_bytes(write_csv(simulate(setup, rng), logger, rng))
        return judge(open_recording(path))


def _proved(case: tuple[str, int]) -> list[tuple[str, Proof]]:
    name, seed = case
    plan = propose([_drive(name, seed, "first")], [_drive(name, seed, "second")])
    made = [(p.rule.kind, p.held_out) for p in plan.proposed if p.held_out is not None]
    return [*made, ("best", dict(made)[plan.best])]


def main() -> None:
    """Measure."""
    first, seeds = [int(x) for x in sys.argv[1:3]] + [200, 5][len(sys.argv[1:3]) :]
    sums: defaultdict[str, Counter[str]] = defaultdict(Counter)
    with ProcessPoolExecutor(2) as pool:
        for rows in pool.map(_proved, [(name, seed) for name in NAMES for seed in range(first, first + seeds)]):
            for kind, p in rows:
                sums[kind].update(severe=p.severe, caught_severe=p.caught_severe, dips=p.dips, caught=p.caught)
                sums[kind].update(false=p.false, running_s=round(3600.0 * p.running_h))
    for kind, s in sums.items():
        hours = s["running_s"] / 3600.0
        print(
            f"{kind}: severe {s['caught_severe']} of {s['severe']} ({s['caught_severe'] / max(s['severe'], 1):.3f}), "
            f"dips {s['caught']} of {s['dips']}, false {s['false'] / hours:.2f} an hour over {hours:.1f} h"
        )


if __name__ == "__main__":
    main()
