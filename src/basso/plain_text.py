"""Text out of a file as it may be shown: no control characters, no direction marks, no broken halves of characters.

A terminal takes control characters for commands, a label is torn by line ends, and marks that turn the direction of
writing make a name look like another.
"""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterable, Sequence

# C0 and C1 controls, line and paragraph separators, marks of direction, zero-width characters, lone surrogates, tags.
_UNSEEN = re.compile(
    "[\x00-\x1f\x7f-\x9f\u061c\u200b-\u200f\u2028-\u202e\u2060-\u206f\ufeff\ufff9-\ufffb\ud800-\udfff\U000e0000-\U000e007f]"
)
_UNSEEN_IN_LINES = re.compile(_UNSEEN.pattern.replace("[\x00-\x1f", "[\x00-\x08\x0b-\x1f"))


def plain(text: str, longest: int | None = None) -> str:
    """One line of text: what cannot be seen becomes a blank, and beyond ``longest`` characters it ends in "…"."""
    clean = _UNSEEN.sub(" ", text) if _UNSEEN.search(text) else text
    return clean if longest is None or len(clean) <= longest else clean[: longest - 1] + "…"


def plain_lines(text: str) -> str:
    """The same for text that may have several lines and tabs."""
    return _UNSEEN_IN_LINES.sub(" ", text) if _UNSEEN_IN_LINES.search(text) else text


def has_unseen(text: str) -> bool:
    """True for a name that holds what cannot be seen."""
    return bool(_UNSEEN.search(text))


def spelled_out(text: str) -> str:
    """What cannot be seen, spelled as an escape: for naming a file whose name holds it."""
    return _UNSEEN.sub(lambda m: m[0].encode("unicode_escape").decode("ascii"), text)


def as_cell(text: str) -> str:
    """Text for a cell of a table that a spreadsheet may open: what would be a formula there stays text.

    A number, with a sign, a unit or a range behind it, is left as it is.
    """
    starts = text.lstrip("\t\r\n ")[:1]
    return f"'{text}" if starts and starts in "=+@-" and not _HARMLESS.match(text) else text


def out_of_cell(text: str) -> str:
    """The text behind :func:`as_cell`."""
    return text[1:] if text[:1] == "'" and text[1:2] in ("=", "+", "@", "-") else text


_HARMLESS = re.compile(r"\s*[+-]?\d[\d.,\s]*[A-Za-z%°/·²³±–;:\s\d.,-]*(\s\([^()\"'|!=@]*\))?\s*$|-+$")


def separated(rows: Iterable[Sequence[object]], separator: str = ",") -> str:
    """A table as separated text for spreadsheets and other programs: plain digits, and no cell that acts."""
    out = io.StringIO()
    writer = csv.writer(out, delimiter=separator, lineterminator="\n")
    for row in rows:
        writer.writerow([as_cell(c.replace("\u2009", "").replace("−", "-")) if isinstance(c, str) else c for c in row])
    return out.getvalue()
