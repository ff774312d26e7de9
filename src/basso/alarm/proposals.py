"""Settings proposed for each kind of device from a car's own normal and dips, at the worst credible oil temperature."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from basso.alarm.backtest import Proof, prove
from basso.alarm.rules import AlarmRule, Kind
from basso.alarm.settings import (
    FIXED_DELAY_S,
    MARGINS_KPA,
    NARROW_GATE_RPM,
    SHARES,
    STEP_RPM,
    Basis,
    Setting,
    basis_of,
    strangers,
)
from basso.analysis import Analysis
from basso.progress import Progress, silent
from basso.sentence import in_kpa, phrase

MOST_FALSE_PER_HOUR = 0.5
_NEARER_KPA = 8.0
"""A drive of the same car reads so much lower than the one the line was set by (tried on stand-in cars)."""
_FIXED_UNDER_KPA, _FIXED_BLIND_KPA = 10.0, 40.0
_PREFERRED: tuple[Kind, ...] = ("table", "two_stage", "share", "gated", "fixed")
"""Of equals the one that follows the engine most closely."""
_AS_MANY = 0.85
"""Of the most dips caught, what counts as as many."""


@dataclass(frozen=True, slots=True)
class Proposed:
    """A device as it would be set, and what it does on the logs it was set by and on others."""

    setting: Setting
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
        basis: what it was set by.
    """

    basis: Basis
    proposed: tuple[Proposed, ...]
    best: Kind
    trade_off: tuple[tuple[float, float | None, float], ...]
    at_c: float | None


def propose(analyses: Sequence[Analysis], held_out: Sequence[Analysis] = (), progress: Progress = silent) -> AlarmPlan:
    """Set every kind of device by judged sessions of one car.

    Raises:
        InputError: as :func:`basso.alarm.settings.basis_of`.
    """
    basis = basis_of(analyses, held_out)
    at_c, gate = basis.worst_c, NARROW_GATE_RPM
    progress(0.1, "trying margins")
    tables = [_tried(basis, Setting("table", margin, gate, at_c)) for margin in MARGINS_KPA]
    table = _chosen(tables)
    progress(0.4, "trying shares of normal")
    share = _chosen([_tried(basis, Setting("share", share, gate, at_c)) for share in SHARES])
    progress(0.6, "trying gates")
    gated = _gated(basis)
    proposed = []
    for setting in (_fixed(basis), gated, table, share, replace(table, kind="two_stage")):
        rule = basis.rule(setting)
        proof = prove(rule, basis.drives)
        other = prove(rule, basis.held_out) if held_out else None
        proposed.append(Proposed(setting, rule, proof, other, blind_to(basis, rule, proof)))
    return AlarmPlan(
        basis=basis,
        proposed=tuple(proposed),
        best=_best(proposed).rule.kind,
        trade_off=tuple(
            (
                t.setting.amount,
                t.proof.caught_severe / t.proof.severe if t.proof.severe else None,
                t.proof.false_per_hour or 0.0,
            )
            for t in tables
        ),
        at_c=at_c,
    )


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
    setting: Setting
    proof: Proof
    is_calm: bool


def _tried(basis: Basis, setting: Setting) -> _Tried:
    """Calm: cries seldom enough, and would with its line a little nearer to normal too, for another drive differs."""
    rule = basis.rule(setting)
    nearer = replace(rule, points=tuple((rpm, kpa + _NEARER_KPA) for rpm, kpa in rule.points))
    is_calm = (prove(nearer, basis.drives).false_per_hour or 0.0) <= MOST_FALSE_PER_HOUR
    return _Tried(setting, prove(rule, basis.drives), is_calm)


def _chosen(tried: Sequence[_Tried]) -> Setting:
    """The calm setting that catches most; of equals the middle: as far from a missed dip as from a false alarm."""
    worth = [(t.is_calm, _worth(t.proof)) for t in tried]
    equals = [t for t, w in zip(tried, worth, strict=True) if w == max(worth)]
    return equals[len(equals) // 2].setting


def _fixed(basis: Basis) -> Setting:
    """One pressure at every engine speed: a little under hot idle, or it cries at every stop."""
    idle = basis.idle_kpa
    kpa = float(np.percentile(idle, 5.0)) - _FIXED_UNDER_KPA if idle.size else _FIXED_BLIND_KPA
    return Setting("fixed", kpa, 0.0, basis.worst_c, FIXED_DELAY_S)


def _gated(basis: Basis) -> Setting:
    """One pressure above an engine speed: of gates and margins under normal there, what catches most."""
    fast = max(basis.top_rpm, NARROW_GATE_RPM + STEP_RPM)
    gates = np.arange(NARROW_GATE_RPM, fast, STEP_RPM)
    known = np.isfinite(basis.normal_kpa(gates, basis.worst_c))
    usual = Setting("gated", MARGINS_KPA[1], NARROW_GATE_RPM, basis.worst_c)
    settings = [replace(usual, amount=m, gate_rpm=g) for g in gates[known].tolist() for m in MARGINS_KPA[1::2]]
    return _chosen([_tried(basis, s) for s in settings or [usual]])


def blind_to(basis: Basis, rule: AlarmRule, proof: Proof) -> tuple[str, ...]:
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
            if basis.worst_c is not None
            else "oil hotter than in these logs, where it may cry: oil temperature was not logged"
        )
    words += [
        f"what {name} is: its normal is {abs(100.0 * ratio - 100.0):.0f} % {'over' if ratio > 1.0 else 'under'} the "
        "one this is set by; another engine, oil or sensor?"
        for name, ratio in strangers(basis)
    ]
    return (*words, *_zeros([d.analysis for d in basis.drives]))


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
