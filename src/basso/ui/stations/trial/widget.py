"""The Trial station: the verdict, the before/after plot, place by place, and what would settle the rest."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QPainter, QPaintEvent, QPolygonF
from PySide6.QtWidgets import QHBoxLayout, QScrollArea, QSizePolicy, QToolButton, QWidget

from basso.ui import layouts
from basso.ui.plots import paint
from basso.ui.plots.ticks import ticks
from basso.ui.stations.command_buttons import CommandButtons
from basso.ui.stations.station import Command
from basso.ui.stations.trial.picture import BeforeAfter, Row, before_after, exceedance, rows, settle, side_words
from basso.ui.stations.words import TitledPage, Words
from basso.ui.theme.look import Look, Type
from basso.units import DisplayUnits
from basso.words.trial import opening

if TYPE_CHECKING:
    from basso.trial.match import Likeness
    from basso.trial.verdict import Comparison


class TrialPage(TitledPage):
    """Told a comparison and units. The two side buttons get their menus from the window."""

    command_wanted = Signal(str)

    def __init__(self, look: Look, buttons: Sequence[Command] = ()) -> None:
        """``buttons``: the commands that stand beside the sides."""
        super().__init__(look)
        self._buttons = CommandButtons(buttons, self.command_wanted.emit)
        self._comparison: Comparison | None = None
        self._units = DisplayUnits()
        self.side_a, self.side_b = QToolButton(), QToolButton()
        self._words_a, self._words_b = (Words(look, Type.SMALL, "soft") for _ in range(2))
        self._cards = Words(look, Type.SMALL)
        self._board = _Board(look)
        layout = layouts.column(self, (20, 12, 12, 4), 2)
        layout.addLayout(self.head())
        sides = QHBoxLayout()
        sides.setContentsMargins(0, 6, 0, 2)
        for side, words, name in (
            (self.side_a, self._words_a, "A, before the change"),
            (self.side_b, self._words_b, "B, after the change"),
        ):
            side.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
            side.setAccessibleName(f"Choose {name}")
            side.setToolTip(f"Choose the sessions of {name}")
            words.setIndent(5)
            chosen = layouts.column(None, (0, 0, 0, 0), 1)
            chosen.addWidget(side)
            chosen.addWidget(words)
            sides.addLayout(chosen)
            sides.addSpacing(24)
        sides.addStretch(1)
        for button in self._buttons.by_key.values():
            sides.addSpacing(6)
            sides.addWidget(button)
        layout.addLayout(sides)
        layout.addWidget(self._cards)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setWidget(self._board)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.viewport().setAutoFillBackground(False)
        layout.addWidget(scroll, 1)
        look.changed.connect(self._restyle)
        self._restyle()

    def enable(self, can: Mapping[str, bool]) -> None:
        """Which of the commands can be run now."""
        self._buttons.enable(can)

    def _restyle(self) -> None:
        p = self._look.palette
        for button, color in ((self.side_a, p.side_a), (self.side_b, p.side_b)):
            button.setFont(self._look.font(Type.STRONG))
            button.setStyleSheet(
                f"QToolButton {{ color: {color}; border-bottom: 1px solid {color}; border-radius: 0; "
                f"padding: 2px 4px; }}"
            )
        self._board.take_room()
        self._board.update()

    def show_cards(self, words: str) -> None:
        """What the cards of the two sides do not have in common, and what that makes doubtful; "" for nothing known."""
        self._cards.show_words(words)

    @property
    def cards(self) -> str:
        """What is said of the cards."""
        return self._cards.text()

    def show_comparison(
        self, c: Comparison | None, units: DisplayUnits, names: tuple[str, str], waiting: str = ""
    ) -> None:
        """Show a judged trial, or what is missing for one."""
        self._comparison, self._units = c, units
        for button, letter, name in ((self.side_a, "A", names[0]), (self.side_b, "B", names[1])):
            button.setText(f"{letter}  {name or ('choose before' if letter == 'A' else 'choose after')}  ▾")
        self._words_a.setText(side_words(c.a, units) if c is not None else "")
        self._words_b.setText(side_words(c.b, units) if c is not None else "")
        self._board.set_comparison(c, units)
        if c is None:
            self.say_nothing(
                waiting,
                "Choose the logs before a change and the logs after it",
                "Same circuit, same day if you can, warm, same tyres and fuel, like pace; two or three "
                "laps a side are judged where the change stands clear, four and more are better. Change "
                "one thing.",
            )
            return
        words = opening(c, units)
        self.say(words.title, words.detail)

    def rows(self) -> list[list[str]]:
        """The verdict and the places, in the units shown."""
        if self._comparison is None:
            return []
        unit = self._units.pressure.symbol
        heads = ["Place", *(f"{h}, {unit}" for h in ("A", "B", "B − A", "low", "high")), "Passes", "Dips per lap"]
        lines: list[list[str]] = [[self.title], [self.detail], heads]
        for r in rows(self._comparison, self._units):
            low, high = (f"{v:.1f}" for v in r.interval[1:]) if r.interval is not None else ("", "")
            lines.append([r.place, r.a, r.b, r.effect, low, high, r.passes, r.dips])
        return lines


class _Board(QWidget):
    """Everything drawn: plot and likeness, rows with intervals, exceedance, what would settle the rest."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self._comparison: Comparison | None = None
        self._plot: BeforeAfter | None = None
        self._rows: list[Row] = []
        self._settle: list[str] = []
        self._units = DisplayUnits()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.MinimumExpanding)
        self.setAccessibleName("Before and after")

    def set_comparison(self, c: Comparison | None, units: DisplayUnits) -> None:
        self._comparison, self._units = c, units
        self._plot = before_after(c, units) if c is not None else None
        self._rows = rows(c, units) if c is not None else []
        self._settle = settle(c, units) if c is not None else []
        self.take_room()
        self.setAccessibleDescription("; ".join(f"{r.place} {r.a} to {r.b}" for r in self._rows))
        self.update()

    def _plot_lines(self) -> float:
        """Height of the plot in lines; without one the room goes to the likeness beside it."""
        if self._plot is not None:
            return 15.5
        rows = len(self._comparison.likeness) if self._comparison is not None else 0
        return 2.0 + 2.35 * rows

    def take_room(self) -> None:
        """As much height as what is shown needs."""
        lines = self._plot_lines() + 1.0 + 1.38 * (len(self._rows) + 2) + 9.0
        self.setMinimumHeight(round(self._look.height() * lines) if self._comparison is not None else 0)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), self._look.color("paper"))
        if self._comparison is None:
            return
        line = self._look.height()
        width = float(self.width()) - 6
        plot = QRectF(0, 0, width * 0.68, line * self._plot_lines())
        if self._plot is not None:
            self._paint_plot(painter, plot, self._plot)
        else:
            paint.text(
                painter,
                0,
                line,
                "No passes with an oil temperature to draw.",
                self._look.font(Type.BODY),
                self._look.color("soft"),
            )
        self._paint_likeness(
            painter,
            QRectF(plot.right() + line * 1.6, 0, width - plot.right() - line * 1.6, plot.height()),
            self._comparison.likeness,
        )
        y = plot.bottom() + line * 0.6
        paint.rule(painter, 0, y, width, y, self._look.color("soft"))
        y = self._paint_rows(painter, y + line * 0.9, width)
        self._paint_exceedance(painter, QRectF(0, y + line * 0.6, width * 0.48, line * 7.6), self._comparison)
        self._paint_settle(painter, width * 0.53, y + line * 1.1, width * 0.47)

    def _paint_plot(self, painter: QPainter, box: QRectF, plot: BeforeAfter) -> None:
        look, line = self._look, self._look.height(Type.SMALL)
        small, soft = look.font(Type.SMALL), look.color("soft")
        area = QRectF(
            box.left() + line * 3.4, box.top() + line * 1.4, box.width() - line * 3.8, box.height() - line * 3.1
        )
        (x0, x1), (y0, y1) = plot.x_range, plot.y_range

        def px(x: float) -> float:
            return area.left() + (x - x0) / (x1 - x0) * area.width()

        def py(y: float) -> float:
            return area.bottom() - (y - y0) / (y1 - y0) * area.height()

        paint.label(painter, look, box.left(), box.top() + line * 0.5, "Lowest in each pass", Type.SMALL_STRONG, "ink")
        paint.text(painter, box.left() + line * 7.0, box.top() + line * 0.5, f"{plot.y_unit}, {plot.zero}", small, soft)
        for value in ticks(y0, y1, 5):
            paint.rule(painter, area.left(), py(value), area.right(), py(value), look.color("grid"))
            paint.text(painter, area.left() - 8, py(value), f"{value:g}", small, soft, paint.RIGHT)
        for value in ticks(x0, x1, 6):
            paint.text(painter, px(value), area.bottom() + line * 0.9, f"{value:g}", small, soft, paint.CENTRE)
        paint.text(
            painter,
            area.right(),
            area.bottom() + line * 1.8,
            f"oil temperature, {plot.x_unit}",
            small,
            soft,
            paint.RIGHT,
        )
        if plot.floor is not None:
            paint.rule(
                painter,
                area.left(),
                py(plot.floor),
                area.right(),
                py(plot.floor),
                look.color("below"),
                Qt.PenStyle.DashLine,
            )
            paint.text(
                painter, area.left() + 4, py(plot.floor) - line * 0.55, "floor, typical", small, look.color("below")
            )
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        colours = (look.color("side_a"), look.color("side_b"))
        for fitted in plot.lines:
            wash = look.color("side_a" if fitted.side == 0 else "side_b")
            wash.setAlpha(34)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(wash)
            ends = [
                (px(x), py(y), fitted.half_band / (y1 - y0) * area.height())
                for x, y in zip(fitted.x, fitted.y, strict=True)
            ]
            painter.drawPolygon(
                QPolygonF([QPointF(x, y - h) for x, y, h in ends] + [QPointF(x, y + h) for x, y, h in reversed(ends)])
            )
            style = Qt.PenStyle.SolidLine if fitted.side == 0 else Qt.PenStyle.DashLine
            painter.setPen(paint.pen(colours[fitted.side], 2.0, style))
            painter.drawLine(QPointF(*ends[0][:2]), QPointF(*ends[1][:2]))
            x, y = (ends[0] if fitted.side == 0 else ends[1])[:2]
            paint.text(
                painter,
                x + (-7 if fitted.side == 0 else 7),
                y,
                "AB"[fitted.side],
                look.font(Type.STRONG),
                colours[fitted.side],
                paint.RIGHT if fitted.side == 0 else paint.LEFT,
            )
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for dot in plot.dots:
            x, y = px(dot.x), py(dot.y)
            painter.setPen(paint.pen(colours[dot.side], 1.3))
            if dot.side == 0:
                painter.drawEllipse(QPointF(x, y), 3.6, 3.6)
            else:
                painter.drawLine(QPointF(x - 4, y), QPointF(x + 4, y))
                painter.drawLine(QPointF(x, y - 4), QPointF(x, y + 4))
        if np.isfinite(plot.gap_x):
            x, top, bottom = px(plot.gap_x), py(plot.gap_y[1]), py(plot.gap_y[0])
            painter.setPen(look.pen("ink", 2.0))
            painter.drawLine(QPointF(x, top), QPointF(x, bottom))
            for y in (top, bottom):
                painter.drawLine(QPointF(x - 5, y), QPointF(x + 5, y))
            words = QRectF(x + 8, (top + bottom) / 2 - line * 0.65, line * 3.2, line * 1.3)
            background = look.color("paper")
            background.setAlpha(225)
            painter.fillRect(words, background)
            paint.label(painter, look, words.left() + 2, words.center().y(), plot.gap_words, Type.NUMBER, "ink")

    def _paint_likeness(self, painter: QPainter, box: QRectF, likeness: tuple[Likeness, ...]) -> None:
        look, line = self._look, self._look.height()
        paint.label(painter, look, box.left(), line * 0.5, "Like with like", Type.STRONG, "ink")
        y = line * 1.9
        for row in likeness:
            paint.label(painter, look, box.left(), y, row.what)
            paint.label(painter, look, box.left(), y + line * 0.95, row.finding, Type.BODY, "ink")
            color = {"matched": "ample", "adjusted": "ample", "fair": "soft", "not known": "soft"}.get(
                row.state, "below"
            )
            paint.text(painter, box.right(), y, row.state, look.font(Type.SMALL_STRONG), look.color(color), paint.RIGHT)
            paint.rule(painter, box.left(), y + line * 1.6, box.right(), y + line * 1.6, look.color("rule"))
            y += line * 2.35

    def _paint_rows(self, painter: QPainter, y: float, width: float) -> float:
        look, line = self._look, self._look.height()
        small, soft = look.font(Type.SMALL), look.color("soft")
        unit = self._units.pressure.symbol
        at = {
            "place": 0.0,
            "a": width * 0.26,
            "b": width * 0.34,
            "effect": width * 0.42,
            "from": width * 0.46,
            "to": width * 0.76,
            "passes": width * 0.80,
            "dips": width * 0.89,
        }
        for key, words in (("place", "Place"), ("passes", "Passes"), ("dips", "Dips per lap")):
            paint.text(painter, at[key], y, words, small, soft)
        for key, words in (("a", f"A, {unit}"), ("b", f"B, {unit}"), ("effect", "B − A")):
            paint.text(painter, at[key], y, words, small, soft, paint.RIGHT)
        paint.text(
            painter,
            (at["from"] + at["to"]) / 2,
            y,
            f"like with like, with 95 % interval, {unit}",
            small,
            soft,
            paint.CENTRE,
        )
        known = [v for r in self._rows if r.interval is not None for v in r.interval]
        low, high = min([0.0, *known]), max([0.0, *known])
        reach = max(high - low, 1e-6)

        def px(v: float) -> float:
            return at["from"] + 14 + (v - low) / reach * (at["to"] - at["from"] - 28)

        top = y + line * 0.75
        bottom = top + line * 1.38 * len(self._rows)
        if known:
            for value in ticks(low, high, 4):
                paint.rule(painter, px(value), top, px(value), bottom, look.color("ink" if value == 0 else "grid"))
                label = f"{value:+g}".replace("-", "−") if value else "0"
                paint.text(painter, px(value), bottom + line * 0.5, label, small, soft, paint.CENTRE)
        for i, row in enumerate(self._rows):
            middle = top + line * 1.38 * (i + 0.5)
            paint.label(painter, look, at["place"], middle, row.place, Type.BODY, "ink")
            paint.label(painter, look, at["a"], middle, row.a, Type.BODY, "side_a", align=paint.RIGHT)
            paint.label(painter, look, at["b"], middle, row.b, Type.BODY, "side_b", align=paint.RIGHT)
            paint.text(
                painter,
                at["effect"],
                middle,
                row.effect,
                look.font(Type.STRONG if row.clear else Type.BODY),
                look.color("ink"),
                paint.RIGHT,
            )
            paint.text(painter, at["passes"], middle, row.passes, look.font(Type.BODY), soft)
            paint.text(painter, at["dips"], middle, row.dips, look.font(Type.BODY), soft)
            if row.interval is not None:
                estimate, a, b = row.interval
                color = look.color("ample" if row.clear and estimate > 0 else "below" if row.clear else "soft")
                painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
                painter.setPen(paint.pen(color, 2.6 if row.clear else 1.5))
                painter.drawLine(QPointF(px(a), middle), QPointF(px(b), middle))
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(color)
                painter.drawEllipse(QPointF(px(estimate), middle), 4.0, 4.0)
                painter.setBrush(Qt.BrushStyle.NoBrush)
        return bottom + line * 1.0

    def _paint_exceedance(self, painter: QPainter, box: QRectF, c: Comparison) -> None:
        look, line = self._look, self._look.height(Type.SMALL)
        small, soft = look.font(Type.SMALL), look.color("soft")
        paint.label(
            painter, look, box.left(), box.top() + line * 0.6, "Time below a % of normal", Type.SMALL_STRONG, "ink"
        )
        area = QRectF(
            box.left() + line * 3.2, box.top() + line * 1.6, box.width() - line * 5.0, box.height() - line * 3.4
        )
        curves = exceedance(c)
        values = [v for curve in curves for _, v in curve]
        if not values:
            paint.text(painter, area.left(), area.center().y(), "none on either side", small, soft)
            return
        low, high = np.floor(np.log10(max(min(values), 0.01))), np.ceil(np.log10(max(values)) + 1e-9)
        high = max(high, low + 1)

        def py(v: float) -> float:
            return float(area.bottom() - (np.log10(max(v, 10**low)) - low) / (high - low) * area.height())

        def px(s: float) -> float:
            return area.left() + (s - 40.0) / 50.0 * area.width()

        for power in range(int(low), int(high) + 1):
            paint.rule(painter, area.left(), py(10.0**power), area.right(), py(10.0**power), look.color("grid"))
            paint.text(painter, area.left() - 8, py(10.0**power), f"{10.0**power:g} %", small, soft, paint.RIGHT)
        for share in (40, 50, 60, 70, 80, 90):
            paint.text(painter, px(share), area.bottom() + line * 0.85, f"{share} %", small, soft, paint.CENTRE)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        labelled: list[float] = []
        for curve, name, color, style in (
            (curves[0], "A", "side_a", Qt.PenStyle.SolidLine),
            (curves[1], "B", "side_b", Qt.PenStyle.DashLine),
        ):
            if not curve:
                continue
            painter.setPen(look.pen(color, 2.0, style))
            painter.drawPolyline(QPolygonF([QPointF(px(s), py(v)) for s, v in curve]))
            s, v = curve[-1]
            y = py(v) + (line if any(abs(py(v) - other) < line for other in labelled) else 0.0)
            labelled.append(y)
            paint.text(painter, px(s) + 6, y, name, look.font(Type.SMALL_STRONG), look.color(color))

    def _paint_settle(self, painter: QPainter, x: float, y: float, width: float) -> None:
        look, line = self._look, self._look.height()
        paint.label(painter, look, x, y, "Still open", Type.SMALL_STRONG, "ink")
        painter.setFont(look.font(Type.BODY))
        painter.setPen(look.color("ink"))
        y += line * 0.8
        for words in self._settle:
            room = QRectF(x, y, width, line * 4)
            flags = int(Qt.TextFlag.TextWordWrap | Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop)
            used = painter.boundingRect(room, flags, words)
            painter.drawText(room, flags, words)
            y += used.height() + line * 0.3
