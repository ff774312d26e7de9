"""What a log's head says of the drive, under whatever name the logger gives it."""

from __future__ import annotations

from collections.abc import Mapping

_KEYS = {
    "car": ("vehicle", "car", "chassis", "fahrzeug"),
    "circuit": ("venue", "track", "circuit", "course", "location", "strecke"),
}


def fact(facts: Mapping[str, str], what: str) -> str:
    """A session fact by any of the names that loggers give it; "" when there is none."""
    return next((v for k, v in facts.items() if k.strip().lower() in _KEYS[what]), "")
