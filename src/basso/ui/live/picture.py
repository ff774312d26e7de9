"""What the live view shows, worked out without Qt: the large words, the scale, the tide as it grows, the signals."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from basso.alarm.lap_lows import LapRow
from basso.alarm.live import LiveReading
from basso.recording.roles import Role
from basso.track.corners import Place
from basso.units import DisplayUnits, FloatArray, Quantity

BIN_S = 0.5
_WORDS = {"ok": ("OK", "ample"), "low": ("Dip", "below"), "caution": ("Caution", "below"), "alarm": ("Alarm", "below")}
_SIGNALS = (
    (Role.OIL_PRESSURE, "Pressure"),
    (Role.RPM, "Engine"),
    (Role.OIL_TEMP, "Oil temperature"),
    (Role.LATERAL_G, "Lateral g"),
    (Role.LONGITUDINAL_G, "Longitudinal g"),
    (Role.SPEED, "Speed"),
    (Role.LAP, "Lap"),
)
_LATE_S = {Role.OIL_TEMP: 5.0, Role.LAP: 5.0}
_LATE_USUALLY_S = 0.5
_G_SHOWN = 0.15


@dataclass(frozen=True, slots=True)
class Headline:
    """The large words beside the pressure: state, margin, share of normal, where the car is."""

    state: str
    tone: str
    margin: str
    share: str
    where: str


def headline(r: LiveReading, units: DisplayUnits, place: Place | None) -> Headline:
    """What is told of one moment; what is not known is said."""
    if r.state == "no signal":
        lost = [
            name.lower()
            for role, name in _SIGNALS[:2]
            if r.ages_s.get(role, np.inf) > _LATE_S.get(role, _LATE_USUALLY_S)
        ]
        return Headline("No signal", "below", f"{' and '.join(lost) or 'pressure'} silent", "", _where(r, place))
    state, tone = _WORDS[r.state]
    if r.pressure_kpa is None or r.floor_kpa is None:
        margin = "floor not known"
    else:
        by = units.text(abs(r.pressure_kpa - r.floor_kpa), Quantity.PRESSURE, difference=True)
        margin = f"{by} {'above' if r.pressure_kpa >= r.floor_kpa else 'below'} the floor"
    if r.expected_kpa is not None and r.pressure_kpa is not None and r.expected_kpa > 0.0:
        share = f"{100.0 * r.pressure_kpa / r.expected_kpa:.0f} % of normal"
    else:
        share = "normal not known"
    return Headline(state, tone, margin, share, _where(r, place))


def _where(r: LiveReading, place: Place | None) -> str:
    parts = [place.label[:1].upper() + place.label[1:]] if place is not None else []
    if r.lateral_g is not None and abs(r.lateral_g) >= _G_SHOWN:
        parts.append(f"{abs(r.lateral_g):.2f} lateral g")  # which side is left is not proven while it runs
    elif r.longitudinal_g is not None and abs(r.longitudinal_g) >= _G_SHOWN:
        parts.append(f"{abs(r.longitudinal_g):.2f} g {'acceleration' if r.longitudinal_g > 0 else 'braking'}")
    return ", ".join(parts)


def pressure_text(r: LiveReading, units: DisplayUnits) -> str:
    """The one large number; a dash where pressure is silent."""
    return units.number(r.pressure_kpa, Quantity.PRESSURE) if r.pressure_kpa is not None else "–"


@dataclass(frozen=True, slots=True)
class SignalRow:
    """A channel: how long since its last sample, and whether that is too long."""

    name: str
    age: str
    is_late: bool


def signal_rows(r: LiveReading) -> list[SignalRow]:
    """The channels that tell something; pressure, engine and oil temperature even where they never came."""
    rows = []
    for role, name in _SIGNALS:
        age = r.ages_s.get(role)
        if age is None:
            if role in (Role.OIL_PRESSURE, Role.RPM, Role.OIL_TEMP):
                rows.append(SignalRow(name, "never came", True))
            continue
        late = age > _LATE_S.get(role, _LATE_USUALLY_S)
        words = f"{age:.2f} s" if age < 1.0 else f"{age:.1f} s" if age < 60.0 else f"{age / 60.0:.0f} min"
        rows.append(SignalRow(name, f"{words} late" if late else words, late))
    return rows


class GrowingTide:
    """The margin of the drive so far, the lowest of each half second."""

    def __init__(self) -> None:
        self._lows = np.full(1024, np.nan)
        self._laps: list[tuple[float, int]] = []
        self._count = 0

    def hear(self, r: LiveReading) -> None:
        """A reading later than all before."""
        if r.time_s is None:
            return
        at = int(r.time_s / BIN_S)
        if not 0 <= at < 1_000_000:
            return
        if at >= self._lows.size:
            grown = np.full(max(2 * self._lows.size, at + 1), np.nan)
            grown[: self._count] = self._lows[: self._count]
            self._lows = grown
        self._count = max(self._count, at + 1)
        if r.low_margin_kpa is not None:
            self._lows[at] = np.fmin(self._lows[at], r.low_margin_kpa)
        if r.lap is not None and (not self._laps or self._laps[-1][1] != r.lap):
            self._laps.append((r.time_s, r.lap))

    @property
    def end_s(self) -> float:
        """How long the drive is so far."""
        return self._count * BIN_S

    @property
    def laps(self) -> tuple[tuple[float, int], ...]:
        """(when it began, number)."""
        return tuple(self._laps)

    def columns(self, count: int) -> FloatArray:
        """The lowest margin in each of ``count`` columns over the drive so far, kPa; NaN where nothing was judged."""
        lows = self._lows[: self._count]
        if not lows.size:
            return np.full(count, np.nan)
        edges = (np.arange(count + 1) * lows.size / count).astype(int)
        made = np.full(count, np.nan)
        for i in range(count):
            part = lows[edges[i] : max(edges[i + 1], edges[i] + 1)]
            if np.isfinite(part).any():
                made[i] = np.nanmin(part)
        return made


def shown_places(rows: tuple[LapRow, ...], places: tuple[Place, ...], most: int) -> list[Place]:
    """The columns of the table: the places with the lowest margins, in the order of the lap."""

    def lowest(p: Place) -> float:
        return min((row.lows[p.id] for row in rows if p.id in row.lows), default=np.inf)

    worst = sorted((p for p in places if np.isfinite(lowest(p))), key=lowest)[:most]
    return [p for p in places if p in worst]


def others_low(row: LapRow, shown: list[Place]) -> float | None:
    """The lowest margin of a lap in the places that have no column."""
    rest = [kpa for place, kpa in row.lows.items() if place not in {p.id for p in shown}]
    rest += [row.other_kpa] if row.other_kpa is not None else []
    return min(rest, default=None)


def scale_end(r: LiveReading, before_kpa: float) -> float:
    """Where the pressure's scale ends: it only grows, so that nothing moves under the eye."""
    seen = [v for v in (r.pressure_kpa, r.expected_kpa, r.floor_kpa) if v is not None]
    most = max(seen, default=0.0) * 1.05
    return before_kpa if most <= before_kpa else float(np.ceil(most / 100.0) * 100.0)
