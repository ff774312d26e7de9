"""Binary logs are read in a confined process of their own; here it is started and its answer taken."""

from __future__ import annotations

import os
import tempfile
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from basso.errors import FormatError
from basso.formats.kept_form import load
from basso.formats.options import ReadOptions, database_for, options_as_plain
from basso.limits import MOST_BINARY_BYTES, READING_MEMORY_BYTES, SPLIT, seconds_for
from basso.platform.child import Bounds, ChildError, run_child
from basso.progress import Progress

if TYPE_CHECKING:
    from basso.recording.recording import Recording

_WITH_DATABASE = ("bus", "measurement")
_WHY = {
    "time": (
        "takes far longer to read than a sound file of its size",
        "copy it from the logger again, or export it as CSV",
    ),
    "memory": ("asks for more memory than a log can need", SPLIT),
    "died": ("is damaged or was cut short", "copy it from the logger again"),
}


def read_isolated(path: Path, kind: str, packed: bool, options: ReadOptions, progress: Progress) -> Recording:
    """Read a log with the reader ``kind`` in a process of its own.

    Raises:
        FormatError: it cannot be read; whatever became of the process, this one goes on.
    """
    size = path.stat().st_size
    if kind in _WITH_DATABASE:
        options = replace(options, database=database_for(path, options))
    request = {
        "path": os.fsdecode(path.absolute()),
        "kind": kind,
        "packed": packed,
        "options": options_as_plain(options),
    }
    bounds = Bounds(READING_MEMORY_BYTES, seconds_for(size), 2 * MOST_BINARY_BYTES)

    def heard(told: dict[str, Any]) -> None:
        if "progress" in told:
            progress(float(told["progress"]), str(told.get("what", "")))

    progress(0.0, f"reading {path.name}")
    with tempfile.TemporaryDirectory(prefix="basso-") as name:
        try:
            answer = run_child("basso.formats.reading_child", Path(name), request, bounds, heard)
            if "wrong" in answer:
                about, what, remedy, where = answer["wrong"]
                about = path if Path(about) == path.absolute() else Path(about)
                raise FormatError(about, what, remedy, where)
            return load(Path(name), path, answer["kept"])
        except ChildError as error:
            what, remedy = _WHY[error.why]
            raise FormatError(path, f"{what}{f' ({error.detail})' if error.detail else ''}", remedy) from None
        except OSError as error:
            raise FormatError(
                path, f"cannot be read ({error.strerror})", "free the disk of the temporary files"
            ) from None
        except (ValueError, TypeError, KeyError, IndexError):
            raise FormatError(path, *_WHY["died"]) from None
