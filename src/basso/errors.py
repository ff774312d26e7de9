"""The family of errors a user can cause and repair.

Every one of them is a single clear sentence that says what is wrong, where, and what to do about it.
The command line prints it and exits with 2; the window shows it; neither shows a traceback.

::

    BassoError
    ├── InputError        a file, a value or an option that cannot be used
    │   └── FormatError   a file that cannot be read as a recording
    └── Cancelled         the user stopped the work (not a fault)
"""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from pathlib import Path


class BassoError(Exception):
    """Base of every error that is reported to the user as one sentence."""


class InputError(BassoError):
    """Something the user handed in cannot be used."""


class FormatError(InputError):
    """A file cannot be read as a recording.

    Args:
        path: the file.
        what: what is wrong, in words that follow "file: " ("is empty").
        remedy: what the user can do.
        where: the row, column or byte, when known ("row 12, column 'Oil P'").
    """

    def __init__(self, path: Path | str, what: str, remedy: str, where: str | None = None) -> None:
        # What a sentence takes is loaded when there is one to write: ``import basso`` brings this module.
        from pathlib import Path

        from basso.plain_text import spelled_out

        self.path = Path(path)
        self.what = what
        self.remedy = remedy
        self.where = where
        place = f", {where}" if where else ""
        super().__init__(spelled_out(f"{self.path}{place}: {what}; {remedy}."))

    def about(self, path: Path) -> FormatError:
        """The same, said of the file that the user named rather than of a copy made of it."""
        return FormatError(path, self.what, self.remedy, self.where)


class Cancelled(BassoError):
    """The user cancelled the running work."""

    def __init__(self) -> None:
        super().__init__("Cancelled.")
