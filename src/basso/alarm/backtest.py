"""A rule proved on judged sessions: dips caught, how long before the lowest point, false alarms an hour."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from basso.alarm.rules import AlarmRule, showings
from basso.analysis import Analysis
from basso.analysis.result import JudgedDip
from basso.normal.settled import RUNNING_RPM
from basso.recording.spans import runs_of

SEVERE_SHARE, SEVERE_KPA, SEVERE_S = 0.50, 100.0, 0.3
"""Severe: under half of normal, or so far under the floor, for so long (the contract's)."""


@dataclass(frozen=True, slots=True)
class ProvedDip:
    """A dip against a rule.

    Attributes:
        drive: which of the sessions it is of.
        lead_s: from the showing to the lowest point; None where it was missed.
        line_kpa: where the line lies at its lowest point; None where no pressure is asked for there.
    """

    drive: int
    dip: JudgedDip
    is_severe: bool
    lead_s: float | None
    line_kpa: float | None

    @property
    def place(self) -> str | None:
        """As people name it."""
        return self.dip.place.label if self.dip.place is not None else None


@dataclass(frozen=True, slots=True)
class Proof:
    """What a rule does on sessions.

    Attributes:
        running_h: engine running; ``dips`` and of them ``severe``.
        caught, caught_severe: shown while the dip lasts.
        false: showings that overlap no dip; ``false_stopped``: of them, begun with the engine stopped.
        lead_s: median from showing to the lowest point of the caught; None where none is.
        shown_s: how long it shows in all.
        each: every dip.
    """

    running_h: float
    dips: int
    severe: int
    caught: int
    caught_severe: int
    false: int
    false_stopped: int
    lead_s: float | None
    shown_s: float
    each: tuple[ProvedDip, ...]

    @property
    def false_per_hour(self) -> float | None:
        """False alarms an hour of running; None where nothing ran."""
        return self.false / self.running_h if self.running_h > 0.0 else None

    @property
    def cries_per_hour(self) -> float | None:
        """The same without those with the engine stopped, when a lamp is to be lit."""
        return (self.false - self.false_stopped) / self.running_h if self.running_h > 0.0 else None


@dataclass(frozen=True, slots=True, eq=False)
class Drive:
    """A judged session with what every rule is proved on, worked out once.

    ``step_s``: its sample interval; ``severe``: of each of its dips.
    """

    analysis: Analysis
    step_s: float
    severe: tuple[bool, ...]


def drive_of(a: Analysis) -> Drive:
    """A session made ready to prove rules on."""
    step = float(np.median(np.diff(a.time_s)))
    with np.errstate(invalid="ignore"):
        deep = (a.share < SEVERE_SHARE) | (a.margin_kpa < -SEVERE_KPA)
    severe = tuple(
        any(
            (end - start) * step >= SEVERE_S - 1e-9
            for start, end in runs_of(deep[d.dip.first : max(d.dip.last, d.dip.first + 1)])
        )
        for d in a.dips
    )
    return Drive(a, step, severe)


def prove(rule: AlarmRule, drives: Sequence[Drive]) -> Proof:
    """Run a rule over judged sessions."""
    each: list[ProvedDip] = []
    false, stopped, shown_s, running_s = 0, 0, 0.0, 0.0
    for n, drive in enumerate(drives):
        a = drive.analysis
        line = rule.line_kpa(a.rpm)
        lit = showings(rule, a.time_s, a.rpm, a.pressure_kpa)
        spans = [(float(a.time_s[s]), float(a.time_s[e - 1]) + drive.step_s) for s, e in lit]
        shown_s += sum(end - start for start, end in spans)
        running_s += a.exposure.running_s
        dips = [(d.dip.start_s, d.dip.end_s) for d in a.dips]
        cries = [n for n, (s, e) in enumerate(spans) if not any(s < end and e > start for start, end in dips)]
        false += len(cries)
        stopped += sum(not a.rpm[lit[n][0]] > RUNNING_RPM for n in cries)
        for d, severe in zip(a.dips, drive.severe, strict=True):
            first = next((s for s, e in spans if s < d.dip.end_s and e > d.dip.start_s), None)
            lowest = float(a.time_s[d.dip.lowest])
            asked = a.rpm[d.dip.lowest] >= rule.gate_rpm
            each.append(
                ProvedDip(
                    drive=n,
                    dip=d,
                    is_severe=severe,
                    lead_s=lowest - first if first is not None else None,
                    line_kpa=float(line[d.dip.lowest]) if asked else None,
                )
            )
    leads = [x.lead_s for x in each if x.lead_s is not None]
    return Proof(
        running_h=running_s / 3600.0,
        dips=len(each),
        severe=sum(x.is_severe for x in each),
        caught=len(leads),
        caught_severe=sum(x.is_severe and x.lead_s is not None for x in each),
        false=false,
        false_stopped=stopped,
        lead_s=float(np.median(leads)) if leads else None,
        shown_s=shown_s,
        each=tuple(each),
    )
