"""Columns the user confirmed: which is what, remembered for every log of the same shape."""

from __future__ import annotations

import zlib
from collections.abc import Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, field
from pathlib import Path
from types import MappingProxyType
from typing import Any

from basso.memory.kept_file import KeptFile


@dataclass(frozen=True, slots=True)
class Confirmed:
    """What the columns of logs of one shape are.

    Attributes:
        roles: role → column name.
        units: column name → unit symbol.
        ignored: columns that mean nothing.
        when: the day it was confirmed, ISO.
    """

    roles: Mapping[str, str] = field(default_factory=lambda: MappingProxyType({}))
    units: Mapping[str, str] = field(default_factory=lambda: MappingProxyType({}))
    ignored: tuple[str, ...] = ()
    when: str = ""

    @classmethod
    def from_plain(cls, plain: Any) -> Confirmed:
        """Back from JSON; raises ValueError, TypeError, AttributeError or KeyError where it is something else."""
        return cls(dict(plain["roles"]), dict(plain["units"]), tuple(plain["ignored"]), str(plain["when"]))

    def as_plain(self) -> dict[str, Any]:
        """Plain values for JSON."""
        return {"roles": dict(self.roles), "units": dict(self.units), "ignored": list(self.ignored), "when": self.when}


def shape_of(names: Sequence[str]) -> str:
    """What logs of the same columns share, whatever is in them."""
    text = "\n".join(names).encode()
    return f"{len(names)}-{zlib.crc32(text):08x}{zlib.adler32(text):08x}"


class Columns:
    """What was confirmed, by shape of log. ``file`` None: nothing is, and nothing will be."""

    def __init__(self, file: Path | None = None) -> None:
        self._kept = KeptFile(file, "mappings")

    def all(self) -> dict[str, Confirmed]:
        """Everything confirmed; nothing where the file is missing or damaged."""
        found = {}
        for shape, plain in self._kept.read().items():
            with suppress(ValueError, KeyError, TypeError, AttributeError):
                found[str(shape)] = Confirmed.from_plain(plain)
        return found

    def remember(self, shape: str, confirmed: Confirmed | None) -> None:
        """Keep what was confirmed for a shape, or forget it (None).

        Raises:
            InputError: the file cannot be written.
        """
        with self._kept.alone():
            kept = dict(self._kept.read())
            if confirmed is None:
                kept.pop(shape, None)
            else:
                kept[shape] = confirmed.as_plain()
            self._kept.write(kept, "what was confirmed holds until Basso is closed.")
