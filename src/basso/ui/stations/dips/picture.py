"""What the Dips station says and draws, worked out without Qt."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

import numpy as np

from basso.fitting.places import GALLERY
from basso.trust.verdict import ZERO_STATES
from basso.units import DisplayUnits, FloatArray, Quantity

if TYPE_CHECKING:
    from basso.analysis import Analysis, JudgedDip

Q = Quantity
_CAUSE_WORDS = {
    "left_turn": "Left turn",
    "right_turn": "Right turn",
    "braking": "Braking",
    "acceleration": "Acceleration",
    "high_rpm": "High rpm",
    "hot_oil": "Hot thin oil",
    "low_everywhere": "Low everywhere",
    "sensor": "Sensor",
    "unknown": "Not known",
}
_CLAIMS = {
    "left_turn": "Left turns over {g:.2f} g bare the pickup",
    "right_turn": "Right turns over {g:.2f} g bare the pickup",
    "braking": "Braking over {g:.2f} g bares the pickup",
    "acceleration": "Acceleration over {g:.2f} g bares the pickup",
    "high_rpm": "The pressure sags at high rpm without g",
    "hot_oil": "The oil is so thin and hot that normal itself is down at the floor",
    "low_everywhere": "The pressure is low everywhere, not only in corners",
    "sensor": "The sensor, not the oil, makes these dips",
    "unknown": "The pressure falls below the floor, and the record does not say why",
}
_NEXT = {
    "left_turn": "Next: check the level, then try more oil against this run (Trial).",
    "right_turn": "Next: check the level, then try more oil against this run (Trial).",
    "braking": "Next: check the level and the pickup's place, then try more oil against this run (Trial).",
    "acceleration": "Next: check the level and the pickup's place, then try more oil against this run (Trial).",
    "high_rpm": "Next: look for froth: overfill, breather, windage tray; log the level after a run.",
    "hot_oil": "Next: more cooling, or a grade that holds the floor this hot; ask the engine builder.",
    "low_everywhere": "Next: do not run it. Reference gauge, oil level, relief valve, filter, then bearings.",
    "sensor": "Next: connector and wiring, then log again before judging anything.",
    "unknown": "Next: log both g axes and oil temperature, then look again.",
}


@dataclass(frozen=True, slots=True)
class Words:
    """A station's two opening lines."""

    title: str
    detail: str


def opening(a: Analysis, units: DisplayUnits) -> Words:
    """What matters in this session, first."""
    from basso.corners.pattern import lap_pattern
    from basso.report.session_words import by_cause, exposure_words, together_words, unknowns_words, when_words

    if not a.judgeable:
        missing = " ".join(c.message for c in a.checks if c.level == "fail")
        names = ", ".join(c.name for c in a.recording.channels)
        return Words("This log cannot be judged yet", f"{missing} Its columns are: {names}.")
    resting = " It rests on a zero that is only assumed." if a.zero_state == "assumed" else " The zero is wrong, and was left so." if a.zero_state == "left wrong" else ""  # fmt: skip
    over = _count(len(a.rounds), _round_word(a)) if a.rounds else f"{a.exposure.running_s / 60:.0f} min of running"
    if not a.dips:
        margin = a.margin_kpa[a.judged]
        margin = margin[np.isfinite(margin)]
        if margin.size == 0:
            return Words(
                "Nothing to judge in this session", "The engine never ran warm above the gate, so no floor applies."
            )
        least = units.text(float(margin.min()), Q.PRESSURE, difference=True, signed=True)
        return Words(
            "No dips: the pressure stayed above the floor",
            f"Least margin {least} in {over}.{resting} {unknowns_words(a, units)}",
        )
    name, group = by_cause(a.dips)[0]
    lead = [d.cause.held_g for d in group if d.cause.held_g is not None]
    title = _CLAIMS[name].format(g=float(np.percentile(lead, 10)) if lead else 0.0)
    helped = together_words(group)
    title = (
        title.replace(" bare the", f", with {helped}, bare the").replace(" bares the", f", with {helped}, bares the")
        if helped
        else title
    )
    when = when_words(*lap_pattern(a, group), units)
    title += (f", {when}" if when else _how_often(group, a) + _with_heat(group)) + "."
    lowest = min(a.dips, key=lambda d: d.dip.told_margin_kpa)
    severe = sum(d.severity == "severe" for d in a.dips)
    others = [f"{_CAUSE_WORDS[n].lower()} {len(g)}" for n, g in by_cause(a.dips)[1:3]]
    detail = (
        f"{_count(len(a.dips), 'dip')} in {over}"
        + (f", {severe} severe" if severe else "")
        + (f" ({_CAUSE_WORDS[name].lower()} {len(group)}, {', '.join(others)})" if others else "")
        + f"; deepest {_deepest_words(a, lowest, units)}; "
        f"{exposure_words(a, units)}.{resting} {_NEXT[name]}"
    )
    return Words(title, detail)


def _deepest_words(a: Analysis, lowest: JudgedDip, units: DisplayUnits) -> str:
    from basso.report.session_words import lowest_words

    dip = lowest.dip
    need = units.text(dip.min_pressure_kpa - dip.min_margin_kpa, Q.PRESSURE)
    if a.at_or_above:
        under = units.number(-dip.told_margin_kpa, Q.PRESSURE, difference=True)
        return f"{under} under the {need} needed, less what the sensor shakes by (≥ is a reading with it)"
    return f"{lowest_words(a, dip.min_pressure_kpa, units)} against {need} needed"


def _count(n: int, word: str) -> str:
    return f"{n} {word}" + ("" if n == 1 else "s")


def _how_often(group: list[JudgedDip], a: Analysis) -> str:
    """In how many of the complete laps; a dip that lasts over several counts in each."""
    laps, word = a.rounds, _round_word(a)
    with_it = sum(any(d.dip.start_s < lap.end_s and d.dip.end_s > lap.start_s for d in group) for lap in laps)
    if len(laps) < 2 or with_it == 0:
        return ""
    return f", every {word}" if with_it == len(laps) else f", in {with_it} of {len(laps)} {word}s"


def _round_word(a: Analysis) -> str:
    return "lap" if any(lap.complete for lap in a.laps) else "run"


def _with_heat(group: list[JudgedDip]) -> str:
    """ "; deeper as the oil warms" when the depth follows the temperature beyond doubt."""
    pairs = [
        (d.temperature_c, d.dip.min_share) for d in group if d.temperature_c is not None and d.dip.min_share is not None
    ]
    if len(pairs) < 8:
        return ""
    heat, share = np.array(pairs).T
    if np.ptp(heat) < 5.0 or np.std(share) < 0.01:
        return ""
    r = float(np.corrcoef(heat, share)[0, 1])
    return (
        "; deeper as the oil warms"
        if r < -0.5 and abs(r) * math.sqrt((len(pairs) - 2) / max(1 - r * r, 1e-9)) > 3
        else ""
    )


@dataclass(frozen=True, slots=True)
class DipRow:
    """One line of the dip list: texts to show and values to sort by."""

    number: int
    start_s: float
    cells: tuple[str, ...]
    keys: tuple[float | str, ...]
    severity: str
    reason: str


def columns(units: DisplayUnits) -> tuple[str, ...]:
    """Headings of the dip list, each with its unit."""
    p, t = units.pressure.symbol, units.temperature.symbol
    return ("Dip", "Lap, place", f"Lowest, {p}", f"Under floor, {p}", "Share, %", "Length, s", f"At rpm · {t}", "Cause")


def dip_rows(a: Analysis, units: DisplayUnits) -> list[DipRow]:
    """The dip list in the order of time."""
    from basso.report.session_words import lowest_words

    rows = []
    for i, d in enumerate(a.dips):
        dip = d.dip
        where = (
            ", ".join(
                x
                for x in (str(d.lap.number) if d.lap is not None else "", d.place.label if d.place is not None else "")
                if x
            )
            or "–"
        )
        heat = units.number(d.temperature_c, Q.TEMPERATURE) if d.temperature_c is not None else "–"
        cells = (
            str(i + 1),
            where,
            lowest_words(a, dip.min_pressure_kpa, units),
            units.number(dip.told_margin_kpa, Q.PRESSURE, difference=True, signed=True),
            f"{100 * dip.told_share:.0f}" if dip.told_share is not None else "–",
            f"{dip.duration_s:.1f}" if dip.duration_s >= 0.95 else f"{dip.duration_s:.2f}",
            f"{units.number(d.rpm, Q.ROTATION)} · {heat}",
            cause_words(d),
        )
        keys = (
            i,
            where,
            dip.min_pressure_kpa,
            dip.told_margin_kpa,
            dip.told_share if dip.told_share is not None else 9.0,
            dip.duration_s,
            d.rpm,
            cells[7],
        )
        rows.append(DipRow(i + 1, dip.start_s, cells, keys, d.severity, sentence(d)))
    return rows


def cause_words(d: JudgedDip) -> str:
    """The cause in a few words: "Left turn 1.18 g, 0.9 s after"."""
    words = _CAUSE_WORDS[d.cause.name]
    if d.cause.together_with:
        words += f" with {_CAUSE_WORDS[d.cause.together_with].lower()}"
    if d.cause.held_g is not None:
        words += f" {d.cause.held_g:.2f} g"
    if d.cause.lag_s is not None:
        words += f", {d.cause.lag_s:.1f} s after"
    return words if _sureness(d) >= 0.6 else words + " (not sure)"


def _sureness(d: JudgedDip) -> float:
    """Of what is told: where two directions are told together it is no longer asked which of them it was."""
    return max(d.cause.confidence, 0.7) if d.cause.together_with else d.cause.confidence


def sentence(d: JudgedDip) -> str:
    """Why, in a sentence, with how sure."""
    sure = "sure" if _sureness(d) >= 0.85 else "fairly sure" if _sureness(d) >= 0.6 else "not sure"
    return f"{_CAUSE_WORDS[d.cause.name]} ({sure}): {d.cause.reason}."


@dataclass(frozen=True, slots=True, eq=False)
class Line:
    """A drawn signal in display units; ``style`` tells what it is."""

    label: str
    values: FloatArray
    style: Literal["measured", "expected", "floor"]


@dataclass(frozen=True, slots=True, eq=False)
class Panel:
    """One strip of the traces: a title with its unit, its lines, its range and whether zero is drawn."""

    title: str
    unit: str
    lines: tuple[Line, ...]
    low: float
    high: float
    zero: bool
    weight: float
    spread: float = 0.0
    """Half width of the band around the expected line, display units."""
    note: str = ""
    doubtful: bool = False
    """What is said under the unit, and whether it is a doubt."""


def place_words(a: Analysis) -> str:
    """Where the pressure was taken, short: by the sensor's card, else the gallery that is taken for granted."""
    sensor = a.options.known.sensor if a.options.known is not None else None
    if sensor is None or not sensor.place or sensor.place == GALLERY:
        return "Gallery"
    return (
        sensor.place.replace("far end of the gallery", "gallery end")
        .replace("warning switch's port", "switch's port")
        .capitalize()
    )


def panels(a: Analysis, units: DisplayUnits) -> tuple[Panel, ...]:
    """The linked traces under one another."""
    pressure = units.pressure

    def shown(values: FloatArray) -> FloatArray:
        return pressure.from_base(values)

    measured, expected, floor = shown(a.pressure_kpa), shown(a.expected_kpa), shown(a.floor.kpa)
    running = a.rpm > 300.0
    floor = np.where(a.judged, floor, np.nan)
    expected = np.where(running, expected, np.nan)
    top = float(np.nanpercentile(measured, 99.9)) if np.isfinite(measured).any() else 1.0
    spread = 0.0
    if a.expected.valid:
        spread = pressure.difference_from_base(
            max(2.0 * a.expected.residual_kpa, 0.03 * float(np.nanmedian(a.pressure_kpa[running])))
        )
    made = [
        Panel(
            place_words(a),
            pressure.symbol,
            (Line("expected", expected, "expected"), Line("floor", floor, "floor"), Line("", measured, "measured")),
            0.0,
            1.1 * max(top, 1e-6),
            True,
            5.0,
            spread,
            f"zero {a.zero_state}",
            a.zero_state in ZERO_STATES[2:],
        )
    ]
    for title, values, hint in (("Sideways", a.lateral_g, "g, + left"), ("Fore–aft", a.longitudinal_g, "g, + forward")):
        if values is not None:
            reach = max(1.0, 1.08 * float(np.nanpercentile(np.abs(values), 99.9)))
            made.append(Panel(title, hint, (Line("", values, "measured"),), -reach, reach, True, 1.6))
    made.append(
        Panel(
            "Engine",
            "rpm",
            (Line("", a.rpm, "measured"),),
            0.0,
            1.05 * float(max(np.nanmax(a.rpm, initial=0.0), 1000.0)),
            False,
            1.4,
        )
    )
    if a.temperature_c is not None and np.isfinite(a.temperature_c).any():
        heat = units.temperature.from_base(a.temperature_c)
        low, high = float(np.nanmin(heat)), float(np.nanmax(heat))
        made.append(
            Panel(
                "Oil",
                units.temperature.symbol,
                (Line("", heat, "measured"),),
                low - 2.0,
                max(high, low + 5.0) + 2.0,
                False,
                1.0,
            )
        )
    return tuple(made)


@dataclass(frozen=True, slots=True)
class Reading:
    """One line of the readings at the cursor."""

    name: str
    value: str
    unit: str
    low: bool = False


def readings(a: Analysis, time_s: float, units: DisplayUnits) -> list[Reading]:
    """The numbers at the cursor, at the nearest sample of the pressure."""
    i = nearest(a.time_s, time_s)
    p, t = units.pressure.symbol, units.temperature.symbol
    margin = float(a.pressure_kpa[i] - a.floor.kpa[i]) if a.judged[i] else float("nan")
    expected, floor = float(a.expected_kpa[i]), float(a.floor.kpa[i]) if a.judged[i] else float("nan")
    share = float(a.pressure_kpa[i]) / expected if a.rpm[i] > 300.0 else float("nan")
    rows = [
        Reading("Pressure", units.number(float(a.pressure_kpa[i]), Q.PRESSURE), p),
        Reading("Expected", units.number(expected if a.rpm[i] > 300.0 else float("nan"), Q.PRESSURE), p),
        Reading("Floor", units.number(floor, Q.PRESSURE), p),
        Reading(
            "Share of normal",
            f"{100 * share:.0f}" if math.isfinite(share) else "–",
            "%",
            math.isfinite(share) and share < 0.7,
        ),
        Reading("Margin", units.number(margin, Q.PRESSURE, difference=True, signed=True), p, margin < 0),
        Reading("Engine", units.number(float(a.rpm[i]), Q.ROTATION), "rpm"),
    ]
    if a.temperature_c is not None:
        rows.append(Reading("Oil", units.number(float(a.temperature_c[i]), Q.TEMPERATURE), t))
    if a.lateral_g is not None:
        side = float(np.nan_to_num(a.lateral_g[i]))
        way = " left" if side > 0.05 else " right" if side < -0.05 else ""
        rows.append(Reading("Sideways", f"{abs(side):.2f}{way}", "g"))
    if a.longitudinal_g is not None:
        rows.append(
            Reading(
                "Fore–aft", units.number(float(np.nan_to_num(a.longitudinal_g[i])), Q.ACCELERATION, signed=True), "g"
            )
        )
    return rows


def nearest(time_s: FloatArray, at_s: float) -> int:
    """Index of the sample nearest to a time."""
    i = int(np.searchsorted(time_s, at_s))
    if i <= 0:
        return 0
    if i >= time_s.size:
        return time_s.size - 1
    return i if time_s[i] - at_s < at_s - time_s[i - 1] else i - 1
