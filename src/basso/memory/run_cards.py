"""The run cards that were written, so that the day's runs can be held against them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date
from pathlib import Path
from typing import Any

from basso.memory.kept_file import KeptFile
from basso.plain_text import plain

_MOST_CARDS = 24
_MOST_TEXT = 120


@dataclass(frozen=True, slots=True)
class KeptCard:
    """A card as it was written.

    Attributes:
        written: the day, ISO 8601; ``change``: what is tried on side B, in words.
        plan: the ``basso.plan/1`` document it is of.
    """

    written: str
    change: str
    plan: Mapping[str, Any]


class RunCards:
    """The last cards, the newest first. ``file`` None: none were written, and none are kept."""

    def __init__(self, file: Path | None = None) -> None:
        self._kept = KeptFile(file, "cards", list)

    def all(self) -> tuple[KeptCard, ...]:
        """Every card that can be read."""
        return tuple(card for row in self._kept.read() if (card := _card(row)) is not None)

    def keep(self, plan: Mapping[str, Any], change: str, day: date) -> None:
        """Keep a card; the same once.

        Raises:
            InputError: it cannot be written.
        """
        new = {"written": day.isoformat(), "change": plain(change, _MOST_TEXT), "plan": dict(plan)}
        with self._kept.alone():
            others = [row for row in self._kept.read() if row != new]
            self._kept.write([new, *others][:_MOST_CARDS], "The card was written, but its runs cannot be checked.")


def _card(row: Any) -> KeptCard | None:
    if not isinstance(row, dict) or not isinstance(row.get("plan"), dict):
        return None
    return KeptCard(plain(str(row.get("written", "")), 10), plain(str(row.get("change", "")), _MOST_TEXT), row["plan"])
