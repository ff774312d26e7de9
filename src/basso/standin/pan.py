"""Oil moving in the stand-in's pan, and what that does to the pickup.

The free surface follows the effective gravity with the pan's own slosh (second order); part of the fill is
held up in the head, more at high rpm, and drains back late; behind a gated baffle oil leaves the pickup's
bay slowly and returns fast. When the head over the pickup falls below a few millimetres air is drawn,
reaches the gallery after the pickup pipe's delay, and clears as slowly.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.ndimage import map_coordinates
from scipy.signal import bilinear, lfilter, lfilter_zi

from basso.standin.car import STEP_S, Drive
from basso.standin.engine import lagged
from basso.sump.shape import PLAIN_BOX, BoxPan
from basso.sump.surface import pickup_head_m
from basso.units import FloatArray

_G_RANGE = 2.6
_STEPS = 53


@dataclass(frozen=True, slots=True)
class Pan:
    """The stand-in's pan and what is in it.

    Attributes:
        shape: the box and its pickup.
        fill_l: oil in the pan with the engine stopped.
        held_up_l: of it, in the head and galleries at 7000 rpm.
        held_up_s: time the oil takes up and back.
        held_in_left_l: more of it for each g of a left turn, for the head drains on the other side.
        slosh_hz, damping: the free surface's own motion.
        gated: a baffle with one-way doors around the pickup.
        mouth_m: depth of cover below which air begins to be drawn in.
        pipe_s: pickup pipe and pump delay.
    """

    shape: BoxPan = PLAIN_BOX
    fill_l: float = 4.3
    held_up_l: float = 0.8
    held_up_s: float = 3.0
    held_in_left_l: float = 0.0
    slosh_hz: float = 0.5
    damping: float = 0.7
    gated: bool = False
    mouth_m: float = 0.012
    pipe_s: float = 0.12


@dataclass(frozen=True, slots=True, eq=False)
class OilMotion:
    """Where the oil was, every 10 ms: hidden state, for the truth only."""

    surface_ax_g: FloatArray
    surface_ay_g: FloatArray
    head_m: FloatArray
    head_lateral_only_m: FloatArray
    head_longitudinal_only_m: FloatArray
    air: FloatArray


def move_oil(pan: Pan, drive: Drive) -> OilMotion:
    """Move the oil through a drive; returns the hidden state."""
    ax = _slosh(drive.longitudinal_g, pan)
    ay = _slosh(drive.lateral_g, pan)
    held = lagged(
        pan.held_up_l * drive.rpm / 7000.0 + pan.held_in_left_l * np.maximum(drive.lateral_g, 0.0), pan.held_up_s
    )
    volume = pan.fill_l - held
    look = _HeadTable(pan.shape, float(volume.min()), float(volume.max()))
    zero = np.zeros(ax.shape)
    head = look.at(ax, ay, volume)
    if pan.gated:
        head = _behind_doors(head)
    bare = np.clip(0.5 - head / (2.0 * pan.mouth_m), 0.0, 1.0)
    air = lagged(_delayed(0.85 * bare, pan.pipe_s), 0.14)
    return OilMotion(ax, ay, head, look.at(zero, ay, volume), look.at(ax, zero, volume), air)


def _slosh(values: FloatArray, pan: Pan) -> FloatArray:
    w = 2.0 * np.pi * pan.slosh_hz
    b, a = bilinear([w * w], [1.0, 2.0 * pan.damping * w, w * w], fs=1.0 / STEP_S)
    moved, _ = lfilter(b, a, values, zi=lfilter_zi(b, a) * values[0])
    return np.asarray(moved, dtype=np.float64)


def _delayed(values: FloatArray, delay_s: float) -> FloatArray:
    steps = round(delay_s / STEP_S)
    return np.concatenate([np.full(steps, values[0]), values[: values.size - steps]]) if steps else values


def _behind_doors(outside: FloatArray) -> FloatArray:
    """The head in the pickup's bay: fills through the doors in 0.15 s, leaks out in 2.2 s."""
    inside = []
    h = float(outside[0])
    fill, leak = STEP_S / 0.15, STEP_S / 2.2
    for level in outside.tolist():
        h += (level - h) * (fill if level > h else leak)
        inside.append(h)
    return np.array(inside)


class _HeadTable:
    """Head over the pickup looked up from exact surfaces on a grid of (ax, ay, volume)."""

    def __init__(self, shape: BoxPan, least_l: float, most_l: float) -> None:
        self.axis = np.linspace(-_G_RANGE, _G_RANGE, _STEPS)
        self.volumes = np.linspace(max(0.05, least_l), max(least_l, most_l) + 1e-6, 5)
        gx, gy, gv = np.meshgrid(self.axis, self.axis, self.volumes, indexing="ij")
        self.table = pickup_head_m(shape, gv, gx, gy)

    def at(self, ax: FloatArray, ay: FloatArray, volume: FloatArray) -> FloatArray:
        per_g = (_STEPS - 1) / (2.0 * _G_RANGE)
        span = self.volumes[-1] - self.volumes[0]
        coordinates = np.array(
            [(ax + _G_RANGE) * per_g, (ay + _G_RANGE) * per_g, (volume - self.volumes[0]) / span * 4.0]
        )
        return np.asarray(map_coordinates(self.table, coordinates, order=1, mode="nearest"), dtype=np.float64)
