"""Where this machine keeps a program's own files: the user's data, what may be made anew, and notes of faults."""

from __future__ import annotations

from pathlib import Path

_NAME = "basso"


def data_folder() -> Path:
    """What the user would miss: the garage, confirmed columns, decisions, parts."""
    from platformdirs import user_data_path

    return user_data_path(_NAME, appauthor=False)


def cache_folder() -> Path:
    """What can be made anew: recordings as they were read, figures of earlier sessions, the demo's garage."""
    from platformdirs import user_cache_path

    return user_cache_path(_NAME, appauthor=False)


def state_folder() -> Path:
    """Notes of faults."""
    from platformdirs import user_state_path

    return user_state_path(_NAME, appauthor=False)
