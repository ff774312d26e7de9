"""Day, night and sunlight can be read, and everything grows with the size of type."""

from __future__ import annotations

from dataclasses import fields

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QColor, QFontInfo
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractItemView, QAbstractScrollArea, QApplication, QHeaderView, QLabel, QWidget

from basso.ui.theme.look import SIZES, THEMES, Look, Type
from basso.ui.theme.palette import DAY, NIGHT, SUN, Palette
from basso.ui.window.main_window import MainWindow

GROUNDS = ("paper", "panel", "band")
TEXT = ("ink", "soft", "ample", "fair", "below", "side_a", "side_b")
LINES = ("edge", "oil", "attention", *TEXT)


def _light(color: str) -> float:
    parts = [c / 255 for c in QColor(color).getRgb()[:3]]
    r, g, b = (c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4 for c in parts)
    return 0.2126 * r + 0.7152 * g + 0.0722 * b


def contrast(a: str, b: str) -> float:
    """Ratio of two colours' luminances (WCAG 2)."""
    high, low = sorted((_light(a), _light(b)), reverse=True)
    return (high + 0.05) / (low + 0.05)


@pytest.mark.parametrize("palette", [DAY, NIGHT, SUN], ids=lambda p: p.name)
@pytest.mark.parametrize("ground", GROUNDS)
def test_text_and_lines_stand_out_from_every_ground(palette: Palette, ground: str) -> None:
    on = getattr(palette, ground)
    faint = {n: contrast(getattr(palette, n), on) for n in TEXT if contrast(getattr(palette, n), on) < 4.5}
    assert not faint, "text under 4.5:1"
    faint = {n: contrast(getattr(palette, n), on) for n in LINES if contrast(getattr(palette, n), on) < 3.0}
    assert not faint, "lines and controls under 3:1"


def test_sunlight_has_more_contrast_and_thicker_lines_than_day(application: QApplication) -> None:
    for name in ("ink", *TEXT):
        assert contrast(getattr(SUN, name), SUN.paper) > contrast(getattr(DAY, name), DAY.paper), name
    look = Look(application)
    by_day = look.pen("ink", 2.0).widthF()
    look.set_theme("sunlight")
    assert look.pen("ink", 2.0).widthF() == pytest.approx(1.6 * by_day)
    look.set_theme("day")


def test_every_colour_of_a_palette_is_one() -> None:
    for palette in THEMES.values():
        for field in fields(palette):
            value = getattr(palette, field.name)
            assert field.name in ("name", "stroke") or QColor(value).isValid(), (palette.name, field.name)


def test_nothing_is_written_under_13_px_at_the_standard_size(application: QApplication) -> None:
    look = Look(application)
    for kind in Type:
        assert QFontInfo(look.font(kind)).pixelSize() >= 13, kind


def test_the_size_of_type_is_stepped_through_and_remembered(opened: MainWindow) -> None:
    desk, look = opened.desk, opened.look
    line, tide, path = look.height(), desk.moments.tide.height(), opened.rail.width()
    for percent in SIZES[2:]:
        desk.run("view.larger")
        assert look.size == percent == opened.settings.text_size
    desk.run("view.larger")
    assert look.size == 200, "the largest stays"
    assert look.height() == pytest.approx(2.0 * line, rel=0.03)
    QApplication.processEvents()
    assert desk.moments.tide.height() == pytest.approx(2.0 * tide, rel=0.03)
    assert opened.rail.width() == pytest.approx(2.0 * path, rel=0.03)
    desk.run("view.standard")
    assert (look.size, look.height(), desk.moments.tide.height()) == (100, line, tide)
    desk.run("view.smaller")
    desk.run("view.smaller")
    assert look.size == 90
    desk.run("view.standard")


@pytest.mark.parametrize(
    ("width", "height", "percent"), [(1100, 700, 100), (1280, 760, 100), (2560, 1440, 100), (1280, 760, 150)]
)
def test_words_are_neither_cut_off_nor_run_into_each_other(
    opened: MainWindow, width: int, height: int, percent: int
) -> None:
    opened.resize(width, height)
    opened.look.set_size(percent)
    try:
        for key, station in opened.desk.stations.items():
            opened.desk.go_to(key)
            for _ in range(4):
                QApplication.processEvents()
            wrong = [*cut_off(station.page), *run_together(station.page), *sticking_out(station.page)]
            assert not wrong, (key, wrong)
    finally:
        opened.look.set_size(100)


def _labels(page: QWidget) -> list[QLabel]:
    return [x for x in page.findChildren(QLabel) if x.isVisible() and x.text().strip() and not _held(x)]


def _held(label: QLabel) -> bool:
    """Words in a room of fixed size tell the rest in their hover help."""
    parent = label.parentWidget()
    return bool(label.toolTip()) or (parent is not None and bool(parent.toolTip()))


def cut_off(page: QWidget) -> list[str]:
    """Labels with less room than their words take."""
    found = []
    for label in _labels(page):
        needed = label.heightForWidth(label.width()) if label.wordWrap() else label.sizeHint().height()
        narrow = not label.wordWrap() and label.width() < label.sizeHint().width() - 2
        if label.height() < needed - 3 or narrow:
            found.append(f"cut off: {label.text()[:60]!r} has {label.width()}x{label.height()}, needs {needed} px")
    return found


def sticking_out(page: QWidget) -> list[str]:
    """Widgets that are laid out beyond what holds them, where nothing scrolls."""
    found = []
    for widget in page.findChildren(QWidget):
        holder = widget.parentWidget()
        if not widget.isVisible() or widget.isWindow() or holder is None:
            continue
        if isinstance(holder.parentWidget(), QAbstractScrollArea) or isinstance(
            holder, QHeaderView | QAbstractItemView
        ):
            continue
        box, room = widget.geometry(), holder.rect().adjusted(-3, -3, 3, 3)
        if not box.isEmpty() and not room.contains(box):
            found.append(f"sticks out: {type(widget).__name__} {box.getRect()} of {holder.rect().getRect()}")
    return found


def run_together(page: QWidget) -> list[str]:
    """Labels of one page that lie over each other."""
    labels = _labels(page)
    boxes = [label.rect().translated(label.mapTo(page, QPoint(0, 0))).adjusted(2, 2, -2, -2) for label in labels]
    return [
        f"over each other: {labels[i].text()[:40]!r}, {labels[j].text()[:40]!r}"
        for i in range(len(labels))
        for j in range(i)
        if boxes[i].intersects(boxes[j]) and not labels[i].isAncestorOf(labels[j])
    ]


def test_large_readings_stand_alone_in_the_column(opened: MainWindow) -> None:
    opened.desk.go_to("dips")
    pan = opened.desk.moments.pan
    before = pan.grab().toImage()
    QTest.keyClick(opened, Qt.Key.Key_F8, Qt.KeyboardModifier.ShiftModifier)
    assert opened.settings.big_readings
    assert pan.grab().toImage() != before
    QTest.keyClick(opened, Qt.Key.Key_F8, Qt.KeyboardModifier.ShiftModifier)
    assert pan.grab().toImage() == before
