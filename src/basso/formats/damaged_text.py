"""Text with a stretch of something else in it, as after a power loss or from a bad card: the stretch goes, the rest is
read and the loss is told."""

from __future__ import annotations

from pathlib import Path

from basso.errors import FormatError
from basso.formats.reader_notes import ReaderNotes

_NO_TEXT = bytes(c for c in range(32) if c not in b"\t\n\v\f\r\x1a") + b"\x7f"
_NEAR_BYTES = 8192
"""What looks like text between two damaged places closer than this is damage too."""
_MOST_SHARE = 0.5
_HEAD_ROWS = 3


def without_binary(path: Path, raw: bytes, notes: ReaderNotes) -> bytes:
    """The text without the rows around bytes that no text holds.

    Raises:
        FormatError: the heading or most of the file is damaged.
    """
    import numpy as np

    bad = np.zeros(256, dtype=bool)
    bad[list(_NO_TEXT)] = True
    places = np.flatnonzero(bad[np.frombuffer(raw, dtype=np.uint8)])
    breaks = np.flatnonzero(np.diff(places) > _NEAR_BYTES)
    firsts = places[np.concatenate([[0], breaks + 1])].tolist()
    lasts = places[np.concatenate([breaks, [places.size - 1]])].tolist()
    stretches = [(raw.rfind(b"\n", 0, a) + 1, _line_end(raw, b)) for a, b in zip(firsts, lasts, strict=True)]
    lost = sum(b - a for a, b in stretches)
    row = raw.count(b"\n", 0, firsts[0]) + 1
    if lost > _MOST_SHARE * len(raw) or row <= _HEAD_ROWS:
        raise FormatError(
            path,
            "holds zero bytes and others that are no text, as after a power loss while writing",
            "export it again, or copy it from the logger again",
            f"row {row}",
        )
    kept, at = [], 0
    for start, end in stretches:
        kept.append(raw[at:start])
        at = end
    kept.append(raw[at:])
    middle = [s for s in stretches if s[1] < len(raw)]
    if len(middle) < len(stretches):
        last_row = raw.count(b"\n", 0, stretches[-1][0]) + 1
        notes.broken_off = f"from row {last_row:,} on the file holds no text"
    if middle:
        notes.damaged_rows = row
        more = f" and {len(middle) - 1} more places" if len(middle) > 1 else ""
        notes.lose(
            f"{sum(b - a for a, b in middle):,} bytes of the file, from row {row:,} on{more}, are no text, as after a "
            "power loss; they were left out and their part of the drive is missing."
        )
    return b"".join(kept)


def _line_end(raw: bytes, at: int) -> int:
    """Behind the end of the line that holds a byte."""
    end = raw.find(b"\n", at)
    return len(raw) if end < 0 else end + 1
