"""``basso garage``: list the cars, show one with its history, take one along or in, back up and restore."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path
from typing import TYPE_CHECKING

from basso.cli import logs
from basso.cli.terminal import print_document
from basso.errors import InputError

if TYPE_CHECKING:
    from basso.garage.store import Garage

HELP = "the cars, their builds, oil and sessions"
DESCRIPTION = """\
The garage: cars with their engines, builds, sessions, oil, level readings and jobs. It is kept in your data folder,
or in the folder that --folder names.

  basso garage list
  basso garage show "Car 31"
  basso garage normal "Car 31" --keep             learn and save its normal
  basso garage season "Car 31"                    its sessions in one line
  basso garage export "Car 31" car-31.basso.zip   the car, all of it
  basso garage import car-31.basso.zip
  basso garage accept "Car 31"                    let an imported car act
  basso garage backup
  basso garage restore                            the newest; --file: another"""


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    parser.add_argument("--folder", metavar="FOLDER", help="another garage (default: your own)")
    verbs = parser.add_subparsers(
        dest="verb", metavar="list|show|normal|season|export|import|accept|backup|restore", required=True
    )
    for verb, help_text in (
        ("list", "every car with its contents"),
        ("show", "one car with all its records"),
        ("normal", "learn a build's normal from its sessions"),
        ("season", "margin, dips and zero, session by session"),
        ("export", "write a car to one file"),
        ("import", "import a car from a bundle"),
        ("accept", "let an imported car act on logs"),
        ("backup", "make a dated backup now"),
        ("restore", "restore a backup"),
    ):
        sub = verbs.add_parser(verb, help=help_text)
        sub.add_argument("--json", action="store_true", help="one JSON document on standard output")
        # Said before or after the verb: without a default here the one above is kept.
        sub.add_argument(
            "--folder", metavar="FOLDER", default=argparse.SUPPRESS, help="another garage (default: your own)"
        )
        if verb in ("show", "export", "normal", "season", "accept"):
            sub.add_argument("car", metavar="CAR", help="its name")
        if verb == "normal":
            sub.add_argument("--build", metavar="NAME", help="the build (default: the newest)")
            sub.add_argument("--keep", action="store_true", help="save it as a new version")
            sub.add_argument("--reason", default="", metavar="WORDS", help="why it is learned again")
        if verb == "season":
            sub.add_argument(
                "--rpm", type=float, metavar="RPM", help="where margins are told (default: where most drove)"
            )
            sub.add_argument("--oil-temp", type=float, metavar="C", help="oil temperature for that, °C")
            sub.add_argument(
                "--log",
                dest="logs",
                action="append",
                default=[],
                metavar="LOG",
                help="a session's log of which the garage keeps no samples; repeatable",
            )
            logs.add_reading(sub)
        if verb == "export":
            sub.add_argument("out", metavar="OUT", help="where to write: NAME.basso.zip")
        if verb == "import":
            sub.add_argument("bundle", metavar="BUNDLE", help="a file written by export")
            sub.add_argument("--as", dest="name", default="", metavar="NAME", help="as another car of this name")
        if verb == "restore":
            sub.add_argument("--file", metavar="BACKUP", help="default: the newest")


def run(arguments: argparse.Namespace) -> int:
    """Do what the verb says."""
    from basso.garage.place import FILE, default_folder
    from basso.garage.store import Garage

    folder = Path(arguments.folder) if arguments.folder else default_folder()
    if arguments.verb == "restore":
        return _restore(arguments, folder)
    if arguments.verb in _NEED_A_GARAGE and not (folder / FILE).is_file():
        if arguments.verb == "list":
            return _say(arguments, {"schema": "basso.garage/1", "folder": str(folder), "cars": []}, "No cars yet.")
        raise InputError(f"{folder}: there is no garage yet; make one in the window or with `basso garage import`.")
    with Garage(folder) as garage:
        for sentence in garage.news:
            print(f"basso: {sentence}", file=sys.stderr)
        return _DO[arguments.verb](arguments, garage)


def _list(arguments: argparse.Namespace, garage: Garage) -> int:
    from basso.report.garage_documents import garage_document, garage_text

    return _say(arguments, garage_document(garage), garage_text(garage))


def _show(arguments: argparse.Namespace, garage: Garage) -> int:
    from basso.garage.store import car_named
    from basso.report.garage_documents import car_document, car_text

    car = car_named(garage, arguments.car)
    return _say(arguments, car_document(garage, car), car_text(garage, car))


def _normal(arguments: argparse.Namespace, garage: Garage) -> int:
    from datetime import date

    from basso.car.history import car_history
    from basso.car.normals import learn_build, title_of
    from basso.garage.store import car_named
    from basso.report.garage_documents import normal_document, normal_text
    from basso.workflow import samples_reader

    car = car_named(garage, arguments.car)
    history = car_history(garage, car)
    names = history.names.build
    build = history.newest_build
    if arguments.build:
        build = next((b for b in history.builds if names[b.id].lower() == arguments.build.lower()), None)
    if build is None:
        raise InputError(
            f"'{arguments.build}': no build has that name; there are: {', '.join(names.values()) or 'none'}."
        )
    memory = logs.memory()
    learned = learn_build(
        history, build, samples_reader(garage, memory), memory.decisions, date.today().isoformat(), arguments.reason
    )
    kept = ""
    if learned.record is None:
        left = "".join(f" {title}: {why}." for title, why in learned.left_out)
        raise InputError(f"{names[build.id]}: no normal could be learned: {learned.expected.reason}.{left}")
    if arguments.keep:
        garage.add("the build's normal", learned.record)
        kept = title_of(car_history(garage, car), learned.record)
    return _say(arguments, normal_document(history, build, learned, kept), normal_text(history, build, learned, kept))


def _season(arguments: argparse.Namespace, garage: Garage) -> int:
    from basso.car.history import car_history
    from basso.car.season import season_of
    from basso.garage.store import car_named
    from basso.report.season_document import season_document, season_text
    from basso.workflow import samples_reader

    for name, value, low, high in (("rpm", arguments.rpm, 500, 25000), ("oil-temp", arguments.oil_temp, 0, 200)):
        if value is not None and not low <= value <= high:
            raise InputError(f"--{name} {value:g}: give a value between {low} and {high}.")
    car = car_named(garage, arguments.car)
    memory = logs.memory()
    named = {r.content_hash: r for r in logs.opened(arguments, arguments.logs)} if arguments.logs else {}
    kept = samples_reader(garage, memory)
    history = car_history(garage, car)
    its = {x.log_hash for x in history.sessions}
    strange = next((r.path for log, r in named.items() if log not in its), None)
    if strange is not None:
        raise InputError(f"{strange}: no session of {car.name} has this log; put it into the garage first.")
    season = season_of(history, lambda s: named.get(s.log_hash) or kept(s), memory.decisions)
    rpm = arguments.rpm if arguments.rpm is not None else season.rpm
    heat = arguments.oil_temp if arguments.oil_temp is not None else season.temperature_c
    return _say(arguments, season_document(car.name, season, rpm, heat), season_text(season, rpm, heat))


def _export(arguments: argparse.Namespace, garage: Garage) -> int:
    from basso.garage.bundle import SCHEMA, export_car
    from basso.garage.store import car_named

    car, out = car_named(garage, arguments.car), Path(arguments.out)
    export_car(garage, car, out, logs.memory().decisions)
    return _say(arguments, {"schema": SCHEMA, "car": car.name, "path": str(out)}, f"{car.name} was written to {out}.")


def _import(arguments: argparse.Namespace, garage: Garage) -> int:
    from basso.garage.bundle import import_car
    from basso.report.garage_documents import car_document

    car, edit = import_car(garage, Path(arguments.bundle), arguments.name)
    words = f"{car.name} is already here and identical."
    if edit is not None:
        words = (
            f'{car.name} was imported. Until you accept it (basso garage accept "{car.name}"), its '
            "sensor cards, oils, floors, "
            "saved normals and decisions do not act on any log."
        )
    return _say(arguments, {**car_document(garage, car), "new": edit is not None}, words)


def _accept(arguments: argparse.Namespace, garage: Garage) -> int:
    from basso.garage.bundle import accept_car
    from basso.garage.store import car_named
    from basso.report.garage_documents import car_document

    car = car_named(garage, arguments.car)
    edit = accept_car(garage, car, logs.memory().decisions)
    words = f"{car.name} is accepted." if edit is not None else f"{car.name} is your own; there was nothing to accept."
    return _say(arguments, car_document(garage, car), words)


def _backup(arguments: argparse.Namespace, garage: Garage) -> int:
    made = garage.back_up()
    return _say(arguments, {"schema": "basso.backup/1", "path": str(made)}, f"Backup: {made}")


def _restore(arguments: argparse.Namespace, folder: Path) -> int:
    from basso.garage.backups import backups_in, restore

    chosen = Path(arguments.file) if arguments.file else next(iter(backups_in(folder)), None)
    if chosen is None or not chosen.is_file():
        where = chosen or folder / "backups"
        raise InputError(f"{where}: there is no backup; name one with --file.")
    aside = restore(folder, chosen)
    words = f"{chosen.name} was restored; the garage as it was before is kept as {aside.name}."
    return _say(arguments, {"schema": "basso.backup/1", "path": str(chosen), "former": str(aside)}, words)


_DO = {
    "list": _list,
    "show": _show,
    "normal": _normal,
    "season": _season,
    "export": _export,
    "import": _import,
    "accept": _accept,
    "backup": _backup,
}


_NEED_A_GARAGE = tuple(v for v in _DO if v != "import")


def _say(arguments: argparse.Namespace, document: dict[str, object], words: str) -> int:
    if arguments.json:
        print_document(document)
    else:
        print(words)
    return 0
