"""What the Dips station says and draws, worked out without Qt."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Literal

import numpy as np

from basso.fitting.places import GALLERY
from basso.sentence import read_in
from basso.trust.verdict import ZERO_STATES
from basso.ui.plots.ticks import clock
from basso.units import DisplayUnits, FloatArray, Quantity
from basso.words.headline import CAUSE_NAMES

if TYPE_CHECKING:
    from basso.analysis import Analysis, JudgedDip
    from basso.findings.laid_under import LaidLap

Q = Quantity


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
    return ("Dip", "Lap, place", f"Lowest, {p}", f"Margin, {p}", "% of normal", "Length, s", f"At rpm · {t}", "Cause")


def dip_rows(a: Analysis, units: DisplayUnits) -> list[DipRow]:
    """The dip list in the order of time."""
    from basso.words.session import lowest_words

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
        rows.append(DipRow(i + 1, dip.start_s, cells, keys, d.severity, sentence(d, units)))
    return rows


@dataclass(frozen=True, slots=True)
class PlaceRow:
    """One place of the dip list: what its worst dip shows, in how many rounds it dips, and which dips those are.

    Attributes:
        dips: indices in the order of time; ``worst`` is one of them.
        passes: for each dip, the round it was on, in a word.
    """

    cells: tuple[str, ...]
    dips: tuple[int, ...]
    worst: int
    passes: Mapping[int, str]
    reason: str


def place_columns(a: Analysis | None, units: DisplayUnits) -> tuple[str, ...]:
    """Headings of the list by place."""
    word = "laps" if a is None or any(lap.complete for lap in a.laps) else "runs"
    return (f"Place, on how many {word}", *columns(units)[2:])


def place_rows(a: Analysis, dips: Sequence[DipRow]) -> list[PlaceRow]:
    """The dips by place, the place with the least margin first; ``dips``: their rows in the order of time."""
    groups: dict[str, list[int]] = {}
    for i, d in enumerate(a.dips):
        groups.setdefault(d.place.label if d.place is not None else "", []).append(i)
    rows = []
    for label, members in groups.items():
        worst = min(members, key=lambda i: a.dips[i].dip.told_margin_kpa)
        words = label[:1].upper() + label[1:] if label else "Elsewhere"
        rows.append(
            PlaceRow(
                cells=(f"{words}: {_in_rounds(a, members)}", *dips[worst].cells[2:]),
                dips=tuple(members),
                worst=worst,
                passes={i: _round_of(a, i) for i in members},
                reason=f"The worst of them: {dips[worst].reason}",
            )
        )
    return sorted(rows, key=lambda r: a.dips[r.worst].dip.told_margin_kpa)


def _in_rounds(a: Analysis, members: Sequence[int]) -> str:
    """In how many of the complete laps or runs; how many dips where there are none, or outside of them."""
    rounds = a.rounds
    hit = sum(any(a.dips[i].dip.start_s < r.end_s and a.dips[i].dip.end_s > r.start_s for i in members) for r in rounds)
    if len(rounds) < 2 or not hit:
        return f"{len(members)} dip{'' if len(members) == 1 else 's'}"
    return f"{hit} of {len(rounds)}"


def _round_of(a: Analysis, dip: int) -> str:
    lap = a.dips[dip].lap
    return f"{dip + 1}: lap {lap.number}" if lap is not None else f"{dip + 1}: at {clock(a.dips[dip].dip.start_s)}"


def cause_words(d: JudgedDip) -> str:
    """The cause in a few words: "Left turn 1.18 g, 0.9 s after"."""
    words = CAUSE_NAMES[d.cause.key]
    if d.cause.together_with:
        words += f" with {CAUSE_NAMES[d.cause.together_with].lower()}"
    if d.cause.held_g is not None:
        words += f" {d.cause.held_g:.2f} g"
    if d.cause.lag_s is not None:
        words += f", {d.cause.lag_s:.1f} s after"
    return words if _sureness(d) >= 0.6 or d.cause.name == "unknown" else words + " (not sure)"


def _sureness(d: JudgedDip) -> float:
    """Of what is told: where two directions are told together it is no longer asked which of them it was."""
    return max(d.cause.confidence, 0.7) if d.cause.together_with else d.cause.confidence


def sentence(d: JudgedDip, units: DisplayUnits) -> str:
    """Why, in a sentence, with how sure."""
    sure = "sure" if _sureness(d) >= 0.85 else "fairly sure" if _sureness(d) >= 0.6 else "not sure"
    known = "" if d.cause.name == "unknown" else f" ({sure})"
    return f"{CAUSE_NAMES[d.cause.key]}{known}: {read_in(d.cause.reason, units)}."


@dataclass(frozen=True, slots=True, eq=False)
class Line:
    """A drawn signal in display units; ``style`` tells what it is."""

    label: str
    values: FloatArray
    style: Literal["measured", "expected", "floor", "under"]


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


def panels(a: Analysis, units: DisplayUnits, under: LaidLap | None = None) -> Sequence[Panel]:
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
            title=place_words(a),
            unit=pressure.symbol,
            lines=(Line("normal", expected, "expected"), Line("floor", floor, "floor"), Line("", measured, "measured")),
            low=0.0,
            high=1.1 * max(top, 1e-6),
            zero=True,
            weight=5.0,
            spread=spread,
            note=f"zero {a.zero_state}",
            doubtful=a.zero_state in ZERO_STATES[2:],
        )
    ]
    for title, values, hint in (
        ("Lateral", a.lateral_g, f"g, + {a.side.way('left')}"),
        ("Longitudinal", a.longitudinal_g, "g, + forward"),
    ):
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
    return made if under is None else [_with_under(p, under, units, p is made[0]) for p in made]


def _with_under(panel: Panel, under: LaidLap, units: DisplayUnits, is_pressure: bool) -> Panel:
    """A panel with another lap's reading under its own, and room for it."""
    heat = under.temperature_c
    values = (
        units.pressure.from_base(under.pressure_kpa)
        if is_pressure
        else {
            "Lateral": under.lateral_g,
            "Longitudinal": under.longitudinal_g,
            "Engine": under.rpm,
            "Oil": None if heat is None else units.temperature.from_base(heat),
        }.get(panel.title)
    )
    if values is None or not np.isfinite(values).any():
        return panel
    low, high = min(panel.low, float(np.nanmin(values))), max(panel.high, 1.02 * float(np.nanmax(values)))
    return replace(panel, lines=(Line("", values, "under"), *panel.lines), low=low, high=high)
