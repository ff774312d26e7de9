"""Job sheets: steps, measurements with limits, cautions beside the step, and when a sheet may be signed off."""

from __future__ import annotations

import tomllib
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from functools import cache
from importlib import resources
from typing import Any

from basso.garage.records import Job, OilEntry

PRIMING_STEP, HOLD_STEP = "prime", "hold"
"""Keys of two steps that can be worked out: seconds of cranking until pressure, from a log; pressure lost, from readings."""


@dataclass(frozen=True, slots=True)
class Step:
    """One step. ``measure``: what is entered, with its unit and limits; ``words``: something is written down."""

    key: str
    text: str
    caution: str = ""
    measure: str = ""
    unit: str = ""
    low: float | None = None
    high: float | None = None
    why: str = ""
    words: bool = False


@dataclass(frozen=True, slots=True)
class Sheet:
    """A kind of job."""

    key: str
    name: str
    steps: tuple[Step, ...]


@dataclass(frozen=True, slots=True)
class Entered:
    """What was entered at a step."""

    done: bool = False
    value: float | None = None
    words: str = ""
    reason: str = ""

    def as_plain(self) -> dict[str, Any]:
        """As it is kept."""
        return {"done": self.done, "value": self.value, "words": self.words, "reason": self.reason}


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
    text = resources.files("basso.garage").joinpath("job_sheets.toml").read_text(encoding="utf-8")
    return {
        s["key"]: Sheet(s["key"], s["name"], tuple(Step(**step) for step in s["steps"]))
        for s in tomllib.loads(text)["sheet"]
    }


def entered(entries: Mapping[str, Any], step: Step) -> Entered:
    """What was entered at a step; nothing yet where nothing (or nothing usable) was kept."""
    kept = entries.get(step.key)
    if not isinstance(kept, dict):
        return Entered()
    value = kept.get("value")
    return Entered(
        done=bool(kept.get("done")),
        value=float(value) if isinstance(value, int | float) and not isinstance(value, bool) else None,
        words=str(kept.get("words") or ""),
        reason=str(kept.get("reason") or ""),
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
    """What a signed-off oil change puts into the oil ledger: the drain and the fill, of the oil that was used last.

    Args:
        job: just signed off.
        before: the ledger so far; an entry of that day and kind is not doubled.
    """
    known = sorted(before, key=lambda e: e.day)
    if job.sheet != "oil-change" or not job.closed:
        return []
    day = job.closed[:10]
    last = next((e for e in reversed(known) if e.grade), None)
    made = []
    for kind, key in (("drain", "drain"), ("change", "fill")):
        kept = job.entries.get(key)
        value = kept.get("value") if isinstance(kept, dict) else None
        if isinstance(value, int | float) and not any(e.day[:10] == day and e.kind == kind for e in known):
            fill = kind == "change"
            made.append(
                OilEntry(
                    car=job.car, day=day, kind=kind, volume_l=float(value), filter_new=fill, grade=last.grade if fill and last else "",
                    lot=last.lot if fill and last else "", note="From the job sheet.",
                )
            )  # fmt: skip
    return made


def outside(step: Step, value: float) -> bool:
    """True for a measurement outside the step's limits."""
    return (step.low is not None and value < step.low) or (step.high is not None and value > step.high)


def state(sheet: Sheet, entries: Mapping[str, Any]) -> SheetState:
    """Where a job stands, and what keeps it from being signed off."""
    wrong = []
    done = 0
    for number, step in enumerate(sheet.steps, 1):
        e = entered(entries, step)
        done += e.done
        if not e.done:
            wrong.append(f"Step {number} is not done.")
        elif step.measure and e.value is None:
            wrong.append(f"Step {number}: {step.measure} was not measured.")
        elif step.measure and e.value is not None and outside(step, e.value) and not e.reason.strip():
            wrong.append(
                f"Step {number}: {step.measure} {e.value:g} {step.unit} is outside {limits(step)}; say why it may stay so."
            )
        elif step.words and not e.words.strip():
            wrong.append(f"Step {number}: nothing was written down.")
    return SheetState(done, len(sheet.steps), (*wrong, *_sums(sheet, entries)))


def _sums(sheet: Sheet, entries: Mapping[str, Any]) -> list[str]:
    """Measurements of one sheet that contradict each other: the pickup's gap by sums and by clay."""
    if sheet.key != "pickup-height":
        return []
    by_key = {s.key: (n, entered(entries, s)) for n, s in enumerate(sheet.steps, 1)}
    values = {k: e.value for k, (_, e) in by_key.items()}
    depth, length, gasket, clay = (values.get(k) for k in ("depth", "length", "gasket", "clay"))
    if depth is None or length is None or gasket is None or clay is None:
        return []
    gap = depth + gasket - length
    number, at = by_key["clay"]
    if abs(gap - clay) <= 1.0 or at.reason.strip():
        return []
    return [
        f"Step {number}: the clay says {clay:g} mm, depth, gasket and length make {gap:.1f} mm; measure again or say why."
    ]


def limits(step: Step) -> str:
    """A step's limits with their unit."""
    if step.low is not None and step.high is not None:
        return f"{step.low:g} to {step.high:g} {step.unit}"
    return f"{step.low:g} {step.unit} and more" if step.low is not None else f"{step.high:g} {step.unit} and less"
