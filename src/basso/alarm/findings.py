"""A warning device on the session shown: what is proposed for each kind, what each catches, and the one that is set."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from basso.alarm.backtest import Proof, ProvedDip, prove
from basso.alarm.proposals import AlarmPlan, Proposed, blind_to, propose
from basso.alarm.rules import AlarmRule, Kind
from basso.alarm.settings import FACTORY_KPA, FIXED_DELAY_S, Basis, Curve, Setting, curve_of
from basso.analysis import Analysis
from basso.progress import Progress, silent


@dataclass(frozen=True, slots=True, eq=False)
class AlarmFindings:
    """What a session tells of warning devices.

    Attributes:
        plan: one proposal for each kind.
        curves: of each kind, what it catches for how many false alarms.
        factory, factory_held_out: what the usual factory lamp does.
    """

    analysis: Analysis
    plan: AlarmPlan
    curves: tuple[Curve, ...]
    factory: Proof
    factory_held_out: Proof | None

    @property
    def basis(self) -> Basis:
        """What every setting rests on."""
        return self.plan.basis

    @property
    def best(self) -> Proposed:
        """The proposal that is best."""
        return self.proposal(self.plan.best)

    def proposal(self, kind: Kind) -> Proposed:
        """The proposal of a kind."""
        return next(p for p in self.plan.proposed if p.rule.kind == kind)


def find_alarm(a: Analysis, held_out: Sequence[Analysis], progress: Progress = silent) -> AlarmFindings:
    """Propose devices by a session, and prove them on others of the same build.

    Raises:
        InputError: no alarm can be set by it.
    """
    plan = propose([a], held_out, lambda share, words: progress(0.6 * share, words))
    progress(0.6, "trying other settings")
    basis = plan.basis
    lamp = AlarmRule("fixed", 0.0, ((0.0, FACTORY_KPA),), FIXED_DELAY_S)
    return AlarmFindings(
        analysis=a,
        plan=plan,
        curves=tuple(curve_of(basis, p.setting) for p in plan.proposed),
        factory=prove(lamp, basis.drives),
        factory_held_out=prove(lamp, basis.held_out) if held_out else None,
    )


@dataclass(frozen=True, slots=True, eq=False)
class SetAlarm:
    """A device as somebody set it, with what it does.

    Attributes:
        moved: {rpm: kPa} of the points that were drawn elsewhere than the setting has them.
        proof: of what shows first (of two stages, what blinks); ``act``: of what stays on; None for one stage.
        held_out: ``proof`` on the sessions it was not set by; None without any.
        is_kept: the line was set by another log.
        held_by_floor: share of the line's points that the floor holds up, where normal sinks to it.
        blind_to: what it does not see, in words.
        idle_shown: share of hot idling at which it shows; None where none was logged.
    """

    setting: Setting
    moved: Mapping[float, float]
    rule: AlarmRule
    proof: Proof
    act: Proof | None
    held_out: Proof | None
    is_kept: bool
    held_by_floor: float
    blind_to: tuple[str, ...]
    idle_shown: float | None

    @property
    def missed(self) -> tuple[ProvedDip, ...]:
        """Dips at which it does not show."""
        return tuple(x for x in self.proof.each if x.lead_s is None)


def set_alarm(
    basis: Basis, setting: Setting, moved: Mapping[float, float] | None = None, kept: AlarmRule | None = None
) -> SetAlarm:
    """Set a device and prove it. ``kept``: its line as it was set by another log, to be proved as it is.

    Raises:
        InputError: normal is not known over its gate.
    """
    moved = dict(moved or {})
    rule = kept if kept is not None else _drawn(basis.rule(setting), moved)
    first = rule.first_shown
    proof = prove(first, basis.drives)
    return SetAlarm(
        setting=setting,
        moved={rpm: kpa for rpm, kpa in moved.items() if rpm in {x for x, _ in first.points}},
        rule=rule,
        proof=proof,
        act=prove(replace(rule, caution_points=None), basis.drives) if rule.caution_points is not None else None,
        held_out=prove(first, basis.held_out) if basis.held_out else None,
        is_kept=kept is not None,
        held_by_floor=basis.held_by_floor(setting) if kept is None else 0.0,
        blind_to=blind_to(basis, first, proof),
        idle_shown=basis.idle_shown(rule),
    )


def _drawn(rule: AlarmRule, moved: Mapping[float, float]) -> AlarmRule:
    points = tuple((rpm, moved.get(rpm, kpa)) for rpm, kpa in rule.first_shown.points)
    return replace(rule, points=points) if rule.caution_points is None else replace(rule, caution_points=points)
