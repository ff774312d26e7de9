"""Reading ASAM measurement files (MDF 3 and 4); bus frames inside them are decoded with a database."""

from __future__ import annotations

import gc
import logging
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from basso.errors import Cancelled, FormatError
from basso.formats.assemble import RawColumn, assemble, headings_of
from basso.formats.bus import database_for
from basso.formats.options import ReadOptions
from basso.formats.timebase import repair
from basso.progress import Progress
from basso.recording.recording import Recording

if TYPE_CHECKING:
    from asammdf import MDF

_FRAMES = "CAN_DataFrame"


def recognises(path: Path, head: bytes) -> bool:
    """True for the identification block of a finished or an unfinished measurement file."""
    return head[:3] == b"MDF" or head[:7] == b"UnFinMF"


def read(path: Path, options: ReadOptions, progress: Progress) -> Recording:
    """Read every channel of numbers, each group at its own times."""
    progress(0.0, f"reading {path.name}")
    from asammdf import MDF

    logging.getLogger("asammdf").setLevel(logging.CRITICAL)
    notes: list[str] = []
    hook, tripped = sys.unraisablehook, ""
    # Over a damaged file the library stumbles once more when it lets go of it: that must not reach the user.
    sys.unraisablehook = lambda _: None
    try:
        with path.open("rb") as stream, MDF(stream) as file:
            return _read(path, file, options, notes, progress)
    except (Cancelled, FormatError, MemoryError):
        raise
    except Exception as error:
        # The library tells damage by whatever its parsing trips over.
        tripped = type(error).__name__
    finally:
        if tripped:
            gc.collect()
        sys.unraisablehook = hook
    # Raised outside, so that the library's half-open file does not live on in this error's context.
    raise FormatError(path, f"is damaged or was cut short ({tripped})", "copy it from the logger again")


def _read(path: Path, file: MDF, options: ReadOptions, notes: list[str], progress: Progress) -> Recording:
    kind = f"MDF {file.version}"
    started = file.start_time.replace(tzinfo=None).isoformat(timespec="seconds") if file.start_time.year > 1980 else ""
    columns = _columns(file, notes, progress)
    if any(c.name.startswith(_FRAMES) for g in file.groups for c in g.channels):
        database = database_for(path, options)
        if database is None:
            notes.append("It holds bus frames too; name the database that decodes them with --dbc FILE.")
        else:
            with file.extract_bus_logging({"CAN": [(str(database), 0)]}) as decoded:
                columns += _columns(decoded, notes, progress)
            notes.append(f"Bus frames were decoded with {database.name}.")
    if not columns:
        raise FormatError(path, "holds no channel with two samples or more", "record again, or export another part")
    starts = min(float(c.time_s[0]) for c in columns)
    own: dict[int, np.ndarray[Any, Any]] = {}
    for c in columns:
        c.time_s = own.setdefault(id(c.time_s), c.time_s - starts)
    headings = headings_of(
        [c.heading.name for c in columns], [c.heading.unit.symbol if c.heading.unit else "" for c in columns]
    )
    for column, heading in zip(columns, headings, strict=True):
        column.heading = heading
    return assemble(path, kind, columns, options, notes, {}, started)


def _columns(file: MDF, notes: list[str], progress: Progress) -> list[RawColumn]:
    columns: list[RawColumn] = []
    groups: list[Any] = list(file.groups)
    for number, group in enumerate(groups):
        progress(0.1 + 0.7 * number / len(groups), "reading channel groups")
        master = file.masters_db.get(number)
        wanted = [
            i for i, c in enumerate(group.channels) if i != master and not c.name.startswith((_FRAMES, "LIN_Frame"))
        ]
        columns += _group(file, number, wanted, notes)
    return columns


def _group(file: MDF, number: int, wanted: list[int], notes: list[str]) -> list[RawColumn]:
    """The channels of one group that are numbers; they share their times where the file does."""
    names, units, stamps, values = [], [], [], []
    for index in wanted:
        signal = file.get(group=number, index=index)
        samples = np.asarray(signal.samples)
        if samples.dtype.kind not in "fiub":
            samples = np.asarray(file.get(group=number, index=index, raw=True).samples)
        if samples.ndim != 1 or samples.dtype.kind not in "fiub":
            notes.append(f"Channel '{signal.name}' holds no single numbers and was left out.")
            continue
        if samples.size < 2:
            continue
        names.append(signal.name)
        units.append(signal.unit or "")
        stamps.append(np.asarray(signal.timestamps, dtype=np.float64))
        values.append(samples.astype(np.float64))
    columns: list[RawColumn] = []
    for heading, at, v in zip(headings_of(names, units), stamps, values, strict=True):
        shared = next((c.time_s for c in columns if c.time_s.size == at.size and np.array_equal(c.time_s, at)), None)
        if shared is not None:
            columns.append(RawColumn(heading, shared, v))
            continue
        if not bool(np.all(np.diff(at) > 0)):
            begin = float(at[0])
            at, (v,) = repair(at, [v], notes)
            at = at + begin
        columns.append(RawColumn(heading, at, v))
    return columns
