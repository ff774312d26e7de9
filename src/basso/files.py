"""Files as they are opened and written: plain files only, and whole or not at all."""

from __future__ import annotations

import errno
import os
import stat
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import BinaryIO

from basso.errors import FormatError, InputError
from basso.plain_text import has_unseen


def open_plain(path: Path) -> BinaryIO:
    """Open a file to be read; what is no plain file is refused at once instead of being waited for.

    Raises:
        FormatError: it is missing, may not be read, or is a pipe, a device, a folder or a circle of links, or its name
            holds what cannot be seen.
    """
    if has_unseen(str(path)):
        raise FormatError(path, "has a name with control or invisible characters", "rename it")
    try:
        # Without O_NONBLOCK opening a pipe waits for somebody to write into it.
        held = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC | os.O_NOCTTY)
    except FileNotFoundError:
        raise FormatError(path, "does not exist", "check the name and the folder") from None
    except PermissionError:
        raise FormatError(path, "may not be read", "give yourself permission to read it") from None
    except ValueError:
        raise FormatError(path, "has a name that no file can have", "check the name") from None
    except OSError as error:
        remedy = "check the disk or the card"
        if error.errno == errno.ELOOP:
            remedy = "name the file itself, not a link in a circle"
        elif error.errno in (errno.ENAMETOOLONG, errno.ENOTDIR):
            remedy = "check the name and the folder"
        elif error.errno == errno.ENXIO:
            remedy = "name a log file"
        raise FormatError(path, f"cannot be read ({error.strerror})", remedy) from None
    kind = os.fstat(held).st_mode
    if stat.S_ISREG(kind):
        return os.fdopen(held, "rb")
    os.close(held)
    if stat.S_ISDIR(kind):
        raise FormatError(path, "is a folder", "name a log file in it")
    raise FormatError(path, "is a pipe or a device, not a file", "name a file on a disk")


def is_plain_file(path: Path) -> bool:
    """True for a file that :func:`open_plain` would open, as far as its kind and name go; never waits."""
    try:
        return stat.S_ISREG(path.stat().st_mode) and not has_unseen(str(path))
    except (OSError, ValueError):
        return False


def put_whole(path: Path, data: bytes, lasting: bool = True) -> None:
    """Write a file so that it is either all there or as it was before.

    Args:
        path: in a folder that is there.
        data: what it shall hold.
        lasting: forced to the disk before it takes its place; needless for what can be made again.

    Raises:
        OSError: it cannot be written; what was there is untouched.
    """
    with _replacing(path, lasting) as stream:
        stream.write(data)


@contextmanager
def _replacing(path: Path, lasting: bool) -> Iterator[BinaryIO]:
    """A stream into a file that takes the place of ``path`` when the block ends.

    Where the disk can, the file has no name before it is whole: a process that is killed leaves nothing behind.
    """
    import tempfile

    fresh = path.parent / f".{path.name[:100]}.{os.getpid()}-{os.urandom(4).hex()}.tmp"
    nameless = Path("/proc/self/fd").is_dir()
    try:
        if not nameless:
            raise OSError
        handle = os.open(path.parent, os.O_TMPFILE | os.O_RDWR | os.O_CLOEXEC, 0o644)
    except OSError:
        handle, made = tempfile.mkstemp(dir=path.parent, prefix=f".{path.name[:100]}.")
        fresh, nameless = Path(made), False
    try:
        with os.fdopen(handle, "w+b") as stream:
            yield stream
            stream.flush()
            if lasting:
                os.fsync(stream.fileno())
            if nameless:
                # With a folder's number, though the path is absolute: only then the link itself is followed.
                os.link(f"/proc/self/fd/{stream.fileno()}", fresh, src_dir_fd=stream.fileno(), follow_symlinks=True)
        fresh.chmod(0o644)
        fresh.replace(path)
    except BaseException:
        fresh.unlink(missing_ok=True)
        raise


@contextmanager
def writing_whole(path: Path) -> Iterator[BinaryIO]:
    """A stream into a file that the user named; the file is there, whole, when the block ends, or as it was before.

    Raises:
        InputError: one sentence; what was there before is untouched.
    """
    try:
        with _replacing(path, lasting=True) as stream:
            yield stream
    except OSError as error:
        raise InputError(f"{path}: cannot be written ({error.strerror}); choose another folder.") from None


def write_whole(path: Path, data: bytes) -> None:
    """:func:`put_whole` for a file that the user named.

    Raises:
        InputError: one sentence; what was there before is untouched.
    """
    with writing_whole(path) as stream:
        stream.write(data)
