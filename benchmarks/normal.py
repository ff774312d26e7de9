"""How well normal is learned: ``python -m benchmarks.normal [seeds] [first seed]``.

Random circuits and engines whose true curve is known, with the pan so low on oil that the pressure is down in about a
third of each lap. Prints the error of the expected pressure over its valid range, how often the 90 % interval holds the
truth, and how long the fit of an hour at 100 Hz takes.
"""

from __future__ import annotations

import sys
import time
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).parent.parent / "tests"))

from basso.analysis import analyse
from basso.normal.expected import fit_expected
from basso.oil.grades import grade
from basso.pressure.options import JudgeOptions
from basso.standin.car import Car, Outing
from basso.standin.circuit import random_circuit
from basso.standin.engine import Heat, TrueEngine, balance_kpa, pump_flow
from basso.standin.faults import Logger, write_csv
from basso.standin.pan import Pan
from basso.standin.scenarios import generator
from basso.standin.simulate import Setup, simulate
from basso.sump.shape import BoxPan
from support import recording_of

OILS = ("5W-30", "5W-40", "10W-40", "15W-50", "10W-60", "SAE 40")


@dataclass(frozen=True)
class Row:
    seed: int
    down: float
    method: str
    errors: np.ndarray
    held: np.ndarray
    width: float
    note: str


def random_engine(rng: np.random.Generator) -> TrueEngine:
    """An engine nobody tuned for."""
    return TrueEngine(
        oil=str(rng.choice(OILS)),
        pump_l_per_rev=float(rng.uniform(0.009, 0.014)),
        bearing=float(rng.uniform(0.7, 1.6)),
        bearing_rpm=float(rng.uniform(5000, 12000)),
        orifice=float(rng.uniform(0.3, 0.9)),
        relief_kpa=float(rng.uniform(350, 650)),
        relief_slope=float(rng.uniform(0.25, 1.2)),
        lag_s=float(rng.uniform(0.03, 0.08)),
    )


def session(seed: int) -> tuple[Setup, Logger]:
    """A session in which the pressure is down in about a third of the driving."""
    rng = generator("normal", seed)
    engine = random_engine(rng)
    setup = Setup(
        random_circuit(rng),
        Car(grip_g=float(rng.uniform(1.0, 1.4))),
        engine,
        heat=Heat(
            start_c=float(rng.uniform(65, 95)), ambient_c=float(rng.uniform(8, 30)), rise_c=float(rng.uniform(75, 105))
        ),
        session=Outing(laps=int(rng.integers(5, 10))),
    )
    logger = Logger(
        int(rng.choice([10, 20, 50, 100])),
        gps=True,
        pressure_unit=str(rng.choice(["psi", "bar", "kPa"])),
        noise_kpa=float(rng.uniform(1.0, 5.0)),
    )
    return setup, logger


def starved(setup: Setup, seed: int, share: float) -> tuple[Setup, float]:
    """The same with so little oil that the pressure is down by a tenth in about ``share`` of the driving."""
    best, reached = setup, 0.0
    for fill in np.arange(4.4, 1.9, -0.15):
        tried = replace(setup, pan=Pan(shape=BoxPan(0.26, 0.20, 0.16, (0.0, 0.055, 0.008)), fill_l=float(fill)))
        made = simulate(tried, generator("normal/drive", seed))
        driven = made.drive.rpm > 1500.0
        down = float(np.mean(made.pressure_kpa[driven] < 0.9 * made.healthy_kpa[driven]))
        if abs(down - share) < abs(reached - share):
            best, reached = tried, down
        if down > share:
            break
    return best, reached


def one(task: tuple[int, float]) -> Row:
    """One session."""
    seed, share = task
    setup, logger = session(seed)
    setup, down = starved(setup, seed, share)
    made = simulate(setup, generator("normal/drive", seed))
    csv = write_csv(made, logger, generator("normal/log", seed))
    oil = grade(setup.engine.oil)
    found = analyse(recording_of(csv), JudgeOptions(oil=oil))
    e = found.expected
    if not e.valid or e.temperature_range_c is None:
        return Row(seed, down, e.method, np.empty(0), np.empty(0), np.nan, e.reason)
    rpm, heat = (a.ravel() for a in np.meshgrid(np.linspace(*e.rpm_range, 40), np.linspace(*e.temperature_range_c, 20)))
    inside = e.covers(rpm, heat)
    rpm, heat = rpm[inside], heat[inside]
    true = balance_kpa(setup.engine, rpm, heat, pump_flow(setup.engine, rpm))
    low, high = e.interval(rpm, heat)
    return Row(
        seed,
        down,
        e.method,
        e.at(rpm, heat) / true - 1.0,
        (low <= true) & (true <= high),
        float(np.median((high - low) / true)),
        "",
    )


def fit_time() -> float:
    """Median seconds of five fits of an hour at 100 Hz."""
    rng = np.random.default_rng(3)
    n = 360_000
    rpm = 4500.0 + 2000.0 * np.sin(np.arange(n) / 700.0) + rng.normal(0, 50, n)
    heat = 95.0 + 12.0 * np.sin(np.arange(n) / 90_000.0)
    engine = TrueEngine()
    kpa = balance_kpa(engine, rpm, heat, pump_flow(engine, rpm)) * np.where(
        rng.random(n) < 0.3, rng.uniform(0.4, 1.0, n), 1.0
    )
    settled = rng.random(n) < 0.6
    took = []
    for _ in range(5):
        t = time.perf_counter()
        fit_expected(kpa, rpm, heat, settled)
        took.append(time.perf_counter() - t)
    return float(np.median(took))


def main() -> None:
    """Run everything and print the tables."""
    seeds = int(sys.argv[1]) if len(sys.argv) > 1 else 20
    first = int(sys.argv[2]) if len(sys.argv) > 2 else 200
    with ProcessPoolExecutor(2) as pool:
        for share in (0.0, 0.33):
            rows = list(pool.map(one, [(first + s, share) for s in range(seeds)]))
            print(f"pressure down in {share:.0%} of the driving (made: {np.mean([r.down for r in rows]):.0%})")
            for r in rows:
                a = np.abs(r.errors)
                if not a.size:
                    print(f"  {r.seed}: {r.method}: {r.note}")
                    continue
                print(
                    f"  {r.seed}: down {r.down:.0%}, error median {np.median(a):.1%}, 95th {np.percentile(a, 95):.1%}, "
                    f"held {r.held.mean():.0%}, width {r.width:.1%}  {r.method}"
                )
            all_errors = np.abs(np.concatenate([r.errors for r in rows]))
            held = [r.held.mean() for r in rows if r.held.size]
            print(
                f"  all: median {np.median(all_errors):.1%}, 95th {np.percentile(all_errors, 95):.1%}, "
                f"90 % interval holds {np.mean(held):.0%}; "
                f"logs over 3 %: {sum(np.median(np.abs(r.errors)) > 0.03 for r in rows if r.errors.size)}, "
                "over 6 % at the 95th: "
                f"{sum(np.percentile(np.abs(r.errors), 95) > 0.06 for r in rows if r.errors.size)} of "
                f"{len(rows)}"
            )
    print(f"fit of an hour at 100 Hz: {fit_time() * 1000:.0f} ms")


if __name__ == "__main__":
    main()
