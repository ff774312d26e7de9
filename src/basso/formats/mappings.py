"""Mappings the user confirmed: which column is what, remembered for every log of the same shape.

Kept in one small JSON file in the user's data folder; a file that cannot be read counts as empty and is never
overwritten before it was set aside.
"""

from __future__ import annotations

import json
import os
import zlib
from collections.abc import Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, field, replace
from pathlib import Path
from types import MappingProxyType
from typing import TYPE_CHECKING, Any

from basso.errors import InputError
from basso.files import put_whole
from basso.platform.locks import locked

if TYPE_CHECKING:
    from basso.formats.options import ReadOptions

_VERSION = 1


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

    def as_plain(self) -> dict[str, Any]:
        """Plain values for JSON."""
        return {"roles": dict(self.roles), "units": dict(self.units), "ignored": list(self.ignored), "when": self.when}


def shape_of(names: Sequence[str]) -> str:
    """What logs of the same columns share, whatever is in them."""
    text = "\n".join(names).encode()
    return f"{len(names)}-{zlib.crc32(text):08x}{zlib.adler32(text):08x}"


def with_confirmed(options: ReadOptions, known: Confirmed, names: Sequence[str]) -> tuple[ReadOptions, str]:
    """Options with what was confirmed filled in where the user says nothing now; and a note about it."""
    from basso.recording.roles import Role
    from basso.units import UNITS

    said = set(options.roles.values())
    roles = {Role(r): n for r, n in known.roles.items() if r in set(Role) and n in names and n not in said}
    units = {n: UNITS[u] for n, u in known.units.items() if n in names and u in UNITS}
    merged = replace(
        options,
        roles={**roles, **options.roles},
        units={**units, **options.units},
        ignored=options.ignored | (frozenset(known.ignored) - said),
    )
    return merged, f"Columns and units are as you confirmed them for logs of this shape ({known.when})."


class Mappings:
    """The remembered mappings, in one file (default: in the user's data folder)."""

    def __init__(self, file: Path | None = None) -> None:
        own = Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share")
        self._file = file or own / "basso" / "mappings.json"

    def all(self) -> dict[str, Confirmed]:
        """Every mapping by shape; none where the file is missing or damaged."""
        with suppress(OSError, ValueError, KeyError, TypeError, AttributeError, RecursionError):
            plain = json.loads(self._file.read_text(encoding="utf-8"))
            if plain["version"] == _VERSION:
                return {
                    str(shape): Confirmed(dict(m["roles"]), dict(m["units"]), tuple(m["ignored"]), str(m["when"]))
                    for shape, m in plain["mappings"].items()
                }
        return {}

    def remember(self, shape: str, confirmed: Confirmed | None) -> None:
        """Keep a mapping for a shape, or forget it (None).

        Raises:
            InputError: the file cannot be written.
        """
        with locked(self._file):  # another window may be confirming too
            self._remember(shape, confirmed)

    def _remember(self, shape: str, confirmed: Confirmed | None) -> None:
        known = self.all()
        if not known and self._file.exists() and self._file.stat().st_size > 0:
            self._set_aside()
        if confirmed is None:
            known.pop(shape, None)
        else:
            known[shape] = confirmed
        plain = {"version": _VERSION, "mappings": {s: c.as_plain() for s, c in known.items()}}
        try:
            self._file.parent.mkdir(parents=True, exist_ok=True)
            put_whole(self._file, json.dumps(plain, ensure_ascii=False, indent=1).encode())
        except OSError as error:
            raise InputError(
                f"{self._file}: the mapping cannot be kept ({error.strerror}); it holds for this session only."
            ) from None

    def _set_aside(self) -> None:
        with suppress(OSError):
            json_text = self._file.read_text(encoding="utf-8", errors="replace")
            if '"mappings": {}' not in json_text:
                self._file.replace(self._file.with_suffix(".damaged.json"))
