"""``basso open``: the window."""

from __future__ import annotations

import argparse

HELP = "open the window (also without any command)"
DESCRIPTION = """\
Open the window, with the last session, the logs named, or the demo data.

  basso open --demo
  basso open run2.csv"""


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    parser.add_argument("logs", metavar="LOG", nargs="*", help="logs to open")
    parser.add_argument("--demo", action="store_true", help="open the demo data that ships with Basso")
    parser.add_argument("--screenshots", metavar="FOLDER", help=argparse.SUPPRESS)


def run(arguments: argparse.Namespace) -> int:
    """Open the window and stay until it is closed."""
    from importlib import import_module

    # The command line must stay free of Qt; the window is only imported here, by name, when asked for.
    launch = import_module("basso.ui.app").launch
    return int(launch(arguments.logs, demo=arguments.demo, screenshots=arguments.screenshots))
