"""How long work reports itself: a plain callable, so that the core needs no interface."""

from __future__ import annotations

from collections.abc import Callable

Progress = Callable[[float, str], None]
"""``progress(fraction, what)``: fraction of the work done, 0 to 1, and what is being done now.

The callee may raise :class:`basso.errors.Cancelled` to stop the work at this point.
"""


def silent(fraction: float, what: str) -> None:
    """A progress callable that tells nobody."""
