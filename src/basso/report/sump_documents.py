"""What is told of oil standing in a pan, as the JSON document of the contract."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from basso.report.documents import Document, rounded
from basso.sump.solid import Solid, up_of
from basso.sump.standing import DIRECTIONS_DEG, Standing, stand, uncover_g
from basso.units import FloatArray


@dataclass(frozen=True, slots=True, eq=False)
class StandingOil:
    """Oil in a pan, at rest and at a g.

    Attributes:
        up: unit vector square to the oil's surface at that g, (x, y, z).
        capacity_l: what the pan holds; ``volume_l``: what is in it, None where nobody said.
        at_rest, at_g: where it stands; None without a volume.
        has_pickup: whether it is known where the pickup is.
        uncover_g: for each of :data:`~basso.sump.standing.DIRECTIONS_DEG`, inf where it holds; empty where it cannot be
            told.
        notes: what is to be minded about the pan, a sentence each.
    """

    up: tuple[float, float, float]
    capacity_l: float
    volume_l: float | None
    at_rest: Standing | None
    at_g: Standing | None
    has_pickup: bool
    uncover_g: FloatArray
    notes: tuple[str, ...]


def standing_oil(
    solid: Solid, pickup_m: FloatArray | None, volume_l: float | None, g: tuple[float, float], notes: Sequence[str] = ()
) -> StandingOil:
    """Where a volume stands in a pan at a steady g (ax forward, ay to the left)."""
    x, y, z = (float(v) for v in up_of(*g))
    up, capacity = (x, y, z), 1000.0 * solid.capacity_m3
    if volume_l is None:
        return StandingOil(up, capacity, None, None, None, pickup_m is not None, np.empty(0), tuple(notes))
    volume = volume_l / 1000.0
    at = pickup_m if pickup_m is not None else np.zeros(3)
    return StandingOil(
        up=up,
        capacity_l=capacity,
        volume_l=volume_l,
        at_rest=stand(solid, at, volume),
        at_g=stand(solid, at, volume, *g),
        has_pickup=pickup_m is not None,
        uncover_g=uncover_g(solid, pickup_m, volume) if pickup_m is not None else np.empty(0),
        notes=tuple(notes),
    )


def sump_document(s: StandingOil) -> Document:
    """``basso.sump/1``."""
    told = s.at_g if s.has_pickup else None
    return {
        "schema": "basso.sump/1",
        "capacity_l": rounded(s.capacity_l, 4),
        "volume_l": rounded(s.volume_l, 4),
        "surface": {
            "normal": [rounded(v, 6) for v in s.up],
            "level_mm": rounded(1000.0 * s.at_g.level_m) if s.at_g is not None else None,
        },
        "pickup": {
            "covered": told.is_covered if told is not None else None,
            "head_mm": rounded(1000.0 * told.head_m) if told is not None else None,
        },
        "static_level_mm": rounded(1000.0 * s.at_rest.level_m) if s.at_rest is not None else None,
        "uncover": [
            {"direction_deg": direction, "g": rounded(float(g), 4)}
            for direction, g in zip(DIRECTIONS_DEG, s.uncover_g.tolist(), strict=False)
        ],
        **({"notes": list(s.notes)} if s.notes else {}),
    }
