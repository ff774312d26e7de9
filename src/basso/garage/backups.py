"""The garage's database as a file: its version, whether it is whole, dated backups, and putting one back."""

from __future__ import annotations

import shutil
import sqlite3
from contextlib import closing
from datetime import datetime
from pathlib import Path

from basso.errors import InputError
from basso.garage.in_use import alone
from basso.garage.place import FILE

_KEPT_BACKUPS = 20


def backups_in(folder: Path) -> list[Path]:
    """Backups of the garage in a folder, newest first; the garage itself may be past opening."""
    return sorted((folder / "backups").glob("garage-*.sqlite"), reverse=True)


def backup_name(folder: Path, why: str = "") -> Path:
    """What a backup made now is called."""
    stamp = datetime.now().strftime("%Y-%m-%d-%H%M%S")
    return folder / "backups" / f"garage-{stamp}{f'-{why}' if why else ''}.sqlite"


def copy_whole(file: Path, target: Path) -> Path:
    """Copy a database that others may be writing to; of the copies in that folder the oldest beyond twenty go.

    Raises:
        InputError: it cannot be written; nothing is left of it.
    """
    fresh = target.with_suffix(".part")
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        with closing(sqlite3.connect(file)) as source, closing(sqlite3.connect(fresh)) as copy:
            source.backup(copy)
        fresh.replace(target)
    except (OSError, sqlite3.Error) as error:
        fresh.unlink(missing_ok=True)
        raise InputError(f"{target}: the backup could not be written ({error}); free the disk.") from None
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
    try:
        with closing(sqlite3.connect(f"{backup.resolve().as_uri()}?mode=ro", uri=True)) as connection:
            whole = connection.execute("PRAGMA integrity_check(1)").fetchone()[0] == "ok"
            version = version_of(connection)
    except (sqlite3.DatabaseError, ValueError):
        whole, version = False, None
    if not whole or version not in known_versions():
        raise InputError(
            f"{backup}: is no whole backup of a garage this Basso can read; choose another. Nothing was changed."
        )
    with alone(folder):
        return _put_back(folder, backup)


def _put_back(folder: Path, backup: Path) -> Path:
    current = folder / FILE
    aside = folder / f"garage-before-restore-{datetime.now().strftime('%Y-%m-%d-%H%M%S')}.sqlite"
    fresh = folder / f".{FILE}.restored"
    shutil.copyfile(backup, fresh)
    # What a killed window left in the write-ahead files belongs to the former database.
    for tail in ("", "-wal", "-shm"):
        left = current.with_name(current.name + tail)
        if left.exists():
            left.replace(aside.with_name(aside.name + tail))
    fresh.replace(current)
    return aside


def backup_day(backup: Path) -> str:
    """The day a backup was made."""
    return backup.name.removeprefix("garage-")[:10]


def known_versions() -> list[str]:
    """Known versions of the database, oldest first, by the names of the steps."""
    steps = sorted((Path(__file__).parent / "migrations" / "versions").glob("step_*.py"))
    return [s.stem.removeprefix("step_") for s in steps]


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
