"""Normal as a JSON document and as sentences."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from basso.findings.normal.adviser import HOTTEST_C, GradeAdvice
from basso.normal.changed import BY_KEY, NONE, SURE, NormalChange
from basso.normal.expected import ExpectedPressure
from basso.report.documents import Document, rounded
from basso.sentence import in_kpa, in_litres, phrase
from basso.units import DisplayUnits, Quantity

if TYPE_CHECKING:
    from basso.findings.normal.adviser import FloorMet
    from basso.findings.normal.before import CoolerOil, Seasons
    from basso.findings.normal.clearance import FlowNeed
    from basso.findings.normal.cooler import CoolerTrade
    from basso.findings.normal.findings import NormalFindings

_Z90 = 1.645
_P, _T = Quantity.PRESSURE, Quantity.TEMPERATURE


def expected_document(e: ExpectedPressure) -> Document:
    """The curve: by which method, parameters with 90 % intervals, where it is valid, and a table of it with
    intervals."""
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
    """Expected pressure at round engine speeds and temperatures, with its 90 % interval and whether it rests on
    data."""
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


def normal_document(told: NormalFindings) -> Document:
    """``basso.normal/1``."""
    from basso.findings.normal.findings import idles_before

    a = told.analysis
    advice = told.advice
    return {
        "schema": "basso.normal/1",
        "log": str(a.recording.path),
        "expected": expected_document(a.expected),
        "at": {"rpm": rounded(told.racing_rpm, 0), "oil_temp_c": rounded(told.hot_c, 1)},
        "floors": [
            {
                "school": s.floor_rule.name,
                "rule": s.floor_rule.floor.rule,
                "reason": s.floor_rule.reason,
                "active": s.active,
                "dips": s.dips,
                "below_floor_s": rounded(s.below_s),
                "at_hot_kpa": rounded(s.at_hot_kpa),
                "over_kpa": rounded(s.over_kpa),
            }
            for s in told.floor_rules
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
        "history": [
            {
                "against": h.earlier.title,
                "day": h.earlier.day,
                "kept": h.earlier.kept,
                "moved_from_oil": h.earlier.expected.learned_oil.name if h.moved else None,
                **_change(h.change),
            }
            for h in told.history
        ],
        "lines": [
            {
                "line": x.floor_rule.name,
                "rule": x.floor_rule.floor.rule,
                "dips": x.dips,
                "below_s": rounded(x.below_s),
                "at_hot_kpa": rounded(x.at_hot_kpa),
                "over_kpa": rounded(x.over_kpa),
            }
            for x in told.lines
        ],
        "oil_heat": _plain(told.heat, ("hot_c", "pace_rpm", "air_c")),
        "seasons": _seasons(told.seasons) if told.seasons is not None else None,
        "cooler_oil": {
            "before": told.cooler_oil.before.title,
            "on": told.cooler_oil.before.oil.name,
            "cooler_c": rounded(told.cooler_oil.cooler_c, 1),
            "air_cooler_c": rounded(told.cooler_oil.air_c, 1),
        }
        if told.cooler_oil is not None
        else None,
        "airs_part": {
            "c_per_c": rounded(told.airs_part.by_c),
            "low": rounded(told.airs_part.low),
            "high": rounded(told.airs_part.high),
            "sessions": told.airs_part.sessions,
        },
        "cooling": {
            "from_c": rounded(told.cooler.from_c, 1),
            "to_c": rounded(told.cooler.to_c, 1),
            "gain_kpa": rounded(told.cooler.gain_kpa),
            "drop_kpa": [rounded(v) for v in told.cooler.drop_kpa],
            "net_kpa": [rounded(v) for v in told.cooler.net_kpa],
            "measured": told.cooler.measured,
        }
        if told.cooler is not None
        else None,
        "cold_peak_kpa": rounded(told.cold_peak_kpa),
        "floor_met": [
            {
                "rpm": m.rpm,
                "at_c": rounded(m.at_c, 1),
                "low_c": rounded(m.low_c, 1),
                "high_c": rounded(m.high_c, 1),
                "driven": _was_driven(told, m),
            }
            for m in told.floor_met
        ],
        "port": port_words(told),
        "over_ceiling_s": rounded(told.over_ceiling_s, 1),
        "flow": {
            "clearance": told.flow.clearance,
            "times_production": rounded(told.flow.times),
            "pump_l_per_min": rounded(told.flow.pump_l_per_min, 1),
            "surplus_kw": rounded(told.flow.kw),
        }
        if told.flow is not None
        else None,
    }


def _plain(value: object, names: tuple[str, ...]) -> Document | None:
    if value is None:
        return None
    return {n: rounded(v) if isinstance(v := getattr(value, n), float) else v for n in names}


def _seasons(s: Seasons) -> Document:
    names = ("day", "session", "air_c", "start_c", "ready_min")
    rows = [dict(zip(names, (*r[:2], *(rounded(v, 1) for v in r[2:])), strict=True)) for r in s.rows]
    told = {"never_ready": s.never, "times_explained": rounded(s.longer), "air_alone": rounded(s.air_alone)}
    return {"warm_ups": rows, **told, "trickle": s.trickle}


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
        "relief_open_under_c": rounded(g.relief_under_c, 1),
        "ceiling_c": rounded(g.ceiling_c, 1),
        "ceiling_set": g.ceiling_set,
        "limit_c": rounded(g.limit_c, 1),
        "pressure_first": g.pressure_first,
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
        return "Normal is unchanged: this session is within the usual scatter between sessions."
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


_OIL_OR_WEAR = (
    " To find out: the oil's viscosity at 100 °C from a laboratory, or fresh oil of the same grade and another session."
)
_SETTLES = {
    frozenset(("thin_oil", "worn_bearings")): _OIL_OR_WEAR,
    frozenset(
        ("leak", "worn_bearings")
    ): " To find out: warm-up at idle. A leak is there with cold oil too, wear hardly.",
    frozenset(("relief_low", "clogged_filter")): " To find out: the pressure before the filter.",
    frozenset(("relief_high", "none")): " To find out: a cold start, where the relief valve has to open.",
}
"""What tells two causes apart that look alike."""


def seasons_words(s: Seasons | None, units: DisplayUnits) -> str:
    """This warm-up beside the car's earlier ones; "" where there is nothing to say."""
    if s is None or len(s.rows) < 2:
        return ""
    own = s.rows[-1][0] == ""
    before = s.rows[:-1] if own else s.rows
    minutes = sorted(m for *_, m in before if m is not None)
    said = []
    if minutes:
        airs = sorted(air for *_, air, _, m in before if air is not None and m is not None)
        at = f" with the air at {_span_words(airs, units)}" if airs else ""
        band = f"{minutes[0]:.1f} min" if minutes[0] == minutes[-1] else f"{minutes[0]:.1f} to {minutes[-1]:.1f} min"
        said.append(f"Earlier warm-ups from cold took {band}{at}.")
    if s.never:
        said.append(f"{s.never} of {len(before)} earlier sessions that began cold never were ready for load.")
    if s.longer is not None:
        alone = f" (the air alone makes {s.air_alone:.1f} times of it)" if s.air_alone is not None else ""
        if s.trickle:
            said.append(
                f"This one took {s.longer:.1f} times as long as start and air explain{alone}: oil passes "
                "the cooler while it is cold, as it "
                "does with a thermostatic plate, which always lets some through. Cover the cooler in winter."
            )
        else:
            said.append(f"This one took {s.longer:.1f} times what start and air explain{alone}.")
    return " ".join(said)


def _span_words(values: list[float], units: DisplayUnits) -> str:
    low, high = units.text(values[0], _T), units.text(values[-1], _T)
    return low if low == high else f"{units.number(values[0], _T)} to {high}"


def cooler_oil_words(c: CoolerOil | None, oil: str, units: DisplayUnits) -> str:
    """A cooler oil after a thicker grade: ambiguous, and what would settle it; "" where it is not so."""
    if c is None:
        return ""
    by = units.text(c.cooler_c, _T, difference=True)
    air = "the air of one of the days is not written down"
    if c.air_c is not None:
        air = f"the air was {units.text(abs(c.air_c), _T, difference=True)} {'cooler' if c.air_c >= 0 else 'warmer'}"
    return (
        f"On {oil} the oil runs {by} cooler than on {c.before.oil.name} ({c.before.title}, "
        f"{c.before.day}) at like pace; {air}. That is a "
        "warning, not a success, until it is settled: less flow may carry less heat out of the "
        "bearings. To find out: both grades "
        "on one day at one pace, a temperature where oil leaves the bearings, or the metals in a laboratory's sample."
    )


def cooler_words(c: CoolerTrade | None, units: DisplayUnits) -> str:
    """What cooling gains and costs; "" where the oil needs none."""
    if c is None:
        return ""
    net_low, net_high = (units.text(v, _P, difference=True, signed=True) for v in c.net_kpa)
    how = "measured" if c.measured else "typical; log the pressure on both sides of it"
    return (
        f"Oil held at {units.text(c.to_c, _T)} instead of {units.text(c.from_c, _T)} makes "
        f"{units.text(c.gain_kpa, _P, difference=True)} more at racing speed; "
        f"a cooler takes {units.number(c.drop_kpa[0], _P, difference=True)} to "
        f"{units.text(c.drop_kpa[1], _P, difference=True)} of it "
        f"({how}): {net_low} to {net_high} in the gallery. One that is fitted already has taken its part."
    )


def ceiling_words(told: NormalFindings, units: DisplayUnits) -> str:
    """How long the oil was over its ceiling, and whether ceiling or pressure comes first; "" with no oil advised."""
    advice = told.advice
    own = next((g for g in advice.grades if g.grade == told.analysis.options.oil), None) if advice is not None else None
    if own is None:
        return ""
    holds = temperature_words(own.holds_to_c, units)
    set_by = "set for it" if own.ceiling_set else "usual; set your own under Oils"
    first = (
        f"the pressure ({holds})" if own.pressure_first else f"the ceiling ({units.text(own.ceiling_c, _T)}, {set_by})"
    )
    words = f"With {own.grade.name} {first} comes first as the oil gets hotter."
    if told.over_ceiling_s is not None:
        words += f" It was over its ceiling of {units.text(own.ceiling_c, _T)} for {told.over_ceiling_s:.0f} s."
    return words


def port_words(told: NormalFindings) -> str:
    """A caution where the maker's figures are read elsewhere than this log's pressure; "" where both are known to be
    the same."""
    maker, known = told.question.maker_port, told.analysis.options.known
    place = known.sensor.place if known is not None and known.sensor is not None else ""
    if not maker or maker == place:
        return ""
    if not place:
        return (
            f"The maker's figures are read at: {maker}. Where this log's pressure was read is not in the "
            "register: compare at one port only."
        )
    return phrase(
        "The maker's figures are read at: {}; this log's pressure at: {}. Ports lie {:bare} to {} apart "
        "on many engines: "
        "the maker's points and window do not hold here before both are read at one port.",
        maker,
        place,
        in_kpa(70.0),
        in_kpa(140.0),
    )


def flow_words(f: FlowNeed | None, units: DisplayUnits) -> str:
    """What the clearances ask for, and what pressure over the floor costs; "" where the card does not say."""
    if f is None:
        return ""
    words = f"Clearances {f.clearance} on the card"
    if f.times > 1.0:
        words += (
            f": at one pressure they pass about {f.times:.1f} times the oil that production ones do (flow "
            "goes with the cube of the gap), so the 7 psi per 1000 rpm rule is not for them"
        )
    pump = f"{in_litres(f.pump_l_per_min).text(units)}/min" + (" (typical size)" if f.assumed else "")
    words += f". The pump gives {pump} at {f.rpm:.0f} rpm"
    if f.over_kpa is not None and f.kw is not None and f.over_kpa > 0:
        words += (
            f"; the {units.text(f.over_kpa, _P, difference=True)} over the floor cost {f.kw:.2f} kW and "
            "are neither virtue nor fault, "
            "unless they go over the maker's most"
        )
    return f"{words}."


def _was_driven(told: NormalFindings, m: FloorMet) -> bool | None:
    """Whether oil of that temperature was driven in the session; null where it is never met."""
    heat = told.analysis.expected.temperature_range_c
    return None if m.at_c is None or heat is None else heat[0] <= m.at_c <= heat[1]


def met_words(m: FloorMet, driven_c: tuple[float, float] | None, units: DisplayUnits, interval: bool = True) -> str:
    """Where normal meets the floor: temperature, its 90 % interval, and whether that lies where nothing was driven."""
    low, high = (temperature_words(v, units) for v in (m.low_c, m.high_c))
    words = temperature_words(m.at_c, units) + (f" ({low} to {high})" if interval else "")
    if m.at_c is None or driven_c is None or m.at_c >= HOTTEST_C:
        return words
    beyond = "colder" if m.at_c < driven_c[0] else "hotter" if m.at_c > driven_c[1] else ""
    return f"{words}, {beyond} than was driven" if beyond else words


def temperature_words(value_c: float | None, units: DisplayUnits) -> str:
    """An oil temperature up to which something holds."""
    if value_c is None:
        return "never"
    if value_c >= HOTTEST_C:
        return f"over {units.text(HOTTEST_C, Quantity.TEMPERATURE)}"
    return units.text(value_c, Quantity.TEMPERATURE)
