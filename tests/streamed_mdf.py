"""A measurement file as a logger streams it: the description of the channels first, then the readings, block by block.
The library that the product reads with writes them the other way round."""

from __future__ import annotations

import struct
import zlib
from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

_BEGUN_NS = 1_800_000_000_000_000_000
_HISTORY = (
    b"<FHcomment><TX>run</TX><tool_id>l</tool_id><tool_vendor>l</tool_vendor><tool_version>1</tool_version></FHcomment>"
)


def _block(name: bytes, links: list[int], data: bytes) -> bytes:
    size = 24 + 8 * len(links) + len(data)
    whole = struct.pack("<4sIQQ", name, 0, size, len(links)) + struct.pack(f"<{len(links)}Q", *links) + data
    return whole + bytes(-len(whole) % 8)


def streamed(
    columns: Mapping[str, tuple[str, NDArray[np.float64]]], closed: bool = True, zipped: bool = False
) -> bytes:
    """The bytes of a file of name → (unit, values); the first column is the time. Twelve blocks when ``zipped``."""
    arrays = [values for _, values in columns.values()]
    rows = np.column_stack(arrays).astype("<f8")
    out = bytearray(64)

    def put(block: bytes) -> int:
        out.extend(block)
        return len(out) - len(block)

    def head(group: int, history: int) -> bytes:
        return _block(
            b"##HD", [group, history, 0, 0, 0, 0], struct.pack("<QhhBBBBdd", _BEGUN_NS, 0, 0, 0, 0, 0, 0, 0, 0)
        )

    put(head(0, 0))
    history = put(_block(b"##FH", [0, put(_block(b"##MD", [], _HISTORY + b"\0"))], struct.pack("<QhhB3x", 0, 0, 0, 0)))
    channel = 0
    for i, (name, (unit, _)) in reversed(list(enumerate(columns.items()))):
        named, measured = (put(_block(b"##TX", [], text.encode() + b"\0")) for text in (name, unit))
        kind = (2, 1) if i == 0 else (0, 0)
        what = struct.pack("<BBBBIIIIBBHdddddd", *kind, 4, 0, 8 * i, 64, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0)
        channel = put(_block(b"##CN", [channel, 0, named, 0, 0, 0, measured, 0], what))
    count = rows.shape[0] if closed else 0
    described = struct.pack("<QQHH4xII", 0, count, 0, 0, 8 * rows.shape[1], 0)
    of_rows = put(_block(b"##CG", [0, channel, 0, 0, 0, 0], described))
    group = put(_block(b"##DG", [0, of_rows, len(out) + 64, 0], bytes(8)))
    raw = rows.tobytes()
    if not zipped:
        out.extend(_block(b"##DT", [], raw) if closed else struct.pack("<4sIQQ", b"##DT", 0, 24, 0) + raw)
    else:
        put(_block(b"##HL", [len(out) + 40], struct.pack("<HB5x", 1, 0)))
        step = rows.shape[1] * 8 * -(-rows.shape[0] // 12)
        pieces = [raw[i : i + step] for i in range(0, len(raw), step)]
        for k, piece in enumerate(pieces):
            packed = zlib.compress(piece)
            what = struct.pack("<2sBBIQQ", b"DT", 0, 0, 0, len(piece), len(packed)) + packed
            data = _block(b"##DZ", [], what)
            behind = len(out) + 56 + len(data) if k + 1 < len(pieces) else 0
            out.extend(_block(b"##DL", [behind, len(out) + 56], struct.pack("<B3xIQ", 0, 1, k * step)) + data)
    out[64 : 64 + len(head(0, 0))] = head(group, history)
    flags = 0 if closed else 5
    out[:64] = struct.pack(
        "<8s8s8sHHH30xHH", b"MDF     " if closed else b"UnFinMF ", b"4.10    ", b"logger  ", 0, 0, 410, flags, 0
    )
    return bytes(out)
