"""What is told of oil in a pan, standing and on a logged drive, as the JSON document of the contract."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from basso.report.documents import Document, rounded
from basso.sump.calibration import Calibration
from basso.sump.levels import Levels
from basso.sump.solid import Solid, up_of
from basso.sump.standing import DIRECTIONS_DEG, Standing, stand, uncover_g
from basso.sump.variants import LEVEL, Prediction
from basso.units import FloatArray
from basso.words.sump import calibration_words, level_words


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


_TOLD = {
    "slosh_hz": ("slosh", 1.0, "Hz"),
    "damping": ("damping", 1.0, ""),
    "held_l": ("oil_up_in_engine_at_6000_rpm", 1.0, "L"),
    "held_s": ("drain_back", 1.0, "s"),
    "cover_m": ("pickup_effective_height", 1000.0, "mm"),
    "mouth_m": ("pickup_mouth", 1000.0, "mm"),
    "loss": ("pressure_lost_uncovered", 1.0, "natural log"),
    "delay_s": ("delay", 1.0, "s"),
    "clearing_s": ("clearing", 1.0, "s"),
    "openings": ("openings", 1.0, "share of a sharp edge's"),
    "film_m": ("film_on_floor", 1000.0, "mm"),
    "tilt": ("surface_tilt", 1.0, "share"),
    "lean_x_g": ("lean_forward", 1.0, "g"),
    "lean_y_g": ("lean_left", 1.0, "g"),
}
"""What the fitted parameters are called in the document, with the factor to its unit."""


def drive_document(c: Calibration, predictions: Sequence[Prediction]) -> Document:
    """What ``basso sump --log`` adds to ``basso.sump/1``."""
    fitted = {}
    for key, interval in c.fitted().items():
        name, per, unit = _TOLD[key]
        fitted[name] = {
            "value": rounded(per * interval.value, 4),
            "low": rounded(per * interval.low, 4),
            "high": rounded(per * interval.high, 4),
            "unit": unit,
        }
    made: Document = {
        "calibration": {
            "usable": c.usable,
            "reason": str(calibration_words(c)),
            "fitted": fitted,
            "held_out": {
                "passes": c.passes,
                "median_error_kpa": rounded(c.error_kpa, 2),
                "explained": rounded(c.explained),
            },
        }
    }
    if c.usable:
        made["predictions"] = [_prediction(p) for p in predictions]
    return made


def levels_document(told: Levels) -> Document:
    """What a measured pan says standing still, for ``basso.sump/1``."""
    return {
        "levels": {
            "rest_mm": _mm(told.rest_m),
            "running_mm": _mm(told.running_m),
            "pickup_clearance_mm": _mm(told.clearance_m),
            "rim_over_middle_mm": _mm(told.rim_over_middle_m),
            "inlet_mps": rounded(told.inlet_mps),
            "sweep_over_rest_mm": _mm(told.sweep_over_rest_m),
            "most_fill_l": _litres(told.most_fill_m3),
            "most_running_at_1_g_l": _litres(told.most_thrown_m3),
            "at_full_mark_l": _litres(told.at_full_mark_m3),
            "plates": [
                {
                    "bay": p.plate.bay,
                    "over_rest_mm": _mm(p.over_rest_m),
                    "over_running_mm": _mm(p.over_running_m),
                    "open_cm2": rounded(1e4 * p.open_m2, 1),
                }
                for p in told.plates
            ],
            "doors": [{"between": list(d.between), "to": d.to, "toward_pickup": d.is_right_way} for d in told.doors],
            "measured_errors": [
                {"what": e.what, "off": e.off, "unit": e.unit, "g": [rounded(e.g_lost, 3), rounded(e.g_gained, 3)]}
                for e in told.errors
            ],
        },
        "sentences": [str(w) for w in level_words(told)],
    }


def _mm(metres: float | None) -> float | None:
    return rounded(1000.0 * metres, 2) if metres is not None else None


def _litres(m3: float | None) -> float | None:
    return rounded(1000.0 * m3, 3) if m3 is not None else None


def _prediction(p: Prediction) -> Document:
    return {
        "variant": p.text,
        "effect_kpa": rounded(p.effect_kpa, 2),
        "low": rounded(p.low_kpa, 2),
        "high": rounded(p.high_kpa, 2),
        "level": LEVEL,
        "dips_before": p.dips_before,
        "dips_after": round(p.dips_after),
        "places": [
            {
                "corner": q.place,
                "lowest_before_kpa": rounded(q.lowest_before_kpa, 1),
                "lowest_after_kpa": rounded(q.lowest_after_kpa, 1),
                "low": rounded(q.low_kpa, 1),
                "high": rounded(q.high_kpa, 1),
                "passes": q.passes,
                "dips_before": q.dips_before,
                "dips_after": rounded(q.dips_after, 1),
            }
            for q in p.places
        ],
    }
