"""The terminal: characters it cannot show, documents on standard output, progress on a line that goes again."""

from __future__ import annotations

import codecs
import sys
import time
import unicodedata
from collections.abc import Callable
from typing import TYPE_CHECKING, TextIO

from basso.errors import InputError
from basso.plain_text import spelled_out
from basso.progress import Progress, silent

if TYPE_CHECKING:
    from basso.report.documents import Document

_SPELLED = {
    "−": "-",
    "–": "-",
    "—": "-",
    "°": "deg",
    "±": "+/-",
    "×": "x",
    "÷": "/",
    "·": ".",
    "²": "2",
    "³": "3",
    "→": "->",
    "≤": "<=",
    "≥": ">=",
    "≈": "~",
    "“": '"',
    "”": '"',
    "‘": "'",
    "’": "'",
    "•": "*",
    "µ": "u",
    "Δ": "d",
}
_FIRST_TOLD_S = 1.0
_BETWEEN_S = 0.2


def speak_plainly(*streams: TextIO) -> None:
    """Characters that a terminal of another encoding does not have are spelled: "−0.8 g at 97 °C" is "-0.8 g at 97
    degC" there. A minus sign must never become a question mark."""
    codecs.register_error("basso.spelled", _spelled)
    for stream in streams:
        again = getattr(stream, "reconfigure", None)
        if again is not None:
            again(errors="basso.spelled")


def _spelled(error: UnicodeError) -> tuple[str, int]:
    if not isinstance(error, UnicodeEncodeError):
        raise error
    return "".join(map(_in_plain, error.object[error.start : error.end])), error.end


def _in_plain(letter: str) -> str:
    """A letter in ASCII; what has no spelling is an escape, so that it can still be told which it was."""
    if letter in _SPELLED:
        return _SPELLED[letter]
    bare = unicodedata.normalize("NFKD", letter).encode("ascii", "ignore").decode("ascii")
    return bare or (" " if letter.isspace() else letter.encode("unicode_escape").decode("ascii"))


def print_document(document: Document | list[Document]) -> None:
    """One JSON document on standard output; as escapes where its encoding is not UTF-8, so that no name changes."""
    from basso.report.documents import dump

    encoding = codecs.lookup(getattr(sys.stdout, "encoding", None) or "utf-8").name
    print(dump(document, ascii_only=encoding != "utf-8"))


def progress_on(stream: TextIO, clock: Callable[[], float] = time.monotonic) -> Progress:
    """Progress on one line of a terminal, for work that takes more than a second; nothing where nobody looks."""
    if not stream.isatty():
        return silent
    began = last = clock()

    def tell(fraction: float, what: str) -> None:
        nonlocal last
        now = clock()
        if now - began < _FIRST_TOLD_S or now - last < _BETWEEN_S:
            return
        last = now
        stream.write(f"\r\x1b[K{spelled_out(what)} … {fraction:.0%}")
        stream.flush()

    return tell


def wipe(stream: TextIO) -> None:
    """Take the line of progress away, where there may be one."""
    if stream.isatty():
        stream.write("\r\x1b[K")
        stream.flush()


def ask_over(name: str) -> None:
    """Ask before a file is written over.

    Raises:
        InputError: the answer is no, or there is nobody to ask.
    """
    if sys.stdin.isatty() and sys.stderr.isatty():
        print(f"{spelled_out(name)} exists. Write over it? [y/N] ", end="", file=sys.stderr, flush=True)
        if sys.stdin.readline().strip().lower() in ("y", "yes"):
            return
    raise InputError(f"{name}: exists and was left as it was; name another file, or add --force to write over it.")
