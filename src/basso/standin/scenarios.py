"""The sample scenario, session by session, and the sessions whose truth the tests and benchmarks use.

All invented: a club endurance team's transverse two-litre hatch, car 31, at Harrowfell and Quarrymoss.
"""

from __future__ import annotations

import zlib
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from basso.errors import InputError
from basso.standin.car import Car, Outing
from basso.standin.circuit import harrowfell, quarrymoss, random_circuit, straight_strip
from basso.standin.engine import Heat, TrueEngine
from basso.standin.faults import Logger, write_csv
from basso.standin.pan import Pan
from basso.standin.simulate import Bottle, Setup, Simulated, simulate
from basso.sump.shape import BoxPan


@dataclass(frozen=True, slots=True)
class Scenario:
    """A named session: what it is for, and how to set it up (the generator is for what varies by seed)."""

    name: str
    title: str
    about: str
    setup: Callable[[np.random.Generator], tuple[Setup, Logger]]
    demo_seed: int | None = None
    """Seed of the copy that ships as demo data; None when it does not ship."""


def _at_harrowfell(laps: int = 9, **changes: object) -> Setup:
    return replace(Setup(harrowfell(), session=Outing(laps=laps)), **changes)  # type: ignore[arg-type]


_LEVEL_UP = Pan(fill_l=4.7)
_CENTRED = BoxPan(0.26, 0.20, 0.16, (0.0, 0.0, 0.008))
_FULL = Pan(fill_l=5.6)


def _pan(x: float, y: float, fill_l: float) -> Pan:
    return Pan(shape=BoxPan(0.26, 0.20, 0.16, (x, y, 0.008)), fill_l=fill_l)


_SCENARIOS: tuple[Scenario, ...] = (
    Scenario(
        "dyno",
        "Dyno baseline",
        "the engine on the builder's dyno: no g, rpm sweeps, oil warming",
        lambda rng: (Setup(None, heat=Heat(start_c=70, rise_c=110, tau_s=160), session=Outing(laps=7)), Logger(10)),
        1,
    ),
    Scenario(
        "shakedown",
        "Shakedown, sensor reads absolute",
        "first run with an absolute pressure sensor whose atmosphere nobody has taken off",
        lambda rng: (_at_harrowfell(3), Logger(absolute=True, pressure_unit="bar", units_row=True)),
        2,
    ),
    Scenario(
        "baseline-1",
        "Full mark, stint 1",
        "baseline at the full mark",
        lambda rng: (_at_harrowfell(7, heat=Heat(start_c=82)), Logger()),
        3,
    ),
    Scenario(
        "baseline-2",
        "Full mark, stint 2",
        "baseline at the full mark, hotter",
        lambda rng: (_at_harrowfell(6, heat=Heat(start_c=90, ambient_c=23)), Logger()),
        4,
    ),
    Scenario(
        "plus-0.4",
        "Full mark +0.4 L",
        "0.4 L over the full mark",
        lambda rng: (_at_harrowfell(8, heat=Heat(start_c=88, ambient_c=25), pan=_LEVEL_UP), Logger()),
        5,
    ),
    Scenario(
        "gated",
        "Gated baffle",
        "a gated baffle around the pickup, full mark; a receiver in the car for once",
        lambda rng: (_at_harrowfell(6, heat=Heat(start_c=86), pan=Pan(gated=True)), Logger(gps=True)),
        6,
    ),
    Scenario(
        "accumulator",
        "Accumulator",
        "a 2 L accumulator, full mark, no baffle",
        lambda rng: (_at_harrowfell(5, heat=Heat(start_c=86), bottle=Bottle()), Logger()),
        7,
    ),
    Scenario(
        "hot-day",
        "Hot day",
        "34 °C in the shade, full mark +0.4 L: thin oil on top of the long lefts",
        lambda rng: (
            _at_harrowfell(5, heat=Heat(start_c=108, ambient_c=34, rise_c=100), pan=_LEVEL_UP),
            Logger(clock=True),
        ),
        8,
    ),
    Scenario(
        "loose-connector",
        "Failing sensor connector",
        "the pressure sensor's connector opens now and then",
        lambda rng: (
            _at_harrowfell(4, heat=Heat(start_c=88), pan=_LEVEL_UP),
            Logger(spikes_per_min=2.0, dropouts_per_min=2.5),
        ),
        9,
    ),
    Scenario(
        "hill-climb",
        "Four timed runs",
        "a sprint weekend: four timed runs with waiting in between",
        lambda rng: (
            Setup(
                quarrymoss(),
                session=Outing(laps=4, idle_before_s=10, idle_after_s=12),
                heat=Heat(start_c=76, tau_s=180),
            ),
            Logger(25, pressure_unit="kPa", temperature_unit="°F", acceleration_unit="m/s²", units_row=True),
        ),
        10,
    ),
    # Sessions with one known fault each, on circuits drawn by the seed: for tests and benchmarks, not shipped.
    Scenario(
        "truth-left",
        "Left turns",
        "pickup far to the left: uncovered in left turns",
        lambda rng: (Setup(random_circuit(rng), pan=_pan(0.0, 0.055, 4.3), session=Outing(laps=6)), Logger(50)),
    ),
    Scenario(
        "truth-right",
        "Right turns",
        "pickup far to the right: uncovered in right turns",
        lambda rng: (Setup(random_circuit(rng), pan=_pan(0.0, -0.055, 4.3), session=Outing(laps=6)), Logger(50)),
    ),
    Scenario(
        "truth-braking",
        "Braking",
        "pickup at the back: uncovered under braking",
        lambda rng: (
            Setup(random_circuit(rng), car=Car(power_w=210e3), pan=_pan(-0.085, 0.0, 4.6), session=Outing(laps=6)),
            Logger(50),
        ),
    ),
    Scenario(
        "truth-launch",
        "Standing starts",
        "pickup at the front: uncovered in launches on a sticky strip",
        lambda rng: (
            Setup(
                straight_strip(),
                car=Car(drive_g=1.35, power_w=420e3, ratios=(9.0, 6.6, 5.2, 4.2, 3.5, 3.0)),
                pan=_pan(0.085, 0.0, 4.4),
                session=Outing(laps=8, idle_before_s=8, idle_after_s=8),
            ),
            Logger(50),
        ),
    ),
    Scenario(
        "truth-high-rpm",
        "Froth at high rpm",
        "the crank froths the oil above 6000 rpm; the pickup stays covered",
        lambda rng: (
            Setup(
                random_circuit(rng),
                car=Car(down_rpm=4300.0),
                engine=TrueEngine(churn_rpm=5900.0, churn_share=0.55),
                pan=replace(_FULL, shape=_CENTRED),
                session=Outing(laps=6),
            ),
            Logger(50),
        ),
    ),
    Scenario(
        "truth-hot-oil",
        "Thin hot oil",
        "the oil gets so hot that normal itself sinks under the floor",
        lambda rng: (
            Setup(
                random_circuit(rng),
                engine=TrueEngine(oil="5W-30", bearing=1.25),
                pan=replace(_FULL, shape=_CENTRED),
                heat=Heat(start_c=88, ambient_c=32, rise_c=100, tau_s=190),
                session=Outing(laps=7),
            ),
            Logger(50),
        ),
    ),
    Scenario(
        "truth-healthy",
        "Healthy",
        "a well-filled pan with the pickup in the middle: nothing to find",
        lambda rng: (
            Setup(random_circuit(rng), pan=replace(_FULL, shape=_CENTRED), session=Outing(laps=8)),
            Logger(50),
        ),
    ),
    Scenario(
        "truth-worn",
        "Low everywhere",
        "bearings worn: low against the car's own earlier sessions",
        lambda rng: (
            Setup(
                random_circuit(rng),
                engine=TrueEngine(bearing=1.95, orifice=1.1),
                healthy=TrueEngine(),
                pan=replace(_FULL, shape=_CENTRED),
                session=Outing(laps=6),
            ),
            Logger(50),
        ),
    ),
)
SCENARIOS = {s.name: s for s in _SCENARIOS}


def scenario(name: str) -> Scenario:
    """A scenario by name; raises InputError with the known names."""
    if name not in SCENARIOS:
        raise InputError(f"'{name}' is no scenario; use one of: {', '.join(SCENARIOS)}.")
    return SCENARIOS[name]


def generator(name: str, seed: int) -> np.random.Generator:
    """The random generator of a scenario and seed; the same everywhere."""
    return np.random.default_rng([zlib.crc32(name.encode()), seed])


def run(name: str, seed: int, laps: int | None = None) -> tuple[Simulated, bytes]:
    """Simulate a scenario; returns the hidden truth and the logger's CSV."""
    return run_setup(*scenario(name).setup(generator(name, seed)), generator(name + "/drive", seed), laps)


def run_setup(
    setup: Setup, logger: Logger, rng: np.random.Generator, laps: int | None = None
) -> tuple[Simulated, bytes]:
    """Simulate any set-up; returns the hidden truth and the logger's CSV."""
    if laps is not None:
        setup = replace(setup, session=replace(setup.session, laps=laps))
    simulated = simulate(setup, rng)
    return simulated, write_csv(simulated, logger, rng)
