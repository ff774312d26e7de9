"""Gzip files, unpacked in steps and within bounds: a small file must not fill the memory or the disk."""

from __future__ import annotations

import gzip
import os
import zlib
from collections.abc import Iterator
from pathlib import Path
from typing import IO

from basso.errors import FormatError
from basso.files import open_plain
from basso.limits import FREE_UNPACKED_BYTES, MOST_UNPACKED_RATIO, SPLIT

_PIECE_BYTES = 1 << 20


def unpack(path: Path, target: Path, most: int) -> None:
    """Unpack a gzip file into another.

    Raises:
        FormatError: it is damaged, or unpacks to more than ``most`` bytes or out of all proportion.
    """
    with open_plain(path) as packed, target.open("wb") as out:
        for piece in unpacked(path, packed, os.fstat(packed.fileno()).st_size, most):
            out.write(piece)


def unpacked(path: Path, packed: IO[bytes], size: int, most: int) -> Iterator[bytes]:
    """The pieces of a gzip stream of ``size`` bytes; raises as :func:`unpack`."""
    total = 0
    try:
        with gzip.GzipFile(fileobj=packed) as stream:
            while piece := stream.read(_PIECE_BYTES):
                total += len(piece)
                if total > most:
                    raise FormatError(path, f"unpacks to more than {most // 1_000_000} MB", SPLIT)
                if total > FREE_UNPACKED_BYTES and total > MOST_UNPACKED_RATIO * size:
                    raise FormatError(
                        path,
                        f"unpacks to more than {MOST_UNPACKED_RATIO} times its size, as no log does",
                        "unpack it yourself if you trust it",
                    )
                yield piece
    except (OSError, EOFError, zlib.error):
        raise FormatError(path, "is a damaged gzip file", "copy it from the logger again") from None
