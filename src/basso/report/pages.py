"""A report as blocks in their order, before anybody decides how it is set: on a page or on paper."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from basso.report.drawing import Drawing


@dataclass(frozen=True, slots=True)
class Heading:
    """A heading; what follows belongs to it."""

    text: str


@dataclass(frozen=True, slots=True)
class Paragraph:
    """Words. ``kind``: a sentence that is read first, plain words, a caution, or a note in small type."""

    text: str
    kind: Literal["lead", "plain", "caution", "note"] = "plain"


@dataclass(frozen=True, slots=True)
class Bullets:
    """Short points."""

    points: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Table:
    """Rows under headings. ``numbers``: the columns that hold numbers, set to the right."""

    head: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    numbers: frozenset[int] = frozenset()
    weights: tuple[float, ...] = ()
    """How wide the columns are against each other; () for all the same."""


@dataclass(frozen=True, slots=True)
class Chart:
    """A picture with a line under it."""

    drawing: Drawing
    caption: str = ""


Block = Heading | Paragraph | Bullets | Table | Chart


@dataclass(frozen=True, slots=True)
class Report:
    """A whole report.

    Attributes:
        title: what is said first.
        about: of what it is, in a few words, for the head of every page.
    """

    title: str
    about: str
    blocks: tuple[Block, ...]


def bullets(points: Sequence[str]) -> list[Block]:
    """Points, or nothing where there is none."""
    return [Bullets(tuple(points))] if points else []
