"""What can be asked of the garage, each by its name. (No Qt.)"""

from __future__ import annotations

from enum import StrEnum


class Verb(StrEnum):
    """A button, a menu's line or a gesture asks for one of these; what it is about comes with it."""

    NEW_CAR = "new car"
    CAR = "car"
    REMOVE_CAR = "remove car"
    NEW_ENGINE = "new engine"
    ENGINE = "engine"
    NEW_CARD = "new card"
    NEW_BUILD = "new build"
    NEW_SESSION = "new session"
    NEW_OIL = "new oil"
    NEW_SAMPLE = "new sample"
    NEW_LEVEL = "level"
    BEGIN_JOB = "job"
    CORRECT = "correct"
    REMOVE = "remove"
    NOTE = "note"
    ATTACH = "attach"
    PHOTO = "photo"
    OPEN = "open"
    PRINT = "print"
    PRIME = "prime"
    HOLD = "hold"
    NEW_ON_BUILD = "new"
    IMPORT = "import"
    ACCEPT = "accept"
    EXPORT = "export"
    BACKUP = "backup"
    RESTORE = "restore"
    HISTORY = "history"
    DEMO = "demo"
