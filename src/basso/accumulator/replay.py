"""An accumulator replayed on what a gallery did without it: it charges, spends and refills, and what the pressure would
have been.

The gallery's pressure follows from the oil that flows through it: where the pickup draws air the pump delivers less,
and every litre a minute the bottle adds is that much more. So each moment has a pressure without the bottle and a
stiffness, kPa for each L/min, both from the car's own normal (:class:`Gallery`). The flow between bottle and gallery is
that at which gas, seals, line (loss with the square of the flow: White, *Fluid Mechanics*, ch. 6) and gallery agree; a
step is taken implicitly, so that it never carries more than evens both out.

One step serves a single bottle (plain numbers, quick) and many side by side (arrays): :func:`_step`.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from basso.accumulator.gas import FAST, SLOW, Bottle
from basso.accumulator.valve import RUNNING_RPM, Line, Valve
from basso.progress import Progress, silent
from basso.units import FloatArray

GALLERY_S, SWITCH_S = 0.035, 0.015
"""How long a gallery takes to follow what flows through it, and a switch with its valve to open (defaults)."""
DRY_L = 0.02
"""Less oil than this, and the bottle is spent."""
_REFERENCE_LPM = 20.0
_LEAST_C = 1e-5
_EVERY = 4096


@dataclass(frozen=True, slots=True, eq=False)
class Gallery:
    """A gallery without an accumulator, on an even grid of time; arrays of shape (n,).

    Attributes:
        start_s, step_s: the grid.
        alone_kpa: pressure without a bottle.
        stiffness_out: kPa that each L/min more brings; ``stiffness_in``: that each L/min taken costs.
        running: whether the engine runs.
    """

    start_s: float
    step_s: float
    alone_kpa: FloatArray
    stiffness_out: FloatArray
    stiffness_in: FloatArray
    running: NDArray[np.bool_]

    def part(self, start_s: float, end_s: float) -> Gallery:
        """The same from one moment to another."""
        a, b = (int(np.clip(round((t - self.start_s) / self.step_s), 0, self.alone_kpa.size)) for t in (start_s, end_s))
        cut = slice(a, max(b, a + 1))
        return Gallery(
            self.start_s + a * self.step_s,
            self.step_s,
            self.alone_kpa[cut],
            self.stiffness_out[cut],
            self.stiffness_in[cut],
            self.running[cut],
        )

    def coarser(self, step_s: float) -> Gallery:
        """The same on a grid of about ``step_s``; itself where it is as coarse."""
        every = max(1, round(step_s / self.step_s))
        return Gallery(
            self.start_s,
            self.step_s * every,
            self.alone_kpa[::every],
            self.stiffness_out[::every],
            self.stiffness_in[::every],
            self.running[::every],
        )

    @property
    def time_s(self) -> FloatArray:
        """The grid's times."""
        times: FloatArray = self.start_s + self.step_s * np.arange(self.alone_kpa.size, dtype=np.float64)
        return times


@dataclass(frozen=True, slots=True, eq=False)
class Replayed:
    """What a bottle does, on the gallery's grid; shape (n,), or (bottles, n) of many.

    Attributes:
        pressure_kpa: in the gallery, with the bottle.
        oil_l: in the bottle at the end of each step.
        flow_lpm: out of the bottle; below 0 where it refills.
        gas_kpa: pressure of its gas at the start of each step, gauge.
    """

    gallery: Gallery
    pressure_kpa: FloatArray
    oil_l: FloatArray
    flow_lpm: FloatArray
    gas_kpa: FloatArray

    @property
    def spent_l(self) -> float:
        """Oil given in all (of one bottle)."""
        return float(np.sum(np.maximum(self.flow_lpm, 0.0)) * self.gallery.step_s / 60.0)


def gallery_of(
    start_s: float,
    step_s: float,
    pressure_kpa: FloatArray,
    rpm: FloatArray,
    curves: tuple[FloatArray, FloatArray, FloatArray],
    sharpness: float,
    pump_l_per_rev: float,
) -> Gallery:
    """A gallery from what was logged and the car's normal; arrays of shape (n,).

    Args:
        curves: what pump and bearings alone would make, what the relief valve lets stand, and the engine's own factor
            (:meth:`basso.normal.expected.ExpectedPressure.curves_at`).
        pump_l_per_rev: what the pump delivers for a turn of the crank.
    """
    free, capped, factor = curves
    pumped = np.maximum(pump_l_per_rev * rpm, pump_l_per_rev * RUNNING_RPM)

    def at(part: FloatArray) -> FloatArray:
        """Pressure with a part of the pump's flow in the gallery."""
        flowing: FloatArray = np.maximum(part, 1e-6)
        made: FloatArray = factor * softmin(free * flowing**FLOW_EXPONENT, capped, sharpness)
        return made

    normal = at(np.ones(free.shape))
    share = np.clip(pressure_kpa / np.maximum(factor, 1e-6), 1e-3, 0.999 * capped)
    delivered = np.clip((hardmin(share, capped, sharpness) / free) ** (1.0 / FLOW_EXPONENT), 0.0, 1.0)
    # Over the flow that it is likely to be asked for: half of what is missing, or a little.
    more = np.maximum(0.5 * (1.0 - delivered), 1.0 / pumped)
    less = np.minimum(np.maximum(2.0 / pumped, 0.02), 0.5 * np.maximum(delivered, 0.04))
    here = at(delivered)
    out = (at(delivered + more) - here) / (more * pumped)
    taken = (here - at(delivered - less)) / (less * pumped)
    # Where normal is not known the pressure itself tells: all that flows makes it.
    plain = np.maximum(pressure_kpa, 20.0) / pumped
    known = np.isfinite(normal)
    return Gallery(
        start_s,
        step_s,
        np.maximum(pressure_kpa, 0.0),
        np.where(known, np.maximum(out, 0.05), plain),
        np.where(known, np.maximum(taken, 0.0), plain),
        rpm >= RUNNING_RPM,
    )


FLOW_EXPONENT = 1.1
"""Pressure goes with this power of the flow at one viscosity: 1 through bearings, 2 through jets; most of it is
bearings (default)."""


def softmin(a: FloatArray, b: FloatArray, sharpness: float) -> FloatArray:
    """As in :mod:`basso.normal.form`; NaN where one is."""
    with np.errstate(invalid="ignore"):
        made: FloatArray = np.exp(-np.logaddexp(-sharpness * np.log(a), -sharpness * np.log(b)) / sharpness)
    return made


def hardmin(p: FloatArray, b: FloatArray, sharpness: float) -> FloatArray:
    """The ``a`` whose :func:`softmin` with ``b`` is ``p``, which lies under ``b``."""
    left = -sharpness * np.log(p), -sharpness * np.log(b)
    with np.errstate(divide="ignore", invalid="ignore"):
        rest = left[0] + np.log1p(-np.exp(np.minimum(left[1] - left[0], -1e-12)))
    made: FloatArray = np.exp(-rest / sharpness)
    return made


@dataclass(frozen=True, slots=True)
class Ops:
    """Arithmetic for plain numbers or for arrays: the step is the same."""

    where: Callable[..., Any]
    sqrt: Callable[..., Any]
    least: Callable[..., Any]
    most: Callable[..., Any]


_NUMBERS = Ops(lambda c, a, b: a if c else b, math.sqrt, min, max)
_ARRAYS = Ops(np.where, np.sqrt, np.minimum, np.maximum)


@dataclass(frozen=True, slots=True)
class _Terms:
    """What one bottle, or many side by side, are in a step: numbers or arrays (bottles,)."""

    total: Any
    empty: Any
    exponent: Any
    air: Any
    friction: Any
    c_out: Any
    c_in: Any
    trigger: Any
    shuts: Any
    is_plain: Any
    none_switches: bool
    """All are plain open valves; ``is_slow``: the gas of all is as warm as the bottle; ``settling``: that of some warms
    and cools on top of the exponent. What none of them needs is not worked out."""
    is_slow: bool
    settling: bool
    quick: Any
    """Exponent less one by which the gas warms and cools on top of ``exponent``; ``settles``: how much of that a step
    takes away again."""
    settles: Any
    follows: float
    """How much of the way the gallery goes in a step to what the flow asks of it; ``falls``: before a switch has
    opened again."""
    falls: float
    dt: float


@dataclass(slots=True)
class _State:
    """A bottle between two steps: oil, how much warmer its gas is than it (a ratio), what it adds to the gallery's
    pressure, whether its switch stands open."""

    oil: Any
    warmth: Any
    added: Any
    is_open: Any


def _step(t: _Terms, ops: Ops, s: _State, p0: Any, k_out: Any, k_in: Any, runs: Any) -> tuple[Any, Any, Any]:
    """One step: flow out (L/min, below 0 in), gallery pressure, and the gas's at its start; the state goes on.

    A switch opens or shuts within the step, as soon as the pressure has come to where it does.
    """
    room = ops.most(t.total - s.oil, 1e-4)
    tight = t.total / room
    absolute = t.empty * (tight if t.is_slow else tight**t.exponent) * s.warmth
    gas = absolute - t.air
    rise = (t.exponent + t.quick) * absolute / room * t.dt  # kPa for each L/min that flows in for one step
    drive = gas - t.friction - p0
    drive = ops.most(drive if t.none_switches or runs else ops.where(t.is_plain, drive, 0.0), 0.0)
    k = k_out + rise
    given = ops.least(2.0 * drive / (k + ops.sqrt(k * k + 4.0 * t.c_out * drive)), s.oil / t.dt)
    drive = ops.most(p0 - gas - t.friction, 0.0)
    k = k_in + rise
    taken = 2.0 * drive / (k + ops.sqrt(k * k + 4.0 * t.c_in * drive))
    shut = p0 + s.added - (k_in * taken + s.added) * t.follows
    opened = shut + k_out * given * t.follows
    if t.none_switches:
        flow, pressure = given - taken, opened
        s.added = pressure - p0
    else:
        part, pressure = _switched(t, ops, s, p0, k_out * given, opened, shut)
        flow = given * part - taken
    s.oil = ops.most(s.oil - flow * t.dt, 0.0)
    if t.settling:
        warmth = s.warmth * (room / ops.most(t.total - s.oil, 1e-4)) ** t.quick
        s.warmth = warmth + (1.0 - warmth) * t.settles
    return flow, pressure, gas


def _switched(t: _Terms, ops: Ops, s: _State, p0: Any, lifts: Any, opened: Any, shut: Any) -> tuple[Any, Any]:
    """What part of the step a valve stands open, and the gallery's pressure with that; what the switch does goes on.

    ``lifts``: by how much the bottle would lift the pressure in the end; ``opened``, ``shut``: the gallery's pressure
    with the valve open, and shut, all through the step.
    """
    switched = ops.where(
        s.is_open,
        ops.where(opened > t.shuts, ops.most(t.shuts, shut), opened),
        ops.where(shut < t.trigger, ops.least(t.trigger, opened), shut),
    )
    # Shut it is under the trigger, open it is over where it shuts: it hunts between the two, and falls under the
    # trigger each time for as long as the switch takes.
    hunts = (p0 < t.trigger) & (p0 + lifts > t.shuts)
    pressure = ops.where(t.is_plain, opened, ops.where(hunts, 0.5 * (t.trigger + t.shuts), switched))
    # What part of the step it stood open; at a gallery that does not give way, all or none of it.
    apart = opened - shut
    part = ops.where(apart > 1e-9, ops.least((pressure - shut) / ops.most(apart, 1e-9), 1.0), s.is_open + 0.0)
    s.is_open = ops.where(s.is_open, opened <= t.shuts, shut < t.trigger)
    s.added = pressure - p0
    pressure = ops.where(hunts, t.trigger - t.falls * (t.trigger - p0), pressure)
    return ops.where(t.is_plain, 1.0, part), pressure


def _terms(bottles: Sequence[Bottle], valves: Sequence[Valve], line: Line, step_s: float) -> _Terms:
    def column(values: Sequence[float]) -> Any:
        return np.array(values, dtype=np.float64) if len(values) > 1 else float(values[0])

    plain = [v.trigger_kpa is None for v in valves]
    return _Terms(
        total=column([b.total_l for b in bottles]),
        empty=column([b.empty_kpa for b in bottles]),
        exponent=column([b.exponent for b in bottles]),
        air=column([b.air_kpa for b in bottles]),
        friction=column([b.friction_kpa for b in bottles]),
        c_out=max(line.out_kpa, _LEAST_C) / _REFERENCE_LPM**2,
        c_in=max(line.in_kpa, _LEAST_C) / _REFERENCE_LPM**2,
        trigger=column([v.trigger_kpa if v.trigger_kpa is not None else -1e9 for v in valves]),
        shuts=column([v.shuts_kpa if v.shuts_kpa is not None else 1e9 for v in valves]),
        is_plain=np.array(plain) if len(plain) > 1 else plain[0],
        none_switches=all(plain),
        is_slow=all(b.exponent == 1.0 for b in bottles),
        settling=any(b.settle_s is not None for b in bottles),
        quick=column([FAST - SLOW if b.settle_s is not None else 0.0 for b in bottles]),
        settles=column([1.0 - math.exp(-step_s / b.settle_s) if b.settle_s is not None else 0.0 for b in bottles]),
        follows=1.0 - math.exp(-step_s / GALLERY_S),
        falls=1.0 - math.exp(-SWITCH_S / GALLERY_S),
        dt=step_s / 60.0,
    )


def replay(gallery: Gallery, bottle: Bottle, valve: Valve, line: Line, oil_l: float = 0.0) -> Replayed:
    """One bottle through a drive; ``oil_l``: in it at the start."""
    t = _terms([bottle], [valve], line, gallery.step_s)
    state = _State(oil_l, 1.0, 0.0, False)
    rows = []
    for p0, k_out, k_in, runs in zip(
        gallery.alone_kpa.tolist(),
        gallery.stiffness_out.tolist(),
        gallery.stiffness_in.tolist(),
        gallery.running.tolist(),
        strict=True,
    ):
        rows.append((*_step(t, _NUMBERS, state, p0, k_out, k_in, runs), state.oil))
    flow, pressure, gas, oil = np.array(rows).reshape(-1, 4).T
    return Replayed(gallery, pressure, oil, flow, gas)


def replay_many(
    gallery: Gallery,
    bottles: Sequence[Bottle],
    valves: Sequence[Valve],
    line: Line,
    oil_l: FloatArray | None = None,
    progress: Progress = silent,
) -> Replayed:
    """Many bottles side by side through a drive: arrays of shape (bottles, n)."""
    # Of one, twice: arrays all the way.
    several = list(bottles) if len(bottles) > 1 else [bottles[0]] * 2
    switches = list(valves) if len(bottles) > 1 else [valves[0]] * 2
    t = _terms(several, switches, line, gallery.step_s)
    n, lanes = gallery.alone_kpa.size, len(several)
    made = np.empty((4, n, lanes))
    start = np.zeros(lanes) if oil_l is None else np.broadcast_to(oil_l, (lanes,)).copy()
    state = _State(start, np.ones(lanes), np.zeros(lanes), np.zeros(lanes, dtype=np.bool_))
    for i in range(n):
        if i % _EVERY == 0:
            progress(i / n, "replaying bottles")
        p0, k_out, k_in = gallery.alone_kpa[i], gallery.stiffness_out[i], gallery.stiffness_in[i]
        made[0, i], made[1, i], made[2, i] = _step(t, _ARRAYS, state, p0, k_out, k_in, bool(gallery.running[i]))
        made[3, i] = state.oil
    flow, pressure, gas, oil = made.transpose(0, 2, 1)[:, : len(bottles)]
    return Replayed(gallery, pressure, oil, flow, gas)
