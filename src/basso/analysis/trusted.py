"""The readings of a recording: checked, and put right where that can be done and was not refused."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import cast

from basso.pressure.earlier import checks_of
from basso.pressure.options import JudgeOptions
from basso.progress import Progress, silent
from basso.recording.corrections import Correction, Kind, apply
from basso.recording.recording import Recording
from basso.recording.roles import Role
from basso.trust.axes import check_axes
from basso.trust.bounds import check_bounds
from basso.trust.clock import check_clocks, check_pressure_clock
from basso.trust.delay import check_delay
from basso.trust.doubt import check_doubts
from basso.trust.oil_way import check_circuit
from basso.trust.scale import check_scale
from basso.trust.side import SIDE_CHECK, by_word
from basso.trust.spikes import check_spikes
from basso.trust.steps import check_steps
from basso.trust.stuck import check_stuck
from basso.trust.supply import check_supply
from basso.trust.temperature import check_temperature
from basso.trust.update_rate import check_update_rate
from basso.trust.verdict import Check
from basso.trust.vibration import check_vibration
from basso.trust.zero import check_zero
from basso.units import base_unit


@dataclass(frozen=True, slots=True, eq=False, kw_only=True)
class Trusted:
    """What the checks say of a recording, what was corrected, and the recording with that put right.

    The steps after it add what they find: a check, a correction and what it makes of the recording.
    """

    recording: Recording
    checks: tuple[Check, ...]
    corrections: tuple[Correction, ...]
    corrected: Recording

    def with_checks(self, *checks: Check) -> Trusted:
        """The same with more that was found."""
        return replace(self, checks=(*self.checks, *checks))

    def in_place_of(self, check_id: str, check: Check) -> Trusted:
        """The same with a check in the place of the one of that id."""
        return replace(self, checks=tuple(check if c.id == check_id else c for c in self.checks))

    def put_right(self, corrections: Sequence[Correction]) -> Trusted:
        """The same with more corrections made."""
        return replace(
            self, corrections=(*self.corrections, *corrections), corrected=apply(self.corrected, list(corrections))
        )


def trusted(recording: Recording, options: JudgeOptions, progress: Progress = silent) -> Trusted:
    """Run the trust checks; corrections that were not refused are applied in order.

    ``progress``: hears what is being looked at, from 0 to 1.
    """
    checks: list[Check] = []
    for role, cost in ((Role.OIL_PRESSURE, "nothing can be judged"), (Role.RPM, "nothing can be judged")):
        if not recording.has(role):
            checks.append(Check(role, "fail", f"There is no {role.replace('_', ' ')} channel: {cost}."))
    if checks:
        return Trusted(recording=recording, checks=tuple(checks), corrections=(), corrected=recording)
    if not recording.has(Role.OIL_TEMP):
        checks.append(
            Check(
                "oil_temp",
                "warn",
                "There is no oil temperature: % of normal is by engine speed and calm running, and hot "
                "oil cannot be told from wear.",
            )
        )
    if not recording.has(Role.LATERAL_G) and not recording.has(Role.LONGITUDINAL_G):
        checks.append(
            Check(
                "g",
                "warn",
                "There is no g channel: the direction in which the oil was thrown is derived where it can be.",
            )
        )
    checks += check_doubts(recording)
    found, sound = _looked_at(recording, options, progress)
    own = _by_the_users_word(recording, found, options)
    if own:
        options = replace(options, refused=options.refused | {c.key for c in own})
        found, sound = _looked_at(apply(recording, own), options, progress)
    said = {(name, value) for name, kind, value in options.edited if kind == "sign"}
    found = [by_word(c) if c.id == SIDE_CHECK and c.level != "ok" and _said(c, said) else c for c in found]
    return Trusted(
        recording=recording, checks=(*checks, *found), corrections=(*own, *accepted(found, options)), corrected=sound
    )


def _said(check: Check, said: set[tuple[str, float]]) -> bool:
    """Whether somebody said which side the lateral g is positive to, and no path says otherwise."""
    return (check.correction is None or check.offered) and any(name == check.channel for name, _ in said)


def _looked_at(recording: Recording, options: JudgeOptions, progress: Progress) -> tuple[list[Check], Recording]:
    """What the checks find, and the recording with what they found put right."""
    # Each check sees the recording with what was found before it put right: clocks, then axes (bounds hold for g in its
    # true unit), then values that cannot be.
    found: list[Check] = []
    sound = recording
    for i, (what, look) in enumerate(_LOOKS):
        progress(i / len(_LOOKS), f"checking {what}")
        made = look(sound)
        found += made
        sound = apply(sound, accepted(made, options))
    if options.known is not None:
        made = checks_of(options.known, sound, found)
        found += made
        sound = apply(sound, accepted(made, options))
    return found, sound


_USERS_KINDS = ("offset", "sign", "delay")
"""What a user may correct where no check found anything; a scale of the pressure is offered by its own check."""


def _by_the_users_word(recording: Recording, found: Sequence[Check], options: JudgeOptions) -> list[Correction]:
    """Corrections that the user asks for and no check found: they are made before anything is looked at."""
    known = {c.correction.key for c in found if c.correction is not None}
    channels = {c.name: c for c in recording.channels}
    own = []
    for name, kind, value in sorted(options.edited):
        channel = channels.get(name)
        if kind not in _USERS_KINDS or (name, kind) in known or channel is None or (kind == "sign" and value > 0):
            continue
        base = base_unit(channel.unit.quantity).symbol if channel.unit is not None else ""
        unit = {"offset": base, "delay": "s"}.get(kind, "")
        own.append(Correction(name, cast(Kind, kind), value, unit, "you said so; no check calls for it"))
    return own


def _impossible_readings(recording: Recording) -> list[Check]:
    """Looked for before anything is measured on the pressure: a line that stands still answers nothing."""
    found = check_spikes(recording)
    return [] if found is None else [found]


def _pressure_checks(recording: Recording) -> list[Check]:
    """What is looked at on the pressure itself."""
    looks = (check_zero, check_delay, check_update_rate, check_scale, check_steps, check_vibration, check_supply)
    return [c for look in looks if (c := look(recording)) is not None]


_LOOKS: tuple[tuple[str, Callable[[Recording], list[Check]]], ...] = (
    ("the clocks", check_clocks),
    ("for readings that stand still", check_stuck),
    ("the g sensors", check_axes),
    ("for impossible readings", check_bounds),
    ("the oil temperature", check_temperature),
    ("the oil circuit", check_circuit),
    ("for impossible pressures", _impossible_readings),
    ("the pressure's clock", check_pressure_clock),
    ("the pressure", _pressure_checks),
)


def accepted(checks: Sequence[Check], options: JudgeOptions) -> list[Correction]:
    """The corrections that the user did not refuse, by the amounts the user knows better where there are any.

    One that is only offered is made where the user gave its amount.
    """
    made = {(channel, kind): value for channel, kind, value in options.edited}
    found = [
        check.correction
        for check in checks
        if check.correction is not None
        and check.correction.key not in options.refused
        and (not check.offered or check.correction.key in made)
    ]
    put_right = [replace(c, value=made[c.key]) if c.key in made else c for c in found]
    # A sign that was said to be right as it is needs nothing done.
    return [c for c in put_right if not (c.kind == "sign" and c.value > 0)]
