"""Settings proposed for each kind of device from a car's own normal and dips, at the worst credible oil temperature."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from basso.alarm.backtest import Drive, Proof, drive_of, prove
from basso.alarm.rules import AlarmRule, Kind
from basso.analysis import Analysis
from basso.errors import InputError
from basso.pressure.floors import highest_floor
from basso.progress import Progress, silent
from basso.sentence import in_celsius, in_kpa, phrase
from basso.units import FloatArray

MARGINS_KPA = (10.0, 15.0, 20.0, 25.0, 30.0, 40.0, 50.0, 60.0, 80.0, 100.0, 120.0)
MOST_FALSE_PER_HOUR = 0.5
_NEARER_KPA = 8.0
"""A drive of the same car reads so much lower than the one the line was set by (tried on stand-in cars)."""
_HOTTER_C = 3.0
"""Worst credible oil: so much hotter than was logged (default)."""
_LEAST_HOT_C = 80.0
_NARROW_GATE_RPM, _STEP_RPM = 3000.0, 500.0
_MOST_UNDER_FLOOR_KPA = 50.0
"""Oil so hot that normal itself sinks below the floor is a reason to come in, and a line under normal never says so."""
_FIXED_UNDER_KPA, _IDLE_RPM = 10.0, (500.0, 1300.0)
_SHARES, _ACT_SHARE = (0.95, 0.92, 0.9, 0.87, 0.85, 0.8, 0.75, 0.7, 0.65, 0.6), 0.60
_LEAST_KPA = 20.0
_PREFERRED: tuple[Kind, ...] = ("table", "two_stage", "share", "gated", "fixed")
"""Of equals the one that follows the engine most closely."""
_AS_MANY = 0.85
"""Of the most dips caught, what counts as as many."""


@dataclass(frozen=True, slots=True)
class Proposed:
    """A device as it would be set, and what it does on the logs it was set by and on others."""

    rule: AlarmRule
    proof: Proof
    held_out: Proof | None
    blind_to: tuple[str, ...]


@dataclass(frozen=True, slots=True, eq=False)
class AlarmPlan:
    """One proposal for each kind.

    Attributes:
        best: of the kinds that cry seldom and catch most severe dips, the one that follows the engine most closely.
        trade_off: (margin under normal, share of severe dips caught or None without any, false alarms an hour) of the
            table by engine speed.
        at_c: oil temperature it is set for; None where that is not logged.
    """

    proposed: tuple[Proposed, ...]
    best: Kind
    trade_off: tuple[tuple[float, float | None, float], ...]
    at_c: float | None


def propose(analyses: Sequence[Analysis], held_out: Sequence[Analysis] = (), progress: Progress = silent) -> AlarmPlan:
    """Set every kind of device by judged sessions of one car.

    Raises:
        InputError: a check failed that nothing rights, or the logs do not cover what an alarm is set for: fast with
            warm oil.
    """
    for a in (*analyses, *held_out):
        if a.barred_by is not None:
            raise InputError(
                phrase("{}: no alarm is set or proved by it: {}", a.recording.path.name, a.barred_by.message)
            )
        if a.zero_state == "wrong":
            raise InputError(
                f"{a.recording.path.name}: the oil pressure's zero is off and not put right; no alarm is set by it. "
                "Take its correction first."
            )
    name = analyses[0].recording.path.name
    model = next((a.expected for a in analyses if a.expected.valid), None)
    if model is None:
        raise InputError(
            f"{name}: normal pressure could not be learned, and an alarm is set by it; log a longer drive."
        )
    hot = [
        float(np.nanmax(a.temperature_c))
        for a in analyses
        if a.temperature_c is not None and np.isfinite(a.temperature_c).any()
    ]
    if hot and max(hot) < _LEAST_HOT_C:
        raise InputError(
            phrase(
                "{}: the oil never got hotter than {}; an alarm set by a cool drive cries on a hot one. Log a drive at "
                "racing temperature.",
                name,
                in_celsius(max(hot)),
            )
        )
    at_c = max(hot) + _HOTTER_C if hot else None
    top = max((float(np.nanpercentile(a.rpm[a.judged], 99.5)) for a in analyses if a.judged.any()), default=0.0)
    speeds = np.arange(_NARROW_GATE_RPM, max(top, _NARROW_GATE_RPM + _STEP_RPM) + _STEP_RPM, _STEP_RPM)
    normal = model.at(speeds, np.full(speeds.shape, at_c) if at_c is not None else None)
    known = np.isfinite(normal)
    if not known.any():
        raise InputError(f"{name}: normal pressure over {_NARROW_GATE_RPM:.0f} rpm is not known; log a faster drive.")
    speeds, normal = speeds[known], normal[known]
    drives = [drive_of(a) for a in analyses]
    others = [drive_of(a) for a in held_out]
    floor = highest_floor(analyses[0].floor.floors, speeds, normal).kpa
    tried: list[_Tried] = []
    for n, margin in enumerate(MARGINS_KPA):
        progress(n / len(MARGINS_KPA), "trying margins")
        line = np.fmax(normal - margin, floor - min(margin / 2.0, _MOST_UNDER_FLOOR_KPA))
        tried.append(_tried(AlarmRule("table", _NARROW_GATE_RPM, _points(speeds, line)), drives))
    table = _chosen(tried)
    margin = next(m for m, t in zip(MARGINS_KPA, tried, strict=True) if t.rule is table)
    rules = [
        _fixed(analyses),
        _gated(drives, speeds, normal),
        table,
        _chosen([_tried(AlarmRule("share", _NARROW_GATE_RPM, _points(speeds, s * normal)), drives) for s in _SHARES]),
        AlarmRule(
            "two_stage",
            _NARROW_GATE_RPM,
            _points(speeds, np.minimum(_ACT_SHARE * normal, normal - margin)),
            caution_points=table.points,
        ),
    ]
    zeros = _zeros(analyses)
    proposed = []
    for rule in rules:
        proof = prove(rule, drives)
        other = prove(rule, others) if others else None
        proposed.append(Proposed(rule, proof, other, (*_blind_to(rule, proof, at_c), *zeros)))
    best = _best(proposed).rule.kind
    return AlarmPlan(
        proposed=tuple(proposed),
        best=best,
        trade_off=tuple(
            (m, t.proof.caught_severe / t.proof.severe if t.proof.severe else None, t.proof.false_per_hour or 0.0)
            for m, t in zip(MARGINS_KPA, tried, strict=True)
        ),
        at_c=at_c,
    )


def _points(speeds: FloatArray, kpa: FloatArray) -> tuple[tuple[float, float], ...]:
    return tuple((float(n), round(float(max(p, _LEAST_KPA)), 1)) for n, p in zip(speeds, kpa, strict=True))


def _best(proposed: Sequence[Proposed]) -> Proposed:
    """The preferred of the kinds that cry seldom and miss fewest severe dips; a shallow dip or two more is chance."""
    calm = [p for p in proposed if (p.proof.false_per_hour or 0.0) <= MOST_FALSE_PER_HOUR] or list(proposed)
    severe = max(p.proof.caught_severe for p in calm)
    sharpest = [p for p in calm if p.proof.caught_severe == severe]
    caught = max(p.proof.caught for p in sharpest)
    near = [p for p in sharpest if p.proof.caught >= _AS_MANY * caught]
    return min(near, key=lambda p: _PREFERRED.index(p.rule.kind))


def _worth(p: Proof) -> tuple[bool, float, float, float]:
    false = p.false_per_hour or 0.0
    return (
        false <= MOST_FALSE_PER_HOUR,
        p.caught_severe / p.severe if p.severe else 1.0,
        p.caught / p.dips if p.dips else 1.0,
        -false,
    )


@dataclass(frozen=True, slots=True)
class _Tried:
    rule: AlarmRule
    proof: Proof
    is_calm: bool


def _tried(rule: AlarmRule, drives: Sequence[Drive]) -> _Tried:
    """Calm: cries seldom enough, and would with its line a little nearer to normal too, for another drive differs."""
    nearer = replace(rule, points=tuple((rpm, kpa + _NEARER_KPA) for rpm, kpa in rule.points))
    return _Tried(rule, prove(rule, drives), (prove(nearer, drives).false_per_hour or 0.0) <= MOST_FALSE_PER_HOUR)


def _chosen(tried: Sequence[_Tried]) -> AlarmRule:
    """The calm setting that catches most; of equals the middle: as far from a missed dip as from a false alarm."""
    worth = [(t.is_calm, _worth(t.proof)) for t in tried]
    equals = [t for t, w in zip(tried, worth, strict=True) if w == max(worth)]
    return equals[len(equals) // 2].rule


def _fixed(analyses: Sequence[Analysis]) -> AlarmRule:
    """One pressure at every engine speed: a little under hot idle, or it cries at every stop."""
    idle: list[FloatArray] = []
    for a in analyses:
        hot = np.ones(a.rpm.shape, dtype=np.bool_)
        if a.temperature_c is not None:
            hot = np.nan_to_num(a.temperature_c) >= np.nanmax(a.temperature_c) - 15.0
        at_idle = hot & (a.rpm >= _IDLE_RPM[0]) & (a.rpm <= _IDLE_RPM[1]) & np.isfinite(a.pressure_kpa)
        idle.append(a.pressure_kpa[at_idle])
    every = np.concatenate(idle) if idle else np.empty(0)
    kpa = float(np.percentile(every, 5.0)) - _FIXED_UNDER_KPA if every.size else 40.0
    return AlarmRule("fixed", 0.0, ((0.0, round(max(kpa, _LEAST_KPA), 1)),), delay_s=0.5)


def _gated(drives: Sequence[Drive], speeds: FloatArray, normal: FloatArray) -> AlarmRule:
    """One pressure above an engine speed: of gates and margins under normal there, what catches most."""
    tried: list[_Tried] = []
    for gate, at_gate in zip(speeds[:-1].tolist(), normal[:-1].tolist(), strict=True):
        for margin in MARGINS_KPA[1::2]:
            rule = AlarmRule("gated", gate, ((gate, round(max(at_gate - margin, _LEAST_KPA), 1)),))
            tried.append(_tried(rule, drives))
    return _chosen(tried)


def _blind_to(rule: AlarmRule, proof: Proof, at_c: float | None) -> tuple[str, ...]:
    """What a device does not see on this car's own logs, in words."""
    words = []
    if proof.severe == 0:
        words.append(f"what these logs do not hold: {'a severe dip' if proof.dips else 'any dip'}")
    missed = [x for x in proof.each if x.lead_s is None]
    if missed:
        places = list(dict.fromkeys(x.place for x in missed if x.place is not None))
        severe = sum(x.is_severe for x in missed)
        where = f" in {', '.join(places[:4])}{' and more' if len(places) > 4 else ''}" if places else ""
        words.append(f"{len(missed)} of {proof.dips} dips{where}, {severe or 'none'} of them severe")
    if rule.gate_rpm > 0.0:
        words.append(f"everything under {rule.gate_rpm:.0f} rpm")
    else:
        words.append("every dip that stays over this pressure, at any engine speed")
    if rule.kind != "fixed":
        words.append(
            "shallow dips with cooler oil: the line is set for the hottest"
            if at_c is not None
            else "oil hotter than in these logs, where it may cry: oil temperature was not logged"
        )
    return tuple(words)


def _zeros(analyses: Sequence[Analysis]) -> list[str]:
    """What the pressure's zero means for a device set by these logs."""
    words: list[str] = []
    for a in analyses:
        if a.zero is not None:
            words.append(
                phrase(
                    "the sensor's zero: {} was taken into these pressures ({}); a device on the bare sensor needs "
                    "them without it",
                    in_kpa(a.zero.value, 1, signed=True),
                    a.recording.path.name,
                )
            )
        elif a.zero_state == "assumed":
            words.append(
                f"a zero that is off: {a.recording.path.name} never shows the pressure with the engine stopped"
            )
    return words
