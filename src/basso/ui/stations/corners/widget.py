"""The Corners station: where on the circuit it happens, lap after lap, which way, and from which g on."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QToolButton, QVBoxLayout, QWidget

from basso.trust.side import KNOWN
from basso.ui import layouts
from basso.ui.models.cursor import Cursor
from basso.ui.stations.corners.circuit_view import CircuitView
from basso.ui.stations.corners.picture import (
    RUN_IDS,
    TABLE_HEADS,
    circuit_words,
    ladder,
    opening,
    place_line,
    table_rows,
    threshold_picture,
    working,
)
from basso.ui.stations.corners.views import LadderView, LossView, RoseView
from basso.ui.stations.words import HeldWords, TitledPage, Words
from basso.ui.stations.working import WorkingStep
from basso.ui.theme.look import Look, Type
from basso.units import DisplayUnits
from basso.words.corners import knee_words, runs_words, side_words, slides_words, threshold_words

if TYPE_CHECKING:
    from basso.findings.corners.findings import CornerFindings

_WAYS = ("left", "right", "braking", "acceleration")


class CornersPage(TitledPage):
    """Told what is told of corners; moves the cursor.

    ``name_wanted`` carries a place's id, ``line_set`` the distance along the lap where laps are to begin, ``refused``
    why not.
    """

    name_wanted = Signal(str)
    keep_wanted = Signal()
    line_set = Signal(float)
    refused = Signal(str)

    def __init__(self, look: Look, cursor: Cursor) -> None:
        super().__init__(look)
        self._cursor = cursor
        self.told: CornerFindings | None = None
        self._units = DisplayUnits()
        self.ladder, self.rose, self.circuit, self.loss = (
            LadderView(look),
            RoseView(look),
            CircuitView(look),
            LossView(look),
        )
        self.place_words, self.side_words = HeldWords(look, 2, Type.SMALL), Words(look, Type.SMALL, "soft")
        self.way = QComboBox()
        self.way.setAccessibleName("Direction")
        self.way.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        for key in _WAYS:
            self.way.addItem(KNOWN.turns(key), key)
        self._lay_out()
        self.ladder.place_chosen.connect(self._place_chosen)
        self.circuit.place_chosen.connect(self.ladder.choose)
        self.circuit.line_drawn.connect(self._line_drawn)
        self.ladder.rung_chosen.connect(self._go_to)
        self.loss.pass_chosen.connect(self._go_to)
        self.way.currentIndexChanged.connect(lambda _: self._show_way())
        cursor.moved.connect(lambda _: self._follow())

    def _lay_out(self) -> None:
        self._body = QWidget()
        sides = QHBoxLayout(self._body)
        sides.setContentsMargins(0, 6, 0, 0)
        sides.setSpacing(22)
        left, right = QVBoxLayout(), QVBoxLayout()
        for column in (left, right):
            column.setSpacing(3)
        self._ladder_box, self._circuit_box = QWidget(), QWidget()
        box = self._boxed(self._ladder_box, "Pass ladder", "lowest % of normal, one mark per lap")
        box.addWidget(self.ladder, 1)
        box.addWidget(self.place_words)
        left.addWidget(self._ladder_box, 68)
        left.addSpacing(4)
        self._rose_box, self._loss_box = QWidget(), QWidget()
        self._boxed(self._rose_box, "Oil rose", "where the oil went, at which g").addWidget(self.rose, 1)
        right.addWidget(self._rose_box, 50)
        loss = QVBoxLayout(self._loss_box)
        loss.setContentsMargins(0, 0, 0, 0)
        row = self._head("Threshold g", "lowest % of normal against the g on the oil")
        row.insertWidget(1, self.way)
        loss.addLayout(row)
        loss.addWidget(self.loss, 1)
        left.addWidget(self._loss_box, 32)
        right.addWidget(self.side_words)
        self._circuit_words = Words(self._look, Type.SMALL, "soft")
        box = self._boxed(self._circuit_box, "Circuit", "width and colour: lowest % of normal")
        box.addWidget(self.circuit, 1)
        box.addWidget(self._circuit_words)
        box.addLayout(self._verbs())
        right.addWidget(self._circuit_box, 50)
        sides.addLayout(left, 62)
        sides.addLayout(right, 38)
        whole = layouts.column(self, (20, 12, 14, 8), 2)
        whole.addLayout(self.head())
        whole.addWidget(self._body, 1)
        self._room = QWidget()
        whole.addWidget(self._room, 1)

    def _verbs(self) -> QHBoxLayout:
        """What can be done to the circuit."""
        row = QHBoxLayout()
        row.setSpacing(4)
        self.name_button, self.keep_button, self.line_button = buttons = (QToolButton(), QToolButton(), QToolButton())
        said = (
            ("Name place…", "What the team calls the chosen place, in every session on this circuit"),
            ("Save map", "One map of all sessions driven here: corners keep their numbers"),
            ("Set lap line…", "Two clicks across the circuit: laps begin there"),
        )
        for button, (words, hint) in zip(buttons, said, strict=True):
            button.setText(words)
            button.setToolTip(hint)
            row.addWidget(button)
        row.addStretch(1)
        self.name_button.clicked.connect(lambda: self.name_wanted.emit(self.ladder.chosen))
        self.keep_button.clicked.connect(self.keep_wanted)
        self.line_button.clicked.connect(self.circuit.begin_line)
        return row

    def _line_drawn(self, along_m: float) -> None:
        if along_m == along_m:
            self.line_set.emit(along_m)
        else:
            self.refused.emit("The two clicks did not cross the circuit: click on either side of it.")

    def _boxed(self, box: QWidget, words: str, hint: str) -> QVBoxLayout:
        column = layouts.column(box, (0, 0, 0, 0), 3)
        column.addLayout(self._head(words, hint))
        return column

    def _head(self, words: str, hint: str) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(8)
        head, soft = Words(self._look, Type.SMALL_STRONG), Words(self._look, Type.SMALL, "soft")
        head.setText(words)
        head.setWordWrap(False)
        soft.setText(hint)
        row.addWidget(head)
        row.addWidget(soft, 1)
        return row

    # Showing

    def show_corners(self, told: CornerFindings | None, units: DisplayUnits, waiting: str = "") -> None:
        """Show what is told, or what is missing for it."""
        fresh = told is not None and (self.told is None or self.told.analysis.recording is not told.analysis.recording)
        self.told, self._units = told, units
        self._body.setVisible(told is not None)
        self._room.setVisible(told is None)
        if told is None:
            self.say_nothing(
                waiting,
                "Open a log to see where on the circuit it happens",
                "It needs laps and both g: a lap column or GPS is best; a few laps of speed and g will do.",
            )
            return
        words = opening(told, units)
        self.say(words.title, words.detail)
        floor = self._floor
        rows = ladder(told)
        self.ladder.show_ladder(rows if rows.rows else None)
        self._ladder_box.setVisible(bool(rows.rows))
        for i, key in enumerate(_WAYS):
            self.way.setItemText(i, told.analysis.side.turns(key))
        self.rose.show_rose(told.rose, floor, told.analysis.side)
        self._rose_box.setVisible(told.rose is not None)
        self._loss_box.setVisible(bool(told.thresholds) and told.rose is not None)
        self.circuit.show_circuit(told.circuit, tuple(p.place for p in told.places), floor)
        self._circuit_box.setVisible(told.circuit is not None)
        self._circuit_words.setText(circuit_words(told))
        self.line_button.setVisible(told.circuit is not None and told.circuit.closed)
        self.side_words.setText(" ".join(w for w in (side_words(told), knee_words(told), slides_words(told)) if w))
        if fresh:
            self.way.setCurrentIndex(self._worst_way(told))
        self._place_chosen(self.ladder.chosen)
        self._show_way()
        self._follow()

    @staticmethod
    def _worst_way(told: CornerFindings) -> int:
        """The direction with a threshold in which most passes fell, else the one with most passes."""
        of = [told.threshold(key) for key in _WAYS]
        return max(
            range(len(_WAYS)),
            key=lambda i: (t.g is not None, t.fell, t.passes) if (t := of[i]) is not None else (False, 0, 0),
        )

    @property
    def _floor(self) -> float:
        from basso.pressure.floors import Share

        floors = self.told.analysis.options.floors if self.told is not None else ()
        return next((f.fraction for f in floors if isinstance(f, Share)), 0.7)

    def _place_chosen(self, place: str) -> None:
        told = self.told
        found = next((p for p in told.places if p.place.id == place), None) if told is not None else None
        self.circuit.show_place(place)
        runs = runs_words(told) if told is not None and place in RUN_IDS.values() else ""
        self.place_words.setText(place_line(found, self._units) if found is not None else runs)
        self.name_button.setEnabled(found is not None)
        if (
            found is not None
            and found.place.kind != self.way.currentData()
            and told is not None
            and told.threshold(found.place.kind) is not None
        ):
            self.way.setCurrentIndex(_WAYS.index(found.place.kind))

    def _show_way(self) -> None:
        picture = threshold_picture(self.told, self.way.currentData()) if self.told is not None else None
        self.loss.show_picture(picture, self._floor)

    def _go_to(self, time_s: float) -> None:
        self._cursor.reveal(time_s)
        self._cursor.move_to(time_s)

    def _follow(self) -> None:
        """The car on the circuit follows the cursor."""
        told = self.told
        if told is None or told.analysis.track is None or not self.isVisible():
            return
        at = int(np.searchsorted(told.analysis.time_s, self._cursor.time_s))
        distance = told.analysis.track.lap_distance_m
        self.circuit.show_at(float(distance[min(at, distance.size - 1)]))

    def working(self) -> list[WorkingStep]:
        """How the shown direction's threshold came about."""
        return working(self.told, self.way.currentData()) if self.told is not None else []

    def rows(self) -> list[Sequence[str]]:
        """Places and thresholds."""
        if self.told is None:
            return []
        return [
            [self.title],
            TABLE_HEADS,
            *table_rows(self.told),
            *([w] for t in self.told.thresholds if (w := threshold_words(t, self.told.analysis.side))),
            [knee_words(self.told)],
        ]
