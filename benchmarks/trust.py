"""How well faults of the readings are found: ``python -m benchmarks.trust [seeds] [first seed]``.

Each fault at three strengths on random circuits and engines, and healthy logs of the same kind. Prints for each fault
how often its check spoke up, how exact what it measured is, and how many dips are right after its correction, against
the same logs without the fault; dips whose readings the fault took away are left out on both sides. For healthy logs,
how often a check called "fail" or "warn".
"""

from __future__ import annotations

import sys
from collections import Counter, defaultdict
from collections.abc import Callable, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).parent.parent / "tests"))

from basso.analysis import Analysis, analyse
from basso.car.known import figures_of
from basso.oil.grades import usual
from basso.pressure.earlier import Known
from basso.pressure.options import JudgeOptions
from basso.recording.roles import Role
from basso.standin.car import STEP_S, Car, Outing
from basso.standin.circuit import random_circuit
from basso.standin.engine import Heat, TrueEngine
from basso.standin.faults import Logger, Mount
from basso.standin.pan import Pan
from basso.standin.scenarios import generator, run_setup
from basso.standin.simulate import Setup, TrueDip, true_dips
from basso.sump.shape import BoxPan
from basso.units import UNITS
from support import Score, recording_of, score

_OFFSET_PAN = Pan(shape=BoxPan(0.26, 0.20, 0.16, (0.0, 0.055, 0.008)), fill_l=4.3)


@dataclass(frozen=True)
class Fault:
    """A fault at three strengths: which check should speak, and what it should measure (None: nothing exact)."""

    name: str
    checks: tuple[str, ...]
    make: Callable[[float], dict[str, object]]
    strengths: tuple[float, ...]
    true: Callable[[float, TrueEngine], float] | None = None
    history: bool = False


FAULTS = (
    Fault("zero", ("zero",), lambda s: {"zero_kpa": s}, (8.0, 30.0, 101.0), lambda s, _: s),
    Fault("scale, against history", ("scale",), lambda s: {"pressure_scale": s}, (0.5, 2.0, 4.0), lambda s, _: s, True),
    # psi called kPa, bar called kPa, kPa called psi: by what the logger writes, whatever it is called.
    Fault(
        "scale, another unit",
        ("scale",),
        lambda s: {"pressure_scale": s, "pressure_unit": "psi" if s > 1.0 else "kPa"},
        (0.145, 0.01, 6.895),
    ),
    Fault("spikes", ("spikes",), lambda s: {"spikes_per_min": s}, (1.0, 4.0, 12.0)),
    Fault("drop-outs", ("spikes",), lambda s: {"dropouts_per_min": s}, (0.5, 2.0, 6.0)),
    Fault("flat from", ("spikes",), lambda s: {"flat_from": s}, (0.95, 0.8, 0.5)),
    Fault("coarse steps", ("steps",), lambda s: {"steps_kpa": s}, (6.0, 12.0, 25.0), lambda s, _: s),
    Fault("vibration", ("vibration",), lambda s: {"vibration_kpa": s}, (12.0, 25.0, 50.0)),
    Fault("electrical load", ("supply",), lambda s: {"load_kpa": s}, (8.0, 16.0, 32.0), lambda s, _: s),
    Fault("delay", ("delay",), lambda s: {"delay_s": s}, (0.15, 0.3, 0.5), lambda s, e: s + late_by(e.lag_s)),
    Fault("filter", ("delay",), lambda s: {"filter_s": s}, (0.1, 0.2, 0.4), lambda s, e: late_by(s) + late_by(e.lag_s)),
    Fault("axes swapped", ("g_swapped",), lambda s: {"mount": Mount(swapped=True, yaw_deg=s)}, (0.0, 5.0, 10.0)),
    Fault(
        "lateral flipped",
        ("lateral_g_sign",),
        lambda s: {"mount": Mount(flip_lateral=True, yaw_deg=s)},
        (0.0, 5.0, 10.0),
    ),
    Fault(
        "longitudinal flipped",
        ("longitudinal_g_sign",),
        lambda s: {"mount": Mount(flip_longitudinal=True, yaw_deg=s)},
        (0.0, 5.0, 10.0),
    ),
    Fault("all axes wrong", ("g_swapped",), lambda s: {"mount": Mount(True, True, True, s)}, (0.0, 5.0, 10.0)),
    Fault("g turned", ("g_turned",), lambda s: {"mount": Mount(yaw_deg=s)}, (7.0, -15.0, 30.0), lambda s, _: s),
    Fault("g in m/s²", ("lateral_g_unit",), lambda s: {"mount": Mount(scale=9.80665, yaw_deg=s)}, (0.0, 4.0, 8.0)),
    Fault(
        "lateral g shifted",
        ("lateral_g_offset",),
        lambda s: {"mount": Mount(lateral_offset_g=s)},
        (0.1, -0.15, 0.3),
        lambda s, _: s,
    ),
    Fault("clock slips", ("clock",), lambda s: {"mount": Mount(slip_s=s)}, (0.2, 0.5, 1.0), lambda s, _: s),
    Fault(
        "pressure's clock slips", ("pressure_clock",), lambda s: {"pressure_slip_s": s}, (0.2, 0.4, 0.8), lambda s, _: s
    ),
    Fault("engine speed stands", ("rpm_stuck",), lambda s: {"stands": ("Engine speed",)}, (1.0, 2.0, 3.0)),
    Fault("g stands", ("lateral_g_stuck",), lambda s: {"stands": ("Lateral acc",)}, (1.0, 2.0, 3.0)),
    Fault("speed stands", ("speed_stuck",), lambda s: {"stands": ("Speed",)}, (1.0, 2.0, 3.0)),
    Fault("temperature stands", ("oil_temp_flat",), lambda s: {"temperature_stands_c": s}, (0.0, 25.0, 150.0)),
    Fault("temperature in the airstream", ("oil_temp_place",), lambda s: {"airstream_c": s}, (6.0, 12.0, 24.0)),
    Fault("temperature lags", ("oil_temp_lag",), lambda s: {"temperature_lag_s": s}, (30.0, 60.0, 100.0)),
)


def late_by(constant_s: float) -> float:
    """By how much the stand-in's first-order lag of so much is late: on a grid of 10 ms a little less than its
    constant."""
    return float(STEP_S / np.expm1(STEP_S / constant_s))


def session(seed: int) -> tuple[Setup, Logger]:
    """A circuit, engine and logger that nobody tuned for."""
    rng = generator("trust", seed)
    engine = TrueEngine(
        bearing=float(rng.uniform(0.8, 1.4)),
        relief_kpa=float(rng.uniform(380, 620)),
        lag_s=float(rng.uniform(0.03, 0.06)),
    )
    pan = _OFFSET_PAN if seed % 2 else Pan()
    setup = Setup(
        random_circuit(rng),
        Car(),
        engine,
        heat=Heat(start_c=float(rng.uniform(70, 88))),
        pan=pan,
        session=Outing(laps=int(rng.integers(5, 9))),
    )
    return setup, Logger(
        int(rng.choice([10, 20, 50, 100])), gps=True, pressure_unit=str(rng.choice(["psi", "bar", "kPa"]))
    )


def _judged(setup: Setup, logger: Logger, seed: int, history: bool) -> tuple[Analysis, Score]:
    options = JudgeOptions()
    if history:
        _, earlier = run_setup(
            setup, Logger(logger.rate_hz, gps=True, pressure_unit=logger.pressure_unit), generator("trust/before", seed)
        )
        known = Known(None, (figures_of(analyse(recording_of(earlier)), "before", "2026-05-01", usual()),))
        options = JudgeOptions(known=known)
    simulated, csv = run_setup(setup, logger, generator("trust/drive", seed))
    recording = recording_of(csv)
    found = analyse(recording, options)
    offered = frozenset(
        (c.correction.channel, c.correction.kind, c.correction.value)
        for c in found.checks
        if c.offered and c.correction
    )
    if offered:  # what is only offered is taken, as one would who has proved it
        found = analyse(recording, replace(options, edited=offered))
    truth = true_dips(simulated)
    gone = [d for d in truth if not _is_there(found, d)]
    seen = [d for d in found.dips if not any(d.dip.start_s < g.end_s and d.dip.end_s > g.start_s for g in gone)]
    return found, score([d for d in truth if d not in gone], seen)


def _is_there(found: Analysis, dip: TrueDip) -> bool:
    """Whether the readings of a dip are there: what a connector or a frozen bus took away nobody finds."""
    part = (found.time_s >= dip.start_s) & (found.time_s <= dip.end_s)
    known = np.isfinite(found.pressure_kpa[part]) & np.isfinite(found.rpm[part])
    return bool(known.size == 0 or known.mean() >= 0.7)


def _one(task: tuple[int, int, int]) -> tuple[int, int, bool, float, Score, list[tuple[str, str]]]:
    fault_at, strength_at, seed = task
    setup, logger = session(seed)
    fault = FAULTS[fault_at] if fault_at >= 0 else None
    made = fault.make(fault.strengths[strength_at]) if fault is not None else {}
    found, dips = _judged(setup, replace(logger, **made), seed, fault is not None and fault.history)  # type: ignore[arg-type]
    spoke = [
        c
        for c in found.checks
        if c.level != "ok" and not c.message.startswith("Cannot") and fault and c.id in fault.checks
    ]
    if fault is not None and fault.name == "scale, another unit" and not spoke:  # put right on reading, by its values
        read = found.recording.channel(Role.OIL_PRESSURE)
        right = read is not None and read.unit is UNITS["kPa"]
        return fault_at, strength_at, right, float("nan"), dips, [(c.id, c.level) for c in found.checks]
    if fault is not None and fault.name == "g in m/s²":  # put right on reading, by its values
        channel = found.recording.channel(Role.LATERAL_G)
        return fault_at, strength_at, channel is not None and channel.unit is UNITS["m/s²"], float("nan"), dips, []
    hit = any(c.level in ("warn", "fail") or c.correction is not None or c.measured is not None for c in spoke)
    measured = next((c.measured for c in spoke if c.measured is not None), float("nan"))
    return fault_at, strength_at, hit, measured, dips, [(c.id, c.level) for c in found.checks]


def _f1(scores: Sequence[Score]) -> float:
    """F1 over all dips of several logs together."""
    hits = 2 * sum(len(x.pairs) for x in scores)
    return hits / max(hits + sum(x.invented + x.missed for x in scores), 1)


def main() -> None:
    """Run everything and print the tables."""
    seeds = int(sys.argv[1]) if len(sys.argv) > 1 else 6
    first = int(sys.argv[2]) if len(sys.argv) > 2 else 100
    wanted = sys.argv[3] if len(sys.argv) > 3 else ""
    tasks = [(-1, 0, first + s) for s in range(2 * seeds)]
    tasks += [
        (i, k, first + s) for i, f in enumerate(FAULTS) if wanted in f.name for k in range(3) for s in range(seeds)
    ]
    results = defaultdict(list)
    with ProcessPoolExecutor(2) as pool:
        for fault_at, strength_at, hit, measured, dips, checks in pool.map(_one, tasks, chunksize=4):
            results[(fault_at, strength_at)].append((hit, measured, dips, checks))
    healthy = results[(-1, 0)]
    clean = [dips for _, _, dips, _ in healthy]
    called = Counter((i, level) for _, _, _, checks in healthy for i, level in checks if level in ("warn", "fail"))
    print(f"healthy: {len(healthy)} logs, F1 {_f1(clean):.3f}; called: {dict(called) or 'nothing'}")
    for i, fault in enumerate(FAULTS):
        for k, strength in enumerate(fault.strengths):
            rows = results.get((i, k))
            if not rows:
                continue
            f1 = _f1([r[2] for r in rows])
            less = f1 - _f1(clean[: len(rows)])
            words = (
                f"{fault.name:<30}{strength:>8g}   found {np.mean([r[0] for r in rows]):.2f}   F1 {f1:.3f} "
                f"({less:+.3f} against clean)"
            )
            if fault.true is not None:
                true = [fault.true(strength, session(first + s)[0].engine) for s in range(len(rows))]
                off = np.array([r[1] for r in rows]) - np.array(true)
                words += (
                    f"   measured off by {np.nanmedian(np.abs(off)):.3g}, at most "
                    f"{np.nanmax(np.abs(off), initial=0):.3g}"
                )
            print(words)


if __name__ == "__main__":
    main()
