"""Records as rows of the database, and edits as what they did to them."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, fields
from typing import Any, TypeVar

import sqlalchemy as sa

from basso.errors import InputError
from basso.garage.records import BY_TABLE, Job, Record
from basso.garage.tables import TABLES

R = TypeVar("R", bound=Record)

_NAMES = {name: [f.name for f in fields(kind)] for name, kind in BY_TABLE.items()}
_LISTS = {
    name: [
        (i, "pairs" if "float" in str(f.type) else "texts")
        for i, f in enumerate(fields(kind))
        if str(f.type).startswith("tuple")
    ]
    for name, kind in BY_TABLE.items()
}
_BUILD_OF_JOB = _NAMES[Job.table].index("build")


class ConflictError(InputError):
    """An edit rests on something that has been changed meanwhile."""


@dataclass(frozen=True, slots=True)
class Change:
    """One record made (no ``before``), changed, or taken away (no ``after``)."""

    before: Record | None
    after: Record | None

    @property
    def record(self) -> Record:
        """Whichever there is."""
        found = self.after or self.before
        assert found is not None
        return found

    def reversed(self) -> Change:
        """What takes this back."""
        return Change(self.after, self.before)


def record_of(kind: type[R], row: tuple[Any, ...]) -> R:
    """A record from its row."""
    made = list(row)
    for i, wanted in _LISTS[kind.table]:
        made[i] = tuple(tuple(v) for v in made[i]) if wanted == "pairs" else tuple(made[i])
    if kind is Job and made[_BUILD_OF_JOB] is None:
        made[_BUILD_OF_JOB] = ""
    return kind(**dict(zip(_NAMES[kind.table], made, strict=True)))


def _values(record: Record) -> dict[str, Any]:
    plain = record.as_plain()
    return {k: (None if k == "build" and v == "" else v) for k, v in plain.items()}


def stored(connection: sa.Connection, kind: type[R], record_id: str) -> R | None:
    """One record as it is stored now; None where it is not."""
    return _stored_among(connection, kind, [record_id]).get(record_id)


def _stored_among(connection: sa.Connection, kind: type[R], ids: list[str]) -> dict[str, R]:
    table = TABLES[kind.table]
    found: dict[str, R] = {}
    for at in range(0, len(ids), 500):
        for row in connection.execute(sa.select(table).where(table.c.id.in_(ids[at : at + 500]))):
            record = record_of(kind, tuple(row))
            found[record.id] = record
    return found


def apply(connection: sa.Connection, changes: Iterable[Change]) -> None:
    """Put changes into the tables, each onto just what it rests on.

    Raises:
        ConflictError: a record is not what a change says it was.
    """
    by_table: dict[str, list[Change]] = {}
    for change in changes:
        by_table.setdefault(change.record.table, []).append(change)
    for name, own in by_table.items():
        kind, table = BY_TABLE[name], TABLES[name]
        stored = _stored_among(connection, kind, [c.record.id for c in own])
        now: dict[str, Record | None] = {c.record.id: stored.get(c.record.id) for c in own}
        for change in own:
            if now[change.record.id] != change.before:
                raise ConflictError(
                    f"The {kind.noun} was changed in another window meanwhile; it is shown as it is now."
                )
            now[change.record.id] = change.after
        gone = [i for i, r in now.items() if r is None and i in stored]
        fresh = [_values(r) for i, r in now.items() if r is not None and i not in stored]
        if gone:
            connection.execute(table.delete().where(table.c.id == sa.bindparam("gone")), [{"gone": i} for i in gone])
        if fresh:
            connection.execute(table.insert(), fresh)
        for i, r in now.items():
            if r is not None and i in stored:
                connection.execute(table.update().where(table.c.id == i).values(**_values(r)))


def change_plain(change: Change) -> dict[str, Any]:
    """A change as JSON holds it."""
    return {
        "table": change.record.table,
        "before": change.before.as_plain() if change.before is not None else None,
        "after": change.after.as_plain() if change.after is not None else None,
    }


def change_of(plain: dict[str, Any]) -> Change:
    """Back from JSON."""
    kind = BY_TABLE[plain["table"]]
    before, after = (kind.from_plain(plain[k]) if plain[k] is not None else None for k in ("before", "after"))
    return Change(before, after)
