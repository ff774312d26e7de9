"""The program's own files: as source, as bytecode alone, or frozen into one file."""

from __future__ import annotations

import sys
from pathlib import Path

CHILD = "--child"
"""How a frozen program is told to be one of its own children: ``program --child MODULE FOLDER``."""


def stamp_of_code(*rooms: str) -> str:
    """What tells one version of some rooms' code from another: each file's name, size and time.

    Args:
        rooms: packages and modules of Basso ("formats", "units"); of a frozen program, the program itself counts.
    """
    package = Path(__file__).parents[1]
    files = [
        f
        for room in rooms
        for f in sorted([*(package / room).rglob("*.py*"), *package.glob(f"{room}.py*")])
        if f.parent.name != "__pycache__"
    ]
    known = [(f.relative_to(package), f.stat()) for f in files]
    if not known:
        own = Path(sys.executable)
        known = [(Path(own.name), own.stat())]
    return " ".join(f"{name}:{s.st_size}:{s.st_mtime_ns}" for name, s in known)


def command_of(module: str) -> list[str]:
    """The command that runs a module of Basso in a process of its own."""
    if getattr(sys, "frozen", False):
        return [sys.executable, CHILD, module]
    return [sys.executable, "-P", "-m", module]
