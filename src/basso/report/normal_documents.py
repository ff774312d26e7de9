"""Normal as a JSON document and as sentences."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from basso.pressure.adviser import HOTTEST_C, GradeAdvice
from basso.pressure.changed import BY_KEY, NONE, SURE, NormalChange
from basso.pressure.expected import ExpectedPressure
from basso.report.documents import Document, rounded
from basso.units import DisplayUnits, Quantity

if TYPE_CHECKING:
    from basso.normal.told import NormalTold

_Z90 = 1.645


def expected_document(e: ExpectedPressure) -> Document:
    """The curve: by which method, parameters with 90 % intervals, where it is valid, and a table of it with intervals."""
    if not e.valid:
        return {"method": e.method, "valid": False, "reason": e.reason, "parameters": {}, "field": []}
    block = e.valid_range()
    sd = e.parameter_sd or (math.nan,) * 4
    parameters = {
        "k_kpa": _factor(math.exp(e.log_k), sd[0]),
        "rpm_exponent": _sum(e.b, sd[1]),
        "viscosity_exponent": _sum(e.c, sd[2]),
        "relief_kpa": _factor(e.relief_kpa, sd[3]),
        "relief_rise": {"value": rounded(e.relief_rise)},
        "sharpness": {"value": rounded(e.sharpness)},
    }
    return {
        "method": e.method,
        "valid": True,
        "reason": e.reason,
        "oil": {"name": e.oil.name, "at_40_mm2ps": e.oil.at_40_mm2ps, "at_100_mm2ps": e.oil.at_100_mm2ps},
        "parameters": parameters,
        "residual_kpa": rounded(e.residual_kpa),
        "samples": e.samples,
        "seen": {"rpm": [rounded(v, 0) for v in e.rpm_range], "oil_temp_c": _pair(e.temperature_range_c)},
        "range": {
            "rpm": [rounded(v, 0) for v in block[0]] if block is not None else [None, None],
            "oil_temp_c": _pair(block[1] if block is not None else None),
        },
        "field": _field(e),
    }


def _pair(values: tuple[float, float] | None) -> list[float | None]:
    return [rounded(v, 1) for v in values] if values is not None else [None, None]


def _factor(value: float, sd: float) -> Document:
    wide = math.exp(_Z90 * sd)
    return {"value": rounded(value), "low": rounded(value / wide), "high": rounded(value * wide)}


def _sum(value: float, sd: float) -> Document:
    return {"value": rounded(value), "low": rounded(value - _Z90 * sd), "high": rounded(value + _Z90 * sd)}


def _field(e: ExpectedPressure) -> list[Document]:
    """Expected pressure at round engine speeds and temperatures, with its 90 % interval and whether it rests on data."""
    rpm = np.arange(math.floor(e.rpm_range[0] / 500.0) * 500.0, e.rpm_range[1] + 499.0, 500.0)
    rpm = rpm[rpm > 0]
    heats: list[float | None] = [None]
    if e.temperature_range_c is not None:
        low, high = e.temperature_range_c
        heats = [float(v) for v in np.arange(math.floor(low / 5.0) * 5.0, high + 4.9, 5.0)]
    rows = []
    for heat in heats:
        t = np.full(rpm.shape, heat) if heat is not None else None
        kpa, (under, over), inside = e.at(rpm, t), e.interval(rpm, t), e.covers(rpm, t)
        rows += [
            {
                "rpm": float(n),
                "oil_temp_c": heat,
                "expected_kpa": rounded(float(p)),
                "low_kpa": rounded(float(lo)),
                "high_kpa": rounded(float(hi)),
                "valid": bool(v),
            }
            for n, p, lo, hi, v in zip(rpm, kpa, under, over, inside, strict=True)
        ]
    return rows


def normal_document(told: NormalTold) -> Document:
    """``basso.normal/1``."""
    from basso.normal.told import idles_before

    a = told.analysis
    advice = told.advice
    return {
        "schema": "basso.normal/1",
        "log": str(a.recording.path),
        "expected": expected_document(a.expected),
        "at": {"rpm": rounded(told.racing_rpm, 0), "oil_temp_c": rounded(told.hot_c, 1)},
        "floors": [
            {
                "school": s.school.name,
                "rule": s.school.floor.rule,
                "reason": s.school.reason,
                "active": s.active,
                "dips": s.dips,
                "below_floor_s": rounded(s.below_s),
                "at_hot_kpa": rounded(s.at_hot_kpa),
                "over_kpa": rounded(s.over_kpa),
            }
            for s in told.schools
        ],
        "grades": [_grade(g) for g in advice.grades] if advice is not None else [],
        "advice": {
            "lightest_that_holds": advice.lightest.grade.name if advice.lightest is not None else None,
            "heavier_for_the_track": advice.heavier.grade.name if advice.heavier is not None else None,
            "floor_kpa": rounded(advice.floor_kpa),
            "rule": advice.rule,
            "margin_kpa": rounded(advice.asked.margin_kpa),
            "cautions": list(advice.cautions),
            "window": advice.window,
        }
        if advice is not None
        else None,
        "warm_up": _plain(told.warm_up, ("start_c", "ready_s", "cold_load_s", "cold_top_rpm")),
        "hot_idle": _plain(told.hot_idle, ("kpa", "scatter_kpa", "rpm", "temperature_c", "seconds")),
        "hot_idle_before_kpa": [rounded(float(v)) for v in idles_before(told)],
        "heating": _plain(told.heating, ("steady_c", "low_c", "high_c", "tau_s", "rate_c_per_min", "reason")),
        "cooler": _plain(told.to_shed, ("target_c", "kw", "low_kw", "high_kw")),
        "water": _plain(told.water, ("water_c", "oil_c", "holds_c", "rises")),
        "change": _change(told.change) if told.change is not None else None,
        "history": [{"against": h.earlier.title, "day": h.earlier.day, **_change(h.change)} for h in told.history],
    }


def _plain(value: object, names: tuple[str, ...]) -> Document | None:
    if value is None:
        return None
    return {n: rounded(v) if isinstance(v := getattr(value, n), float) else v for n in names}


def _grade(g: GradeAdvice) -> Document:
    return {
        "grade": g.grade.name,
        "at_40_mm2ps": g.grade.at_40_mm2ps,
        "at_100_mm2ps": g.grade.at_100_mm2ps,
        "holds_to_c": rounded(g.holds_to_c, 1),
        "low_c": rounded(g.low_c, 1),
        "high_c": rounded(g.high_c, 1),
        "at_hot_kpa": rounded(g.at_hot_kpa),
        "at_hot_low_kpa": rounded(g.at_hot_low_kpa),
        "at_hot_high_kpa": rounded(g.at_hot_high_kpa),
        "over_kpa": rounded(g.over_kpa),
        "pump_kw": rounded(g.pump_kw),
        "within_what_was_driven": g.driven,
        "start_mm2ps": rounded(g.start_mm2ps, 0),
        "listed": g.listed,
        "holds": g.holds,
    }


def _change(c: NormalChange) -> Document:
    return {
        "cause": c.cause or None,
        "reason": c.reason,
        "offset_kpa": rounded(c.offset_kpa),
        "low_kpa": rounded(c.low_kpa),
        "high_kpa": rounded(c.high_kpa),
        "candidates": [
            {
                "cause": x.pattern.key,
                "probability": rounded(x.probability),
                "value": rounded(x.value),
                "low": rounded(x.low),
                "high": rounded(x.high),
                "unit": x.pattern.unit,
            }
            for x in c.candidates
        ],
    }


def change_words(c: NormalChange, units: DisplayUnits) -> str:
    """How a session lies to the earlier normal, and why, in a sentence or two."""
    if not c.candidates:
        return f"Cannot be held against an earlier normal: {c.reason}."
    by = units.text(abs(c.offset_kpa), Quantity.PRESSURE, difference=True)
    low, high = sorted((abs(c.low_kpa), abs(c.high_kpa)))
    low_words, high_words = (units.text(v, Quantity.PRESSURE, difference=True) for v in (low, high))
    band = f"{low_words} to {high_words}"
    if c.cause == NONE:
        return "Normal is as it was: the session lies within what two sessions differ by."
    where = "over" if c.offset_kpa > 0 else "under"
    clear = (c.low_kpa > 0) == (c.high_kpa > 0)
    lies = f"{by} {where} the earlier normal" + (f" ({band})" if clear else "")
    if not c.cause:
        return f"The session lies {lies}. {c.reason[:1].upper() + c.reason[1:]}: cannot tell which."
    best, second = c.candidates[:2]
    sure = f"{100.0 * best.probability:.0f} %"
    if best.probability >= SURE:
        return f"The session lies {lies}: {best.pattern.words} ({sure} sure). What says so: {BY_KEY[c.cause].says}."
    settles = _SETTLES.get(frozenset((best.pattern.key, second.pattern.key)), "")
    return (
        f"The session lies {lies}: {best.pattern.words} ({sure}) is likelier than {second.pattern.words} "
        f"({100.0 * second.probability:.0f} %).{settles}"
    )


_OIL_OR_WEAR = " What would settle it: the oil's viscosity at 100 °C from a laboratory, or fresh oil of the same grade and another session."
_SETTLES = {
    frozenset(("thin_oil", "worn_bearings")): _OIL_OR_WEAR,
    frozenset(
        ("leak", "worn_bearings")
    ): " What would settle it: warm-up at idle. A leak is there with cold oil too, wear hardly.",
    frozenset(("relief_low", "clogged_filter")): " What would settle it: the pressure before the filter.",
    frozenset(("relief_high", "none")): " What would settle it: a cold start, where the relief valve has to open.",
}
"""What tells two causes apart that look alike."""


def temperature_words(value_c: float | None, units: DisplayUnits) -> str:
    """An oil temperature up to which something holds."""
    if value_c is None:
        return "never"
    if value_c >= HOTTEST_C:
        return f"over {units.text(HOTTEST_C, Quantity.TEMPERATURE)}"
    return units.text(value_c, Quantity.TEMPERATURE)
