"""One simulated session: the drive, the oil, the pressure that follows, and the hidden truth about its dips."""

from __future__ import annotations

import math
from dataclasses import dataclass, field

import numpy as np

from basso.recording.spans import runs_of
from basso.standin.car import STEP_S, Car, Drive, Outing, drive_session, dyno_session
from basso.standin.circuit import Circuit
from basso.standin.engine import Heat, TrueEngine, balance_kpa, churned_air, lagged, oil_temperature, pump_flow
from basso.standin.pan import OilMotion, Pan, move_oil
from basso.units import STANDARD_ATMOSPHERE_KPA, FloatArray


@dataclass(frozen=True, slots=True)
class Bottle:
    """An accumulator: gas law from its precharge, a plain valve, oil in and out through one line."""

    total_l: float = 2.0
    precharge_kpa: float = 70.0
    out_lpm_per_root_kpa: float = 4.2
    in_lpm_per_root_kpa: float = 0.3


@dataclass(frozen=True, slots=True)
class Setup:
    """Everything that defines a session but the seed."""

    circuit: Circuit | None
    car: Car = field(default_factory=Car)
    engine: TrueEngine = field(default_factory=TrueEngine)
    healthy: TrueEngine | None = None
    """The engine as it was when its normal was learned, when that differs (wear, a stuck relief)."""
    heat: Heat = field(default_factory=Heat)
    pan: Pan = field(default_factory=Pan)
    session: Outing = field(default_factory=Outing)
    bottle: Bottle | None = None


@dataclass(frozen=True, slots=True)
class TrueDip:
    """A dip that really happened, in the noise-free gallery, with what caused it."""

    start_s: float
    end_s: float
    lowest_kpa: float
    cause: str


@dataclass(frozen=True, slots=True, eq=False)
class Simulated:
    """A simulated session: what happened, before any logger looked at it."""

    drive: Drive
    oil: OilMotion
    temperature_c: FloatArray
    pressure_kpa: FloatArray
    healthy_kpa: FloatArray
    churned: FloatArray
    bottle_kpa: FloatArray | None


def simulate(setup: Setup, rng: np.random.Generator) -> Simulated:
    """Run a session; the same generator state gives the same session."""
    if setup.circuit is None:
        drive = dyno_session(setup.car, setup.session.laps, rng)
    else:
        drive = drive_session(setup.car, setup.circuit, setup.session, rng)
    temperature = oil_temperature(setup.heat, drive)
    oil = move_oil(setup.pan, drive)
    churned = churned_air(setup.engine, drive.rpm)
    air = 1.0 - (1.0 - oil.air) * (1.0 - churned)
    healthy = setup.healthy or setup.engine
    flow = pump_flow(setup.engine, drive.rpm, air)
    bottle = None
    if setup.bottle is None:
        steady = balance_kpa(setup.engine, drive.rpm, temperature, flow)
    else:
        steady, bottle = _with_bottle(setup.engine, setup.bottle, drive.rpm, temperature, flow)
    normal = balance_kpa(healthy, drive.rpm, temperature, pump_flow(healthy, drive.rpm))
    lag = setup.engine.lag_s
    return Simulated(drive, oil, temperature, lagged(steady, lag), lagged(normal, lag), churned, bottle)


def _with_bottle(
    engine: TrueEngine, bottle: Bottle, rpm: FloatArray, temperature: FloatArray, flow: FloatArray
) -> tuple[FloatArray, FloatArray]:
    """March the accumulator: it gives when the gallery falls below its pressure and drinks when above."""
    alone = balance_kpa(engine, rpm, temperature, flow).tolist()
    # Pressure gained per L/min at each state, by a small step of the balance.
    gain = ((balance_kpa(engine, rpm, temperature, flow + 1.0) - np.array(alone)).clip(0.05)).tolist()
    charge = (bottle.precharge_kpa + STANDARD_ATMOSPHERE_KPA) * bottle.total_l
    stored = 0.0
    gallery, inside = [], []
    for p0, k in zip(alone, gain, strict=True):
        p_gas = charge / max(bottle.total_l - stored, 0.05) - STANDARD_ATMOSPHERE_KPA
        if stored > 0.0 and p_gas > p0:
            # q = c·√(p_gas − p0 − k·q): one quadratic for the flow that settles with the pressure it makes.
            c = bottle.out_lpm_per_root_kpa
            q = 0.5 * (-c * c * k + math.sqrt((c * c * k) ** 2 + 4.0 * c * c * (p_gas - p0)))
            q = min(q, stored * 60.0 / STEP_S)
            stored -= q * STEP_S / 60.0
            p = p0 + k * q
        elif p0 > p_gas:
            q = bottle.in_lpm_per_root_kpa * math.sqrt(p0 - p_gas)
            stored += q * STEP_S / 60.0
            p = max(p0 - k * q, p_gas)
        else:
            p = p0
        gallery.append(p)
        inside.append(p_gas)
    return np.array(gallery), np.array(inside)


def true_dips(
    simulated: Simulated,
    base_kpa: float = 0.0,
    per_1000_kpa: float = 48.3,
    share: float = 0.70,
    rpm_gate: float = 1500.0,
    least_s: float = 0.15,
    join_s: float = 0.2,
) -> list[TrueDip]:
    """The dips that really happened, from hidden state: noise-free pressure against the higher floor.

    The share of normal is of the *healthy* pressure at the same rpm and temperature, which only the simulator
    knows. The cause is read from the air's origin and the true surface, not from the record.
    """
    d = simulated.drive
    line = base_kpa + per_1000_kpa * d.rpm / 1000.0
    floor = np.maximum(line, share * simulated.healthy_kpa)
    below = (simulated.pressure_kpa < floor) & (d.rpm > rpm_gate) & (simulated.temperature_c >= 60.0)
    dips = []
    for start, end in runs_of(below, round(join_s / STEP_S)):
        if (end - start) * STEP_S < least_s:
            continue
        lowest = float(simulated.pressure_kpa[start:end].min())
        dips.append(TrueDip(start * STEP_S, end * STEP_S, lowest, _true_cause(simulated, line, start, end)))
    return dips


def _true_cause(s: Simulated, line: FloatArray, start: int, end: int) -> str:
    part = slice(start, end)
    from_pickup, from_crank = float(s.oil.air[part].max()), float(s.churned[part].max())
    if max(from_pickup, from_crank) < 0.04:
        ratio = float(np.median(s.pressure_kpa[part] / np.maximum(s.healthy_kpa[part], 1.0)))
        if ratio < 0.93:
            return "low_everywhere"
        return "hot_oil" if float(np.min(s.healthy_kpa[part] - line[part])) < 0 else "unknown"
    if from_crank > from_pickup:
        return "high_rpm"
    # What bared the pickup when the air that made the pressure cross the floor was drawn: the pipe's delay and a
    # little earlier, not at the bottom of the dip.
    at = max(0, start - 20)
    if s.oil.head_lateral_only_m[at] <= s.oil.head_longitudinal_only_m[at]:
        return "left_turn" if s.oil.surface_ay_g[at] > 0 else "right_turn"
    return "acceleration" if s.oil.surface_ax_g[at] > 0 else "braking"
