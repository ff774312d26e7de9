"""Job sheets: steps, measurements with limits, cautions beside the step, and when a sheet may be signed off.

A job keeps the sheet it was begun on, so that what was asked and signed stays as it was when sheets change.
Numbers within the words of a sheet stand as ``{60 °C}``: they are read in the units that are shown.
"""

from __future__ import annotations

import re
import tomllib
from collections.abc import Iterable, Mapping
from dataclasses import asdict, dataclass, field, replace
from functools import cache
from importlib import resources
from typing import Any

from basso.car.build_line import holding
from basso.garage.fields import Field
from basso.garage.records import Build, Engine, Job, OilEntry
from basso.oil.life import needed
from basso.units import UNITS, DisplayUnits, Quantity

PRIMING_STEP, HOLD_STEP, NEW_STEP, START_STEP = "prime", "hold", "new", "start"
"""Keys of steps that can be filled in: seconds of cranking until pressure, from a log; pressure lost, from readings;
what was new, from the build line; the pressure 3 s after the start, from the same log as the cranking."""
_SHOWN_IN = (Quantity.PRESSURE, Quantity.TEMPERATURE, Quantity.VOLUME, Quantity.LENGTH)
_GRADE = re.compile(r"(?i)\b(\d+W-?\d+|SAE ?\d+)\b")
_STICK_OFF_L = 0.5
"""What stick and drain may differ by before it has to be explained (default)."""
_USUAL_CYLINDERS, _USUAL_MAINS = 4, 5


@dataclass(frozen=True, slots=True)
class Column:
    """What is written down of every row of a step. ``choices``: what is usual; ``good``: those that need no reason."""

    name: str
    choices: tuple[str, ...] = ()
    good: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class SheetStep:
    """One step.

    Attributes:
        measure: what is entered, with its unit and limits.
        words: something is written down; ``choices``: what is usual.
        rows, columns: something is written down of each of several parts; the first column of every row.
        row: what a row is of.
        never_below, never_above: limits of safety: beyond them it cannot be signed off, whatever the reason.
        optional: the measurement may be left empty, where it does not apply.
        hold: a hold point: nothing after it is done until somebody else has looked and put a name to it.
    """

    key: str
    text: str
    caution: str = ""
    measure: str = ""
    unit: str = ""
    low: float | None = None
    high: float | None = None
    why: str = ""
    words: bool = False
    choices: tuple[str, ...] = ()
    rows: tuple[str, ...] = ()
    row: str = "part"
    columns: tuple[Column, ...] = ()
    hold: bool = False
    never_below: float | None = None
    never_above: float | None = None
    optional: bool = False

    @property
    def field(self) -> Field:
        """How its measurement is read and shown."""
        unit = UNITS.get(self.unit)
        quantity = unit.quantity if unit is not None and unit.quantity in _SHOWN_IN else None
        return Field("value", self.measure, "number", quantity, self.unit)


@dataclass(frozen=True, slots=True)
class Sheet:
    """A kind of job."""

    key: str
    name: str
    steps: tuple[SheetStep, ...]

    def as_plain(self) -> dict[str, Any]:
        """As a job keeps it."""
        return asdict(self)


@dataclass(frozen=True, slots=True)
class Entered:
    """What was entered at a step. ``rows``: row → column → words."""

    done: bool = False
    value: float | None = None
    words: str = ""
    reason: str = ""
    rows: Mapping[str, Mapping[str, str]] = field(default_factory=dict)

    def as_plain(self) -> dict[str, Any]:
        """As it is kept."""
        plain: dict[str, Any] = {"done": self.done, "value": self.value, "words": self.words, "reason": self.reason}
        return {**plain, "rows": {k: dict(v) for k, v in self.rows.items()}} if self.rows else plain


@dataclass(frozen=True, slots=True)
class SheetState:
    """Where a job stands: ``open`` steps, and ``wrong``: why it cannot be signed off, a sentence each."""

    done: int
    of: int
    wrong: tuple[str, ...] = field(default=())

    @property
    def may_be_signed(self) -> bool:
        """Every step done, every measurement there and inside its limits or with a reason."""
        return not self.wrong


@cache
def sheets() -> Mapping[str, Sheet]:
    """The job sheets that ship, by key."""
    text = resources.files("basso.car").joinpath("job_sheets.toml").read_text(encoding="utf-8")
    return {s["key"]: _sheet(s) for s in tomllib.loads(text)["sheet"]}


def _sheet(plain: Mapping[str, Any]) -> Sheet:
    return Sheet(plain["key"], plain["name"], tuple(_step(s) for s in plain["steps"]))


def _step(plain: Mapping[str, Any]) -> SheetStep:
    columns = tuple(
        Column(c["name"], tuple(c.get("choices", ())), tuple(c.get("good", ()))) for c in plain.get("columns", ())
    )
    lists = {k: tuple(plain[k]) for k in ("choices", "rows") if k in plain}
    return SheetStep(**{**plain, **lists, "columns": columns})


def begun(key: str, engine: Engine | None = None, build: Build | None = None) -> dict[str, Any]:
    """The sheet that ships, as a job on this engine keeps it: a row for each of its bearings' shells, and the oil it
    takes."""
    sheet = sheets()[key]
    cylinders = (engine.cylinders if engine is not None else None) or _USUAL_CYLINDERS
    mains = (engine.main_bearings if engine is not None else None) or _USUAL_MAINS
    parts = {
        "main shells": [f"Main {i} {half}" for i in range(1, mains + 1) for half in ("upper", "lower")],
        "rod shells": [f"Rod {i} {half}" for i in range(1, cylinders + 1) for half in ("upper", "lower")],
    }
    steps = tuple(
        replace(s, rows=tuple(row for name in s.rows for row in parts.get(name, [name]))) for s in sheet.steps
    )
    if key == "oil-change":
        steps = tuple(
            replace(s, text=f"{s.text} {_volume_words(engine, build)}") if s.key == "fill" else s for s in steps
        )
    return replace(sheet, steps=steps).as_plain()


def _volume_words(engine: Engine | None, build: Build | None) -> str:
    """The volume of a change with filter, the accumulator vented, and what it is made of."""
    if engine is None or engine.full_l is None:
        return "Computed: not known, the engine's card does not say what the pan holds at the full mark."
    pour = needed(holding(engine, build), accumulator_empty=True)
    parts = ", ".join(f"{name} {{{round(litres, 2):g} L}}" for name, litres in pour.parts)
    unknown = f" Never measured: {', '.join(pour.unknown)}." if pour.unknown else ""
    return f"Computed: {{{round(pour.litres, 2):g} L}} ({parts}).{unknown}"


def sheet_of(job: Job) -> Sheet | None:
    """The sheet a job is worked through on; None when it is not known here.

    A signed job of before sheets were kept shows the steps that something was entered at, and no later ones.
    """
    if job.begun_on:
        try:
            return _sheet(job.begun_on)
        except (KeyError, TypeError, AttributeError):
            pass  # edited by hand into something else: the one that ships is the next best
    sheet = sheets().get(job.sheet)
    if sheet is not None and job.closed:
        return replace(sheet, steps=tuple(s for s in sheet.steps if s.key in job.entries))
    return sheet


def in_units(text: str, units: DisplayUnits) -> str:
    """The words of a sheet with their numbers in the units shown."""

    def shown(found: re.Match[str]) -> str:
        said = [_shown(float(number), found[2], units) for number in found[1].split(" to ")]
        return f"{' to '.join(number for number, _ in said)} {said[0][1]}"

    return re.sub(r"\{([\d.]+(?: to [\d.]+)?) ([^}]+)\}", shown, text)


def _shown(number: float, unit: str, units: DisplayUnits) -> tuple[str, str]:
    """A round number and its unit as they are read; converted, it keeps three digits."""
    known = UNITS.get(unit)
    of = units.unit(known.quantity) if known is not None and known.quantity in _SHOWN_IN else None
    if known is None or of is None or of == known:
        return f"{number:g}", unit
    return f"{of.from_base(known.to_base(number)):.3g}", of.symbol


def _told(number: float, unit: str, units: DisplayUnits) -> str:
    return " ".join(_shown(number, unit, units))


def entered(entries: Mapping[str, Any], step: SheetStep) -> Entered:
    """What was entered at a step; nothing yet where nothing (or nothing usable) was kept."""
    kept = entries.get(step.key)
    if not isinstance(kept, dict):
        return Entered()
    value, rows = kept.get("value"), kept.get("rows")
    return Entered(
        done=bool(kept.get("done")),
        value=float(value) if isinstance(value, int | float) and not isinstance(value, bool) else None,
        words=str(kept.get("words") or ""),
        reason=str(kept.get("reason") or ""),
        rows={
            str(row): {str(k): str(v) for k, v in cells.items()}
            for row, cells in rows.items()
            if isinstance(cells, dict)
        }
        if isinstance(rows, dict)
        else {},
    )


def earlier_primings(jobs: Iterable[Job], but: Job) -> list[float]:
    """Seconds of cranking until pressure in the car's other jobs of the same kind that were signed off."""
    found = []
    for job in jobs:
        kept = job.entries.get(PRIMING_STEP)
        value = kept.get("value") if isinstance(kept, dict) else None
        if job.closed and job.id != but.id and job.sheet == but.sheet and isinstance(value, int | float):
            found.append(float(value))
    return found


def ledger_of(job: Job, before: Iterable[OilEntry]) -> list[OilEntry]:
    """What a signed-off oil change puts into the oil ledger: the drain, and the fill with its top-up; the oil as it was
    written down.

    Args:
        job: just signed off.
        before: the ledger so far; an entry of that day and kind is not doubled.
    """
    known = sorted(before, key=lambda e: e.day)
    if job.sheet != "oil-change" or not job.closed:
        return []
    day = job.closed[:10]
    oil = job.entries.get("oil")
    can = str(oil.get("words") or "").strip() if isinstance(oil, dict) else ""
    grade = _GRADE.search(can)
    topped = job.entries.get("topup")
    more = topped.get("value") if isinstance(topped, dict) else None
    made = []
    for kind, key in (("drain", "drain"), ("change", "fill")):
        kept = job.entries.get(key)
        value = kept.get("value") if isinstance(kept, dict) else None
        if isinstance(value, int | float) and not any(e.day[:10] == day and e.kind == kind for e in known):
            fill = kind == "change"
            litres = float(value) + (float(more) if fill and isinstance(more, int | float) else 0.0)
            made.append(
                OilEntry(
                    car=job.car,
                    day=day,
                    kind=kind,
                    volume_l=round(litres, 3),
                    filter_new=fill,
                    grade=grade[0].upper() if fill and grade else "",
                    lot=can if fill else "",
                    note="From the job sheet.",
                )
            )
    return made


def outside(step: SheetStep, value: float) -> bool:
    """True for a measurement outside the step's limits."""
    return (step.low is not None and value < step.low) or (step.high is not None and value > step.high)


def unsafe(step: SheetStep, value: float) -> bool:
    """True for a measurement that may not stay so, whatever the reason."""
    return (step.never_below is not None and value < step.never_below) or (
        step.never_above is not None and value > step.never_above
    )


def not_good(step: SheetStep, got: Entered) -> list[str]:
    """What was found at a step's rows that may not stay so without a reason: "Rod 2 upper: copper showing"."""
    found = []
    for row in step.rows:
        for column in step.columns:
            said = got.rows.get(row, {}).get(column.name, "").strip()
            if column.good and said and said not in column.good:
                found.append(f"{row}: {said}")
    return found


def reasons_wanted(sheet: Sheet, entries: Mapping[str, Any]) -> set[str]:
    """Keys of the steps at which a reason is called for, given or not."""
    wanted = {key for key, _ in _contradictions(sheet, entries, DisplayUnits())}
    for step in sheet.steps:
        got = entered(entries, step)
        if not_good(step, got) or (
            step.measure and got.value is not None and outside(step, got.value) and not unsafe(step, got.value)
        ):
            wanted.add(step.key)
    return wanted


def state(sheet: Sheet, entries: Mapping[str, Any], units: DisplayUnits | None = None) -> SheetState:
    """Where a job stands, and what keeps it from being signed off."""
    units = units or DisplayUnits()
    wrong = []
    done = 0
    held = 0
    for number, step in enumerate(sheet.steps, 1):
        e = entered(entries, step)
        done += e.done
        if e.done and held:
            wrong.append(f"Step {number} is done before the hold point at step {held} was passed.")
        wrong += _wrong_at(number, step, e, units)
        if step.hold and not passed(step, e) and not held:
            held = number
    by_key = {s.key: (n, entered(entries, s)) for n, s in enumerate(sheet.steps, 1)}
    for key, words in _contradictions(sheet, entries, units):
        number, e = by_key[key]
        if not e.reason.strip():
            wrong.append(f"Step {number}: {words}")
    return SheetState(done, len(sheet.steps), tuple(wrong))


def passed(step: SheetStep, got: Entered) -> bool:
    """True for a hold point that somebody has put a name to, and for every step that is none."""
    return not step.hold or (got.done and bool(got.words.strip()))


def _wrong_at(number: int, step: SheetStep, e: Entered, units: DisplayUnits) -> list[str]:
    if not e.done:
        return [f"Step {number} is not done."]
    if step.measure and e.value is None and not step.optional:
        return [f"Step {number}: {step.measure} was not measured."]
    if step.measure and e.value is not None and unsafe(step, e.value):
        value = _told(e.value, step.unit, units)
        return [f"Step {number}: {step.measure} {value} is not safe, and no reason makes it so: {_safe(step, units)}."]
    if step.measure and e.value is not None and outside(step, e.value) and not e.reason.strip():
        value = _told(e.value, step.unit, units)
        return [f"Step {number}: {step.measure} {value} is outside {limits(step, units)}; say why it may stay so."]
    empty = [r for r in step.rows if step.columns and not e.rows.get(r, {}).get(step.columns[0].name, "").strip()]
    if empty:
        return [f"Step {number}: {step.columns[0].name} of {empty[0]} was not written down."]
    if (bad := not_good(step, e)) and not e.reason.strip():
        return [f"Step {number}: {bad[0]}; say why it may stay so."]
    if step.hold and not e.words.strip():
        return [f"Step {number}: who looked? It is a hold point."]
    if (step.words or step.choices) and not e.words.strip():
        return [f"Step {number}: nothing was written down."]
    return []


def _contradictions(sheet: Sheet, entries: Mapping[str, Any], units: DisplayUnits) -> list[tuple[str, str]]:
    """What a sheet says in two places that do not go together: (key of the step that owes a reason, what)."""
    got = {s.key: entered(entries, s) for s in sheet.steps}
    if sheet.key == "bearing-check" and "verdict" in got:
        bad = [x for s in sheet.steps for x in not_good(s, got[s.key])]
        if bad and got["verdict"].words.strip().lower().startswith("reassemble"):
            return [("verdict", f"reassemble, though {bad[0]}; say why, or investigate.")]
    if sheet.key == "oil-change":
        stick, drained = (got[k].value if k in got else None for k in ("stick", "drain"))
        if stick is not None and drained is not None and abs(stick - drained) > _STICK_OFF_L:
            said, came = (_told(x, "L", units) for x in (stick, drained))
            return [
                (
                    "drain",
                    f"the stick said {said}, {came} came out: stick, level book or what is left in the pan; say why.",
                )
            ]
    if sheet.key == "pickup-height":
        depth, length, gasket, clay = (
            got[k].value if k in got else None for k in ("depth", "length", "gasket", "clay")
        )
        if depth is None or length is None or gasket is None or clay is None:
            return []
        gap = depth + gasket - length
        if abs(gap - clay) > 1.0:
            by_clay, by_sums = (_told(x, "mm", units) for x in (clay, round(gap, 1)))
            words = f"the clay says {by_clay}, depth, gasket and length make {by_sums}; measure again or say why."
            return [("clay", words)]
    return []


def _safe(step: SheetStep, units: DisplayUnits) -> str:
    if step.never_above is not None:
        return f"never above {_told(step.never_above, step.unit, units)}"
    assert step.never_below is not None
    return f"never below {_told(step.never_below, step.unit, units)}"


def limits(step: SheetStep, units: DisplayUnits) -> str:
    """A step's limits with their unit."""
    low, high = (_shown(x, step.unit, units) if x is not None else None for x in (step.low, step.high))
    if low and high:
        return f"{low[0]} to {high[0]} {high[1]}"
    return f"{low[0]} {low[1]} and more" if low else f"{high[0]} {high[1]} and less" if high else ""
