"""``basso desktop``: Basso in the desktop's menu, for this user."""

from __future__ import annotations

import argparse

HELP = "put Basso into the desktop's menu, or take it out again"
DESCRIPTION = """\
Write a menu entry, an icon and the kind of exported cars (.basso.zip) into your own data folder, so that Basso stands
in the menu, logs can be opened with it, and a car opens by a double click. Nothing outside your home is touched.

  basso desktop
  basso desktop --remove"""


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    parser.add_argument("--remove", action="store_true", help="take it out again")


def run(arguments: argparse.Namespace) -> int:
    """Write or remove."""
    from basso.desktop.menu import add_to_menu, take_from_menu

    for path in take_from_menu() if arguments.remove else add_to_menu():
        print(f"{'removed' if arguments.remove else 'written'}: {path}")
    return 0
