"""A station's commands as buttons: named, explained and enabled as the commands are."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

from PySide6.QtWidgets import QPushButton

from basso.ui.plain import tip
from basso.ui.stations.station import Command


class CommandButtons:
    """One button a command; ``wanted`` is told the key of the one pressed, ``titles`` are shorter than theirs."""

    def __init__(
        self, commands: Sequence[Command], wanted: Callable[[str], None], titles: Mapping[str, str] | None = None
    ) -> None:
        self.by_key: dict[str, QPushButton] = {}
        for command in commands:
            button = QPushButton((titles or {}).get(command.key, command.title))
            hint = command.hint or command.title.rstrip("…")
            button.setToolTip(tip(f"{hint[:1].upper()}{hint[1:]}{f' ({command.keys[0]})' if command.keys else ''}"))
            button.clicked.connect(lambda _=False, k=command.key: wanted(k))
            self.by_key[command.key] = button

    def enable(self, can: Mapping[str, bool]) -> None:
        """Which of the commands can be run now."""
        for key, button in self.by_key.items():
            button.setEnabled(can.get(key, True))
