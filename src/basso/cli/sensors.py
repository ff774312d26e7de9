"""``basso sensors``: the register of a car's sensors, their calibrations, and their wiring to print."""

from __future__ import annotations

import argparse
from pathlib import Path

HELP = "a car's sensors: what sits where, calibrations, wiring"
DESCRIPTION = """The register of the sensors on a car in the garage: range, type, place, how each is held, its
calibration with what is left
over, where it has been, and its wiring. What does not go together is said.

  basso sensors "Car 31"
  basso sensors "Car 31" --day 2026-05-12 --wiring"""


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    parser.add_argument("car", metavar="CAR", help="its name")
    parser.add_argument("--day", default="9999", metavar="DAY", help="as it was on a day (default: now)")
    parser.add_argument("--wiring", action="store_true", help="the wiring, to print")
    parser.add_argument("--folder", metavar="FOLDER", help="another garage than your own")
    parser.add_argument("--json", action="store_true", help="one JSON document on standard output")


def run(arguments: argparse.Namespace) -> int:
    """Tell the register."""
    from basso.errors import InputError
    from basso.garage.place import FILE, default_folder
    from basso.garage.store import Garage, car_named
    from basso.report.documents import dump
    from basso.report.sensor_documents import sensors_document, sensors_text, wiring_text

    folder = Path(arguments.folder) if arguments.folder else default_folder()
    if not (folder / FILE).is_file():
        raise InputError(f"{folder}: there is no garage; name its folder with --folder.")
    with Garage(folder) as garage:
        car = car_named(garage, arguments.car)
        if arguments.json:
            print(dump(sensors_document(garage, car, arguments.day)))
        else:
            print((wiring_text if arguments.wiring else sensors_text)(garage, car, arguments.day))
    return 0
