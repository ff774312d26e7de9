"""The oil that is in, in a sentence."""

from __future__ import annotations

from basso.oil.life import OilState


def oil_short(oil: OilState) -> str:
    """The oil in one sentence: what it is, and what is due first."""
    words = f"Oil {oil.grade or 'of unknown grade'} since {oil.since}"
    if not oil.due:
        return f"{words}, {oil.running_h:.1f} h; no interval set."
    first = oil.due[0]
    left = first.limit - first.used
    tail = f"due in {left:.3g} {first.unit}" if left > 0 else f"overdue by {-left:.3g} {first.unit}"
    return f"{words}, {tail}."
