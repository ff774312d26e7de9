"""What kind of file a log is, told from its first bytes. Looking at a few bytes must not cost the load of a reader."""

from __future__ import annotations

import re
import zlib
from collections.abc import Callable
from pathlib import Path
from types import MappingProxyType

CANDUMP = re.compile(rb"^\s*\(\d+\.\d+\)\s+\S+\s+[0-9A-Fa-f]{3,8}(##?[0-9A-Fa-fRr]|\s+\[\d+\])")
ASC = re.compile(rb"(?im)^\s*date\s+\w+.*\n\s*base\s+(hex|dec)|^\s*base\s+(hex|dec)\s+timestamps")
_TRC = re.compile(rb"^;\$?(FILEVERSION|\s*Start time|##+|---)|^\s*\d+\)")
_GZIP = b"\x1f\x8b"
_UTF16 = (b"\xff\xfe", b"\xfe\xff")
ARROW_STREAM = b"\xff\xff\xff\xff"


def is_packed(head: bytes) -> bool:
    """True for a gzip file."""
    return head[:2] == _GZIP


def kind_of(path: Path, head: bytes) -> str | None:
    """Name of the module in :mod:`basso.formats` that reads a file, or None when it is nothing Basso knows.

    Args:
        path: its ending decides only where bytes alone do not.
        head: its first bytes, some ten thousand; a packed file is looked into.
    """
    if is_packed(head):
        try:
            head = zlib.decompressobj(31).decompress(head, 65536)
        except zlib.error:
            return "csv_text"  # which says what is wrong with it
    return next((name for name, fits in _KINDS.items() if fits(path, head)), None)


def _columnar(_: Path, head: bytes) -> bool:
    """The marks at the start of Parquet, Arrow files and streams, and old Feather."""
    return head[:4] in (b"PAR1", b"FEA1", ARROW_STREAM) or head[:6] == b"ARROW1"


def _measurement(_: Path, head: bytes) -> bool:
    """The identification block of a finished or an unfinished measurement file."""
    return head[:3] == b"MDF" or head[:7] == b"UnFinMF"


def _bus(path: Path, head: bytes) -> bool:
    """Candump text in either form, ASC, BLF and TRC."""
    lines = [line for line in head[:4096].splitlines() if line.strip()]
    trc = ".trc" in (s.lower() for s in path.suffixes)
    return (
        head[:4] == b"LOGG"
        or bool(lines and CANDUMP.match(lines[0]))
        or bool(ASC.search(head[:2048]))
        or bool(trc and lines and _TRC.match(lines[0]))
    )


def _text(_: Path, head: bytes) -> bool:
    """Anything that begins as text: no zero bytes in its first lines unless it is UTF-16."""
    return head[:2] in _UTF16 or b"\x00" not in head[:512]


# Most particular first; text comes last, since anything can look like text.
_KINDS: MappingProxyType[str, Callable[[Path, bytes], bool]] = MappingProxyType(
    {"columnar": _columnar, "measurement": _measurement, "bus": _bus, "csv_text": _text}
)
