"""What the Recordings station shows, worked out without Qt: the log list's words, the columns and their previews."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING

import numpy as np

from basso.formats.options import ReadOptions
from basso.recording.facts import fact
from basso.recording.needs import Cost, costs
from basso.recording.plausible import PLAUSIBLE
from basso.recording.roles import QUANTITY_OF, Role, clash
from basso.units import UNITS, FloatArray, Quantity, Unit

if TYPE_CHECKING:
    from basso.recording.channel import Channel
    from basso.recording.recording import Recording
    from basso.recording.summary import Summary

ROLES: tuple[Role, ...] = tuple(r for r in Role if r is not Role.TIME)
"""What a column can be, in the order of the list."""
_MAIN = (Role.OIL_PRESSURE, Role.RPM, Role.OIL_TEMP, Role.LATERAL_G, Role.LONGITUDINAL_G, Role.SPEED, Role.LAP)
_PREVIEW_COLUMNS = 150


@dataclass(frozen=True, slots=True)
class LogLine:
    """One log as the list shows it; ``mark`` is "", "attention" or "below"."""

    title: str
    date: str
    car: str
    length: str
    laps: str
    channels: str
    finding: str
    mark: str


def log_line(
    title: str,
    car: str,
    circuit: str,
    day: str,
    stage: str,
    fraction: float,
    megabytes_s: float,
    summary: Summary | None,
    laps: int,
    words: str,
) -> LogLine:
    """The words of a row: while it waits, while it is read, and once it is known or refused."""
    if stage == "refused":
        return LogLine(title=title, date="", car="", length="", laps="", channels="", finding=words, mark="below")
    if summary is None:
        pace = f", {megabytes_s:.0f} MB/s" if megabytes_s >= 1 else ""
        finding = {"waiting": "waiting", "cancelled": "not read; press Enter to read it"}.get(
            stage, f"reading, {fraction:.0%}{pace}"
        )
        return LogLine(
            title=title,
            date="",
            car=" · ".join(x for x in (car, circuit) if x),
            length="",
            laps="",
            channels="",
            finding=finding,
            mark="",
        )
    who = " · ".join(x for x in (car or fact(summary.facts, "car"), circuit or fact(summary.facts, "circuit")) if x)
    missing = [c for c in costs(summary.has) if c.weight and (c.weight == 2 or not summary.manual)]
    finding = " ".join((*summary.damage, "; ".join(x for x in (cost_words(missing), words) if x))).strip() or "nothing"
    length = f"{summary.samples} readings" if summary.manual else minutes(summary.duration_s)
    mark = "below" if any(c.weight == 2 for c in missing) else "attention" if missing or words or summary.damage else ""
    rate = f" · {summary.rate_hz:.3g} Hz" if summary.rate_hz and not summary.manual else ""
    channels = f"{sum(c.role != 'time' for c in summary.channels)}{rate}"
    begun = date_words(summary.started or day)
    return LogLine(
        title=title,
        date=begun,
        car=who,
        length=length,
        laps=str(laps) if laps else "–",
        channels=channels,
        finding=finding,
        mark=mark,
    )


def date_words(started: str) -> str:
    """The day of an ISO text."""
    return started[:10]


def minutes(seconds: float) -> str:
    """A length as minutes and seconds, or hours."""
    whole = round(seconds)
    if whole >= 3600:
        return f"{whole // 3600} h {whole % 3600 // 60:02d} min"
    return f"{whole // 60}:{whole % 60:02d} min"


def cost_words(missing: Sequence[Cost]) -> str:
    """What is missing, in a few words for a row."""
    if not missing:
        return ""
    names = " or ".join(c.what for c in missing[:3])
    return f"no {names}" + (f": {missing[0].cost}" if len(missing) == 1 or missing[0].weight == 2 else "")


def headline(lines: Sequence[LogLine], waiting: int) -> tuple[str, str]:
    """The station's title and the line under it."""
    known = [x for x in lines if x.length]
    refused = [x for x in lines if not x.length and x.mark == "below"]
    blind = [x for x in known if x.mark == "below"]
    title = f"{len(lines)} {'log' if len(lines) == 1 else 'logs'}"
    parts = []
    if waiting:
        parts.append(f"{waiting} still to read")
    if blind:
        parts.append(f"{len(blind)} cannot be judged as {'it is' if len(blind) == 1 else 'they are'}")
    if refused:
        parts.append(f"{len(refused)} could not be read")
    weaker = [x for x in known if x.mark == "attention"]
    if weaker:
        parts.append(f"{len(weaker)} with something missing or doubtful")
    detail = "; ".join(parts) if parts else "all read, and nothing that is needed is missing"
    return title, detail[0].upper() + detail[1:] + "."


# The columns of one log


@dataclass(frozen=True, slots=True)
class Draft:
    """Columns as the user is setting them, over what was recognised.

    Attributes:
        roles: column name → role, None for "nothing"; only columns that were changed.
        units: column name → unit; only columns that were changed.
    """

    roles: Mapping[str, Role | None] = field(default_factory=dict)
    units: Mapping[str, Unit] = field(default_factory=dict)

    @property
    def is_empty(self) -> bool:
        """True when nothing was changed."""
        return not self.roles and not self.units

    def role_of(self, channel: Channel) -> Role | None:
        """What a column is, with the changes."""
        return self.roles.get(channel.name, channel.role)

    def unit_of(self, channel: Channel) -> Unit | None:
        """The unit a column is read in, with the changes."""
        unit = self.units.get(channel.name, channel.unit)
        role = self.role_of(channel)
        quantity = QUANTITY_OF[role] if role is not None else None
        stated = unit is not None and not channel.unit_assumed
        if (
            channel.name not in self.units
            and quantity is not None
            and not stated
            and (unit is None or unit.quantity is not quantity)
        ):
            from basso.recording.plausible import assume_unit

            return assume_unit(role, logged(channel)) if role is not None else unit
        return unit

    def with_role(self, recording: Recording, name: str, role: Role | None) -> Draft:
        """Give a column a role; the column that had it becomes nothing."""
        roles = dict(self.roles)
        for other in recording.channels:
            if role is not None and other.name != name and self.role_of(other) is role:
                roles[other.name] = None
        roles[name] = role
        own = next(c for c in recording.channels if c.name == name)
        if own.role is role:
            roles.pop(name)
        wanted = QUANTITY_OF[role] if role is not None else None
        # A unit that was said stays said, unless it cannot be what the column is now taken for.
        units = {n: u for n, u in self.units.items() if n != name or wanted is None or u.quantity is wanted}
        return replace(self, roles=roles, units=units)

    def clashes(self, recording: Recording) -> list[str]:
        """What has to be put right before the log can be read like this: a stated unit that is none of the role's."""
        return [
            f"'{c.name}' {why}: choose its unit, or another column."
            for c in recording.channels
            if c.name in self.roles and (role := self.role_of(c)) is not None and (why := clash(role, self.unit_of(c)))
        ]

    def with_unit(self, name: str, unit: Unit) -> Draft:
        """Read a column in another unit."""
        return replace(self, units={**self.units, name: unit})

    def options(self, recording: Recording, before: ReadOptions | None) -> ReadOptions:
        """What to read the log with: every column as it stands now, said by the user."""
        roles, units, ignored = {}, {}, set(before.ignored if before is not None else ())
        for c in recording.channels:
            role, unit = self.role_of(c), self.unit_of(c)
            if c.role is Role.TIME or (c.name not in self.roles and c.role is Role.LAP and c.why.startswith("counted")):
                continue
            if role is not None:
                roles[role] = c.name
                ignored.discard(c.name)
                if unit is not None and QUANTITY_OF[role] is not None:
                    units[c.name] = unit
            elif c.name in self.roles:
                ignored.add(c.name)
            elif c.name in self.units and unit is not None:
                units[c.name] = unit
        base = before or ReadOptions()
        return replace(base, roles=roles, units=units, ignored=frozenset(ignored))


@dataclass(frozen=True, slots=True, eq=False)
class ColumnLine:
    """One column as the panel shows it.

    Attributes:
        name, role, unit: as they stand, with the changes.
        sure: in a word; ``mark`` "", "attention" or "below".
        span: least to most, in that unit.
        told: why it was taken for this, and what speaks against it.
        low, high: the preview, shape (k,), in base units where the role is known.
        band: what is plausible for the role, in the same units, or None.
    """

    name: str
    role: Role | None
    unit: Unit | None
    sure: str
    mark: str
    span: str
    told: str
    low: FloatArray
    high: FloatArray
    band: tuple[float, float] | None


def logged(channel: Channel) -> FloatArray:
    """A channel's values in the unit they were logged in."""
    return channel.unit.from_base(channel.values) if channel.unit is not None else channel.values


def column_lines(recording: Recording, draft: Draft) -> list[ColumnLine]:
    """Every column: the ones that matter first, then those with a role, then the rest, each as in the file."""
    order = {role: i for i, role in enumerate(_MAIN)}
    channels = [c for c in recording.channels if c.role is not Role.TIME]
    ranked = sorted(
        enumerate(channels),
        key=lambda e: (order.get(e[1].role, len(order)) if e[1].role is not None else 2 * len(order), e[0]),
    )
    return [_line(c, draft) for _, c in ranked]


def _line(channel: Channel, draft: Draft) -> ColumnLine:
    role, unit = draft.role_of(channel), draft.unit_of(channel)
    changed = channel.name in draft.roles or channel.name in draft.units
    raw = logged(channel)
    base = unit.to_base(raw) if unit is not None else raw
    low, high = preview(base)
    band = PLAUSIBLE.get(role) if role is not None else None
    symbol = f" {unit.symbol}" if unit is not None and unit.symbol else ""
    if changed:
        sure, mark, told = "changed", "attention", "Changed by you; not yet in use."
    elif role is None:
        sure, mark, told = "", "", "Kept, and not used for judging."
    else:
        sure, mark = _sureness(channel)
        told = (
            f"Taken from {channel.why}."
            if channel.why.startswith("its")
            else f"{channel.why[:1].upper()}{channel.why[1:]}."
        )
        if channel.doubt:
            told += f" It {channel.doubt}."
    outside = band is not None and _outside(base, band)
    if outside and not (told.count("It ") or changed):
        told += " Some readings lie outside what is plausible."
    return ColumnLine(
        name=channel.name,
        role=role,
        unit=unit,
        sure=sure,
        mark="below" if channel.doubt and not changed else mark,
        span=f"{_span(raw)}{symbol}",
        told=told,
        low=low,
        high=high,
        band=band,
    )


def _span(raw: FloatArray) -> str:
    known = raw[np.isfinite(raw)]
    if not known.size:
        return "empty"
    low, high = float(known.min()), float(known.max())
    size = max(abs(low), abs(high))
    digits = 0 if size >= 100 or bool(np.all(known == np.round(known))) else 1 if size >= 10 else 2
    if low == high:
        return f"always {_number(low, digits)}"
    return f"{_number(low, digits)} to {_number(high, digits)}"


def _number(value: float, digits: int) -> str:
    text = f"{value:,.{digits}f}"
    return (text.lstrip("-") if float(text.replace(",", "")) == 0 else text).replace(",", "\u2009").replace("-", "−")


def _sureness(channel: Channel) -> tuple[str, str]:
    if channel.confidence >= 0.999:
        return ("confirmed" if "confirmed" in channel.why else "said by you" if "you" in channel.why else "sure"), ""
    if channel.confidence >= 0.8:
        return "sure", ""
    return ("likely", "") if channel.confidence >= 0.5 else ("a guess", "attention")


def _outside(base: FloatArray, band: tuple[float, float]) -> bool:
    known = base[np.isfinite(base)]
    if not known.size:
        return False
    reach = 0.25 * (band[1] - band[0])
    return bool(np.mean((known < band[0] - reach) | (known > band[1] + reach)) > 0.02)


def preview(values: FloatArray, columns: int = _PREVIEW_COLUMNS) -> tuple[FloatArray, FloatArray]:
    """Least and most in each of up to ``columns`` stretches of a channel; NaN where it holds nothing."""
    if not values.size:
        return np.empty(0), np.empty(0)
    starts = np.linspace(0, values.size, min(columns, values.size), endpoint=False).astype(np.intp)
    return np.fmin.reduceat(values, starts), np.fmax.reduceat(values, starts)


def column_words(recording: Recording, draft: Draft) -> tuple[str, str]:
    """The panel's title and the line under it: what is missing and what that costs, or that nothing is."""
    if recording.manual:
        return f"Columns of {recording.path.name}", "Readings off a gauge, each judged by itself."
    roles = {draft.role_of(c) for c in recording.channels if bool(np.isfinite(c.values).any())}
    if clashes := draft.clashes(recording):
        return f"Columns of {recording.path.name}", " ".join(clashes)
    found = costs(lambda name: Role(name) in roles)
    hard = [c for c in found if c.weight]
    doubts = [c.name for c in recording.channels if c.doubt and c.name not in draft.roles and c.name not in draft.units]
    parts = [f"No {c.what}: {c.cost}." for c in hard[:2]]
    parts += [f"Look at {' and '.join(repr(d) for d in doubts[:2])}."] if doubts else []
    if not parts:
        parts = [f"No {c.what}: {c.cost}." for c in found[:1]] or ["Everything that is needed is there."]
    return f"Columns of {recording.path.name}", " ".join(parts)


def unit_choices(role: Role | None, now: Unit | None) -> list[Unit]:
    """Units a column can be read in: those of its role's quantity, or of the unit it has."""
    quantity: Quantity | None = QUANTITY_OF[role] if role is not None else now.quantity if now is not None else None
    return [u for u in UNITS.values() if u.quantity is quantity] if quantity is not None else []
