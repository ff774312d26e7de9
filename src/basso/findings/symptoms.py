"""The symptom interview: a few questions, ranked causes, and for each the cheapest test that could disprove it.

Each answer multiplies a cause's standing by a weight that ships as editable default; what comes out is an order with
reasons, never a diagnosis: it says where to look first.
"""

from __future__ import annotations

import tomllib
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import cache
from importlib import resources
from types import MappingProxyType
from typing import Any

_WAITS = "Not now: its test needs a running engine. Only once the engine builder lets it run again."
EFFORT_WORDS = MappingProxyType({1: "minutes", 2: "one run", 3: "an hour", 4: "pan off"})
"""What a test takes."""


@dataclass(frozen=True, slots=True)
class Question:
    """What is asked; ``answers``: key → words."""

    key: str
    text: str
    answers: Mapping[str, str]


@dataclass(frozen=True, slots=True)
class Suspect:
    """A cause as it stands.

    Attributes:
        share: of all that the answers leave open, 0 to 1; ``standing``: that in words.
        test: the cheapest that could disprove it; ``effort``: see :data:`EFFORT_WORDS`.
        because, against: the answers that speak for it and against it, in their own words.
    """

    key: str
    name: str
    share: float
    standing: str
    test: str
    effort: int
    because: tuple[str, ...]
    against: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Interview:
    """The ranking, and what must be done before anything else ("" when nothing must)."""

    stop: str
    suspects: tuple[Suspect, ...]


@dataclass(frozen=True, slots=True)
class _Cause:
    key: str
    name: str
    test: str
    effort: int
    weights: Mapping[str, Mapping[str, float]]
    off: Mapping[str, Any] = field(default_factory=dict)
    """The check that needs no running engine: its rank after a stop, its effort, and what it is."""


@cache
def _table() -> tuple[tuple[Question, ...], tuple[_Cause, ...]]:
    text = resources.files("basso.findings").joinpath("symptoms.toml").read_text(encoding="utf-8")
    table = tomllib.loads(text)
    return tuple(Question(**q) for q in table["question"]), tuple(_Cause(**c) for c in table["cause"])


def questions() -> tuple[Question, ...]:
    """What is asked, in order."""
    return _table()[0]


def interview(answers: Mapping[str, str]) -> Interview:
    """Rank the causes by the answers (question key → answer key); questions left open count for nothing."""
    asked, causes = _table()
    words = {(q.key, a): text for q in asked for a, text in q.answers.items()}
    given = {q: a for q, a in answers.items() if (q, a) in words}
    standings = {}
    for cause in causes:
        standing = 1.0
        for q, a in given.items():
            standing *= cause.weights.get(q, {}).get(a, 1.0)
        standings[cause.key] = standing
    total = sum(standings.values())
    suspects = []
    for cause in causes:
        weights = {(q, a): cause.weights.get(q, {}).get(a, 1.0) for q, a in given.items()}
        share = standings[cause.key] / total
        suspects.append(
            Suspect(
                key=cause.key,
                name=cause.name,
                share=share,
                standing=_standing(share, len(causes), bool(given)),
                test=cause.test,
                effort=cause.effort,
                because=tuple(words[k] for k, w in weights.items() if w > 1.0),
                against=tuple(words[k] for k, w in weights.items() if w < 0.5),
            )
        )
    stop = _stop(given)
    if stop:
        return Interview(stop, _engine_off(suspects, {c.key: c.off for c in causes}))
    # Of causes that stand about equal the one that is sooner tested comes first.
    suspects.sort(key=lambda s: (-round(s.share, 1), s.effort, -s.share))
    return Interview(stop, tuple(suspects))


def _engine_off(suspects: list[Suspect], off: Mapping[str, Mapping[str, Any]]) -> tuple[Suspect, ...]:
    """After a stop only checks with the engine off follow: level first, then pickup, then pan; what needs a running
    engine waits."""
    made = []
    for s in suspects:
        check = off[s.key]
        made.append(replace(s, test=check.get("test", _WAITS), effort=check.get("effort", s.effort)))
    return tuple(sorted(made, key=lambda s: (off[s.key].get("rank", len(off)), -s.share)))


def _standing(share: float, of: int, anything: bool) -> str:
    if not anything:
        return "open"
    if share > 0.4:
        return "most likely"
    return "possible" if share > 0.5 / of else "unlikely"


def _stop(given: Mapping[str, str]) -> str:
    if given.get("noise") in ("tick", "knock") or given.get("lamp") == "seconds":
        why = "a lamp that stays on" if given.get("lamp") == "seconds" else "a noise from the bearings or valve gear"
        return (
            f"Stop: with {why} do not drive it. Level first, then the pickup's fit, then the pan; cut the filter open. "
            "The engine builder decides whether it runs again."
        )
    return ""
