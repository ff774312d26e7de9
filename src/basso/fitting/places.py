"""Places on the oil's way, and what a pressure read at each says about the bearings."""

from __future__ import annotations

import tomllib
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cache
from importlib import resources
from typing import Literal

GALLERY, FAR_END = "main gallery", "far end of the gallery"
_NOT_THE_BEARINGS = ("before the filter", "after a restrictor", "beside the gallery")


@dataclass(frozen=True, slots=True)
class Place:
    """A place on the oil's way.

    Attributes:
        role: the channel that a pressure (of the pan: a temperature) logged there is; "" where none is.
        after: the part it stands behind; ``side``: on which side of the filter it stands.
        tells: what a reading there says, in a sentence or two.
        pressure: False where no pressure can be read.
    """

    name: str
    role: str
    tells: str
    after: str = ""
    side: str = ""
    pressure: bool = True

    @property
    def trust(self) -> Literal["ok", "note", "warn"]:
        """How far a floor for the gallery may be held against a pressure read here."""
        if self.name in (GALLERY, FAR_END):
            return "ok"
        return "warn" if not self.pressure or self.side in _NOT_THE_BEARINGS else "note"


@cache
def places() -> Mapping[str, Place]:
    """Known places by name, in the order of the oil's way."""
    text = resources.files("basso.fitting").joinpath("places.toml").read_text(encoding="utf-8")
    return {p["name"]: Place(**p) for p in tomllib.loads(text)["place"]}


def place_names() -> tuple[str, ...]:
    """Their names, in the order of the oil's way."""
    return tuple(places())
