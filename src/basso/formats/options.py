"""What the user says about a file beyond what it says itself. Needs no NumPy: options are there before any log is."""

from __future__ import annotations

import os
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path
from types import MappingProxyType
from typing import TYPE_CHECKING, Any

from basso.errors import InputError
from basso.files import is_plain_file, open_plain

if TYPE_CHECKING:
    from basso.memory.columns import Confirmed
    from basso.recording.roles import Role
    from basso.units import Unit


DATABASE_KINDS = ("dbc", "kcd", "sym", "arxml")
"""Kinds of bus databases, by their endings; nothing else is opened as one."""


@dataclass(frozen=True, slots=True)
class ReadOptions:
    """What the user says about a file beyond what it says itself.

    Attributes:
        roles: role → column name.
        units: column name → unit.
        ignored: columns that mean nothing, whatever their name.
        rate_hz: rows a second, for a log without (usable) time stamps.
        database: the bus database (DBC) that decodes a bus log, else one beside it is used.
        confirmed: what the user confirmed earlier, by shape of log; what is said above goes before it.
    """

    roles: Mapping[Role, str] = field(default_factory=lambda: MappingProxyType({}))
    units: Mapping[str, Unit] = field(default_factory=lambda: MappingProxyType({}))
    ignored: frozenset[str] = frozenset()
    rate_hz: float | None = None
    database: Path | None = None
    confirmed: Mapping[str, Confirmed] = field(default_factory=lambda: MappingProxyType({}))

    def with_confirmed(self, known: Confirmed, names: Sequence[str]) -> ReadOptions:
        """What was confirmed, filled in where nothing is said now; ``names``: the columns there are."""
        from basso.recording.roles import Role
        from basso.units import UNITS

        said = set(self.roles.values())
        roles = {Role(r): n for r, n in known.roles.items() if r in set(Role) and n in names and n not in said}
        units = {n: UNITS[u] for n, u in known.units.items() if n in names and u in UNITS}
        return replace(
            self,
            roles={**roles, **self.roles},
            units={**units, **self.units},
            ignored=self.ignored | (frozenset(known.ignored) - said),
        )


def options_as_plain(options: ReadOptions) -> dict[str, Any]:
    """Plain values for another process."""
    return {
        "roles": {r.value: n for r, n in options.roles.items()},
        "units": {n: u.symbol for n, u in options.units.items()},
        "ignored": sorted(options.ignored),
        "rate": options.rate_hz,
        "database": None if options.database is None else os.fsdecode(options.database.absolute()),
        "confirmed": {shape: c.as_plain() for shape, c in options.confirmed.items()},
    }


def options_from_plain(plain: dict[str, Any]) -> ReadOptions:
    """Back from what :func:`options_as_plain` gave."""
    from basso.memory.columns import Confirmed
    from basso.recording.roles import Role
    from basso.units import UNITS

    return ReadOptions(
        roles={Role(r): n for r, n in plain["roles"].items()},
        units={n: UNITS[u] for n, u in plain["units"].items()},
        ignored=frozenset(plain["ignored"]),
        rate_hz=plain["rate"],
        database=None if plain["database"] is None else Path(plain["database"]),
        confirmed={
            shape: Confirmed(dict(m["roles"]), dict(m["units"]), tuple(m["ignored"]), str(m["when"]))
            for shape, m in plain["confirmed"].items()
        },
    )


def databases_beside(path: Path) -> list[Path]:
    """Bus databases in a log's folder, by name alone: a folder may hold thousands of logs. Raises OSError."""
    endings = tuple(f".{kind}" for kind in DATABASE_KINDS)
    found = [path.parent / n for n in sorted(os.listdir(path.parent)) if n.lower().endswith(endings)]  # noqa: PTH208
    return [p for p in found if is_plain_file(p)]


def parse_role_option(text: str) -> tuple[Role, str]:
    """Read ``--role oil_pressure="P3 gallery"``.

    Raises:
        InputError: it names no role.
    """
    from basso.recording.roles import Role

    role, _, column = text.partition("=")
    try:
        return Role(role.strip()), column.strip()
    except ValueError:
        known = ", ".join(Role)
        raise InputError(f"--role {text}: '{role}' is no role; use one of {known}.") from None


def parse_unit_option(text: str) -> tuple[str, Unit]:
    """Read ``--unit "P3 gallery=psi"``.

    Raises:
        InputError: it names no unit that Basso knows.
    """
    from basso.units import parse_unit

    column, _, spelled = text.rpartition("=")
    unit = parse_unit(spelled)
    if not column or unit is None:
        raise InputError(f"--unit {text}: '{spelled}' is no unit Basso knows; write it like \"P3 gallery=psi\".")
    return column.strip(), unit


def database_for(path: Path, options: ReadOptions) -> Path | None:
    """The database to decode a log with: the one named, the one of the same name beside it, or the only one there.

    Raises:
        FormatError: the one named does not exist, or is no plain file.
    """
    if options.database is not None:
        open_plain(options.database).close()
        return options.database
    try:
        beside = databases_beside(path)
    except OSError:
        return None
    named = [p for p in beside if p.stem == path.name.split(".")[0]]
    return named[0] if named else beside[0] if len(beside) == 1 else None
