"""Whether an accumulator was at work in a session."""

from __future__ import annotations

from typing import TYPE_CHECKING

from basso.recording.roles import Role

if TYPE_CHECKING:
    from basso.analysis import Analysis


def is_armed(a: Analysis) -> bool:
    """As far as the garage or the log says: its state as written down, else whether its pressure was logged."""
    state = a.options.known.accumulator if a.options.known is not None else ""
    if state in ("off", "none"):
        return False
    return state == "armed" or a.recording.has(Role.ACCUMULATOR_PRESSURE)
