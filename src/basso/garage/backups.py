"""The garage's database as a file: its version, whether it is whole, dated backups, and putting one back."""

from __future__ import annotations

import json
import os
import shutil
import sqlite3
from collections.abc import Iterator
from contextlib import closing, contextmanager, suppress
from datetime import datetime
from pathlib import Path

from basso.errors import InputError
from basso.files import is_plain_file, put_whole
from basso.garage.in_use import alone
from basso.garage.place import FILE

_KEPT_BACKUPS = 20
_PART = ".part"
_RESTORING = ".restoring.json"
"""Says that a backup is being put back: written when its copy is whole, removed when it is in place."""


def backups_in(folder: Path) -> list[Path]:
    """Backups of the garage in a folder, newest first; the garage itself may be past opening."""
    return sorted((folder / "backups").glob("garage-*.sqlite"), reverse=True)


def backup_name(folder: Path, why: str = "") -> Path:
    """What a backup made now is called; never as one that is there."""
    return _free_name(folder / "backups", "garage-", f"-{why}" if why else "")


def _free_name(folder: Path, before: str, after: str = "") -> Path:
    """A name with the time in it, and a number where several are made within a second."""
    stamp, number = datetime.now().strftime("%Y-%m-%d-%H%M%S"), 1
    while True:
        path = folder / f"{before}{stamp}{f'-{number}' if number > 1 else ''}{after}.sqlite"
        if not os.path.lexists(path):
            return path
        number += 1


def copy_whole(file: Path, target: Path) -> Path:
    """Copy a database that others may be writing to; of the copies in that folder the oldest beyond twenty go.

    Raises:
        InputError: it cannot be written; nothing is left of it.
    """
    fresh = target.with_name(f"{target.name}.{os.getpid()}{_PART}")
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        with closing(sqlite3.connect(file)) as source, closing(sqlite3.connect(fresh)) as copy:
            source.backup(copy)
        _to_disk(fresh)
        fresh.replace(target)
    except (OSError, sqlite3.Error) as error:
        with suppress(OSError):
            fresh.unlink(missing_ok=True)
        why = error.strerror if isinstance(error, OSError) else str(error)
        raise InputError(f"{target}: the backup could not be written ({why}); free the disk.") from None
    for old in backups_in(target.parent.parent)[_KEPT_BACKUPS:]:
        old.unlink(missing_ok=True)
    return target


def restore(folder: Path, backup: Path) -> Path:
    """Put a backup in the place of a garage's database; what was there is kept beside it.

    Returns:
        Where the former database now is.

    Raises:
        InputError: the backup is damaged or from a newer Basso; nothing was changed.
    """
    whole, version = False, None
    if is_plain_file(backup):
        with suppress(sqlite3.DatabaseError, ValueError), _reading(backup) as connection:
            whole = connection.execute("PRAGMA integrity_check(1)").fetchone()[0] == "ok" and has_plain_schema(
                connection
            )
            version = version_of(connection)
    if not whole or version not in known_versions():
        raise InputError(
            f"{backup}: is no whole backup of a garage this Basso can read; choose another. Nothing was changed."
        )
    with alone(folder):
        finish_restore(folder)  # one that was interrupted before
        fresh = folder / f".{FILE}.restored"
        try:
            fresh.unlink(missing_ok=True)
            with _reading(backup) as source, closing(sqlite3.connect(fresh)) as copy:
                source.backup(copy)  # with what still stands in its write-ahead file
            _to_disk(fresh)
            aside = _free_name(folder, "garage-before-restore-")
            put_whole(folder / _RESTORING, json.dumps({"aside": aside.name, "backup": backup.name}).encode())
        except (OSError, sqlite3.Error) as error:
            with suppress(OSError):
                fresh.unlink(missing_ok=True)
            why = error.strerror if isinstance(error, OSError) else str(error)
            raise InputError(
                f"{folder}: the backup could not be put back ({why}); free the disk. Nothing was changed."
            ) from None
        _put_in_place(folder, aside)
        return aside


@contextmanager
def _reading(backup: Path) -> Iterator[sqlite3.Connection]:
    """A backup opened to be read; where nothing may be written beside it, as it stands."""
    where = backup.resolve().as_uri()
    connection = sqlite3.connect(f"{where}?mode=ro", uri=True)
    try:
        try:
            connection.execute("SELECT count(*) FROM sqlite_master").fetchone()
        except sqlite3.OperationalError:
            connection.close()
            connection = sqlite3.connect(f"{where}?mode=ro&immutable=1", uri=True)
        yield connection
    finally:
        connection.close()


def has_plain_schema(connection: sqlite3.Connection) -> bool:
    """False for a database with triggers or views: a garage has none, and a stranger's would act at every edit."""
    return connection.execute("SELECT 1 FROM sqlite_master WHERE type IN ('trigger', 'view')").fetchone() is None


def finish_restore(folder: Path) -> tuple[str, ...]:
    """Finish putting a backup back where that was interrupted; what is said about it. Nobody else has the garage
    open.

    Raises:
        InputError: it cannot be finished; the sentence says what to do.
    """
    marker, fresh = folder / _RESTORING, folder / f".{FILE}.restored"
    if not marker.exists():
        for left in (fresh, fresh.with_name(f"{fresh.name}-journal"), fresh.with_name(f"{fresh.name}-wal")):
            with suppress(OSError):
                left.unlink(missing_ok=True)  # a copy that was not whole yet: nothing had been changed
        return ()
    try:
        noted = json.loads(marker.read_text(encoding="utf-8"))
        aside, backup = folder / Path(str(noted["aside"])).name, Path(str(noted["backup"])).name
    except (OSError, ValueError, KeyError, TypeError):
        aside, backup = _free_name(folder, "garage-before-restore-"), "a backup"
    try:
        _put_in_place(folder, aside)
    except OSError as error:
        raise InputError(
            f"{folder}: a backup was being put back when Basso was stopped, and that cannot be finished "
            f"({error.strerror}); "
            "free the disk and open the garage again. Nothing is lost."
        ) from None
    return (
        f"{backup} was being put back when Basso was stopped; that is finished now. What was there "
        f"before is {aside.name}.",
    )


def _put_in_place(folder: Path, aside: Path) -> None:
    """Set the database aside and put the whole copy in its place, by one rename. Can be begun again at any step."""
    current, fresh = folder / FILE, folder / f".{FILE}.restored"
    if fresh.exists():
        if current.exists() and not aside.exists():
            try:
                os.link(current, aside)
            except OSError:  # a disk without links
                shutil.copyfile(current, aside)
        # What a killed window left in the write-ahead files belongs to the former database.
        for tail in ("-wal", "-shm", "-journal"):
            left = current.with_name(current.name + tail)
            if left.exists():
                left.replace(aside.with_name(aside.name + tail))
        fresh.replace(current)
    (folder / _RESTORING).unlink(missing_ok=True)
    with suppress(OSError):
        held = os.open(folder, os.O_RDONLY)
        try:
            os.fsync(held)
        finally:
            os.close(held)


def _to_disk(file: Path) -> None:
    """What was written is on the disk before it is counted on."""
    held = os.open(file, os.O_RDONLY)
    try:
        os.fsync(held)
    finally:
        os.close(held)


def sweep_parts(folder: Path) -> None:
    """Remove halves of backups and of files that were being written when a process was killed; nobody else is at
    work."""
    for path in (*(folder / "backups").glob(f"*{_PART}*"), *folder.glob(".incoming-*"), *folder.glob(f".{FILE}.*.tmp")):
        with suppress(OSError):
            shutil.rmtree(path) if path.is_dir() else path.unlink()


def backup_day(backup: Path) -> str:
    """The day a backup was made."""
    return backup.name.removeprefix("garage-")[:10]


def known_versions() -> list[str]:
    """Known versions of the database, oldest first, by the names of the steps."""
    steps = (Path(__file__).parent / "migrations" / "versions").glob("step_*.py*")  # .pyc where there is no source
    return sorted(s.stem.removeprefix("step_") for s in steps)


def cut_short(file: Path) -> bool:
    """True for a file shorter than its own first page says (which the check does not always notice).

    Source: the SQLite file format, page size at byte 16, size in pages at byte 28, both big-endian.
    """
    ahead = file.with_name(file.name + "-wal")
    if ahead.exists() and ahead.stat().st_size:
        return False  # what is missing may stand there, from a process that was killed
    with file.open("rb") as stream:
        head = stream.read(100)
    page = int.from_bytes(head[16:18], "big")
    return file.stat().st_size < (65536 if page == 1 else page) * int.from_bytes(head[28:32], "big")


def version_of(connection: sqlite3.Connection) -> str | None:
    """Which step a database is at; None for an empty one."""
    known = connection.execute("SELECT 1 FROM sqlite_master WHERE name = 'alembic_version'").fetchone()
    row = connection.execute("SELECT version_num FROM alembic_version").fetchone() if known else None
    return str(row[0]) if row else None
