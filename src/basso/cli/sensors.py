"""``basso sensors``: the register of a car's sensors, their calibrations, and their wiring to print."""

from __future__ import annotations

import argparse
from pathlib import Path

HELP = "a car's sensors: what sits where, calibrations, wiring"
DESCRIPTION = """\
The sensors of a car in the garage: range, type, place, mounting, calibration with its remaining error, history and
wiring. What does not fit together is listed.

  basso sensors "Car 31"
  basso sensors "Car 31" --day 2026-05-12 --wiring"""


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    parser.add_argument("car", metavar="CAR", help="its name")
    parser.add_argument("--day", default="9999", metavar="DAY", help="the state on that day (default: now)")
    parser.add_argument("--wiring", action="store_true", help="the wiring list, ready to print")
    parser.add_argument("--folder", metavar="FOLDER", help="another garage (default: your own)")
    parser.add_argument("--json", action="store_true", help="one JSON document on standard output")


def run(arguments: argparse.Namespace) -> int:
    """Tell the register."""
    from basso.cli.terminal import print_document
    from basso.errors import InputError
    from basso.garage.place import FILE, default_folder
    from basso.garage.store import Garage, car_named
    from basso.report.sensor_documents import sensors_document, sensors_text, wiring_text

    folder = Path(arguments.folder) if arguments.folder else default_folder()
    if not (folder / FILE).is_file():
        raise InputError(f"{folder}: there is no garage here; name its folder with --folder.")
    with Garage(folder) as garage:
        car = car_named(garage, arguments.car)
        if arguments.json:
            print_document(sensors_document(garage, car, arguments.day))
        else:
            print((wiring_text if arguments.wiring else sensors_text)(garage, car, arguments.day))
    return 0
