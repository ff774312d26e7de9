"""What each column of a log is: role and unit, how sure that is, from what, and what speaks against it.

Names and units come first (:mod:`basso.recording.roles`), then the values: a unit that no engine can show is not
believed, and a needed role that no name claims goes to the one column whose unit and behaviour fit. Nothing is
guessed silently: every :class:`Recognition` says why.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from basso.recording.plausible import assume_unit, contradicts, doubt_about
from basso.recording.roles import OTHER_PRESSURES, QUANTITY_OF, Heading, Role, recognise, score
from basso.units import FloatArray, Quantity, Unit

_OTHER = re.compile(OTHER_PRESSURES)
_OTHER_ROTATIONS = re.compile(r"wheel|prop|turbo|limit|target|pump|gear|shaft|max|min|fan")
_BY_VALUES = 0.4


@dataclass(frozen=True, slots=True)
class Recognition:
    """What one column was taken for.

    Attributes:
        role: None when it means nothing to Basso.
        unit: the unit its values are read in, or None for a bare number.
        unit_assumed: the file did not say the unit, or said one that cannot be.
        confidence: 0 to 1; 1 when the user said so.
        why: in words, for the mapping panel.
        doubt: what speaks against it, one sentence, or "".
        note: one sentence for the import's notes, or "" when nothing was assumed.
    """

    role: Role | None
    unit: Unit | None
    unit_assumed: bool
    confidence: float
    why: str
    doubt: str = ""
    note: str = ""


def recognise_columns(
    headings: Sequence[Heading],
    times: Sequence[FloatArray],
    values: Sequence[FloatArray],
    forced_roles: Mapping[int, Role],
    forced_units: frozenset[int],
    barred: frozenset[int] = frozenset(),
) -> tuple[list[Recognition], list[str]]:
    """Recognise every column of a log.

    Args:
        headings: names and units as written; a forced unit already stands in its heading.
        times, values: per column, in the unit as logged.
        forced_roles: column index → role, set by the user.
        forced_units: columns whose unit the user set.
        barred: columns that mean nothing, said by the user.

    Returns:
        One recognition a column, and notes about needed roles that several columns might carry.
    """
    roles = recognise(headings, dict(forced_roles), barred)
    notes: list[str] = []
    turned = _g_by_values(headings, values, roles, forced_roles)
    for i, role in turned.items():
        roles[i] = role
    free = [i for i, r in enumerate(roles) if r is None and i not in barred]
    guessed = _from_values(headings, times, values, roles, free, notes)
    for i, role in guessed.items():
        roles[i] = role
    return [
        _one(heading, role, v, role is not None and i in forced_roles, i in forced_units, i in guessed, i in turned)
        for i, (heading, role, v) in enumerate(zip(headings, roles, values, strict=True))
    ], notes


def _one(
    heading: Heading,
    role: Role | None,
    values: FloatArray,
    role_forced: bool,
    unit_forced: bool,
    guessed: bool,
    turned: bool,
) -> Recognition:
    if role is None:
        return Recognition(None, heading.unit, False, 1.0 if heading.unit is not None else 0.0, "")
    name = heading.name
    unit, assumed, note = heading.unit, False, ""
    quantity = QUANTITY_OF[role]
    why = (
        "said by you"
        if role_forced
        else f"its unit and how it moves with rpm say {role.words}"
        if guessed
        else "its name"
    )
    confidence = 1.0 if role_forced else _BY_VALUES if guessed else score(heading, role)
    if quantity is not None and role is not Role.TIME:
        if unit is None or unit.quantity is not quantity:
            unit, assumed = assume_unit(role, values), True
            if quantity in (Quantity.PRESSURE, Quantity.TEMPERATURE, Quantity.ACCELERATION, Quantity.SPEED):
                note = f"'{name}' has no unit; its values were taken as {unit.symbol}."
                why += f"; {unit.symbol} from its values"
                confidence = min(confidence, 0.75)
        elif not unit_forced and not role_forced and (better := contradicts(role, unit, values)) is not None:
            note = f"'{name}' says {unit.symbol}, which no engine shows at these values; taken as {better.symbol}."
            why += f"; {better.symbol} from its values, not {unit.symbol}"
            unit, assumed, confidence = better, True, min(confidence, 0.6)
        elif not role_forced and not guessed:
            why += " and unit"
    doubt = "" if role_forced and unit_forced else doubt_about(role, unit, values)
    if doubt:
        confidence *= 0.5
        note = f"{note} '{name}' {doubt}.".strip()
    if turned:
        why += "; its values are a g and no place on Earth"
        confidence = 0.6
        note = f"'{name}' was taken as {role.words}, since its values are no place on Earth. {note}".strip()
    if guessed:
        note = f"'{name}' was taken as {role.words}: {why}; say so if that is wrong. {note}".strip()
    return Recognition(role, unit, assumed, confidence, why, doubt, note)


def _g_by_values(
    headings: Sequence[Heading], values: Sequence[FloatArray], roles: Sequence[Role | None], forced: Mapping[int, Role]
) -> dict[int, Role]:
    """Columns named like a latitude or longitude that swing about zero as a g does ("Lat", "Long")."""
    found: dict[int, Role] = {}
    for i, role in enumerate(roles):
        other = (
            {Role.LATITUDE: Role.LATERAL_G, Role.LONGITUDE: Role.LONGITUDINAL_G}.get(role) if role is not None else None
        )
        if other is None or other in roles or i in forced or headings[i].unit is not None:
            continue
        known = values[i][np.isfinite(values[i])]
        if known.size < 20:
            continue
        low, middle, high = (float(v) for v in np.percentile(known, (0.5, 50.0, 99.5)))
        # A drive spans far less than half a degree; braking and turning span more than that in g or m/s².
        if 0.5 < high - low < 80.0 and abs(middle) < 0.25 * (high - low) and low < 0 < high:
            found[i] = other
    return found


def _from_values(
    headings: Sequence[Heading],
    times: Sequence[FloatArray],
    values: Sequence[FloatArray],
    roles: Sequence[Role | None],
    free: Sequence[int],
    notes: list[str],
) -> dict[int, Role]:
    """Needed roles that no name claims: the one column whose unit and values fit, or a note when several do."""
    found: dict[int, Role] = {}
    if Role.RPM not in roles:
        turning = [i for i in free if turns(headings[i], values[i])]
        if len(turning) == 1:
            found[turning[0]] = Role.RPM
    if Role.OIL_PRESSURE not in roles:
        rpm = next((i for i, r in enumerate(roles) if r is Role.RPM), next(iter(found), None))
        if rpm is not None:
            fits = [
                i for i in free if i not in found and presses(headings[i], times[i], values[i], times[rpm], values[rpm])
            ]
            if len(fits) == 1:
                found[fits[0]] = Role.OIL_PRESSURE
            if not fits:
                fits = [
                    i
                    for i in free
                    if i not in found
                    and presses(_with_unit(headings[i], values[i]), times[i], values[i], times[rpm], values[rpm], 0.6)
                ]
            if fits and fits[0] not in found:
                names = " or ".join(f"'{headings[i].name}'" for i in fits[:4])
                notes.append(f"Oil pressure may be {names}; say which one it is.")
    return found


def turns(heading: Heading, values: FloatArray) -> bool:
    """A rotation in rpm that idles and revs as an engine does, and is not some other shaft by name."""
    if (
        heading.unit is None
        or heading.unit.quantity is not Quantity.ROTATION
        or _OTHER_ROTATIONS.search(" ".join(heading.words))
    ):
        return False
    known = values[np.isfinite(values)]
    return bool(known.size) and 1000.0 < float(np.percentile(heading.unit.to_base(known), 95)) < 20000.0


def presses(
    heading: Heading,
    time_s: FloatArray,
    values: FloatArray,
    rpm_time_s: FloatArray,
    rpm: FloatArray,
    least: float = 0.35,
) -> bool:
    """A pressure of an engine's size that rises with rpm, and is not some other pressure by name."""
    if heading.unit is None or heading.unit.quantity is not Quantity.PRESSURE or _OTHER.search(" ".join(heading.words)):
        return False
    every = max(1, values.size // 8000)
    at, base = time_s[::every], heading.unit.to_base(values[::every])
    turning = np.interp(at, rpm_time_s[np.isfinite(rpm)], rpm[np.isfinite(rpm)]) if np.isfinite(rpm).any() else at * 0
    usable = np.isfinite(base) & (turning > 500.0)
    if int(usable.sum()) < 20 or not 120.0 < float(np.percentile(base[usable], 95)) < 1300.0:
        return False
    ranks = [np.argsort(np.argsort(x)) for x in (base[usable], turning[usable])]
    return float(np.corrcoef(ranks[0], ranks[1])[0, 1]) > least


def _with_unit(heading: Heading, values: FloatArray) -> Heading:
    """A heading without a unit, as it would be if it were oil pressure; one with a unit as it is."""
    return heading if heading.unit is not None else replace(heading, unit=assume_unit(Role.OIL_PRESSURE, values))
