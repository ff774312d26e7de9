"""Writing files: whole or not at all."""

from __future__ import annotations

import os
from pathlib import Path

from basso.errors import InputError


def put_whole(path: Path, data: bytes, lasting: bool = True) -> None:
    """Write a file so that it is either all there or as it was before.

    Args:
        path: in a folder that is there.
        data: what it shall hold.
        lasting: forced to the disk before it takes its place; needless for what can be made again.

    Raises:
        OSError: it cannot be written; what was there is untouched.
    """
    import tempfile

    handle, name = tempfile.mkstemp(dir=path.parent, prefix=f".{path.name}.")
    try:
        with os.fdopen(handle, "wb") as stream:
            stream.write(data)
            if lasting:
                stream.flush()
                os.fsync(stream.fileno())
        fresh = Path(name)
        fresh.chmod(0o644)
        fresh.replace(path)
    except BaseException:
        Path(name).unlink(missing_ok=True)
        raise


def write_whole(path: Path, data: bytes) -> None:
    """:func:`put_whole` for a file that the user named.

    Raises:
        InputError: one sentence; what was there before is untouched.
    """
    try:
        put_whole(path, data)
    except OSError as error:
        raise InputError(f"{path}: cannot be written ({error.strerror}); choose another folder.") from None
