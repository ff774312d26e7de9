"""The rpm at which the warning lamp goes out hot, over time: a health trend for cars with no logger.

The lamp's switch opens at one pressure, so the rpm it needs rises as the engine wears, and with thinner or hotter oil.
Readings are held against each other only where engine and oil are the same.
"""

from __future__ import annotations

from dataclasses import dataclass

from basso.car.history import CarHistory
from basso.car.oils import oil_of
from basso.garage.records import Session

SAME_RPM = 75.0
"""Read by eye off a tachometer, two readings closer than this are the same (default)."""
_SAME_C = 8.0


@dataclass(frozen=True, slots=True)
class LampTrend:
    """Two readings of the same engine with the same oil.

    Attributes:
        rpm: at the newest session; ``change_rpm`` since the first that is like it.
        since: day of that; ``count`` of readings alike.
        oil: which was in; "" where nobody wrote that down.
        others: readings with another engine or oil, left out.
        hotter_c: by how much the oil was hotter than at the first; None where that is not known.
    """

    rpm: float
    change_rpm: float
    since: str
    count: int
    oil: str
    others: int
    hotter_c: float | None

    @property
    def heat_explains(self) -> bool:
        """Whether the oil was so much hotter that the rpm would have risen by itself."""
        return self.hotter_c is not None and self.hotter_c > _SAME_C


def lamp_trend(history: CarHistory) -> LampTrend | None:
    """The newest reading against the first with its engine and oil; None with fewer than two alike."""
    read = sorted((s for s in history.sessions if s.lamp_rpm is not None), key=lambda s: s.began)
    if not read:
        return None
    kinds = [_kind(history, s) for s in read]
    alike = [s for s, kind in zip(read, kinds, strict=True) if kind == kinds[-1]]
    first, newest = alike[0], alike[-1]
    if len(alike) < 2 or first.lamp_rpm is None or newest.lamp_rpm is None:
        return None
    heats = (first.peak_oil_c, newest.peak_oil_c)
    return LampTrend(
        rpm=newest.lamp_rpm,
        change_rpm=newest.lamp_rpm - first.lamp_rpm,
        since=first.began[:10],
        count=len(alike),
        oil=kinds[-1][1],
        others=len(read) - len(alike),
        hotter_c=heats[1] - heats[0] if heats[0] is not None and heats[1] is not None else None,
    )


def _kind(history: CarHistory, session: Session) -> tuple[str, str]:
    card, oil = history.card_of(session), oil_of(history, session)
    return (card.engine if card is not None else "", oil.name if oil is not None else "")


def lamp_words(trend: LampTrend | None) -> str:
    """The trend in a sentence; "" without one."""
    if trend is None:
        return ""
    with_oil = f" with {trend.oil}" if trend.oil else ""
    left = f" {trend.others} with another engine or oil left out." if trend.others else ""
    words = f"The lamp goes out at {trend.rpm:.0f} rpm hot{with_oil}"
    if abs(trend.change_rpm) < SAME_RPM:
        return f"{words}, as on {trend.since}.{left}"
    words += f", {'up' if trend.change_rpm > 0 else 'down'} {abs(trend.change_rpm):.0f} since {trend.since}"
    if trend.change_rpm < 0:
        return f"{words}.{left}"
    why = "the oil was hotter, which alone would do it" if trend.heat_explains else "look for thin oil or wear"
    return f"{words}: {why}.{left}"
