"""Menus and dialogs that are made when they are wanted, and let go of afterwards: Qt leaves that to the caller."""

from __future__ import annotations

from PySide6.QtWidgets import QDialog, QMenu, QPushButton, QToolButton


def replace_menu(button: QPushButton | QToolButton, menu: QMenu) -> None:
    """Give a button another menu; the one before is let go of."""
    before = button.menu()
    button.setMenu(menu)
    if before is not None and before is not menu:
        before.deleteLater()


def run_dialog(dialog: QDialog) -> int:
    """Show a dialog until it is answered; it can still be asked what was filled in, and goes when the caller is done.

    Without this every opening of a dialog stays with the window that it belongs to, as long as that is open.
    """
    outcome = dialog.exec()
    dialog.deleteLater()
    return outcome
