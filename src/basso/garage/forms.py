"""Records of earlier forms, brought up to the form of today one step at a time.

A form is what the fields of the records were at one step of the database (``migrations/versions``); bundles say theirs
in their schema. What stands here for a step that was released is never changed.
"""

from __future__ import annotations

from collections.abc import Callable
from types import MappingProxyType
from typing import Any

FORM = 9
"""The form of :mod:`basso.garage.records` as it is now."""


def _second(table: str, plain: dict[str, Any]) -> dict[str, Any]:
    """Engines got dated cards; jobs keep the sheet they were begun on; an attachment may be about a part of a
    record."""
    added: dict[str, dict[str, Any]] = {
        "engines": {"engine": plain.get("id"), "since": "", "reason": "", "cylinders": None, "main_bearings": None},
        "jobs": {"begun_on": {}},
        "attachments": {"part": ""},
    }
    return {**plain, **added.get(table, {})}


def _third(table: str, plain: dict[str, Any]) -> dict[str, Any]:
    """Sensors and their calibrations are new kinds; nothing that was there is another."""
    return plain


def _fourth(table: str, plain: dict[str, Any]) -> dict[str, Any]:
    """Normals, choices of floors and data sheets of oils are new kinds; the maker's window says where it is quoted."""
    added: dict[str, dict[str, Any]] = {"engines": {"window_rpm": None, "window_c": None, "maker_port": ""}}
    return {**plain, **added.get(table, {})}


def _fifth(table: str, plain: dict[str, Any]) -> dict[str, Any]:
    """Circuits and the owner's decisions are new kinds; nothing that was there is another."""
    return plain


def _sixth(table: str, plain: dict[str, Any]) -> dict[str, Any]:
    """Arrivals of cars are a new kind; nothing that was there is another."""
    return plain


def _seventh(table: str, plain: dict[str, Any]) -> dict[str, Any]:
    """Measured pans are a new kind; nothing that was there is another."""
    return plain


def _eighth(table: str, plain: dict[str, Any]) -> dict[str, Any]:
    """Accumulators as they are fitted are a new kind; nothing that was there is another."""
    return plain


def _ninth(table: str, plain: dict[str, Any]) -> dict[str, Any]:
    """Warning devices as they are set are a new kind; nothing that was there is another."""
    return plain


STEPS: MappingProxyType[int, Callable[[str, dict[str, Any]], dict[str, Any]]] = MappingProxyType(
    {2: _second, 3: _third, 4: _fourth, 5: _fifth, 6: _sixth, 7: _seventh, 8: _eighth, 9: _ninth}
)
"""What leads to a form from the one before: (table, record as JSON) → record as JSON."""


def brought_up(table: str, plain: dict[str, Any], form: int) -> dict[str, Any]:
    """A record as JSON of an earlier form as one of today."""
    for step in range(form + 1, FORM + 1):
        plain = STEPS[step](table, plain)
    return plain
