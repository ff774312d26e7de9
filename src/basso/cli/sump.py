"""``basso sump PAN``: where the oil is in a measured pan, which g uncovers the pickup, what a change would do."""

from __future__ import annotations

import argparse
import math
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from basso.cli import logs, options
from basso.cli.terminal import print_document
from basso.errors import InputError

if TYPE_CHECKING:
    from basso.report.documents import Document
    from basso.report.sump_documents import StandingOil
    from basso.sump.calibration import Calibration
    from basso.sump.compartments import Compartments
    from basso.sump.measured import MeasuredPan
    from basso.sump.solid import Solid
    from basso.sump.variants import Prediction, Variant
    from basso.units import FloatArray

HELP = "where the oil is in a measured pan, which g uncovers the pickup, what a change would do"
DESCRIPTION = """\
Where the oil is in a pan at rest and at any g, how deep the pickup is in it, and the g in every direction at which the
pickup comes uncovered. PAN is a measured pan (TOML) or a closed mesh of its inside (STL, x forward, y left, z up).

With logs of the car, Basso fits how its oil moves, says how well the fit meets laps it has not seen, and predicts what
changes would have done on the same drive. Where it cannot reproduce the logs it predicts nothing.

  basso sump --example > pan.toml    a pan, each entry explained
  basso sump pan.toml --ay 1.1
  basso sump pan.toml --volume 4.0 --json
  basso sump inside.stl --pickup -30,42,9.5 --volume 3.6
  basso sump pan.toml --log run1.csv --log run2.csv \\
      --variant volume=+0.4 --variant pickup_z=-4"""


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    parser.add_argument("pan", metavar="PAN", nargs="?", help="the pan: a .toml file, or a closed mesh (.stl)")
    parser.add_argument("--json", action="store_true", help="print one JSON document (basso.sump/1)")
    parser.add_argument("--example", action="store_true", help="print a pan's file with every entry explained")
    parser.add_argument("--ax", type=float, default=0.0, metavar="G", help="the car's acceleration forward, g")
    parser.add_argument("--ay", type=float, default=0.0, metavar="G", help="the same to the left, g (a left turn)")
    parser.add_argument("--volume", type=float, metavar="L", help="oil in the pan (default: what the file says)")
    parser.add_argument("--sheet", metavar="OUT", help="write the pan's fabrication sheet (.svg or .dxf)")
    mesh = parser.add_argument_group("for a mesh")
    mesh.add_argument("--pickup", metavar="X,Y,Z", help="the middle of the pickup's mouth, mm")
    mesh.add_argument("--pickup-radius", type=float, default=15.0, metavar="MM", help="of its mouth (default 15)")
    mesh.add_argument("--mesh-unit", choices=("mm", "cm", "m", "in"), default="mm", help="what it is drawn in")
    drive = parser.add_argument_group("on a logged drive")
    drive.add_argument(
        "--log",
        action="append",
        default=[],
        metavar="LOG",
        help="a log of the car with this pan and --volume in it; repeatable",
    )
    drive.add_argument(
        "--variant",
        action="append",
        default=[],
        metavar="CHANGE",
        help="volume=4.0 (L), pickup_x=, pickup_y=, pickup_z= (mm), where + or - changes the present value, or another "
        "pan's .toml; repeatable",
    )
    options.add_garage(parser)
    options.add_judging(parser)
    logs.add_reading(parser)


def run(arguments: argparse.Namespace) -> int:
    """Say where the oil is."""
    from basso.report.sump_documents import drive_document, levels_document, standing_oil, sump_document
    from basso.sump.levels import levels_of
    from basso.sump.pan_file import example
    from basso.words.sump import calibration_words, level_words, prediction_words

    if arguments.example:
        print(example(), end="")
        return 0
    asked = _asked(arguments)
    told = standing_oil(asked.solid, asked.pickup, asked.volume_l, (arguments.ax, arguments.ay), asked.notes)
    document = sump_document(told)
    levels = levels_of(asked.pan, asked.volume_l) if asked.pan is not None else None
    if levels is not None:
        document |= levels_document(levels)
    calibration: Calibration | None = None
    predictions: tuple[Prediction, ...] = ()
    if arguments.log:
        calibration, predictions = _on_the_drive(arguments, asked)
        document |= drive_document(calibration, predictions)
    if arguments.sheet:
        _write_sheet(arguments.sheet, asked)
    if arguments.json:
        print_document(document)
        return 0
    _report(arguments.pan, document, told)
    for words in level_words(levels) if levels is not None else ():
        print(f"  {words}")
    if calibration is not None:
        print(f"  {calibration_words(calibration)}")
        for p in predictions:
            print(f"  {prediction_words(p)}")
    return 0


@dataclass(frozen=True, slots=True, eq=False)
class _Asked:
    """The pan that was named: measured or a mesh, its pickup and what is in it."""

    pan: MeasuredPan | None
    solid: Solid
    pickup: FloatArray | None
    volume_l: float | None
    notes: tuple[str, ...]

    def compartments(self) -> Compartments:
        from basso.sump.compartments import compartments_of, one_compartment

        if self.pan is not None and self.pan.pickup is not None:
            return compartments_of(self.pan)
        if self.pickup is None:
            raise InputError("the pan's file says no pickup; add [pickup] to see what a log or a change does.")
        return one_compartment(self.solid, self.pickup)


def _asked(arguments: argparse.Namespace) -> _Asked:
    from basso.sump.measured import pickup_in_car_m, solid_of
    from basso.sump.mesh_file import read_mesh
    from basso.sump.pan_file import read_pan
    from basso.sump.solid import holds

    if arguments.pan is None:
        raise InputError("sump: name a pan's file; 'basso sump --example' prints one.")
    if arguments.variant and not arguments.log:
        raise InputError("--variant: predictions rest on a log; name one with --log.")
    for name, most in (("ax", 10.0), ("ay", 10.0), ("volume", 1000.0), ("pickup_radius", 200.0)):
        value = getattr(arguments, name)
        if value is not None and not (math.isfinite(value) and abs(value) <= most):
            raise InputError(f"--{name.replace('_', '-')} {value:g}: give a number up to {most:g}.")
    if arguments.volume is not None and arguments.volume < 0.0:
        raise InputError(f"--volume {arguments.volume:g}: give the litres of oil in the pan, 0 or more.")
    path = Path(arguments.pan)
    notes: tuple[str, ...] = ()
    pan: MeasuredPan | None = None
    if path.suffix.lower() == ".toml":
        if arguments.pickup is not None:
            raise InputError("--pickup is for a mesh; a measured pan says in its file where the pickup is.")
        pan = read_pan(path)
        solid, pickup, volume = solid_of(pan), pickup_in_car_m(pan), pan.fill_l
    else:
        if arguments.pickup is None:
            raise InputError(f"{path}: a mesh does not say where the pickup is; add --pickup X,Y,Z in mm.")
        pickup = _point(arguments.pickup)
        solid, notes = read_mesh(path, arguments.mesh_unit)
        volume = None
        if not holds(solid, pickup):
            notes = (*notes, "The pickup lies outside of the mesh, or on its very surface: check --pickup.")
    volume = arguments.volume if arguments.volume is not None else volume
    capacity = 1000.0 * solid.capacity_m3
    if volume is not None and volume > capacity * (1.0 + 1e-9):
        raise InputError(f"{path}: holds {capacity:.2f} L, and {volume:g} L are asked for; give less with --volume.")
    return _Asked(pan, solid, pickup, volume, notes)


def _write_sheet(name: str, asked: _Asked) -> None:
    """Write the fabrication sheet of a measured pan."""
    from basso.files import write_whole
    from basso.report.pan_sheet import as_dxf, as_svg, pan_sheet

    if asked.pan is None:
        raise InputError("--sheet: a mesh has no bays and plates to draw; name a pan's .toml file.")
    path = Path(name)
    if path.suffix.lower() not in (".svg", ".dxf"):
        raise InputError(f"--sheet '{name}': a sheet is written as .svg or .dxf; name the file so.")
    made = pan_sheet(asked.pan)
    write_whole(path, as_dxf(made) if path.suffix.lower() == ".dxf" else as_svg(made))


def _on_the_drive(arguments: argparse.Namespace, asked: _Asked) -> tuple[Calibration, tuple[Prediction, ...]]:
    """Calibrate the flow model on the logs, and try the variants on their drive."""
    from basso.findings.sump import calibration_of
    from basso.sump.variants import predict
    from basso.workflow import judge

    if not asked.volume_l:
        raise InputError("--log: say with --volume how much oil was in the pan on that drive.")
    c = asked.compartments()
    volume = asked.volume_l / 1000.0
    variants = [_variant(text, c, volume) for text in arguments.variant]
    judging = options.judging(arguments)
    recordings = logs.opened(arguments, arguments.log)
    options.check_named(judging, recordings)
    known = options.known(arguments, recordings)
    analyses = [judge(r, options.judged_by(arguments, judging, r, known.get(r.content_hash))) for r in recordings]
    away = asked.pan.away_l if asked.pan is not None else None
    pump = asked.pan.pump_m3_per_rev if asked.pan is not None else None
    calibration = calibration_of(analyses, c, volume, away, pump)
    return calibration, predict(calibration, variants)


def _variant(text: str, c: Compartments, volume_m3: float) -> Variant:
    from basso.sump.compartments import compartments_of
    from basso.sump.pan_file import read_pan
    from basso.sump.variants import Variant, changed, parse_change

    if not text.lower().endswith(".toml"):
        return changed(text, c, volume_m3, parse_change(text))
    pan = read_pan(Path(text))
    if pan.pickup is None:
        raise InputError(f"{text}: says no pickup; add [pickup].")
    other = compartments_of(pan)
    volume = pan.fill_l / 1000.0 if pan.fill_l is not None else volume_m3
    if volume > other.capacity_m3 * (1.0 + 1e-9):
        raise InputError(
            f"{text}: holds {1000.0 * other.capacity_m3:.2f} L, and {1000.0 * volume:.2f} L would be in it."
        )
    return Variant(text, other, volume)


def _point(text: str) -> FloatArray:
    import numpy as np

    try:
        values = [float(v) for v in text.split(",")]
    except ValueError:
        values = []
    if len(values) != 3 or not all(math.isfinite(v) for v in values):
        raise InputError(f"--pickup {text}: write X,Y,Z in mm, such as -120,10,8.")
    return np.array(values) / 1000.0


def _report(pan: str, d: Document, told: StandingOil) -> None:
    print(f"{pan}: holds {d['capacity_l']:.2f} L")
    for note in told.notes:
        print(f"  Note: {note}")
    if d["volume_l"] is None:
        print("  Say with --volume how much oil is in it, to see where it stands.")
        return
    print(f"  {d['volume_l']:g} L stand {d['static_level_mm']:.1f} mm over the lowest point at rest")
    if d["surface"]["level_mm"] != d["static_level_mm"]:
        print(f"  at this g {d['surface']['level_mm']:.1f} mm, above the middle of the plan")
    if d["pickup"]["head_mm"] is None:
        print("  The file says no pickup; add [pickup] to see how deep it is.")
        return
    head = d["pickup"]["head_mm"]
    print(f"  pickup {'covered by' if head > 0 else 'uncovered, short by'} {abs(head):.1f} mm")
    print("  uncovers at (direction of the car's acceleration, 0 forward, 90 to the left):")
    for row in d["uncover"]:
        words = "holds to 2.5 g" if row["g"] is None else f"{row['g']:.2f} g"
        print(f"    {row['direction_deg']:>3}°  {words}")
