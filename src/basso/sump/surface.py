"""Where oil at rest in an accelerating pan stands: the exact tilted free surface.

With vehicle acceleration (ax forward, ay left, in g) the oil feels (−ax, −ay, −1) g and its free surface is the
plane ``ax·x + ay·y + z = c``. The offset c follows from the volume: the volume under a plane over a
rectangle is exactly a signed sum of cubes of the plane's heights over the four corners, minus the same for the
part above the rail, so no mesh and no sampling is needed.
"""

from __future__ import annotations

import numpy as np

from basso.sump.shape import BoxPan
from basso.units import FloatArray

_LEAST_SLOPE = 1e-4
"""Slopes nearer to level than this are computed at it: the closed form divides by them. Error below 0.02 mm."""


def volume_under_l(pan: BoxPan, offset_m: FloatArray, ax_g: FloatArray, ay_g: FloatArray) -> FloatArray:
    """Oil volume in litres below the plane ``ax·x + ay·y + z = offset`` within the pan; arrays broadcast."""
    ax, ay = _steep(ax_g), _steep(ay_g)
    total = _cubes(pan, offset_m, ax, ay) - _cubes(pan, np.asarray(offset_m) - pan.depth_m, ax, ay)
    litres: FloatArray = total / (6.0 * ax * ay) * 1000.0
    return litres


def _steep(slope: FloatArray) -> FloatArray:
    # By the box's symmetry the volume depends on |slope| only.
    return np.maximum(np.abs(np.asarray(slope, dtype=np.float64)), _LEAST_SLOPE)


def _cubes(pan: BoxPan, height: FloatArray, ax: FloatArray, ay: FloatArray) -> FloatArray:
    half_x, half_y = 0.5 * pan.length_m * ax, 0.5 * pan.width_m * ay

    def cube(h: FloatArray) -> FloatArray:
        positive = np.maximum(h, 0.0)
        return positive * positive * positive

    height = np.asarray(height, dtype=np.float64)
    return (
        cube(height + half_x + half_y)
        - cube(height + half_x - half_y)
        - cube(height - half_x + half_y)
        + cube(height - half_x - half_y)
    )


def surface_offset_m(pan: BoxPan, volume_l: FloatArray, ax_g: FloatArray, ay_g: FloatArray) -> FloatArray:
    """The plane's offset c in metres at which the pan holds ``volume_l``; arrays broadcast.

    Solved by bisection to better than 1e-7 m. A volume below 0 counts as empty, above capacity as full.
    """
    volume, ax, ay = np.broadcast_arrays(
        np.clip(np.asarray(volume_l, dtype=np.float64), 0.0, pan.capacity_l), ax_g, ay_g
    )
    reach = 0.5 * pan.length_m * np.abs(ax) + 0.5 * pan.width_m * np.abs(ay) + 1e-3
    low, high = -reach, reach + pan.depth_m
    for _ in range(25):
        middle = 0.5 * (low + high)
        short = volume_under_l(pan, middle, ax, ay) < volume
        low, high = np.where(short, middle, low), np.where(short, high, middle)
    result: FloatArray = 0.5 * (low + high)
    return result


def height_at(offset_m: FloatArray, ax_g: FloatArray, ay_g: FloatArray, x_m: float, y_m: float) -> FloatArray:
    """Height of the free surface above the floor at a place, metres (may be below 0 or above the rail)."""
    height: FloatArray = np.asarray(offset_m - ax_g * x_m - ay_g * y_m, dtype=np.float64)
    return height


def pickup_head_m(pan: BoxPan, volume_l: FloatArray, ax_g: FloatArray, ay_g: FloatArray) -> FloatArray:
    """Head of oil over the pickup's mouth along the effective gravity, metres; negative when it is bare."""
    return head_at(pan, surface_offset_m(pan, volume_l, ax_g, ay_g), ax_g, ay_g)


def head_at(pan: BoxPan, offset_m: FloatArray, ax_g: FloatArray, ay_g: FloatArray) -> FloatArray:
    """Head of oil over the pickup's mouth for a known surface; metres along the effective gravity."""
    x, y, z = pan.pickup_m
    upright = height_at(offset_m, ax_g, ay_g, x, y) - z
    head: FloatArray = upright / np.sqrt(1.0 + np.square(ax_g) + np.square(ay_g))
    return head
