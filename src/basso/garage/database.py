"""The garage's SQLite database: opened only where it is whole and of a version known here, brought up to date, its
troubles told by their true reason."""

from __future__ import annotations

import errno
import os
import sqlite3
from collections.abc import Iterator
from contextlib import closing, contextmanager
from pathlib import Path

import sqlalchemy as sa
from sqlalchemy.exc import DBAPIError, IntegrityError

from basso.errors import InputError
from basso.files import is_plain_file
from basso.garage.backups import (
    backup_day,
    backup_name,
    backups_in,
    copy_whole,
    cut_short,
    finish_restore,
    has_plain_schema,
    known_versions,
    version_of,
)
from basso.garage.in_use import share, take_part
from basso.garage.place import FILE
from basso.garage.rows import ConflictError
from basso.garage.trouble import RECOVERABLE, code_of, told

_PATIENCE_MS = 10_000


class Database:
    """The database in one folder, open.

    Raises (on opening):
        InputError: it is damaged, from a newer Basso, or cannot be opened; it is left untouched.
    """

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.file = folder / FILE
        self.read_only = False
        self.news: tuple[str, ...] = ()
        """What was mended on opening, one sentence each."""
        self._ready_folder()
        self._held, self.first = (None, False) if self.read_only else take_part(self.folder)
        """``first``: nobody else had the garage open."""
        try:
            if self.first:
                self.news += finish_restore(self.folder)
            self._check()
            self._engine = self._connect()
            self._bring_up_to_date()
        except BaseException:
            self._let_go()
            raise

    def share(self) -> None:
        """Let others in, once what only the first may do is done."""
        if self.first and self._held is not None:
            share(self._held)

    def close(self) -> None:
        """Let go of it."""
        self._engine.dispose()
        self._let_go()

    def _let_go(self) -> None:
        if self._held is not None:
            os.close(self._held)
        self._held = None

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
        newest = next(iter(backups_in(self.folder)), None)
        remedy = (
            f"restore the backup of {backup_day(newest)} (basso garage restore)"
            if newest is not None
            else "put back a copy of it; no backup was found"
        )
        return InputError(f"{self.file}: is damaged and was left as it is; {remedy}.")

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
        with self.reading() as connection:
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
            copy_whole(self.file, backup_name(self.folder, f"before-{known_versions()[-1]}"))
        from alembic import command
        from alembic.config import Config

        config = Config()
        config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
        config.set_main_option("sourceless", "true")  # a copy of Basso may be bytecode alone
        with self.writing() as connection:
            config.attributes["connection"] = connection
            command.upgrade(config, "head")

    @contextmanager
    def reading(self) -> Iterator[sa.Connection]:
        """A transaction that reads; raises InputError where the database cannot be read."""
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
    def writing(self) -> Iterator[sa.Connection]:
        """A transaction that writes, all of it or nothing.

        Raises:
            ConflictError: something it rests on is gone.
            InputError: it cannot be written.
        """
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
