"""How well changes of normal are told apart: ``python -m benchmarks.changes [seeds] [first seed]``.

Random engines, two earlier sessions each, then one session with a change injected. Prints how often the right change is
named, told wrong, or left open.
"""

from __future__ import annotations

import sys
from collections import Counter
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np

sys.path.insert(0, str(Path(__file__).parent.parent / "tests"))

from basso.analysis import analyse
from basso.normal.changed import NormalChange, changed_normal
from basso.normal.expected import fit_expected
from basso.oil.grades import grade
from basso.oil.viscosity import walther
from basso.pressure.options import JudgeOptions
from basso.standin.car import Outing
from basso.standin.engine import Heat
from basso.standin.faults import write_csv
from basso.standin.scenarios import generator
from basso.standin.simulate import Setup, simulate
from benchmarks.normal import session
from support import recording_of

THINNER = {
    "5W-30": "0W-20",
    "5W-40": "5W-30",
    "10W-40": "5W-30",
    "15W-50": "10W-40",
    "10W-60": "15W-50",
    "SAE 40": "5W-30",
}
INJECTED = (
    "none",
    "relief_low",
    "relief_high",
    "worn_bearings",
    "worn_bearings much",
    "thin_oil",
    "clogged_filter",
    "sensor_zero",
    "sensor_zero low",
)


def changed(setup: Setup, what: str, rng: np.random.Generator) -> Setup:
    """The same car with the change made."""
    e = setup.engine
    made = {
        "relief_low": replace(e, relief_kpa=e.relief_kpa * float(rng.uniform(0.70, 0.85))),
        "relief_high": replace(e, relief_kpa=e.relief_kpa * float(rng.uniform(1.2, 1.6))),
        "worn_bearings": replace(e, bearing=e.bearing * float(rng.uniform(1.25, 1.5))),
        "worn_bearings much": replace(e, bearing=e.bearing * float(rng.uniform(1.6, 2.2))),
        "thin_oil": replace(e, oil=THINNER[e.oil]),
    }
    return replace(setup, engine=made.get(what, e))


def arrays(setup: Setup, seed: int, which: str, oil: str, what: str = "none") -> tuple[Any, Any, Any, Any]:
    """Pressure, rpm, temperature and what is settled of one session, arrays of shape (n,)."""
    _, logger = session(seed)
    made = simulate(setup, generator(f"changes/{which}", seed))
    if what == "clogged_filter":
        rng = generator("changes/filter", seed)
        laminar, turbulent = rng.uniform(12, 40), rng.uniform(5, 25)
        thick = walther(grade(oil)).viscosity_mm2ps(made.temperature_c) / 15.0
        flow = made.drive.rpm / 5000.0
        made = replace(
            made, pressure_kpa=np.maximum(made.pressure_kpa - laminar * flow * thick - turbulent * flow**2, 0.0)
        )
    csv = write_csv(made, logger, generator(f"changes/log/{which}", seed))
    a = analyse(recording_of(csv), JudgeOptions(oil=grade(oil)))
    kpa = a.pressure_kpa
    if what.startswith("sensor_zero"):
        kpa = kpa + (-18.0 if what.endswith("low") else 25.0)
    return kpa, a.rpm, a.temperature_c, a.settled


def one(seed: int) -> list[tuple[str, NormalChange]]:
    """All injections into one engine."""
    setup, _ = session(seed)
    rng = generator("changes", seed)
    oil = setup.engine.oil
    start, ambient = float(rng.uniform(60, 85)), float(rng.uniform(12, 24))
    setup = replace(
        setup, heat=Heat(start_c=start, ambient_c=ambient, rise_c=setup.heat.rise_c), session=Outing(laps=8)
    )
    other = replace(setup, heat=replace(setup.heat, start_c=start + 8.0, ambient_c=ambient + 6.0))
    parts = [arrays(s, seed, w, oil) for s, w in ((setup, "spring"), (other, "summer"))]
    pressure, rpm, temperature, settled = (np.concatenate(z) for z in zip(*parts, strict=True))
    before = fit_expected(pressure, rpm, temperature, settled, grade(oil))
    now = replace(
        setup,
        heat=replace(
            setup.heat, start_c=start + float(rng.uniform(-5, 8)), ambient_c=ambient + float(rng.uniform(-4, 8))
        ),
    )
    found = []
    for what in INJECTED:
        new = arrays(changed(now, what, generator(f"changes/{what}", seed)), seed, f"now {what}", oil, what)
        found.append((what, changed_normal(before, *new)))
    return found


def main() -> None:
    """Run everything and print the table."""
    seeds = int(sys.argv[1]) if len(sys.argv) > 1 else 12
    first = int(sys.argv[2]) if len(sys.argv) > 2 else 500
    with ProcessPoolExecutor(2) as pool:
        results = [r for rows in pool.map(one, range(first, first + seeds)) for r in rows]
    right = 0
    for what in INJECTED:
        said = Counter(c.cause or "(open)" for w, c in results if w == what)
        best = Counter(c.candidates[0].pattern.key if c.candidates else c.reason for w, c in results if w == what)
        right += said[what.split()[0]]
        print(f"{what:<22}right {said[what.split()[0]] / seeds:.2f}   said {dict(said)}   likeliest {dict(best)}")
    print(f"all: right {right / (seeds * len(INJECTED)):.3f}")


if __name__ == "__main__":
    main()
