"""Cold to hot: how the oil warmed, what was asked of it while cold, the hot idle, and where its temperature is heading.

Cold samples never make normal (:mod:`basso.normal.settled`); here they are what is looked at.
"""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from basso.normal.settled import running
from basso.recording.gaps import or_zero
from basso.units import FloatArray

READY_C = 70.0
"""From here on the oil may be loaded (default; the engine builder decides)."""
LOAD_RPM = 3500.0
"""Above this the engine is loaded, for the warm-up's sake (default)."""
_IDLE_RPM = (550.0, 1300.0)
_IDLE_C = 85.0
_LEAST_IDLE_S = 4.0
_LONGEST_STEP_S = 2.0
_LEAST_RISE_C = 4.0
_THERMOMETER_C = 1.0
"""No temperature is surer than its sensor (default)."""


@dataclass(frozen=True, slots=True)
class WarmUp:
    """How a session warmed its oil.

    Attributes:
        start_c: oil when the engine started; ``ready_s``: running time until the oil was ready, None where it never
            was, 0 where it was at once.
        cold_load_s: seconds over :data:`LOAD_RPM` before it was ready; ``cold_top_rpm``: highest engine speed then.
    """

    start_c: float
    ready_s: float | None
    cold_load_s: float
    cold_top_rpm: float


@dataclass(frozen=True, slots=True)
class HotIdle:
    """Idling hot, as the triple that can be compared: pressure with its scatter, engine speed, oil temperature; over so
    long."""

    kpa: float
    scatter_kpa: float
    rpm: float
    temperature_c: float
    seconds: float


@dataclass(frozen=True, slots=True)
class Heating:
    """Where the oil's temperature is heading at this pace: T∞ + (T₀ − T∞)·exp(−t/τ), by least squares.

    Attributes:
        steady_c, low_c, high_c: T∞ with its 90 % interval; None where the record does not show it.
        tau_s: time constant. ``rate_c_per_min``: the fastest rise held for a minute.
        reason: why there is no T∞, or "".
    """

    steady_c: float | None
    low_c: float | None
    high_c: float | None
    tau_s: float | None
    rate_c_per_min: float
    reason: str


def warm_up(
    time_s: FloatArray, rpm: FloatArray, temperature_c: FloatArray | None, ready_c: float = READY_C
) -> WarmUp | None:
    """How a session warmed its oil; arrays of shape (n,). None without oil temperature or running."""
    if temperature_c is None:
        return None
    on = running(rpm) & np.isfinite(temperature_c)
    if on.sum() < 10:
        return None
    steps = _steps(time_s)
    first = int(np.flatnonzero(on)[0])
    warm = np.flatnonzero(on & (temperature_c >= ready_c))
    ready = int(warm[0]) if warm.size else on.size
    before = on & (np.arange(on.size) < ready)
    loaded = before & (or_zero(rpm) > LOAD_RPM)
    top = float(np.nanmax(rpm[before])) if before.any() else 0.0
    return WarmUp(
        float(temperature_c[first]), float(steps[before].sum()) if warm.size else None, float(steps[loaded].sum()), top
    )


def hot_idle(
    time_s: FloatArray,
    rpm: FloatArray,
    pressure_kpa: FloatArray,
    temperature_c: FloatArray | None,
    still: NDArray[np.bool_],
) -> HotIdle | None:
    """The hot idle of a session; ``still``: where the car does not move and the engine's speed is steady. None without
    four seconds of it."""
    if temperature_c is None:
        return None
    low, high = _IDLE_RPM
    idle = still & (rpm > low) & (rpm < high) & (temperature_c >= _IDLE_C) & np.isfinite(pressure_kpa)
    seconds = float(_steps(time_s)[idle].sum())
    if seconds < _LEAST_IDLE_S:
        return None
    kpa = pressure_kpa[idle]
    scatter = float(np.percentile(kpa, 84) - np.percentile(kpa, 16)) / 2.0
    return HotIdle(
        float(np.median(kpa)), scatter, float(np.median(rpm[idle])), float(np.median(temperature_c[idle])), seconds
    )


def heating(time_s: FloatArray, rpm: FloatArray, temperature_c: FloatArray | None) -> Heating | None:
    """Where the oil's temperature is heading, from the driving (over 2000 rpm, pauses of a minute end it). None without
    it."""
    if temperature_c is None:
        return None
    driven = np.flatnonzero((or_zero(rpm) > 2000.0) & np.isfinite(temperature_c))
    if driven.size < 100:
        return None
    first, last = int(driven[0]), int(driven[-1])
    seconds = np.arange(time_s[first], time_s[last], 2.0)
    known = np.isfinite(temperature_c)
    heat = np.interp(seconds, time_s[known], temperature_c[known])
    if seconds.size < 60:
        return Heating(None, None, None, None, float("nan"), "it was driven for less than two minutes")
    minute = heat[30:] - heat[:-30]
    rate = float(minute.max())
    if float(np.ptp(heat)) < _LEAST_RISE_C:
        middle = float(np.median(heat[seconds.size // 2 :]))
        return Heating(middle, middle - 2.0, middle + 2.0, None, rate, "")
    return _exponential(seconds - seconds[0], heat, rate)


def _exponential(t: FloatArray, heat: FloatArray, rate: float) -> Heating:
    """Over a grid of time constants the two other parameters are linear; the interval is by the likelihood over the
    grid."""
    taus = np.geomspace(40.0, 2400.0, 60)
    cost, steady = np.empty(taus.size), np.empty(taus.size)
    for i, tau in enumerate(taus):
        design = np.column_stack([np.ones(t.size), np.exp(-t / tau)])
        found, *_ = np.linalg.lstsq(design, heat, rcond=None)
        cost[i], steady[i] = float(np.sum((heat - design @ found) ** 2)), float(found[0])
    # Laps repeat the error: as many observations as two-minute stretches, not as there are samples.
    free = max(t[-1] / 120.0, 3.0) - 2.0
    best = int(np.argmin(cost))
    likely = np.flatnonzero(cost <= cost[best] * (1.0 + 2.7 / free))
    low, high = float(steady[likely].min()) - _THERMOMETER_C, float(steady[likely].max()) + _THERMOMETER_C
    if high - low > 25.0 or best == taus.size - 1:
        return Heating(
            None, None, None, None, rate, "the oil was still warming too evenly to tell where it would settle"
        )
    return Heating(float(steady[best]), low, high, float(taus[best]), rate, "")


@dataclass(frozen=True, slots=True)
class OilHeat:
    """How warm a session drove its oil, in what another day can be held against.

    Attributes:
        hot_c: 95 % of the driving lies below it; ``pace_rpm``: median engine speed of the driving.
        air_c: air temperature as logged or written down; None where neither.
        warm_up, heating: as they were seen.
    """

    hot_c: float
    pace_rpm: float
    air_c: float | None
    warm_up: WarmUp | None
    heating: Heating | None

    def as_plain(self) -> dict[str, Any]:
        """As JSON holds it."""
        return asdict(self)

    @classmethod
    def from_plain(cls, plain: dict[str, Any]) -> OilHeat:
        """Back from JSON; raises KeyError or TypeError where it is something else."""
        warm, rise = plain["warm_up"], plain["heating"]
        return cls(
            plain["hot_c"],
            plain["pace_rpm"],
            plain["air_c"],
            WarmUp(**warm) if warm is not None else None,
            Heating(**rise) if rise is not None else None,
        )


def oil_heat(
    time_s: FloatArray, rpm: FloatArray, temperature_c: FloatArray | None, air_c: float | None = None
) -> OilHeat | None:
    """How warm a session drove its oil; arrays of shape (n,). None without oil temperature or driving over 2000 rpm."""
    if temperature_c is None:
        return None
    driven = (or_zero(rpm) > 2000.0) & np.isfinite(temperature_c)
    if driven.sum() < 100:
        return None
    return OilHeat(
        float(np.percentile(temperature_c[driven], 95)),
        float(np.median(rpm[driven])),
        air_c,
        warm_up(time_s, rpm, temperature_c),
        heating(time_s, rpm, temperature_c),
    )


@dataclass(frozen=True, slots=True)
class ToShed:
    """What a cooler must shed beyond what is shed now to hold a temperature, kW, with the range its unknowns make of
    it."""

    target_c: float
    kw: float
    low_kw: float
    high_kw: float


def to_shed(found: Heating | None, target_c: float, oil_l: float) -> ToShed | None:
    """Heat to be shed to hold ``target_c`` at this pace; None where it is not known where the oil would settle by
    itself.

    First-order heat balance: the oil settles where what it takes up equals G·(T − surroundings), with G = C/τ. C is the
    oil's own m·c (0.86 kg/L, 2.0 kJ/(kg K), handbook values at 100 °C) and the metal that warms with it, taken as 1 to
    3 times that (default 2). To stand lower by T∞ − target, G·(T∞ − target) has to go elsewhere. 0 where it stays below
    by itself.
    """
    if found is None or found.steady_c is None or found.tau_s is None or found.low_c is None or found.high_c is None:
        return None
    by_k = 0.86 * 2.0 * oil_l / found.tau_s
    middle, low, high = (
        by_k * share * max(settles - target_c, 0.0)
        for share, settles in ((2.0, found.steady_c), (1.0, found.low_c), (3.0, found.high_c))
    )
    return ToShed(target_c, middle, low, high)


@dataclass(frozen=True, slots=True)
class WaterAndOil:
    """Water beside oil while driving hot: middle temperatures, and how the thermostat holds the water.

    Attributes:
        water_c, oil_c: medians over the hottest third of the driving.
        holds_c: where the thermostat holds the water while the oil still rises; None where the water rises with the
            oil.
        rises: °C that the water rises for each that the oil does, once the oil is warm.
    """

    water_c: float
    oil_c: float
    holds_c: float | None
    rises: float


def water_and_oil(
    rpm: FloatArray, water_c: FloatArray | None, oil_c: FloatArray | None, warm_c: float = READY_C
) -> WaterAndOil | None:
    """Water beside oil; arrays of shape (n,). None without both, or with less than 100 samples of warm driving."""
    if water_c is None or oil_c is None:
        return None
    use = (or_zero(rpm) > 2000.0) & np.isfinite(water_c) & np.isfinite(oil_c) & (oil_c >= warm_c)
    if use.sum() < 100:
        return None
    water, oil = water_c[use], oil_c[use]
    hot = oil >= np.percentile(oil, 67)
    spread = float(np.percentile(oil, 95) - np.percentile(oil, 5))
    rises = float(np.polyfit(oil, water, 1)[0]) if spread > 4.0 else float("nan")
    holds = float(np.median(water)) if np.isfinite(rises) and abs(rises) < 0.25 else None
    return WaterAndOil(float(np.median(water[hot])), float(np.median(oil[hot])), holds, rises)


def _steps(time_s: FloatArray) -> FloatArray:
    """Seconds each sample stands for; a pause counts for nothing."""
    step = np.diff(time_s, append=time_s[-1:])
    return np.where(step > _LONGEST_STEP_S, 0.0, step)
