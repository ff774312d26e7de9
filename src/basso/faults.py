"""Faults of Basso's own: kept with their traceback in one small file, so that a report of one can be acted on."""

from __future__ import annotations

import traceback
from datetime import datetime
from pathlib import Path

from basso.platform.folders import state_folder

_MOST_BYTES = 1_000_000


def fault_file() -> Path:
    """Where faults are written down."""
    return state_folder() / "faults.log"


def note_fault(doing: str, error: BaseException) -> str:
    """Write a fault down; one sentence for the user that says where. Never raises."""
    words = f"{doing} failed ({type(error).__name__}: {str(error)[:200]}); nothing of yours was changed."
    file = fault_file()
    try:
        file.parent.mkdir(parents=True, exist_ok=True)
        if file.exists() and file.stat().st_size > _MOST_BYTES:
            file.replace(file.with_suffix(".old.log"))
        with file.open("a", encoding="utf-8", errors="backslashreplace") as out:
            out.write(f"{datetime.now().isoformat(timespec='seconds')} {doing}\n")
            out.write("".join(traceback.format_exception(error)))
    except OSError:
        return f"{words} Please report it."
    return f"{words} Please report it with {file}."
