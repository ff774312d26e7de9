"""The look in force: palette, fonts, style sheet; views listen for its change and repaint."""

from __future__ import annotations

from enum import Enum
from pathlib import Path

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QColor, QFont, QFontDatabase, QFontMetricsF, QPalette
from PySide6.QtWidgets import QApplication, QStyleFactory

from basso.ui.theme.palette import DAY, NIGHT, Palette

_FAMILY = "Barlow Semi Condensed"


class Type(Enum):
    """The few sizes of type there are, as (points over the system size, weight)."""

    SMALL = (-1.0, QFont.Weight.Normal)
    BODY = (0.0, QFont.Weight.Normal)
    STRONG = (0.0, QFont.Weight.DemiBold)
    SMALL_STRONG = (-1.0, QFont.Weight.DemiBold)
    STATION = (1.5, QFont.Weight.Medium)
    NUMBER = (2.5, QFont.Weight.DemiBold)
    TITLE = (4.0, QFont.Weight.DemiBold)
    BRAND = (6.0, QFont.Weight.DemiBold)


class Look(QObject):
    """Palette and fonts; :attr:`changed` fires when day turns to night or back."""

    changed = Signal()

    def __init__(self, application: QApplication, night: bool = False) -> None:
        super().__init__()
        self._application = application
        self._fonts: dict[Type, QFont] = {}
        self._heights: dict[Type, float] = {}
        for file in (Path(__file__).parents[2] / "fonts").glob("*.ttf"):
            QFontDatabase.addApplicationFont(str(file))
        self._points = max(application.font().pointSizeF(), 9.5)
        self.palette: Palette = NIGHT if night else DAY
        if not application.styleSheet():  # under a style sheet it is set already, and has no name to tell
            application.setStyle(QStyleFactory.create("Fusion"))
        self._apply()

    @property
    def is_night(self) -> bool:
        """True in the dark."""
        return self.palette is NIGHT

    def set_night(self, night: bool) -> None:
        """Change between day and night."""
        if night != self.is_night:
            self.palette = NIGHT if night else DAY
            self._apply()
            self.changed.emit()

    def font(self, kind: Type) -> QFont:
        """The font of a kind of text, with figures that align."""
        if kind not in self._fonts:
            more, weight = kind.value
            font = QFont(_FAMILY)
            font.setPointSizeF(self._points + more)
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

    def _apply(self) -> None:
        p = self.palette
        sheet = _STYLE.format(**{k: getattr(p, k) for k in Palette.__slots__})
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
QPushButton {{ background: {panel}; color: {ink}; border: 1px solid {rule}; border-radius: 3px; padding: 5px 12px; }}
QPushButton:hover {{ background: {band}; }}
QPushButton:focus, QToolButton:focus {{ border: 1px solid {ink}; }}
QPushButton:disabled {{ color: {soft}; }}
QToolButton {{ background: transparent; color: {ink}; border: 1px solid transparent; border-radius: 3px; padding: 3px
7px; }}
QToolButton:hover {{ background: {band}; }}
QToolButton::menu-indicator {{ image: none; }}
QLineEdit {{ background: {panel}; color: {ink}; border: 1px solid {rule}; border-radius: 3px; padding: 4px 6px; }}
QLineEdit:focus {{ border: 1px solid {ink}; }}
QAbstractSpinBox QLineEdit {{ border: none; padding: 0; background: transparent; color: {ink}; }}
QAbstractSpinBox QLineEdit:disabled {{ color: {soft}; }}
QTableView, QListView {{ background: transparent; border: none; outline: none; selection-background-color: {band};
    selection-color: {ink}; gridline-color: transparent; }}
QTableView::item {{ padding: 0 10px; border: none; }}
QTableView::item:selected {{ background: {band}; }}
QListView::item {{ padding: 5px 10px; }}
QListView::item:selected {{ background: {band}; color: {ink}; }}
QHeaderView, QHeaderView::section {{ background: transparent; color: {soft}; border: none; padding: 2px 10px; }}
QTableCornerButton::section {{ background: transparent; border: none; }}
QScrollBar:vertical {{ background: transparent; width: 9px; margin: 0; }}
QScrollBar::handle:vertical {{ background: {rule}; border-radius: 4px; min-height: 28px; }}
QScrollBar:horizontal {{ background: transparent; height: 9px; margin: 0; }}
QScrollBar::handle:horizontal {{ background: {rule}; border-radius: 4px; min-width: 28px; }}
QScrollBar::add-line, QScrollBar::sub-line, QScrollBar::add-page, QScrollBar::sub-page {{ background: none; border:
none; height: 0; width: 0; }}
QProgressBar {{ background: {band}; border: none; border-radius: 2px; max-height: 5px; }}
QProgressBar::chunk {{ background: {ample}; border-radius: 2px; }}
QDialog {{ background: {paper}; }}
QScrollArea {{ background: transparent; border: none; }}
"""
