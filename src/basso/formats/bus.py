"""Reading bus logs (candump text, ASC, BLF, TRC), decoded with a database.

A library reads the frames (:mod:`basso.formats.frames`) and the database (:mod:`basso.formats.database`).
"""

from __future__ import annotations

from pathlib import Path

import numpy as np

from basso.errors import FormatError
from basso.formats.assemble import RawColumn, assemble, headings_of
from basso.formats.database import decode, in_order
from basso.formats.frames import Frames, Key, read_frames
from basso.formats.options import ReadOptions, database_for
from basso.formats.reader_notes import ReaderNotes
from basso.formats.rows import epoch_start
from basso.progress import Progress, silent
from basso.recording.recording import Recording


def read(path: Path, options: ReadOptions, progress: Progress) -> Recording:
    """Read the frames and decode them; without a database the raw bytes become the channels.

    Raises:
        FormatError: it holds no frame with data.
    """
    progress(0.0, f"reading {path.name}")
    database_file = database_for(path, options)
    notes = ReaderNotes()
    frames, kind = read_frames(path, notes, progress)
    if not frames:
        raise FormatError(path, "holds no bus frames with data", "record again, or check that this is the right file")
    return decoded(path, kind, frames, database_file, options, notes, progress)


def decoded(
    path: Path,
    kind: str,
    frames: dict[Key, Frames],
    database_file: Path | None,
    options: ReadOptions,
    notes: ReaderNotes,
    progress: Progress = silent,
) -> Recording:
    """A recording of frames, whether they come from a file or from the bus itself.

    Raises:
        FormatError: the database cannot be used, or describes none of the frames.
    """
    first = min(f.stamps[0] for f in frames.values())
    progress(0.7, f"decoding {path.name}")
    if database_file is None:
        notes.append(
            f"No database was given, so the {len(frames)} identifiers are shown byte by byte; name one "
            "with --dbc FILE, "
            "or put it beside the log."
        )
        columns = [c for key, f in sorted(frames.items())[:_MOST_RAW] for c in _raw(key, f, first, notes)]
    else:
        columns = decode(database_file, path, frames, first, notes, progress)
    headings = headings_of(
        [c.heading.name for c in columns], [c.heading.unit.symbol if c.heading.unit else "" for c in columns]
    )
    for column, heading in zip(columns, headings, strict=True):
        column.heading = heading
    if all(c.time_s.size < 2 for c in columns):
        notes.append("No identifier was seen more than once; there is nothing to judge in it.")
    return assemble(path, kind, columns, options, notes, {}, epoch_start(first))


_MOST_RAW = 500
"""Identifiers shown byte by byte; damage makes up thousands."""


def _raw(key: Key, frames: Frames, first: float, notes: list[str]) -> list[RawColumn]:
    stamps, data, lengths = frames.table(first)
    values = [np.where(lengths > i, data[:, i].astype(np.float64), np.nan) for i in range(data.shape[1])]
    stamps, values = in_order(stamps, values, notes)
    names = [f"id {key[0]:X} byte {i}" for i in range(len(values))]
    return [RawColumn(h, stamps, v) for h, v in zip(headings_of(names, None), values, strict=True)]
