"""What was predicted of a change beside what a trial then measured of it, kept with the change's job.

A prediction is written down when the change is planned, before anyone has driven it; what was measured is added once
and stays beside it. So a car has a record of how far its predictions can be trusted.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

from basso.car.history import CarHistory
from basso.garage.records import Job
from basso.plain_text import plain

_PREDICTED, _MEASURED = "predicted effect", "measured effect"
"""Keys of a job's entries that no step of a sheet has."""
_MOST_TEXT = 120


@dataclass(frozen=True, slots=True)
class LowestChange:
    """A change of the lowest pressure, kPa, with its band (predicted: 80 %; measured: the trial's 95 %)."""

    kpa: float
    low_kpa: float
    high_kpa: float


@dataclass(frozen=True, slots=True)
class Outcome:
    """What a trial said: the effect, its verdict's name, and which logs were on which side."""

    effect: LowestChange
    verdict: str
    logs_a: tuple[str, ...]
    logs_b: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class KeptPrediction:
    """A prediction that was kept: of which change, by which job, and what was measured, None so far."""

    job: Job
    what: str
    predicted: LowestChange
    measured: Outcome | None

    @property
    def held(self) -> bool | None:
        """Whether the measured effect may lie within the predicted band; None where nothing was measured, or what was
        measured is less sure than what was predicted and so proves nothing."""
        if self.measured is None:
            return None
        m, p = self.measured.effect, self.predicted
        if m.low_kpa > p.high_kpa or m.high_kpa < p.low_kpa:
            return False
        return True if m.high_kpa - m.low_kpa <= p.high_kpa - p.low_kpa else None


def with_prediction(job: Job, what: str, predicted: LowestChange) -> Job:
    """The job of a change, with what is predicted of it."""
    return replace(job, entries={**job.entries, _PREDICTED: {"what": what, **_plain(predicted)}})


def with_measured(job: Job, measured: Outcome) -> Job:
    """The same with what a trial measured."""
    entry = {
        **_plain(measured.effect),
        "verdict": measured.verdict,
        "logs_a": list(measured.logs_a),
        "logs_b": list(measured.logs_b),
    }
    return replace(job, entries={**job.entries, _MEASURED: entry})


def predictions_of(history: CarHistory) -> tuple[KeptPrediction, ...]:
    """Every prediction kept of a car, oldest first."""
    found = (_kept(job) for job in sorted(history.jobs, key=lambda j: j.opened))
    return tuple(k for k in found if k is not None)


def of_trial(
    kept: Sequence[KeptPrediction], logs_a: Sequence[str], logs_b: Sequence[str]
) -> tuple[KeptPrediction, ...]:
    """Those that were held against a trial of these logs, in whatever order."""
    sides = (set(logs_a), set(logs_b))
    return tuple(
        k for k in kept if k.measured is not None and (set(k.measured.logs_a), set(k.measured.logs_b)) == sides
    )


def _plain(e: LowestChange) -> dict[str, Any]:
    return {"kpa": round(e.kpa, 2), "low_kpa": round(e.low_kpa, 2), "high_kpa": round(e.high_kpa, 2)}


def _effect(row: Any) -> LowestChange:
    return LowestChange(float(row["kpa"]), float(row["low_kpa"]), float(row["high_kpa"]))


def _kept(job: Job) -> KeptPrediction | None:
    row, after = job.entries.get(_PREDICTED), job.entries.get(_MEASURED)
    try:
        predicted, what = _effect(row), plain(str(row["what"]), _MOST_TEXT)  # type: ignore[index]
        measured = (
            Outcome(_effect(after), str(after["verdict"]), tuple(after["logs_a"]), tuple(after["logs_b"]))
            if after is not None
            else None
        )
    except (KeyError, TypeError, ValueError):
        return None  # another car's bundle may hold anything there
    return KeptPrediction(job, what, predicted, measured)
