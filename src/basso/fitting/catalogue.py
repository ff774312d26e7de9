"""The user's own catalogue of parts: what is on the shelf, at what cost, how soon; one small JSON file.

Without one the parts that ship are used. One that cannot be read is set aside by the next edit, not overwritten.
"""

from __future__ import annotations

import json
import math
import os
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from basso.errors import InputError
from basso.files import put_whole
from basso.fitting.planner import Part, shipped_parts
from basso.fitting.threads import parse_end

_VERSION = 1


def own_file() -> Path:
    """Where the user's catalogue is kept."""
    own = Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share")
    return own / "basso" / "parts.json"


def parts_in_use(file: Path | None = None) -> tuple[Part, ...]:
    """The user's catalogue, or the one that ships where there is none.

    Raises:
        InputError: it cannot be read; the sentence names the place in it.
    """
    file = file or own_file()
    try:
        text = file.read_text(encoding="utf-8")
    except FileNotFoundError:
        return shipped_parts()
    except (OSError, ValueError):
        raise InputError(f"{file}: cannot be read; put a copy back, or remove it to use the parts that ship.") from None
    try:
        kept = json.loads(text)
        rows = kept["parts"] if kept["version"] == _VERSION else None
    except (ValueError, KeyError, TypeError):
        rows = None
    if not isinstance(rows, list):
        raise InputError(f"{file}: is no catalogue of parts; put a copy back, or remove it to use the parts that ship.")
    return tuple(_part(file, i, row) for i, row in enumerate(rows, 1))


def _part(file: Path, number: int, row: Any) -> Part:
    try:
        return made_part(
            str(row["name"]), [str(e) for e in row["ends"]], float(row["length_mm"]), _number(row.get("bore_mm")), _number(row.get("cost")),
            _number(row.get("lead_days")), bool(row.get("line")),
        )  # fmt: skip
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


def keep_parts(parts: Sequence[Part], file: Path | None = None) -> None:
    """Keep a catalogue; the one that ships, unchanged, needs no file.

    Raises:
        InputError: it cannot be written.
    """
    file = file or own_file()
    try:
        if tuple(parts) == shipped_parts():
            file.unlink(missing_ok=True)
            return
        try:
            parts_in_use(file)
        except InputError:
            file.replace(file.with_suffix(".damaged.json"))
        file.parent.mkdir(parents=True, exist_ok=True)
        rows = [
            {
                "name": p.name, "ends": [str(e) for e in p.ends], "length_mm": p.length_mm, "line": p.line, "bore_mm": p.bore_mm,
                "cost": p.cost, "lead_days": p.lead_days,
            }
            for p in parts
        ]  # fmt: skip
        put_whole(file, json.dumps({"version": _VERSION, "parts": rows}, ensure_ascii=False, indent=1).encode())
    except OSError as error:
        raise InputError(f"{file}: cannot be written ({error.strerror}); free the disk or the folder.") from None
