"""The user's own catalogue of parts: what is on the shelf, at what cost, how soon. Without one the parts that ship are
used."""

from __future__ import annotations

import math
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from basso.errors import InputError
from basso.fitting.planner import Part, shipped_parts
from basso.fitting.threads import parse_end
from basso.memory.kept_file import KeptFile


class Parts:
    """The catalogue in use. ``file`` None: the one that ships, and nothing is kept."""

    def __init__(self, file: Path | None = None) -> None:
        self._kept = KeptFile(file, "parts", list)

    def in_use(self) -> tuple[Part, ...]:
        """The user's catalogue, or the one that ships where there is none.

        Raises:
            InputError: it cannot be read; the sentence names the place in it.
        """
        file, state = self._kept.file, self._kept.state
        if file is None or state == "missing":
            return shipped_parts()
        if state == "newer":
            raise InputError(f"{file}: a newer Basso wrote it; update Basso, or remove it to use the parts that ship.")
        if state == "damaged":
            raise InputError(
                f"{file}: is no catalogue of parts that can be read; put a copy back, or remove it to "
                "use the parts that ship."
            )
        return tuple(_part(file, i, row) for i, row in enumerate(self._kept.read(), 1))

    def keep(self, parts: Sequence[Part]) -> None:
        """Keep a catalogue; the one that ships, unchanged, needs no file.

        Raises:
            InputError: it cannot be written.
        """
        file = self._kept.file
        if file is None:
            return
        with self._kept.alone():
            if tuple(parts) == shipped_parts():
                try:
                    file.unlink(missing_ok=True)
                except OSError as error:
                    raise InputError(f"{file}: cannot be removed ({error.strerror}); free the folder.") from None
                return
            try:
                self.in_use()
            except InputError:
                if self._kept.state == "sound":  # rows that cannot be read: nothing of them is lost
                    file.replace(file.with_suffix(".damaged.json"))
            rows = [
                {
                    "name": p.name,
                    "ends": [str(e) for e in p.ends],
                    "length_mm": p.length_mm,
                    "line": p.line,
                    "bore_mm": p.bore_mm,
                    "cost": p.cost,
                    "lead_days": p.lead_days,
                }
                for p in parts
            ]
            self._kept.write(rows, "free the disk or the folder.")


def _part(file: Path, number: int, row: Any) -> Part:
    try:
        return made_part(
            str(row["name"]),
            [str(e) for e in row["ends"]],
            float(row["length_mm"]),
            _number(row.get("bore_mm")),
            _number(row.get("cost")),
            _number(row.get("lead_days")),
            bool(row.get("line")),
        )
    except InputError as error:
        raise InputError(f"{file}, part {number}: {error}") from None
    except (KeyError, TypeError, ValueError, AttributeError):
        raise InputError(f"{file}, part {number}: needs name, ends and length_mm; correct it.") from None


def _number(value: object) -> float | None:
    return None if value is None else float(str(value))


def made_part(
    name: str,
    ends: Sequence[str],
    length_mm: float,
    bore_mm: float | None = None,
    cost: float | None = None,
    lead_days: float | None = None,
    line: bool | None = None,
) -> Part:
    """A part from what was written.

    Args:
        ends: two, or three of a tee ("male 1/8 NPT").
        line: flexible; where not said, what has a bore is.

    Raises:
        InputError: an end that is not known, not two or three of them, no name, or a number that cannot be.
    """
    if not name.strip():
        raise InputError("A part needs a name.")
    if len(ends) not in (2, 3):
        raise InputError(f"{name}: has {len(ends)} ends; a part has two, a tee three.")
    for what, value in (("length", length_mm), ("bore", bore_mm), ("cost", cost), ("days", lead_days)):
        if value is not None and not (math.isfinite(value) and 0 <= value < 1e5):
            raise InputError(f"{name}: the {what} cannot be {value:g}; correct it.")
    flexible = bore_mm is not None if line is None else line
    return Part(name.strip(), tuple(parse_end(e) for e in ends), length_mm, flexible, bore_mm, cost, lead_days)
