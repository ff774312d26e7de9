"""What a page opens with."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Opening:
    """A title and the line under it."""

    title: str
    detail: str
