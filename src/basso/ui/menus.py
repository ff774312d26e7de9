"""Menus of buttons that are made anew whenever what they offer changes."""

from __future__ import annotations

from PySide6.QtWidgets import QMenu, QPushButton, QToolButton


def replace_menu(button: QPushButton | QToolButton, menu: QMenu) -> None:
    """Give a button another menu; the one before is let go of, which Qt leaves to the caller."""
    before = button.menu()
    button.setMenu(menu)
    if before is not None and before is not menu:
        before.deleteLater()
