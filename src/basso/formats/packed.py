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
CUT_GZIP = "the gzip file is cut short"
"""Why a log out of one ends early."""
_AGAIN = "copy it from the logger again"


def unpack(path: Path, target: Path, most: int) -> bool:
    """Unpack a gzip file into another; False where it is cut short and only its first part could be unpacked.

    Raises:
        FormatError: it is damaged, or unpacks to more than ``most`` bytes or out of all proportion.
    """
    with open_plain(path) as packed, target.open("wb") as out:
        whole: list[bool] = []
        for piece in unpacked(path, packed, os.fstat(packed.fileno()).st_size, most, whole):
            out.write(piece)
    return bool(whole)


def unpacked(path: Path, packed: IO[bytes], size: int, most: int, whole: list[bool]) -> Iterator[bytes]:
    """The pieces of a gzip stream of ``size`` bytes; raises as :func:`unpack`.

    ``whole`` is added to when the stream came to its proper end. What comes out of one that was cut short is as it was
    written; of one with a wrong checksum any byte may be false, and nothing of it is given out as sound.
    """
    total = 0
    try:
        with gzip.GzipFile(fileobj=packed) as stream:
            # One step of the unpacker at a time: a longer read would lose what came before the cut.
            while piece := stream.read1(_PIECE_BYTES):
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
        whole.append(True)
    except EOFError:
        if not total:
            raise FormatError(path, "is a gzip file cut short at its start", _AGAIN) from None
    except (OSError, zlib.error):
        raise FormatError(path, "is a damaged gzip file, in which any reading may be false", _AGAIN) from None
