"""The fields of the garage's records as people fill in and read them: words, units, choices; text to value and back."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import cache
from typing import Any

from basso.errors import InputError
from basso.fitting.places import place_names
from basso.fitting.threads import threads
from basso.garage import records as r
from basso.oil.grades import grades
from basso.plain_text import plain_lines
from basso.units import DisplayUnits, Quantity


@dataclass(frozen=True, slots=True)
class Field:
    """One field of a record.

    Attributes:
        name: in the record; ``label``: on screen.
        quantity: of a number that follows the units shown; ``unit``: the fixed unit of another number.
        choices: what may be chosen; ``free``: anything else may be written too.
        kind: "text", "day", "number", "whole", "flag", "list" (of texts), "points" (rpm and pressure), "pairs" (applied
            and read, kPa and as it reads, in whatever units are shown), "values", or what it
            names by its id: "engine" or "build".
        said: in a sentence, where the label alone would not do.
        needed: must not be empty.
        only: (name of another field, value) with which alone this one means something.
    """

    name: str
    label: str
    kind: str = "text"
    quantity: Quantity | None = None
    unit: str = ""
    choices: tuple[str, ...] = ()
    free: bool = False
    said: str = ""
    needed: bool = False
    only: tuple[str, str] | None = None

    @property
    def words(self) -> str:
        """What the field is called within a sentence."""
        return self.said or self.label[:1].lower() + self.label[1:]


@dataclass(frozen=True, slots=True)
class Names:
    """What engines and builds are called, by their ids; no two alike."""

    engine: Mapping[str, str] = field(default_factory=dict)
    build: Mapping[str, str] = field(default_factory=dict)

    def of(self, kind: str) -> Mapping[str, str]:
        """The names of one kind; none for a field that names nothing."""
        return {"engine": self.engine, "build": self.build}.get(kind, {})


NO_NAMES = Names()
_NOT_ON_THE_CARD = {
    "name",
    "since",
    "reason",
    "note",
    "title",
    "began",
    "build",
    "running_s",
    "hot_s",
    "distance_km",
    "laps",
    "peak_oil_c",
    "lamp_rpm",
    "oil_hours",
    "oil_km",
    "oil_events",
}


def on_the_card(kind: type[r.Record]) -> tuple[Field, ...]:
    """The fields that say what a session was driven on: those that are listed where two of them are compared."""
    return tuple(f for f in fields_of(kind) if f.name not in _NOT_ON_THE_CARD)


def _n(
    name: str,
    label: str,
    quantity: Quantity | None = None,
    unit: str = "",
    said: str = "",
    only: tuple[str, str] | None = None,
) -> Field:
    return Field(name, label, "number", quantity, unit, said=said, only=only)


_PRESSURE_ONLY, _TEMPERATURE_ONLY = ("measures", "pressure"), ("measures", "temperature")


_NAME, _DAY = Field("name", "Name", needed=True), Field("day", "Day", "day", needed=True)
_P, _T, _V, _MM = Quantity.PRESSURE, Quantity.TEMPERATURE, Quantity.VOLUME, Quantity.LENGTH


def fields_of(kind: type[r.Record]) -> tuple[Field, ...]:
    """The fields of a kind of record, in the order people ask for them."""
    return _forms()[kind]


@cache
def _forms() -> dict[type[r.Record], tuple[Field, ...]]:
    grade_names = tuple(grades())
    return {
        r.Car: (_NAME, Field("use", "Driven for", choices=r.USES), Field("note", "Note")),
        r.Engine: (
            _NAME,
            Field("since", "Card since", "day"),
            Field("reason", "What was done"),
            Field("clearance", "Clearances", choices=r.CLEARANCES),
            _n("main_mm", "Main clearance", _MM),
            _n("rod_mm", "Rod clearance", _MM),
            Field("cylinders", "Cylinders", "whole"),
            Field("main_bearings", "Main bearings", "whole"),
            Field("aspiration", "Aspiration"),
            _n("relief_kpa", "Relief opens", _P),
            _n("idle_rpm", "Idle", unit="rpm"),
            _n("redline_rpm", "Redline", unit="rpm"),
            _n("pump_cm3", "Oil pump", unit="cm³ a turn"),
            Field("maker_points", "Maker's figures", "points"),
            _n("window_low_kpa", "Maker's window, from", _P),
            _n("window_high_kpa", "to", _P, said="maker's window, to"),
            _n("window_rpm", "quoted at", unit="rpm", said="maker's window quoted at"),
            _n("window_c", "and", _T, said="maker's window quoted at oil of"),
            Field("maker_port", "Maker's figures read at", choices=("", *place_names()), free=True),
            Field("grades", "Grades the maker lists", "list"),
            _n("oil_target_c", "Oil temperature wanted", _T),
            _n("full_l", "Pan at the full mark", _V),
            _n("filter_l", "Filter holds", _V),
            _n("cooler_l", "Cooler holds", _V),
            _n("lines_l", "Lines hold", _V),
            _n("galleries_l", "Galleries hold", _V),
            _n("oil_hours", "Oil due after", unit="h"),
            _n("oil_km", "or", unit="km"),
            _n("oil_events", "or", unit="sessions"),
            Field("note", "Note"),
        ),
        r.Build: (
            _NAME,
            Field("since", "Since", "day", needed=True),
            Field("reason", "Why"),
            Field("engine", "Engine", "engine"),
            Field("pan", "Pan"),
            Field("pickup", "Pickup"),
            _n("pickup_gap_mm", "Pickup gap", _MM),
            Field("baffle", "Baffle"),
            Field("tray", "Windage tray"),
            Field("accumulator", "Accumulator"),
            _n("accumulator_l", "Accumulator volume", _V, said="accumulator stores"),
            Field("cooler", "Cooler"),
            Field("sensors", "Sensors"),
            Field("oil_grade", "Oil grade", choices=grade_names, free=True),
            _n("level_l", "Oil in the pan", _V),
            Field("tyres", "Tyres"),
            Field("map", "Engine map"),
            Field("parts", "Parts used", "list"),
            Field("note", "Note"),
        ),
        r.Session: (
            Field("title", "Title", needed=True),
            Field("began", "Began", "day", needed=True),
            Field("build", "Build", "build"),
            Field("kind", "Kind", choices=r.SESSION_KINDS),
            Field("circuit", "Circuit"),
            Field("weather", "Weather"),
            _n("air_c", "Air", _T),
            Field("fuel", "Fuel"),
            Field("tyres", "Tyres"),
            Field("driver", "Driver"),
            Field("accumulator", "Accumulator", choices=r.ACCUMULATOR_STATES, said="accumulator state"),
            Field("map", "Engine map, if another"),
            _n("running_s", "Running", unit="s"),
            _n("hot_s", "Oil over 100 °C", unit="s"),
            _n("distance_km", "Distance", unit="km"),
            Field("laps", "Laps", "whole"),
            _n("peak_oil_c", "Hottest oil", _T),
            _n("lamp_rpm", "Lamp out at, hot", unit="rpm"),
            Field("note", "Note"),
        ),
        r.OilEntry: (
            _DAY,
            Field("kind", "What", choices=r.OIL_KINDS),
            Field("grade", "Grade", choices=grade_names, free=True),
            Field("lot", "Oil and lot"),
            Field("family", "Approvals, family"),
            _n("volume_l", "Volume", _V),
            Field("filter_new", "New filter", "flag"),
            Field("note", "Note"),
        ),
        r.OilSample: (
            Field("day", "Drawn on", "day", needed=True),
            Field("bottle", "Bottle"),
            Field("values", "Values", "values"),
            Field("note", "Note"),
        ),
        r.LevelPoint: (
            Field("series", "Pan and stick", needed=True),
            _DAY,
            _n("pan_l", "Poured into the pan", _V),
            _n("depth_mm", "Reading", _MM),
            Field("mark", "At the mark", choices=("", "low", "full", "before the start", "after running"), free=True),
            Field("accumulator", "Accumulator", choices=r.ACCUMULATOR_STATES),
            Field("stance", "Stance and seat"),
            _n("wait_min", "Waited", unit="min"),
            Field("note", "Note"),
        ),
        r.Sensor: (
            _NAME,
            Field("since", "Since", "day"),
            Field("reason", "What was done"),
            Field("fitted", "On the car", "flag"),
            Field("measures", "Measures", choices=r.MEASURES),
            Field("place", "Where it sits", choices=place_names(), free=True),
            Field("channel", "Column of the log"),
            Field("reference", "Gauge or absolute", choices=r.REFERENCES, said="type", only=_PRESSURE_ONLY),
            _n("low_kpa", "Range, from", _P, only=_PRESSURE_ONLY),
            _n("high_kpa", "to", _P, said="range, to", only=_PRESSURE_ONLY),
            _n("low_c", "Range, from", _T, only=_TEMPERATURE_ONLY),
            _n("high_c", "to", _T, said="range, to", only=_TEMPERATURE_ONLY),
            _n("low_v", "Output, from", unit="V"),
            _n("high_v", "to", unit="V", said="output, to"),
            Field("thread", "Thread", choices=tuple(threads()), free=True),
            Field("mount", "Mounting", choices=r.MOUNTS, only=_PRESSURE_ONLY),
            _n("line_m", "Line, length", unit="m", only=_PRESSURE_ONLY),
            _n("bore_mm", "Line, bore", _MM, only=_PRESSURE_ONLY),
            Field("rises", "Line rises to the engine", "flag", only=_PRESSURE_ONLY),
            Field("lamp", "Warning lamp", choices=r.LAMPS, only=_PRESSURE_ONLY),
            _n("tee_turns", "Tee screwed in", unit="turns", only=_PRESSURE_ONLY),
            _n("belt_mm", "Clear of belts by", _MM),
            _n("supply_v", "Supply", unit="V"),
            Field("supply_pin", "Supply pin"),
            Field("fuse", "Fuse"),
            Field("signal_pin", "Signal pin"),
            Field("return_pin", "Return pin"),
            Field("return_with", "Return shared with"),
            _n("return_ma", "Current in the return", unit="mA"),
            _n("return_ohm", "Resistance of the return", unit="Ω"),
            Field("note", "Note"),
        ),
        r.Calibration: (
            _DAY,
            Field("against", "Reference", choices=("reference gauge", "dead weight", "pump with a gauge"), free=True),
            Field("reads", "It reads in", choices=("kPa", "V")),
            Field("points", "Applied and read", "pairs"),
            Field("note", "Note"),
        ),
        r.Normal: (Field("day", "Learned on", "day", needed=True), Field("reason", "Why"), Field("note", "Note")),
        r.Pan: (Field("day", "Measured on", "day", needed=True), Field("name", "Pan"), Field("note", "Note")),
        r.Alarm: (
            Field("day", "Set on", "day", needed=True),
            Field("name", "Set to"),
            _n("closes_kpa", "Switch closes at", _P, said="the switch closed at"),
            _n("opens_kpa", "Switch opens at", _P, said="the switch opened at"),
            Field("note", "Note"),
        ),
        r.Accumulator: (
            Field("day", "Fitted on", "day", needed=True),
            Field("name", "Accumulator"),
            Field("note", "Note"),
        ),
        r.FloorChoice: (
            Field("since", "Since", "day"),
            Field("reason", "Why", needed=True),
            Field("floors", "Judged by", "list"),
            Field("target", "Design target"),
            Field("act_now", "Act now"),
            Field("alarm", "Alarm"),
            Field("note", "Note"),
        ),
        r.OilSheet: (
            Field("name", "Grade or oil", choices=grade_names, free=True, needed=True),
            _n("v40", "At 40 °C", unit="mm²/s"),
            _n("v100", "At 100 °C", unit="mm²/s"),
            _n("ceiling_c", "Used up to", _T),
            Field("source", "Figures from"),
            Field("note", "Note"),
        ),
        r.Circuit: (Field("name", "Circuit", needed=True), Field("day", "Learned on", "day"), Field("note", "Note")),
        r.Ruling: (
            _DAY,
            Field("decision", "Decision", choices=r.RULINGS, needed=True),
            Field("limit", "Limit"),
            Field("reason", "Why", needed=True),
            Field("seen", "Shown then"),
        ),
        r.Attachment: (_DAY, Field("text", "Note")),
        r.Arrival: (_DAY, Field("source", "From")),
    }


def unit_words(field: Field, units: DisplayUnits) -> str:
    """The unit behind a field, in the units shown."""
    if field.kind == "points":
        return f"rpm = {units.pressure.symbol}"
    if field.kind == "pairs":
        return "kPa = read"
    if field.quantity is None:
        return field.unit
    return units.unit(field.quantity).symbol


def show(field: Field, value: Any, units: DisplayUnits, names: Names = NO_NAMES) -> str:
    """A value as text to edit; never rounded further than a person would write it."""
    if value is None or value == "":
        return ""
    if field.kind in ("engine", "build"):
        return names.of(field.kind).get(value, "")
    if field.kind == "flag":
        return "yes" if value else ""
    if field.kind == "list":
        return "; ".join(value)
    if field.kind == "points":
        return "; ".join(f"{rpm:g} = {_short(units.pressure.from_base(kpa))}" for rpm, kpa in value)
    if field.kind == "pairs":
        return "; ".join(f"{_short(applied)} = {_short(got)}" for applied, got in value)
    if field.kind == "values":
        return "; ".join(f"{k} {v:g}" for k, v in value.items())
    if field.kind in ("number", "whole"):
        return _short(value if field.quantity is None else units.unit(field.quantity).from_base(float(value)))
    return str(value)


def _short(value: float) -> str:
    return f"{value:.6g}"


def told(field: Field, value: Any, units: DisplayUnits, names: Names = NO_NAMES) -> str:
    """A value as text to read, with its unit; "" for what is not known."""
    text = show(field, value, units, names)
    if not text or field.kind not in ("number", "points"):
        return text
    if field.kind == "number" and field.quantity is not None:
        # What was converted has only the digits that were written down.
        text = f"{units.unit(field.quantity).from_base(float(value)):.4g}"
    unit = unit_words(field, units)
    return f"{text} ({unit})" if field.kind == "points" else f"{text} {unit}".rstrip()


def read(field: Field, text: str, units: DisplayUnits, names: Names = NO_NAMES) -> Any:
    """A value from what was written.

    Raises:
        InputError: it is no number, day or pair; the sentence says what is wanted.
    """
    text = plain_lines(text).strip()
    if field.kind in ("engine", "build"):
        known = {name: i for i, name in names.of(field.kind).items()}
        if text not in known and (text or field.kind == "build"):
            raise InputError(
                f"{field.label}: there is none called '{text}'; choose one of {', '.join(known) or 'none'}."
            )
        return known.get(text, "")
    if field.kind == "flag":
        return text.lower() in ("yes", "true", "1")
    if field.kind == "list":
        return tuple(p.strip() for p in text.split(";") if p.strip())
    if field.kind == "points":
        return tuple(_point(p, units) for p in text.split(";") if p.strip())
    if field.kind == "pairs":
        return tuple(_applied(p) for p in text.split(";") if p.strip())
    if field.kind == "values":
        return dict(_pair(p) for p in text.replace(",", ".").split(";") if p.strip())
    if field.kind in ("number", "whole"):
        if not text:
            return None
        number = _number(text, field.label)
        if field.kind == "whole":
            return int(number)
        return number if field.quantity is None else float(units.unit(field.quantity).to_base(number))
    if field.needed and not text:
        raise InputError(f"{field.label}: must not be empty.")
    return _day(text, field) if field.kind == "day" and text else text


def _number(text: str, label: str) -> float:
    try:
        number = float(text.replace(",", ".").replace("\u2009", "").replace("−", "-"))
    except ValueError:
        raise InputError(f"{label}: '{text}' is no number; write it like 12.5.") from None
    if not abs(number) < 1e9:
        raise InputError(f"{label}: {text} cannot be; write it like 12.5.")
    return number


def _day(text: str, field: Field) -> str:
    from datetime import datetime

    try:
        made = datetime.fromisoformat(text)
    except ValueError:
        raise InputError(f"{field.label}: '{text}' is no day; write it like 2026-05-12 or 2026-05-12 10:30.") from None
    return made.date().isoformat() if len(text) <= 10 else made.isoformat(timespec="seconds")


def _point(text: str, units: DisplayUnits) -> tuple[float, float]:
    rpm, sign, pressure = text.partition("=")
    if not sign:
        raise InputError(f"Maker's figures: '{text.strip()}' is no pair; write them like 2500 = 193; 6000 = 345.")
    return _number(rpm.strip(), "rpm"), float(units.pressure.to_base(_number(pressure.strip(), "pressure")))


def _applied(text: str) -> tuple[float, float]:
    applied, sign, got = text.partition("=")
    if not sign:
        raise InputError(f"Points: '{text.strip()}' is no pair; write them like 0 = 0.4; 400 = 401.5.")
    return _number(applied.strip(), "applied"), _number(got.strip(), "read")


def _pair(text: str) -> tuple[str, float]:
    name, _, value = text.strip().rpartition(" ")
    if not name:
        raise InputError(f"Values: '{text.strip()}' is no pair; write them like Fe 22; v100 13.1; fuel 0.6.")
    return name.strip(" ="), _number(value, name)


def changed(record: r.Record, field: Field, text: str, units: DisplayUnits, names: Names = NO_NAMES) -> r.Record:
    """The record with one field as written; the same record when the text is what it shows already."""
    if text.strip() == show(field, getattr(record, field.name), units, names):
        return record
    return replace(record, **{field.name: read(field, text, units, names)})
