"""The guide that ships with Basso: what each station is for and how its figures come about, and how to do the work.

Markdown, so that the window shows the same pages as a text editor does.
"""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

_FOLDER = Path(__file__).parent


@dataclass(frozen=True, slots=True)
class Page:
    """A page: ``key`` names its file, and the station that it is about."""

    key: str
    group: str

    @property
    def text(self) -> str:
        """The page, Markdown."""
        return (_FOLDER / f"{self.key}.md").read_text(encoding="utf-8")

    @property
    def title(self) -> str:
        """Its heading."""
        return self.text.split("\n", 1)[0].removeprefix("# ")


_STATIONS = ("garage", "sensors", "recordings", "normal", "dips", "corners", "sump", "accumulator", "trial", "alarm")
_WORK = ("how-to-log", "first-trial", "which-oil", "calibrate-stick", "measure-pan")

PAGES = (
    *(Page(key, "Stations") for key in _STATIONS),
    *(Page(key, "How to") for key in _WORK),
    *(Page(key, "Look up") for key in ("faq", "glossary")),
)
"""Every page, in the order of the work."""
