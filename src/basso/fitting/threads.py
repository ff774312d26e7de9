"""Threads: what they are, and which one a measured diameter and pitch can be."""

from __future__ import annotations

import tomllib
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cache
from importlib import resources
from typing import Any

from basso.errors import InputError

GENDERS = ("male", "female")
_DIAMETER_MM, _PITCH_MM = 0.35, 0.05
_SAME_PITCH_MM = 0.01
"""BSPP and BSPT of one size have one pitch; only the taper tells them."""
"""What a calliper and a pitch gauge in oily hands are sure to (default); a taper is measured at its large end."""


@dataclass(frozen=True, slots=True)
class Thread:
    """One standard and size. ``diameter_mm``: over the male thread; ``seal``: what makes it tight."""

    name: str
    diameter_mm: float
    pitch_mm: float
    taper: bool
    seal: str


@dataclass(frozen=True, slots=True)
class End:
    """One open end: a gender and a thread."""

    gender: str
    thread: str

    @property
    def mate(self) -> End:
        """What screws into it: the other gender of the same thread, and nothing else."""
        return End("female" if self.gender == "male" else "male", self.thread)

    def __str__(self) -> str:
        return f"{self.gender} {self.thread}"


@cache
def table() -> dict[str, Any]:
    """The catalogue that ships."""
    return tomllib.loads(resources.files("basso.fitting").joinpath("parts.toml").read_text(encoding="utf-8"))


@cache
def threads() -> Mapping[str, Thread]:
    """Known threads by name."""
    return {t["name"]: Thread(**t) for t in table()["thread"]}


def parse_end(text: str) -> End:
    """An end from words such as "female 1/8 NPT".

    Raises:
        InputError: the gender or the thread is not known; the sentence lists what is.
    """
    gender, _, name = text.strip().partition(" ")
    known = {t.lower().replace(" ", ""): t for t in threads()}
    found = known.get(name.lower().replace(" ", "").replace("×", "x").replace(",", "."))
    if gender.lower() not in GENDERS or found is None:
        raise InputError(
            f"'{text}': write male or female and the thread, such as 'female 1/8 NPT'; known are "
            f"{', '.join(threads())}."
        )
    return End(gender.lower(), found)


@dataclass(frozen=True, slots=True)
class Identified:
    """What a measured thread can be, likeliest first, and what to beware of."""

    candidates: tuple[Thread, ...]
    caution: str


def identify(diameter_mm: float, pitch_mm: float, taper: bool | None = None) -> Identified:
    """Which threads a measured outer diameter and pitch can be.

    Args:
        diameter_mm, pitch_mm: as measured on the male thread, in mm (25.4 by the threads an inch).
        taper: whether it narrows towards its end; None if that was not looked at.
    """
    found = [
        t
        for t in threads().values()
        if abs(t.diameter_mm - diameter_mm) <= _DIAMETER_MM
        and abs(t.pitch_mm - pitch_mm) <= _PITCH_MM
        and (taper is None or t.taper == taper)
    ]
    found.sort(
        key=lambda t: (abs(t.diameter_mm - diameter_mm) / _DIAMETER_MM + abs(t.pitch_mm - pitch_mm) / _PITCH_MM, t.name)
    )
    if not found:
        return Identified((), "No known thread fits; measure again, over the crests and at the large end.")
    if len(found) == 1:
        return Identified(tuple(found), "")
    named = " and ".join(t.name for t in found[:3])
    by_pitch = max(t.pitch_mm for t in found) - min(t.pitch_mm for t in found) > _SAME_PITCH_MM
    by_taper = len({t.taper for t in found}) > 1
    tests = [
        "by its taper: a straight edge along the crests rocks on a taper, a parallel thread lies on it"
        if by_taper
        else "",
        "with a pitch gauge" if by_pitch else "",
        "by its marking" if not (by_taper or by_pitch) else "",
    ]
    how = " and ".join(t for t in tests if t)
    return Identified(
        tuple(found), f"{named} start into each other and do not seal: settle it {how}, before anything is screwed in."
    )
