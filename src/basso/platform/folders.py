"""Where this machine keeps a program's own files: the user's data, what may be made anew, and notes of faults.

By the base directory specification of freedesktop.org; what it says of relative paths in its variables holds as well:
they are as good as not set.
"""

from __future__ import annotations

import os
from pathlib import Path

_NAME = "basso"
_HOMES = {"XDG_DATA_HOME": ".local/share", "XDG_CACHE_HOME": ".cache", "XDG_STATE_HOME": ".local/state"}


def _home(variable: str, found: Path) -> Path:
    """``found``, unless it comes of a relative path."""
    named = os.environ.get(variable, "")
    return Path.home() / _HOMES[variable] / _NAME if named and not Path(named).is_absolute() else found


def data_folder() -> Path:
    """What the user would miss: the garage, confirmed columns, decisions, parts."""
    from platformdirs import user_data_path

    return _home("XDG_DATA_HOME", user_data_path(_NAME, appauthor=False))


def cache_folder() -> Path:
    """What can be made anew: recordings as they were read, figures of earlier sessions, the demo's garage."""
    from platformdirs import user_cache_path

    return _home("XDG_CACHE_HOME", user_cache_path(_NAME, appauthor=False))


def state_folder() -> Path:
    """Notes of faults."""
    from platformdirs import user_state_path

    return _home("XDG_STATE_HOME", user_state_path(_NAME, appauthor=False))
