"""Keeping the garage: one SQLite database, the samples of its logs beside it, dated backups.

Every edit is one transaction: all of it is on the disk when :meth:`Garage.edit` returns, or none of it ever was. What
it
changed is kept with it, so that each edit can be taken back, now or next week. Several windows may have the same garage
open; an edit that rests on what another has changed meanwhile is refused.
"""

from __future__ import annotations

import errno
import hashlib
import os
import sqlite3
from collections.abc import Iterable, Iterator
from contextlib import closing, contextmanager
from dataclasses import dataclass, fields
from datetime import datetime
from pathlib import Path
from typing import Any, TypeVar

import sqlalchemy as sa
from sqlalchemy.exc import DBAPIError, IntegrityError

from basso.errors import InputError
from basso.files import is_plain_file, put_whole
from basso.garage.backups import (
    backup_day,
    backup_name,
    backups_in,
    copy_whole,
    cut_short,
    finish_restore,
    has_plain_schema,
    known_versions,
    sweep_parts,
    version_of,
)
from basso.garage.in_use import share, take_part
from basso.garage.place import FILE, default_folder
from basso.garage.records import (
    BY_TABLE,
    FILE_HASH,
    LOG_HASH,
    Attachment,
    Build,
    Car,
    Job,
    Normal,
    Record,
    Ruling,
    Session,
)
from basso.garage.tables import EDITS, TABLES
from basso.garage.trouble import RECOVERABLE, code_of, told
from basso.plain_text import plain

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
_PATIENCE_MS = 10_000


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


@dataclass(frozen=True, slots=True)
class Edit:
    """An edit that was made."""

    id: int
    at: str
    label: str
    undone: bool


class Garage:
    """One garage, open. Close it, or use it in ``with``.

    Raises (on opening):
        InputError: the database is damaged, from a newer Basso, or cannot be opened; it is left untouched.
    """

    def __init__(self, folder: Path | None = None) -> None:
        self.folder = folder or default_folder()
        self.file = self.folder / FILE
        self.read_only = False
        self.news: tuple[str, ...] = ()
        """What was mended on opening, one sentence each: what an interrupted restore, backup or import left behind."""
        self._ready_folder()
        self._held, first = (None, False) if self.read_only else take_part(self.folder)
        try:
            if first:
                self.news += finish_restore(self.folder)
            self._check()
            self._engine = self._connect()
            self._bring_up_to_date()
            if first:
                self.news += self._sweep()
        except BaseException:
            self._let_go()
            raise
        if first and self._held is not None:
            share(self._held)

    def __enter__(self) -> Garage:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def close(self) -> None:
        """Let go of the database."""
        self._engine.dispose()
        self._let_go()

    def _let_go(self) -> None:
        if self._held is not None:
            os.close(self._held)
        self._held = None

    # Opening

    def _ready_folder(self) -> None:
        if self.file.exists() and not is_plain_file(self.file):
            raise InputError(f"{self.file}: is a pipe, a device or a folder, not a garage; choose another folder.")
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
            probe = self.folder / f".probe-{os.getpid()}"
            probe.touch()
            probe.unlink()
        except OSError as error:
            if not self.file.is_file():
                raise InputError(
                    f"{self.folder}: no garage can be kept there ({error.strerror}); choose another folder."
                ) from None
            # A full disk is no folder that may only be read: what fails for want of room says so itself.
            self.read_only = error.errno != errno.ENOSPC

    def _check(self) -> None:
        """A database that is whole and of a version known here, looked at without writing to it."""
        if not self.file.exists():
            return
        try:
            version = self._looked_at(self._uri())
        except (sqlite3.Error, ValueError) as error:  # the check itself may quote damaged text
            if code_of(error) not in RECOVERABLE or self.read_only:
                raise self._trouble(error) from None
            try:
                # A process was killed while it wrote: SQLite rolls that back when it may write.
                version = self._looked_at(str(self.file), uri=False)
            except (sqlite3.Error, ValueError) as again:
                raise self._trouble(again) from None
        except OSError as error:
            raise InputError(f"{self.file}: cannot be read ({error.strerror}); check the disk.") from None
        if version is not None and version not in known_versions():
            raise InputError(
                f"{self.file}: was written by a newer Basso (its version {version[:20]}); open it with that one. "
                "It was left as it is."
            )

    def _looked_at(self, name: str, uri: bool = True) -> str | None:
        """The version of the database; raises sqlite3.Error where it cannot be read or is not whole."""
        with closing(sqlite3.connect(name, uri=uri, timeout=_PATIENCE_MS / 1000)) as connection:
            if self.file.stat().st_size:
                wrong = connection.execute("PRAGMA quick_check(1)").fetchone()[0]
                if wrong != "ok" or cut_short(self.file):
                    raise ValueError(wrong)
            if not has_plain_schema(connection):
                raise InputError(
                    f"{self.file}: holds triggers or views, which no garage has, and was not opened; restore a backup."
                )
            return version_of(connection)

    def _trouble(self, error: BaseException | None) -> InputError:
        """The true reason: busy, full, no permission, a failing disk; damaged only where SQLite says so."""
        return told(self.file, error) or self._damaged()

    def _damaged(self) -> InputError:
        newest = next(iter(self.backups()), None)
        remedy = (
            f"restore the backup of {backup_day(newest)} (basso garage restore)"
            if newest is not None
            else "put back a copy of it; no backup was found"
        )
        return InputError(f"{self.file}: is damaged and was left as it is; {remedy}.")

    def _sweep(self) -> tuple[str, ...]:
        """Remove what interrupted work left behind: files that nothing in the garage, and no edit of it, ever named."""
        if self.read_only:
            return ()
        sweep_parts(self.folder)
        found = [
            p
            for folder, shape in (("samples", LOG_HASH), ("files", FILE_HASH))
            for p in sorted((self.folder / folder).glob("*"))
            if shape.fullmatch(p.stem if folder == "samples" else p.name) or p.name.startswith(".")
        ]
        if not found:
            return ()
        with self._reading() as connection:
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

    def _uri(self) -> str:
        return f"{self.file.resolve().as_uri()}?mode=ro{'&immutable=1' if self.read_only else ''}"

    def _connect(self) -> sa.Engine:
        if self.read_only:
            engine = sa.create_engine(
                "sqlite://", creator=lambda: sqlite3.connect(self._uri(), uri=True, check_same_thread=False)
            )
        else:
            engine = sa.create_engine(f"sqlite:///{self.file}")

        def ready(connection: sqlite3.Connection, _: object) -> None:
            connection.isolation_level = None  # transactions are begun by hand, below
            for pragma in ("foreign_keys=ON", f"busy_timeout={_PATIENCE_MS}", "synchronous=FULL"):
                connection.execute(f"PRAGMA {pragma}")
            if not self.read_only:
                connection.execute("PRAGMA journal_mode=WAL")

        sa.event.listen(engine, "connect", ready)
        # A writer takes its turn before it reads what it rests on.
        sa.event.listen(
            engine,
            "begin",
            lambda c: c.exec_driver_sql("BEGIN IMMEDIATE" if c.get_execution_options().get("writes") else "BEGIN"),
        )
        return engine

    def _bring_up_to_date(self) -> None:
        with self._reading() as connection:
            raw = connection.connection.driver_connection
            assert isinstance(raw, sqlite3.Connection)
            version = version_of(raw)
        if version == known_versions()[-1]:
            return
        if self.read_only:
            raise InputError(
                f"{self.file}: is of an earlier Basso and its folder may only be read; free the folder, "
                "or copy it elsewhere and "
                "name the copy with --folder."
            )
        if version is not None:
            self.back_up(f"before-{known_versions()[-1]}")
        from alembic import command
        from alembic.config import Config

        config = Config()
        config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
        config.set_main_option("sourceless", "true")  # a copy of Basso may be bytecode alone
        with self._writing() as connection:
            config.attributes["connection"] = connection
            command.upgrade(config, "head")

    @contextmanager
    def _reading(self) -> Iterator[sa.Connection]:
        try:
            with self._engine.connect() as connection, connection.begin():
                yield connection
        except DBAPIError as error:
            raise self._trouble(error.orig) from None
        except (
            sqlite3.Error,
            ValueError,
            TypeError,
        ) as error:  # the latter two: a field that no longer holds what it should
            raise self._trouble(error) from None

    @contextmanager
    def _writing(self) -> Iterator[sa.Connection]:
        if self.read_only:
            raise InputError(
                f"{self.folder}: may only be read, so nothing can be changed; move the garage or free the folder."
            )
        try:
            with self._engine.connect().execution_options(writes=True) as connection, connection.begin():
                yield connection
        except IntegrityError:
            raise ConflictError("Something this rests on is no longer there; look again.") from None
        except DBAPIError as error:
            raise self._trouble(error.orig) from None
        except UnicodeEncodeError:
            raise InputError("A text holds a broken character and cannot be kept; write it anew.") from None
        except (sqlite3.Error, ValueError, TypeError) as error:
            raise self._trouble(error) from None

    # Reading

    def all(self, kind: type[R], car: str | None = None) -> list[R]:
        """Every record of a kind, or those of one car, in the order they were made."""
        table = TABLES[kind.table]
        wanted = sa.select(table)
        if car is not None and "car" in table.c:
            wanted = wanted.where(table.c.car == car)
        with self._reading() as connection:
            return [_record(kind, tuple(row)) for row in connection.execute(wanted)]

    def get(self, kind: type[R], record_id: str) -> R | None:
        """One record."""
        with self._reading() as connection:
            return _stored(connection, kind, record_id)

    def of_car(self, car: str) -> dict[str, list[Record]]:
        """Everything of one car, by table."""
        found: dict[str, list[Record]] = {
            name: list(self.all(kind, car)) for name, kind in BY_TABLE.items() if kind is not Car
        }
        own = self.get(Car, car)
        return {Car.table: [own] if own is not None else [], **found}

    def stamp(self) -> tuple[int, int]:
        """Changes whenever the garage does, through this window or another one."""
        with self._reading() as connection:
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
        with self._writing() as connection:
            _apply(connection, changes)
            kept = [_change_plain(c) for c in changes]
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
        with self._writing() as connection:
            row = connection.execute(
                sa.select(EDITS).where(EDITS.c.id == edit, EDITS.c.undone == (not back))
            ).one_or_none()
            if row is None:
                raise ConflictError("That edit is no longer there to be taken back or made again.")
            changes = [_change_of(p) for p in row.changes]
            try:
                _apply(connection, [c.reversed() for c in reversed(changes)] if back else changes)
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
        with self._reading() as connection:
            return [Edit(*row) for row in connection.execute(wanted)]

    # Files beside the database

    def keep_file(self, data: bytes, suffix: str) -> str:
        """Keep a file by its content; returns its name in ``files``."""
        digest = hashlib.sha256(data).hexdigest()
        name = digest + suffix.lower() if FILE_HASH.fullmatch(digest + suffix.lower()) else digest
        self._put(self.folder / "files" / name, data)
        return name

    def keep_samples(self, log_hash: str, parquet: bytes) -> None:
        """Keep the samples of a log by the fingerprint of its content.

        Raises:
            InputError: it cannot be written, or the fingerprint is none.
        """
        if not LOG_HASH.fullmatch(log_hash):
            raise InputError(f"'{plain(log_hash, 60)}': is no fingerprint of a log; nothing was kept.")
        self._put(self.samples_file(log_hash), parquet)

    def samples_file(self, log_hash: str) -> Path:
        """Where the samples of a log are, if they are kept; always inside the garage's folder."""
        return self.folder / "samples" / f"{log_hash if LOG_HASH.fullmatch(log_hash) else '-'}.parquet"

    def kept_file(self, file_hash: str) -> Path:
        """Where an attached file is, if it is kept; always inside the garage's folder, and never a link out of it."""
        path = self.folder / "files" / (file_hash if FILE_HASH.fullmatch(file_hash) else "-")
        return self.folder / "files" / "-" if path.is_symlink() else path

    def _put(self, path: Path, data: bytes) -> None:
        if path.is_file():
            return
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            put_whole(path, data)
        except OSError as error:
            raise InputError(f"{path}: cannot be kept ({error.strerror}); free the disk or the folder.") from None

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


def _record(kind: type[R], row: tuple[Any, ...]) -> R:
    made = list(row)
    for i, wanted in _LISTS[kind.table]:
        made[i] = tuple(tuple(v) for v in made[i]) if wanted == "pairs" else tuple(made[i])
    if kind is Job and made[_BUILD_OF_JOB] is None:
        made[_BUILD_OF_JOB] = ""
    return kind(**dict(zip(_NAMES[kind.table], made, strict=True)))


def _values(record: Record) -> dict[str, Any]:
    plain = record.as_plain()
    return {k: (None if k == "build" and v == "" else v) for k, v in plain.items()}


def _stored(connection: sa.Connection, kind: type[R], record_id: str) -> R | None:
    return _stored_among(connection, kind, [record_id]).get(record_id)


def _stored_among(connection: sa.Connection, kind: type[R], ids: list[str]) -> dict[str, R]:
    table = TABLES[kind.table]
    found: dict[str, R] = {}
    for at in range(0, len(ids), 500):
        for row in connection.execute(sa.select(table).where(table.c.id.in_(ids[at : at + 500]))):
            record = _record(kind, tuple(row))
            found[record.id] = record
    return found


def _apply(connection: sa.Connection, changes: Iterable[Change]) -> None:
    """Put changes into the tables, each onto just what it rests on."""
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


def _change_plain(change: Change) -> dict[str, Any]:
    return {
        "table": change.record.table,
        "before": change.before.as_plain() if change.before is not None else None,
        "after": change.after.as_plain() if change.after is not None else None,
    }


def _change_of(plain: dict[str, Any]) -> Change:
    kind = BY_TABLE[plain["table"]]
    before, after = (kind.from_plain(plain[k]) if plain[k] is not None else None for k in ("before", "after"))
    return Change(before, after)
