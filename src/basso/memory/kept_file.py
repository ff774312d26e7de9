"""One small JSON file that is remembered from start to start: versioned, brought up one step at a time, written whole.

A file that cannot be read counts as empty and is set aside at the next writing, not overwritten. One that a newer Basso
wrote counts as empty too, and is left as it is.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping, Sequence
from contextlib import AbstractContextManager, nullcontext, suppress
from pathlib import Path
from typing import Any, Literal

from basso.errors import InputError
from basso.files import put_whole
from basso.platform.locks import locked

Upgrade = Callable[[dict[str, Any]], dict[str, Any]]
State = Literal["missing", "sound", "damaged", "newer"]


class KeptFile:
    """A table of plain values under one name in a file.

    Args:
        file: where it lies; None keeps nothing and finds nothing.
        rows: the name of the table in the file.
        empty: what stands there before anything does: {} or [].
        steps: the first brings version 1 up to 2, the next 2 up to 3; today's version follows from their number.
    """

    def __init__(self, file: Path | None, rows: str, empty: type = dict, steps: Sequence[Upgrade] = ()) -> None:
        self.file, self._rows, self._empty, self._steps = file, rows, empty, tuple(steps)
        self._version = len(self._steps) + 1

    def read(self) -> Any:
        """The table as it is kept, brought up to today's version; empty where there is none that can be read."""
        state, plain = self._look()
        return plain[self._rows] if state == "sound" else self._empty()

    @property
    def state(self) -> State:
        """Whether there is a file, and whether it can be read."""
        return self._look()[0]

    def alone(self) -> AbstractContextManager[None]:
        """Nobody else reads and rewrites the file meanwhile: another window may be at it too."""
        return nullcontext() if self.file is None else locked(self.file)

    def write(self, rows: Mapping[str, Any] | Sequence[Any], remedy: str) -> None:
        """Put a table in the file's place.

        Raises:
            InputError: it cannot be written (``remedy`` ends the sentence), or a newer Basso wrote what is there.
        """
        if self.file is None:
            return
        text = json.dumps({"version": self._version, self._rows: rows}, ensure_ascii=False, indent=1)
        state = self.state
        if state == "newer":
            raise InputError(
                f"{self.file}: a newer Basso wrote it and this one would lose what is in it; update Basso."
            )
        try:
            self.file.parent.mkdir(parents=True, exist_ok=True)
            if state == "damaged":
                self.file.replace(self.file.with_suffix(".damaged.json"))
            put_whole(self.file, text.encode())
        except OSError as error:
            raise InputError(f"{self.file}: cannot be written ({error.strerror}); {remedy}") from None

    def _look(self) -> tuple[State, dict[str, Any]]:
        if self.file is None:
            return "missing", {}
        try:
            text = self.file.read_text(encoding="utf-8")
        except FileNotFoundError:
            return "missing", {}
        except (OSError, ValueError):
            return "damaged", {}
        with suppress(ValueError, RecursionError, TypeError, KeyError, AttributeError):
            plain = json.loads(text)
            version = plain["version"]
            if isinstance(version, int) and version > self._version:
                return "newer", {}
            if isinstance(version, int) and version >= 1:
                for step in self._steps[version - 1 :]:
                    plain = step(plain)
                if isinstance(plain[self._rows], self._empty):
                    return "sound", plain
        return "damaged", {}
