"""The look in force: palette, size of type, fonts, style sheet; views listen for its change and repaint."""

from __future__ import annotations

from collections.abc import Callable
from enum import Enum
from pathlib import Path
from types import MappingProxyType
from typing import Any, TypeVar

from PySide6.QtCore import QObject, Qt, Signal
from PySide6.QtGui import QColor, QFont, QFontDatabase, QFontMetricsF, QPalette, QPen
from PySide6.QtWidgets import QApplication, QStyleFactory, QWidget

from basso.ui.theme.palette import DAY, NIGHT, SUN, Palette

_FAMILY = "Barlow Semi Condensed"
THEMES = MappingProxyType({p.name: p for p in (DAY, NIGHT, SUN)})
SIZES = (90, 100, 110, 125, 150, 175, 200)
"""Sizes of type to step through, in % of the standard size."""
_STANDARD_POINTS = 10.5
"""Of running text, where the system's own is smaller; nothing is then written smaller than 13 px at 96 dots an inch."""
_Widget = TypeVar("_Widget", bound=QWidget)


class Type(Enum):
    """The few sizes of type there are, as (points over the system size, weight)."""

    SMALL = (-0.75, QFont.Weight.Normal)
    BODY = (0.0, QFont.Weight.Normal)
    STRONG = (0.0, QFont.Weight.DemiBold)
    SMALL_STRONG = (-0.75, QFont.Weight.DemiBold)
    STATION = (1.0, QFont.Weight.Medium)
    NUMBER = (2.0, QFont.Weight.DemiBold)
    TITLE = (3.5, QFont.Weight.DemiBold)
    BRAND = (5.0, QFont.Weight.DemiBold)


class _Fit(QObject):
    """What is done with a widget when type changes its size; it goes with the widget."""

    def __init__(self, widget: QWidget, how: Callable[[Any], object]) -> None:
        super().__init__(widget)
        self._how = how

    def again(self) -> None:
        """Do it."""
        self._how(self.parent())


class Look(QObject):
    """Palette and type; :attr:`changed` fires when the theme or the size of type changes."""

    changed = Signal()
    resized = Signal()
    """Before :attr:`changed`, where type has another size."""

    def __init__(self, application: QApplication, theme: str = DAY.name, size: int = 100) -> None:
        super().__init__()
        self._application = application
        self._fonts: dict[Type, QFont] = {}
        self._heights: dict[Type, float] = {}
        for file in (Path(__file__).parents[2] / "fonts").glob("*.ttf"):
            QFontDatabase.addApplicationFont(str(file))
        self._points = max(application.font().pointSizeF(), _STANDARD_POINTS)
        self.palette: Palette = THEMES.get(theme, DAY)
        self.size = size if size in SIZES else 100
        if not application.styleSheet():  # under a style sheet it is set already, and has no name to tell
            application.setStyle(QStyleFactory.create("Fusion"))
        self._apply()

    @property
    def theme(self) -> str:
        """Name of the palette in force: "day", "night" or "sunlight"."""
        return self.palette.name

    @property
    def state(self) -> tuple[str, int]:
        """Changes whenever anything drawn with this look has to be drawn anew."""
        return self.palette.name, self.size

    def set_theme(self, name: str) -> None:
        """Change to the palette of that name."""
        if name != self.theme:
            self.palette = THEMES[name]
            self._apply()
            self.changed.emit()

    def turn(self) -> None:
        """The next palette: day, night, sunlight."""
        names = list(THEMES)
        self.set_theme(names[(names.index(self.theme) + 1) % len(names)])

    def set_size(self, percent: int) -> None:
        """Write everything larger or smaller; one of :data:`SIZES`."""
        if percent == self.size:
            return
        self.size = percent
        self._fonts.clear()
        self._heights.clear()
        self._apply()
        self.resized.emit()
        self.changed.emit()

    def fit(self, widget: _Widget, how: Callable[[_Widget], object]) -> None:
        """Do something that depends on the size of type with a widget now, and again whenever that changes."""
        how(widget)
        self.resized.connect(_Fit(widget, how).again)

    def font(self, kind: Type) -> QFont:
        """The font of a kind of text, with figures that align."""
        if kind not in self._fonts:
            more, weight = kind.value
            font = QFont(_FAMILY)
            font.setPointSizeF((self._points + more) * self.size / 100.0)
            font.setWeight(weight)
            # Hinting eats the dots of small bold letters in this face.
            font.setHintingPreference(QFont.HintingPreference.PreferNoHinting)
            font.setFeature(QFont.Tag("tnum"), 1)
            self._fonts[kind] = font
        return self._fonts[kind]

    def height(self, kind: Type = Type.BODY) -> float:
        """Line height of a kind of text in pixels: the measure all layout is made in."""
        if kind not in self._heights:
            self._heights[kind] = QFontMetricsF(self.font(kind)).height()
        return self._heights[kind]

    def color(self, name: str) -> QColor:
        """A palette colour by its name."""
        return QColor(getattr(self.palette, name))

    @property
    def stroke(self) -> float:
        """How much thicker than by day lines are drawn."""
        return self.palette.stroke

    def pen(self, name: str, width: float = 1.0, style: Qt.PenStyle = Qt.PenStyle.SolidLine) -> QPen:
        """A cosmetic pen in a palette colour, as thick as this look wants its lines (``width``: by day)."""
        made = QPen(self.color(name), width * self.stroke, style, Qt.PenCapStyle.FlatCap, Qt.PenJoinStyle.BevelJoin)
        made.setCosmetic(True)
        return made

    def _apply(self) -> None:
        p = self.palette
        sheet = _STYLE.format(
            **{k: getattr(p, k) for k in Palette.__slots__},
            small=self.font(Type.SMALL).pointSizeF(),
            row=round(0.22 * self.height()),
        )
        if self._application.styleSheet() == sheet:
            return  # every widget there is would be dressed anew
        colours = QPalette()
        for role, value in (
            (QPalette.ColorRole.Window, p.paper),
            (QPalette.ColorRole.Base, p.panel),
            (QPalette.ColorRole.AlternateBase, p.paper),
            (QPalette.ColorRole.WindowText, p.ink),
            (QPalette.ColorRole.Text, p.ink),
            (QPalette.ColorRole.Button, p.panel),
            (QPalette.ColorRole.ButtonText, p.ink),
            (QPalette.ColorRole.Highlight, p.ample),
            (QPalette.ColorRole.ToolTipBase, p.panel),
            (QPalette.ColorRole.ToolTipText, p.ink),
            (QPalette.ColorRole.HighlightedText, p.panel),
            (QPalette.ColorRole.PlaceholderText, p.soft),
            (QPalette.ColorRole.Mid, p.rule),
            (QPalette.ColorRole.Light, p.panel),
            (QPalette.ColorRole.Dark, p.rule),
            (QPalette.ColorRole.Link, p.ample),
        ):
            colours.setColor(role, QColor(value))
        # What cannot be moved looks so.
        colours.setColor(QPalette.ColorGroup.Disabled, QPalette.ColorRole.Highlight, QColor(p.rule))
        self._application.setPalette(colours)
        self._application.setFont(self.font(Type.BODY))
        self._application.setStyleSheet(sheet)


_STYLE = """
QToolTip {{ background: {panel}; color: {ink}; border: 1px solid {rule}; padding: 4px 6px; }}
QMenu {{ background: {panel}; color: {ink}; border: 1px solid {rule}; padding: 4px 0; }}
QMenu::item {{ padding: 5px 22px 5px 16px; }}
QMenu::item:selected {{ background: {band}; }}
QMenu::item:disabled {{ color: {soft}; }}
QMenu::separator {{ height: 1px; background: {rule}; margin: 4px 0; }}
QPushButton {{ background: {panel}; color: {ink}; border: 1px solid {edge}; border-radius: 3px; padding: 5px 12px; }}
QPushButton:hover {{ background: {band}; }}
QPushButton:focus, QToolButton:focus {{ border: 2px solid {ink}; }}
QPushButton:focus {{ padding: 4px 11px; }}
QPushButton:disabled {{ color: {soft}; }}
QToolButton {{ background: transparent; color: {ink}; border: 1px solid transparent; border-radius: 3px; padding: 3px
7px; }}
QToolButton:hover {{ background: {band}; }}
QToolButton::menu-indicator {{ image: none; }}
QLineEdit {{ background: {panel}; color: {ink}; border: 1px solid {edge}; border-radius: 3px; padding: 4px 6px; }}
QLineEdit:focus {{ border: 2px solid {ink}; padding: 3px 5px; }}
QAbstractSpinBox QLineEdit {{ border: none; padding: 0; background: transparent; color: {ink}; }}
QAbstractSpinBox QLineEdit:disabled {{ color: {soft}; }}
QTableView, QListView, QTreeView {{ background: transparent; outline: none; border: 1px solid transparent;
    selection-background-color: {band}; selection-color: {ink}; gridline-color: transparent; }}
QTableView::item {{ padding: 0 10px; border: none; }}
QTableView:focus, QListView:focus, QTreeView:focus {{ border: 1px solid {edge}; }}
QTreeView::item {{ padding: {row}px 10px; border: none; }}
QTableView::item:selected, QTreeView::item:selected {{ background: {band}; }}
QListView::item {{ padding: 5px 10px; }}
QListView::item:selected {{ background: {band}; color: {ink}; }}
QHeaderView, QHeaderView::section {{ background: transparent; color: {soft}; border: none; padding: 2px 10px;
    font-size: {small}pt; }}
QTableCornerButton::section {{ background: transparent; border: none; }}
QScrollBar:vertical {{ background: transparent; width: 9px; margin: 0; }}
QScrollBar::handle:vertical {{ background: {edge}; border-radius: 4px; min-height: 28px; }}
QScrollBar:horizontal {{ background: transparent; height: 9px; margin: 0; }}
QScrollBar::handle:horizontal {{ background: {edge}; border-radius: 4px; min-width: 28px; }}
QScrollBar::add-line, QScrollBar::sub-line, QScrollBar::add-page, QScrollBar::sub-page {{ background: none; border:
none; height: 0; width: 0; }}
QProgressBar {{ background: {band}; border: none; border-radius: 2px; max-height: 5px; }}
QProgressBar::chunk {{ background: {ample}; border-radius: 2px; }}
QDialog {{ background: {paper}; }}
QScrollArea {{ background: transparent; border: none; }}
"""
