"""MDF 4 logs that were never closed or are cut short: the description of the channels stands first, so that the
readings that are there can be told, up to the last whole row."""

from __future__ import annotations

import io
import struct
from typing import IO

_CLOSED, _OPEN = b"MDF     ", b"UnFinMF "
_FLAGS_AT = 60
_ROWS_UNKNOWN = 1
"""Flag of a file that was not closed (ASAM MDF 4): its rows were not counted."""
_DATA_BLOCKS = (b"##DT", b"##DV")
_HEAD = struct.Struct("<4sIQQ")
_MOST_BYTES = 1 << 30


def is_unfinished(file: IO[bytes]) -> bool:
    """True for a log whose logger never closed it, as its first bytes say."""
    file.seek(0)
    head = file.read(len(_OPEN))
    file.seek(0)
    return head == _OPEN


def finished(file: IO[bytes]) -> io.BytesIO | None:
    """A copy whose last block of readings ends where the file does; None for another version of the format.

    Where a block should reach beyond the file's end its length is set to what is there; how many rows that makes the
    library counts, since the copy says that nobody did.
    """
    file.seek(0)
    raw = bytearray(file.read(_MOST_BYTES))
    if len(raw) < _FLAGS_AT + 4 or bytes(raw[: len(_OPEN)]) not in (_CLOSED, _OPEN) or raw[8:9] != b"4":
        return None
    (flags,) = struct.unpack_from("<H", raw, _FLAGS_AT)
    if bytes(raw[: len(_OPEN)]) == _CLOSED:
        flags = 0
    raw[: len(_OPEN)] = _OPEN
    struct.pack_into("<H", raw, _FLAGS_AT, flags | _ROWS_UNKNOWN)
    for name in _DATA_BLOCKS:
        at = raw.find(name)
        while at >= 0:
            if at % 8 == 0 and at + _HEAD.size <= len(raw):
                _, _, length, links = _HEAD.unpack_from(raw, at)
                if links == 0 and at + length > len(raw):
                    struct.pack_into("<Q", raw, at + 8, len(raw) - at)
            at = raw.find(name, at + 1)
    return io.BytesIO(raw)
