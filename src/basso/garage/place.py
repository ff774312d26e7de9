"""Where the user's own garage is. Known without loading a database library."""

from __future__ import annotations

import os
from pathlib import Path

FILE = "garage.sqlite"


def default_folder() -> Path:
    """Where the user's own garage is kept."""
    own = Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share")
    return own / "basso" / "garage"
