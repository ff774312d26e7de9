"""What a live drive is begun from: the bus, its database, where to record, and what it is judged by."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from PySide6.QtWidgets import QComboBox, QDialog, QDialogButtonBox, QFormLayout, QLineEdit, QPushButton, QWidget

from basso.ui import layouts
from basso.ui.dialogs import label
from basso.ui.files import Files
from basso.ui.theme.look import Look, Type

_HINT = (
    "Interface and channel as python-can names them: socketcan and can0, udp_multicast and 239.74.163.2, slcan and "
    "/dev/ttyACM0. What comes is recorded as it comes: whatever happens, at most a second is lost."
)


@dataclass(frozen=True, slots=True)
class Listening:
    """What was chosen.

    Attributes:
        normal, alarm: index of what was offered; None for none.
    """

    interface: str
    channel: str
    database: Path
    folder: Path
    normal: int | None
    alarm: int | None


class ListenDialog(QDialog):
    """Asks for them; opens with what was last used.

    Args:
        normals, alarms: what may be judged by, in words, the best first.
    """

    def __init__(
        self,
        parent: QWidget,
        look: Look,
        files: Files,
        last: tuple[str, str, str, str],
        normals: Sequence[str],
        alarms: Sequence[str],
    ) -> None:
        """``last``: interface, channel, database, folder."""
        super().__init__(parent)
        self.setWindowTitle("Listen to a bus")
        self.setMinimumWidth(round(look.height() * 30))
        self._files = files
        interface, channel, database, folder = last
        self.interface, self.channel = QLineEdit(interface), QLineEdit(channel)
        self.interface.setPlaceholderText("socketcan")
        self.channel.setPlaceholderText("can0")
        self.database, self.folder = QLineEdit(database), QLineEdit(folder)
        self.database.setPlaceholderText("car.dbc")
        self.normal, self.alarm = QComboBox(), QComboBox()
        for box, offered, none in (
            (self.normal, normals, "none: floors that need a normal say nothing"),
            (self.alarm, alarms, "none: alarm where a dip is severe"),
        ):
            for n, words in enumerate(offered):
                box.addItem(words, n)
            box.addItem(none, None)
        form = QFormLayout()
        for name, field, browse in (
            ("Interface", self.interface, None),
            ("Channel", self.channel, None),
            ("Database of the bus", self.database, self._choose_database),
            ("Record into", self.folder, self._choose_folder),
            ("Normal", self.normal, None),
            ("Alarm", self.alarm, None),
        ):
            field.setAccessibleName(name)
            if browse is None:
                form.addRow(name, field)
                continue
            row = layouts.row(None, (0, 0, 0, 0), 6)
            button = QPushButton("Choose…")
            button.clicked.connect(lambda _=False, run=browse: run())
            row.addWidget(field, 1)
            row.addWidget(button)
            form.addRow(name, row)
        self.said = label(look, _HINT, Type.SMALL)
        self.said.setWordWrap(True)
        self.buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        self.begin = self.buttons.addButton("Listen", QDialogButtonBox.ButtonRole.AcceptRole)
        self.buttons.accepted.connect(self.accept)
        self.buttons.rejected.connect(self.reject)
        layout = layouts.column(self, (16, 14, 16, 12), 10)
        layout.addLayout(form)
        layout.addWidget(self.said)
        layout.addWidget(self.buttons)
        for edit in (self.interface, self.channel, self.database, self.folder):
            edit.textChanged.connect(lambda _: self._look())
        self._look()

    def _look(self) -> None:
        typed = (self.interface, self.channel, self.database, self.folder)
        self.begin.setEnabled(all(edit.text().strip() for edit in typed))

    def _choose_database(self) -> None:
        path = self._files.ask_open("Database of the bus", "Databases (*.dbc *.kcd *.sym *.arxml);;All files (*)")
        if path is not None:
            self.database.setText(str(path))

    def _choose_folder(self) -> None:
        path = self._files.ask_folder("Record into")
        if path is not None:
            self.folder.setText(str(path))

    @property
    def listening(self) -> Listening:
        """What was chosen."""
        return Listening(
            self.interface.text().strip(),
            self.channel.text().strip(),
            Path(self.database.text().strip()).expanduser(),
            Path(self.folder.text().strip()).expanduser(),
            self.normal.currentData(),
            self.alarm.currentData(),
        )
