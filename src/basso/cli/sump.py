"""``basso sump PAN``: where the oil stands in a measured pan, and which g uncovers the pickup."""

from __future__ import annotations

import argparse
import math
from pathlib import Path
from typing import TYPE_CHECKING

from basso.errors import InputError

if TYPE_CHECKING:
    from basso.report.documents import Document
    from basso.report.sump_documents import StandingOil
    from basso.units import FloatArray

HELP = "where the oil is in a measured pan, and which g uncovers the pickup"
DESCRIPTION = """\
Where the oil is in a pan at rest and at any g, how deep the pickup is in it, and the g in every direction at which the
pickup comes uncovered. PAN is a measured pan (TOML) or a closed mesh of its inside (STL, x forward, y left, z up).

  basso sump --example > pan.toml                       a pan with every entry explained, to start from
  basso sump pan.toml --ay 1.1
  basso sump pan.toml --volume 4.0 --json
  basso sump inside.stl --pickup -30,42,9.5 --volume 3.6"""


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    parser.add_argument("pan", metavar="PAN", nargs="?", help="the pan: a .toml file, or a closed mesh (.stl)")
    parser.add_argument("--json", action="store_true", help="print one JSON document (basso.sump/1)")
    parser.add_argument("--example", action="store_true", help="print a pan's file with every entry explained")
    parser.add_argument("--ax", type=float, default=0.0, metavar="G", help="the car's acceleration forward, g")
    parser.add_argument("--ay", type=float, default=0.0, metavar="G", help="the same to the left, g (a left turn)")
    parser.add_argument("--volume", type=float, metavar="L", help="oil in the pan (default: what the file says)")
    mesh = parser.add_argument_group("for a mesh")
    mesh.add_argument("--pickup", metavar="X,Y,Z", help="the middle of the pickup's mouth, mm")
    mesh.add_argument("--pickup-radius", type=float, default=15.0, metavar="MM", help="of its mouth (default 15)")
    mesh.add_argument("--mesh-unit", choices=("mm", "cm", "m", "in"), default="mm", help="what it is drawn in")


def run(arguments: argparse.Namespace) -> int:
    """Say where the oil is."""
    from basso.report.documents import dump
    from basso.report.sump_documents import sump_document
    from basso.sump.pan_file import example

    if arguments.example:
        print(example(), end="")
        return 0
    told = _standing(arguments)
    document = sump_document(told)
    if arguments.json:
        print(dump(document))
    else:
        _report(arguments.pan, document, told)
    return 0


def _standing(arguments: argparse.Namespace) -> StandingOil:
    from basso.report.sump_documents import standing_oil
    from basso.sump.measured import pickup_in_car_m, solid_of
    from basso.sump.mesh_file import holds, read_mesh
    from basso.sump.pan_file import read_pan

    if arguments.pan is None:
        raise InputError("basso sump: name a pan's file; 'basso sump --example' prints one.")
    for name, most in (("ax", 10.0), ("ay", 10.0), ("volume", 1000.0), ("pickup_radius", 200.0)):
        value = getattr(arguments, name)
        if value is not None and not (math.isfinite(value) and abs(value) <= most):
            raise InputError(f"--{name.replace('_', '-')} {value:g}: give a number up to {most:g}.")
    if arguments.volume is not None and arguments.volume < 0.0:
        raise InputError(f"--volume {arguments.volume:g}: give the litres of oil in the pan, 0 or more.")
    path = Path(arguments.pan)
    notes: tuple[str, ...] = ()
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
    return standing_oil(solid, pickup, volume, (arguments.ax, arguments.ay), notes)


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
