"""Where the user's own garage is. Known without loading a database library."""

from __future__ import annotations

from pathlib import Path

from basso.platform.folders import data_folder

FILE = "garage.sqlite"


def default_folder() -> Path:
    """Where the user's own garage is kept."""
    return data_folder() / "garage"
