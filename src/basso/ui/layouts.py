"""Columns and rows of widgets with their margins and spacing, px."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QSplitter, QVBoxLayout, QWidget


def column(owner: QWidget | None, margins: tuple[int, int, int, int], spacing: int) -> QVBoxLayout:
    """A column, laid out in ``owner`` where there is one; ``margins``: left, top, right, bottom."""
    made = QVBoxLayout() if owner is None else QVBoxLayout(owner)
    made.setContentsMargins(*margins)
    made.setSpacing(spacing)
    return made


def row(owner: QWidget | None, margins: tuple[int, int, int, int], spacing: int) -> QHBoxLayout:
    """A row, laid out in ``owner`` where there is one; ``margins``: left, top, right, bottom."""
    made = QHBoxLayout() if owner is None else QHBoxLayout(owner)
    made.setContentsMargins(*margins)
    made.setSpacing(spacing)
    return made


def split(orientation: Qt.Orientation, *parts: tuple[QWidget, int]) -> QSplitter:
    """Widgets side by side or stacked, with a border that can be dragged; the number is each one's part of new room."""
    made = QSplitter(orientation)
    made.setChildrenCollapsible(False)
    for at, (widget, stretch) in enumerate(parts):
        made.addWidget(widget)
        made.setStretchFactor(at, stretch)
    return made
