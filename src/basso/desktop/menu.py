"""Basso in the menu of one user: the files a desktop looks for, in the places it looks in (freedesktop.org's base
directory, menu, icon and MIME specifications)."""

from __future__ import annotations

import shlex
import shutil
import subprocess
import sys
from pathlib import Path

from basso.files import write_whole

_HERE = Path(__file__).parent
_FILES = {
    "basso.desktop": "applications/basso.desktop",
    "basso.svg": "icons/hicolor/scalable/apps/basso.svg",
    "basso-mime.xml": "mime/packages/basso.xml",
}
_AFTERWARDS = (("update-desktop-database", "applications"), ("update-mime-database", "mime"))


def add_to_menu() -> list[Path]:
    """Write the files and let the desktop know; the paths written.

    Raises:
        InputError: one cannot be written.
    """
    written = []
    for name, place in _FILES.items():
        data = (_HERE / name).read_bytes()
        if name == "basso.desktop":
            data = data.replace(b"Exec=basso ", f"Exec={_command()} ".encode())
        path = _shared() / place
        path.parent.mkdir(parents=True, exist_ok=True)
        write_whole(path, data)
        written.append(path)
    _let_know()
    return written


def take_from_menu() -> list[Path]:
    """Remove what :func:`add_to_menu` wrote; the paths that were there."""
    gone = [path for place in _FILES.values() if (path := _shared() / place).is_file()]
    for path in gone:
        path.unlink()
    _let_know()
    return gone


def _shared() -> Path:
    from basso.platform.folders import data_folder

    return data_folder().parent


def _command() -> str:
    """This Basso, whatever folder the desktop starts it from."""
    started = Path(sys.argv[0]).absolute()
    words = [str(started)] if started.name == "basso" else [sys.executable, "-m", "basso"]
    return " ".join(map(_quoted, words))


def _quoted(word: str) -> str:
    """A word of an Exec line by the menu specification: in quotes, and what acts there with a backslash (itself written
    twice, for the file undoes one), a per cent sign doubled."""
    acts = "".join(f"\\\\{x}" if x in '"`$\\' else x for x in word.replace("%", "%%"))
    return f'"{acts}"' if shlex.quote(word) != word else acts


def _let_know() -> None:
    for program, folder in _AFTERWARDS:
        if (found := shutil.which(program)) and (_shared() / folder).is_dir():
            subprocess.run([found, str(_shared() / folder)], check=False, capture_output=True)
