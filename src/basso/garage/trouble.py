"""What is wrong when a database does not open or cannot be written, said as it is.

A healthy garage that is called damaged is lost by following the advice: only what SQLite itself calls corrupt is.
"""

from __future__ import annotations

import sqlite3
from pathlib import Path

from basso.errors import InputError

RECOVERABLE = frozenset(
    {
        sqlite3.SQLITE_READONLY_ROLLBACK,
        sqlite3.SQLITE_READONLY_RECOVERY,
        sqlite3.SQLITE_READONLY_CANTINIT,
        sqlite3.SQLITE_CANTOPEN,
    }
)
"""What opening without writing meets after a process was killed in the middle of writing; opening to write mends it."""
_CORRUPT = frozenset({sqlite3.SQLITE_CORRUPT, sqlite3.SQLITE_NOTADB, sqlite3.SQLITE_FORMAT})
_OF_A_BUSY_ONE = "is in use by another program just now; close that one, or wait and try again"
_BY_KIND = {
    sqlite3.SQLITE_BUSY: _OF_A_BUSY_ONE,
    sqlite3.SQLITE_LOCKED: _OF_A_BUSY_ONE,
    sqlite3.SQLITE_FULL: "cannot be written, since the disk is full; free some of it",
    sqlite3.SQLITE_IOERR: "cannot be read or written, since the disk reports an error; check the disk and its cables",
    sqlite3.SQLITE_READONLY: "may only be read; give yourself permission to write to it and to its folder",
    sqlite3.SQLITE_PERM: "may not be opened; give yourself permission to read it and its folder",
    sqlite3.SQLITE_AUTH: "may not be opened; give yourself permission to read it and its folder",
    sqlite3.SQLITE_CANTOPEN: "cannot be opened; check that its folder may be read and written and the disk is not full",
    sqlite3.SQLITE_NOMEM: "cannot be opened, since the memory is full; close other programs",
}


def code_of(error: BaseException | None) -> int | None:
    """SQLite's extended code of an error, if it has one."""
    return getattr(error, "sqlite_errorcode", None)


def is_corrupt(error: BaseException | None) -> bool:
    """True for what SQLite calls damage; also for an error without a code that it raises over damaged text."""
    code = code_of(error)
    return code is None or code & 0xFF in _CORRUPT


def told(file: Path, error: BaseException | None) -> InputError | None:
    """The true reason, where the database itself is not to blame; None where it is damaged."""
    if is_corrupt(error):
        return None
    code = code_of(error)
    assert code is not None
    words = _BY_KIND.get(code & 0xFF, f"cannot be used ({error}); try again")
    return InputError(f"{file}: {words}. Nothing was changed.")
