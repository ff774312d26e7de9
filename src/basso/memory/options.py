"""What the owner wrote beside the options for a car: what each costs, whether its rules allow it, the dry sump."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from basso.memory.kept_file import KeptFile
from basso.plain_text import plain

RULES = ("", "allowed", "not allowed", "to be asked")
_MOST_TEXT = 120


@dataclass(frozen=True, slots=True)
class OptionNotes:
    """For one car.

    Attributes:
        cost, rules: option's key → as written; rules one of :data:`RULES`.
        dry_sump: "relief", "stages" and "tank level hot" → as written.
    """

    cost: Mapping[str, str] = field(default_factory=dict)
    rules: Mapping[str, str] = field(default_factory=dict)
    dry_sump: Mapping[str, str] = field(default_factory=dict)


class Options:
    """The notes of every car. ``file`` None: none were made, and none are kept."""

    def __init__(self, file: Path | None = None) -> None:
        self._kept = KeptFile(file, "cars")

    def of(self, car: str) -> OptionNotes:
        """The notes of a car; none where there are none, or they cannot be read."""
        kept = self._kept.read().get(car)
        if not isinstance(kept, dict):
            return OptionNotes()
        return OptionNotes(*(_texts(kept.get(k)) for k in ("cost", "rules", "dry_sump")))

    def keep(self, car: str, notes: OptionNotes) -> None:
        """Keep the notes of a car.

        Raises:
            InputError: they cannot be written.
        """
        with self._kept.alone():
            cars = dict(self._kept.read())
            cars[car] = {"cost": dict(notes.cost), "rules": dict(notes.rules), "dry_sump": dict(notes.dry_sump)}
            self._kept.write(cars, "Nothing was kept.")


def _texts(value: Any) -> dict[str, str]:
    if not isinstance(value, dict):
        return {}
    return {k: plain(v, _MOST_TEXT) for k, v in value.items() if isinstance(k, str) and isinstance(v, str) and v}
