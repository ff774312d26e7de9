"""Help: what Basso does in a few sentences, and every command with its keys."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtWidgets import QDialog, QGridLayout, QVBoxLayout, QWidget

from basso.ui.dialogs import CAUTION, closing, label, scrolled
from basso.ui.plain import Label
from basso.ui.stations.station import Command
from basso.ui.theme.look import Look, Type


class HelpDialog(QDialog):
    """What Basso does in a few sentences, and every shortcut."""

    def __init__(self, parent: QWidget, look: Look, commands: Sequence[Command]) -> None:
        super().__init__(parent)
        self.setWindowTitle("Help and shortcuts")
        self.resize(700, 620)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 12, 14)
        _, column = scrolled(layout)
        column.setSpacing(5)
        column.addWidget(label(look, "From a log to its dips", Type.TITLE))
        for words in (
            "Drop a log on the window. Basso finds the columns it needs, checks the readings and takes "
            "the sensor's zero from the "
            "seconds with the engine stopped; what it assumed is listed under Sensors.",
            "A dip is a stretch in which the gallery pressure lay below the floor while the engine ran "
            "warm above 1500 rpm. The "
            "floor is the highest of the rules under Floors. The margin is pressure less floor; the "
            "tide along the bottom shows it "
            "for the whole session.",
            "Normal is what this engine shows at the same rpm and oil temperature with the pan level, "
            "learned from the session's own "
            "straights. % of normal is pressure divided by that.",
            "The cause is judged from the g before the dip, since oil follows late, and held against "
            "the rest of the session. "
            "“Not sure” and “not comparable” are meant.",
            CAUTION,
        ):
            column.addWidget(label(look, words))
        for group in dict.fromkeys(c.group for c in commands):
            column.addSpacing(8)
            column.addWidget(label(look, group, Type.STRONG))
            grid = QGridLayout()
            grid.setColumnStretch(2, 1)
            grid.setColumnMinimumWidth(0, 150)
            grid.setColumnMinimumWidth(1, 190)
            grid.setHorizontalSpacing(18)
            for i, command in enumerate(c for c in commands if c.group == group):
                grid.addWidget(label(look, "  or  ".join(command.keys) or "–", soft=True), i, 0)
                grid.addWidget(Label(command.title), i, 1)
                grid.addWidget(label(look, command.hint, Type.SMALL, soft=True), i, 2)
            column.addLayout(grid)
        buttons = closing(self)
        layout.addWidget(buttons)
