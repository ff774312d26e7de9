"""The stand-in engine's oil side: pump, relief, bearings, heat. Flow balance, not the judge's formula.

Pump flow ``D·n·(1 − air)`` leaves through bearings and pump leakage (proportional to pressure over viscosity,
opening with rpm as the bearings heat), through jets and drillings (an orifice, √p) and over the relief valve
(proportional above its setting). The balance is a quadratic in √p and is solved exactly.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.signal import lfilter

from basso.oil.grades import grade
from basso.oil.viscosity import walther
from basso.standin.car import STEP_S, Drive
from basso.units import FloatArray


@dataclass(frozen=True, slots=True)
class TrueEngine:
    """The oil side of an engine.

    Attributes:
        pump_l_per_rev: delivered per crank revolution.
        bearing: flow through bearings at 0 rpm, L/min per (kPa / (mm²/s)).
        bearing_rpm: rpm at which the bearings' conductance has doubled.
        orifice: jets and drillings, L/min per √kPa.
        relief_kpa, relief_slope: opening pressure, L/min per kPa above it.
        churn_rpm, churn_share: above this rpm the crank beats up to this share of air into the oil.
        lag_s: gallery and sensor line fill.
    """

    oil: str = "10W-40"
    pump_l_per_rev: float = 0.0112
    bearing: float = 1.15
    bearing_rpm: float = 7600.0
    orifice: float = 0.62
    relief_kpa: float = 455.0
    relief_slope: float = 0.55
    churn_rpm: float | None = None
    churn_share: float = 0.4
    lag_s: float = 0.035


@dataclass(frozen=True, slots=True)
class Heat:
    """How the oil warms: first order towards ambient plus a rise that follows the engine's work."""

    start_c: float = 84.0
    ambient_c: float = 21.0
    rise_c: float = 85.0
    tau_s: float = 260.0


def oil_temperature(heat: Heat, drive: Drive) -> FloatArray:
    """Oil temperature in °C over the drive, shape (n,)."""
    work = (drive.rpm / 6000.0) * (0.55 + 0.45 * drive.throttle)
    target = heat.ambient_c + heat.rise_c * np.clip(work, 0.0, 1.2) / 0.75
    target = np.where(drive.rpm > 100.0, target, heat.ambient_c + 25.0)
    k = STEP_S / heat.tau_s
    smooth, _ = lfilter([k], [1.0, -(1.0 - k)], target, zi=[heat.start_c * (1.0 - k)])
    return np.asarray(smooth, dtype=np.float64)


def balance_kpa(engine: TrueEngine, rpm: FloatArray, temperature_c: FloatArray, pumped: FloatArray) -> FloatArray:
    """Gallery pressure at which what the pump delivers leaves the gallery, kPa gauge; ``pumped`` in L/min."""
    viscosity = walther(grade(engine.oil)).viscosity_mm2ps(temperature_c)
    drain = engine.bearing * (1.0 + rpm / engine.bearing_rpm) / viscosity
    closed = _square_root_pressure(drain, engine.orifice, pumped)
    opened = _square_root_pressure(
        drain + engine.relief_slope, engine.orifice, pumped + engine.relief_slope * engine.relief_kpa
    )
    pressure: FloatArray = np.where(closed**2 > engine.relief_kpa, opened**2, closed**2)
    return pressure


def _square_root_pressure(drain: FloatArray, orifice: float, flow: FloatArray) -> FloatArray:
    root: FloatArray = (-orifice + np.sqrt(orifice**2 + 4.0 * drain * np.maximum(flow, 0.0))) / (2.0 * drain)
    return root


def pump_flow(engine: TrueEngine, rpm: FloatArray, air: FloatArray | float = 0.0) -> FloatArray:
    """Oil delivered in L/min at an air share of the intake."""
    flow: FloatArray = engine.pump_l_per_rev * rpm * (1.0 - np.asarray(air))
    return flow


def lagged(values: FloatArray, tau_s: float, start: float = 0.0, step_s: float = STEP_S) -> FloatArray:
    """First-order lag of values ``step_s`` apart (the 10 ms grid)."""
    k = 1.0 - float(np.exp(-step_s / max(tau_s, 1e-6)))
    smooth, _ = lfilter([k], [1.0, -(1.0 - k)], values, zi=[start * (1.0 - k)])
    return np.asarray(smooth, dtype=np.float64)


def churned_air(engine: TrueEngine, rpm: FloatArray) -> FloatArray:
    """Share of air the crank beats into the oil at high rpm, with the second or so it takes to froth."""
    if engine.churn_rpm is None:
        return np.zeros(rpm.shape)
    ramp = np.clip((rpm - engine.churn_rpm) / 700.0, 0.0, 1.0)
    return lagged(engine.churn_share * ramp, 0.35)
