"""Where the user's own garage is, and what its cars are exported as. Known without loading a database library."""

from __future__ import annotations

from pathlib import Path

from basso.platform.folders import data_folder

FILE = "garage.sqlite"
BUNDLE_SUFFIX = ".basso.zip"


def is_bundle(path: Path) -> bool:
    """Whether a file's name is that of a car exported from a garage."""
    return path.name.lower().endswith(BUNDLE_SUFFIX)


def default_folder() -> Path:
    """Where the user's own garage is kept."""
    return data_folder() / "garage"
