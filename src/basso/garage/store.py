"""Keeping the garage: one SQLite database, the samples of its logs beside it, dated backups.

Every edit is one transaction: all of it is on the disk when :meth:`Garage.edit` returns, or none of it ever was. What
it changed is kept with it, so that each edit can be taken back, now or next week. Several windows may have the same
garage open; an edit that rests on what another has changed meanwhile is refused.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

import sqlalchemy as sa

from basso.errors import InputError
from basso.garage.backups import backup_day, backup_name, backups_in, copy_whole, sweep_parts
from basso.garage.database import Database
from basso.garage.kept_files import KeptFiles
from basso.garage.place import default_folder
from basso.garage.records import (
    BY_TABLE,
    Accumulator,
    Alarm,
    Attachment,
    Build,
    Car,
    Job,
    Normal,
    Pan,
    Record,
    Ruling,
    Session,
)
from basso.garage.rows import Change, ConflictError, R, apply, change_of, change_plain, record_of, stored
from basso.garage.tables import EDITS, TABLES

__all__ = ["Change", "ConflictError", "Edit", "Garage", "car_named"]


@dataclass(frozen=True, slots=True)
class Edit:
    """An edit that was made."""

    id: int
    at: str
    label: str
    undone: bool


class Garage:
    """One garage, open. Close it, or use it in ``with``.

    Attributes:
        files: what is kept beside the database.
        news: what was mended on opening, one sentence each: what an interrupted restore, backup or import left behind.

    Raises (on opening):
        InputError: the database is damaged, from a newer Basso, or cannot be opened; it is left untouched.
    """

    def __init__(self, folder: Path | None = None) -> None:
        self.folder = folder or default_folder()
        self.files = KeptFiles(self.folder)
        self._database = Database(self.folder)
        self.file, self.read_only = self._database.file, self._database.read_only
        self.news = self._database.news
        try:
            if self._database.first:
                self.news += self._sweep()
        except BaseException:
            self._database.close()
            raise
        self._database.share()

    def __enter__(self) -> Garage:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def close(self) -> None:
        """Let go of the database."""
        self._database.close()

    def _sweep(self) -> tuple[str, ...]:
        """Remove what interrupted work left behind: files that nothing in the garage, and no edit of it, ever named."""
        if self.read_only:
            return ()
        sweep_parts(self.folder)
        found = self.files.all()
        if not found:
            return ()
        with self._database.reading() as connection:
            named: set[str] = set()
            for kind, column in ((Session, "log_hash"), (Attachment, "file_hash")):
                named |= set(connection.execute(sa.select(TABLES[kind.table].c[column])).scalars())
            unnamed = [p for p in found if p.stem not in named and p.name not in named]
            if unnamed:
                edits = "\n".join(connection.execute(sa.text("SELECT changes FROM edits")).scalars())
                unnamed = [p for p in unnamed if p.name.startswith(".") or p.stem not in edits]
        for path in unnamed:
            path.unlink(missing_ok=True)
        if not unnamed:
            return ()
        many = len(unnamed) > 1
        return (
            f"{len(unnamed)} {'files' if many else 'file'} that an interrupted import or export left in "
            "the garage's folder "
            f"{'were' if many else 'was'} removed.",
        )

    # Reading

    def all(self, kind: type[R], car: str | None = None) -> list[R]:
        """Every record of a kind, or those of one car, in the order they were made."""
        table = TABLES[kind.table]
        wanted = sa.select(table)
        if car is not None and "car" in table.c:
            wanted = wanted.where(table.c.car == car)
        with self._database.reading() as connection:
            return [record_of(kind, tuple(row)) for row in connection.execute(wanted)]

    def get(self, kind: type[R], record_id: str) -> R | None:
        """One record."""
        with self._database.reading() as connection:
            return stored(connection, kind, record_id)

    def of_car(self, car: str) -> dict[str, list[Record]]:
        """Everything of one car, by table."""
        found: dict[str, list[Record]] = {
            name: list(self.all(kind, car)) for name, kind in BY_TABLE.items() if kind is not Car
        }
        own = self.get(Car, car)
        return {Car.table: [own] if own is not None else [], **found}

    def stamp(self) -> tuple[int, int]:
        """Changes whenever the garage does, through this window or another one."""
        with self._database.reading() as connection:
            last, undone = connection.execute(
                # The numbers of what is undone, added up: undoing one edit and redoing another shows as well.
                sa.select(sa.func.max(EDITS.c.id), sa.func.sum(EDITS.c.id).filter(EDITS.c.undone))
            ).one()
        return int(last or 0), int(undone or 0)

    # Changing

    def edit(self, label: str, *changes: Change) -> int:
        """Make an edit, all or nothing; on return it is on the disk.

        Args:
            label: what was done, in words that follow "Undo ".
            changes: each ``before`` must be what is stored now.

        Returns:
            What :meth:`undo` takes.

        Raises:
            ConflictError: something it rests on was changed meanwhile.
            InputError: it could not be written.
        """
        with self._database.writing() as connection:
            apply(connection, changes)
            kept = [change_plain(c) for c in changes]
            made = connection.execute(
                EDITS.insert().values(at=_now(), label=label, changes=kept, undone=False)
            ).inserted_primary_key
            assert made is not None
            return int(made[0])

    def add(self, label: str, *records: Record) -> int:
        """Make new records."""
        return self.edit(label, *(Change(None, r) for r in records))

    def change(self, label: str, before: Record, after: Record) -> int:
        """Put a record in the place of what it was."""
        return self.edit(label, Change(before, after))

    def remove(self, label: str, *records: Record) -> int:
        """Take records away; a car or a build takes everything of it along."""
        doomed: dict[str, Record] = {}
        for record in records:
            for r in self._with_its_own(record):
                doomed[r.id] = r
        return self.edit(label, *(Change(r, None) for r in doomed.values()))

    def _with_its_own(self, record: Record) -> list[Record]:
        if isinstance(record, Car):
            return [r for rows in self.of_car(record.id).values() for r in rows]
        own: list[Record] = [record]
        if isinstance(record, Build):
            own += [s for s in self.all(Session, record.car) if s.build == record.id]
            own += [j for j in self.all(Job, record.car) if j.build == record.id]
            own += [n for n in self.all(Normal, record.car) if n.build == record.id]
            own += [p for p in self.all(Pan, record.car) if p.build == record.id]
            own += [a for a in self.all(Accumulator, record.car) if a.build == record.id]
            own += [a for a in self.all(Alarm, record.car) if a.build == record.id]
        sessions = {r.id for r in own if isinstance(r, Session)}
        own += [r for r in self.all(Ruling, str(getattr(record, "car", ""))) if r.session in sessions]
        ids = {r.id for r in own}
        return [*own, *(a for a in self.all(Attachment, str(getattr(record, "car", ""))) if a.about in ids)]

    def undo(self, edit: int) -> str:
        """Take an edit back; returns its label.

        Raises:
            ConflictError: what it changed has been changed again since.
        """
        return self._turn(edit, back=True)

    def redo(self, edit: int) -> str:
        """Make an edit again that was taken back."""
        return self._turn(edit, back=False)

    def _turn(self, edit: int, back: bool) -> str:
        with self._database.writing() as connection:
            row = connection.execute(
                sa.select(EDITS).where(EDITS.c.id == edit, EDITS.c.undone == (not back))
            ).one_or_none()
            if row is None:
                raise ConflictError("That edit is no longer there to be taken back or made again.")
            changes = [change_of(p) for p in row.changes]
            try:
                apply(connection, [c.reversed() for c in reversed(changes)] if back else changes)
            except ConflictError:
                way = "taken back" if back else "made again"
                raise ConflictError(
                    f"'{row.label}' cannot be {way}: what it changed has been changed since; see to the "
                    "later edits first."
                ) from None
            connection.execute(EDITS.update().where(EDITS.c.id == edit).values(undone=back))
            return str(row.label)

    def edits(self, last: int = 50) -> list[Edit]:
        """The last edits, newest first."""
        wanted = (
            sa.select(EDITS.c.id, EDITS.c.at, EDITS.c.label, EDITS.c.undone).order_by(EDITS.c.id.desc()).limit(last)
        )
        with self._database.reading() as connection:
            return [Edit(*row) for row in connection.execute(wanted)]

    # Backups

    def backups(self) -> list[Path]:
        """Backups, newest first."""
        return backups_in(self.folder)

    def back_up(self, why: str = "") -> Path:
        """Make a dated backup, whole even while another window writes. The oldest beyond twenty go."""
        return copy_whole(self.file, backup_name(self.folder, why))

    def back_up_daily(self) -> Path | None:
        """The first time on a day, a backup of what there is; else None."""
        newest = next(iter(self.backups()), None)
        today = datetime.now().strftime("%Y-%m-%d")
        if self.read_only or (newest is not None and backup_day(newest) == today) or not self.all(Car):
            return None
        return self.back_up()


def car_named(garage: Garage, name: str) -> Car:
    """The car of a name, written large or small.

    Raises:
        InputError: none or more than one; the sentence lists what there is.
    """
    cars = garage.all(Car)
    found = [c for c in cars if c.name == name] or [c for c in cars if c.name.lower() == name.lower()]
    if len(found) != 1:
        known = ", ".join(f"'{c.name}'" for c in cars) or "none"
        raise InputError(
            f"'{name}': {'no car has' if not found else 'more than one car has'} that name; there are: {known}."
        )
    return found[0]


def _now() -> str:
    return datetime.now().isoformat(timespec="seconds")
