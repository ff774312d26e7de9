"""``basso accumulator``: how much oil a bottle gives, for how long, and what it would do on a logged drive."""

from __future__ import annotations

import argparse
import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

from basso.cli import logs, options
from basso.cli.terminal import print_document
from basso.errors import InputError

if TYPE_CHECKING:
    from basso.accumulator.gas import Bottle
    from basso.accumulator.valve import Line, Valve
    from basso.analysis import Analysis
    from basso.findings.accumulator.cover import Cover
    from basso.findings.accumulator.gallery import Pump
    from basso.findings.accumulator.ladder import Ladder

HELP = "how much oil an accumulator gives, for how long, and what it would do on a logged drive"
DESCRIPTION = """\
How much oil an accumulator holds at a gallery pressure, how much of it can be used over a floor, and for how many
seconds that replaces the pump. All pressures are gauge; the gas law is worked in absolute ones.

With a log of the car without an accumulator the bottle is replayed through it: what each dip would have become, where
it runs dry, how much it gives each lap, the smallest that holds the floor, and where its pressures cross.

  basso accumulator --total 2 --precharge 70 --pressure 375 --floor 214 \\
      --flow 50
  basso accumulator --total 2 --precharge 70 --floor 200 --log run.csv \\
      --pump-cm3 11
  basso accumulator --total 3.5 --precharge 200 --floor 200 --log run.csv \\
      --flow 50 --at-rpm 4500 --trigger 260"""


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    from basso.accumulator.gas import SETTLE_S

    parser.add_argument("--json", action="store_true", help="print one JSON document (basso.accumulator/1)")
    bottle = parser.add_argument_group("the bottle")
    bottle.add_argument("--total", type=float, required=True, metavar="L", help="its volume with no oil in it")
    bottle.add_argument(
        "--precharge", type=float, required=True, metavar="KPA", help="of its gas with no oil in it, gauge"
    )
    bottle.add_argument(
        "--pressure", type=float, metavar="KPA", help="gallery pressure it is charged with (with a log: its own)"
    )
    bottle.add_argument("--floor", type=float, required=True, metavar="KPA", help="gallery pressure it has to hold")
    bottle.add_argument(
        "--flow", type=float, metavar="LPM", help="the pump's flow it has to replace, L/min (with a log: at --at-rpm)"
    )
    bottle.add_argument(
        "--polytropic",
        type=float,
        metavar="N",
        help="exponent of the gas, charging and discharging: 1 slowly (default), toward 1.4 quickly",
    )
    bottle.add_argument(
        "--settle",
        type=float,
        metavar="S",
        help=f"in a replay: the gas takes so long to come back to the bottle's temperature (usual: {SETTLE_S:g}), "
        "instead of one exponent",
    )
    bottle.add_argument("--set-at", type=float, default=20.0, metavar="C", help="precharge set at (default 20 °C)")
    bottle.add_argument("--gas", type=float, metavar="C", help="temperature of the gas as driven (default: --set-at)")
    bottle.add_argument("--friction", type=float, default=0.0, metavar="KPA", help="of a piston's seals (default 0)")
    bottle.add_argument("--air", type=float, metavar="KPA", help="the day's atmosphere (default 101.325)")
    drive = parser.add_argument_group("on a logged drive")
    drive.add_argument("--log", metavar="LOG", help="a log of the car without an accumulator")
    drive.add_argument("--pump-cm3", type=float, metavar="CM3", help="what the pump delivers for a turn of the crank")
    drive.add_argument("--at-rpm", type=float, metavar="RPM", help="engine speed at which it delivers --flow")
    drive.add_argument(
        "--trigger",
        type=float,
        metavar="KPA",
        help="a check valve with a pressure switch that opens under this and shuts 15 kPa over it (default: a plain "
        "valve that stands open)",
    )
    drive.add_argument(
        "--line-kpa", type=float, default=20.0, metavar="KPA", help="loss of the line at 20 L/min (default 20)"
    )
    drive.add_argument(
        "--refill-kpa", type=float, metavar="KPA", help="the same refilling, with a restrictor (default: --line-kpa)"
    )
    options.add_garage(parser)
    options.add_judging(parser, with_floor=False)
    logs.add_reading(parser)


def run(arguments: argparse.Namespace) -> int:
    """Work it out."""
    from basso.report.accumulator_documents import Charge, accumulator_document, replay_document
    from basso.words.accumulator import static_cautions

    asked = _asked(arguments)
    if arguments.log is None:
        charge = Charge(asked.bottle, arguments.pressure, arguments.floor, arguments.flow)
        document = accumulator_document(charge)
    else:
        drive = _on_the_drive(arguments, asked)
        peak = arguments.pressure if arguments.pressure is not None else drive.peak_kpa
        flow = arguments.flow if arguments.flow is not None else drive.flow_lpm
        charge = Charge(asked.bottle, peak, arguments.floor, flow)
        document = accumulator_document(charge, drive.notes)
        document |= replay_document(drive.cover, drive.smallest_l, drive.ladder)
    if arguments.json:
        print_document(document)
        return 0
    print(
        f"{asked.bottle.total_l:g} L, precharge {asked.bottle.precharge_kpa:g} kPa, charged to "
        f"{charge.peak_kpa:.0f} kPa"
    )
    print(f"  oil in it when charged    {charge.stored_l:.2f} L")
    print(f"  usable over {charge.floor_kpa:g} kPa      {charge.usable_l:.2f} L")
    if charge.seconds is not None:
        print(f"  cover at {charge.flow_lpm:.0f} L/min        {charge.seconds:.1f} s")
    if arguments.log is not None:
        _report(drive, arguments.floor)
    for words in static_cautions(asked.bottle, charge.peak_kpa, charge.floor_kpa, charge.flow_lpm):
        print(f"  {words}")
    return 0


@dataclass(frozen=True, slots=True)
class _Asked:
    bottle: Bottle
    valve: Valve
    line: Line
    pump: Pump | None


def _asked(arguments: argparse.Namespace) -> _Asked:
    from basso.accumulator import gas, valve
    from basso.findings.accumulator.gallery import Pump
    from basso.units import STANDARD_ATMOSPHERE_KPA

    for name in ("total", "precharge", "pressure", "floor", "flow", "polytropic", "settle", "set_at", "gas", "air"):
        _finite(arguments, name)
    for name in ("friction", "pump_cm3", "at_rpm", "trigger", "line_kpa", "refill_kpa"):
        _finite(arguments, name)
    if arguments.polytropic is not None and arguments.settle is not None:
        raise InputError("--polytropic is one exponent throughout, --settle lets it change: give one of them.")
    air = arguments.air if arguments.air is not None else STANDARD_ATMOSPHERE_KPA
    bottle = gas.checked(
        gas.Bottle(
            total_l=arguments.total,
            precharge_kpa=arguments.precharge,
            exponent=arguments.polytropic if arguments.polytropic is not None else gas.SLOW,
            set_c=arguments.set_at,
            gas_c=arguments.gas if arguments.gas is not None else arguments.set_at,
            air_kpa=air,
            friction_kpa=arguments.friction,
            settle_s=arguments.settle,
        )
    )
    for name in ("pressure", "floor"):
        value = getattr(arguments, name)
        if value is not None and not 0.0 <= value <= gas.MOST_KPA:
            raise InputError(f"--{name} {value:g}: give a gauge pressure between 0 and {gas.MOST_KPA:g} kPa.")
    if arguments.flow is not None and not 0.0 < arguments.flow <= 1000.0:
        raise InputError(f"--flow {arguments.flow:g}: give the pump's flow in L/min, over 0 and up to 1000.")
    refill = arguments.refill_kpa if arguments.refill_kpa is not None else arguments.line_kpa
    switch, line = valve.checked(valve.Valve(arguments.trigger), valve.Line(arguments.line_kpa, refill))
    if arguments.log is None:
        for name in ("pressure", "flow"):
            if getattr(arguments, name) is None:
                raise InputError(f"--{name}: is needed; only a log can stand in for it (--log).")
        alone = ("pump_cm3", "at_rpm", "trigger", "refill_kpa")
        given = next((n for n in alone if getattr(arguments, n) is not None), None)
        if given is not None:
            raise InputError(f"--{given.replace('_', '-')}: is for a drive; name its log with --log.")
        return _Asked(bottle, switch, line, None)
    if arguments.pump_cm3 is not None:
        return _Asked(bottle, switch, line, Pump.of_displacement(arguments.pump_cm3))
    if arguments.flow is None or arguments.at_rpm is None:
        raise InputError("--log: say what the pump delivers, with --pump-cm3, or with --flow and --at-rpm.")
    return _Asked(bottle, switch, line, Pump.of_flow(arguments.flow, arguments.at_rpm))


def _finite(arguments: argparse.Namespace, name: str) -> None:
    value = getattr(arguments, name)
    if value is not None and not math.isfinite(value):
        raise InputError(f"--{name.replace('_', '-')} {value:g}: give a number.")


@dataclass(frozen=True, slots=True, eq=False)
class _Drive:
    """A bottle on a log. ``peak_kpa``: what its gallery charges it to; ``flow_lpm``: the pump's where it dips."""

    cover: Cover
    ladder: Ladder
    smallest_l: float | None
    peak_kpa: float
    flow_lpm: float | None
    notes: tuple[str, ...]


def _on_the_drive(arguments: argparse.Namespace, asked: _Asked) -> _Drive:
    import numpy as np

    from basso.findings.accumulator.cover import cover_of, smallest_l
    from basso.findings.accumulator.gallery import dipping_passes, gallery_from
    from basso.findings.accumulator.ladder import ladder_of

    assert asked.pump is not None
    a = _judged(arguments)
    gallery = gallery_from(a, asked.pump)
    passes = dipping_passes(a)
    cover = cover_of(a, gallery, passes, asked.bottle, asked.valve, asked.line)
    ladder = ladder_of(a, asked.bottle, asked.valve, arguments.floor)
    smallest = smallest_l(gallery, passes, asked.bottle, asked.valve, asked.line, arguments.floor)
    peak = ladder.normal[1] if ladder.normal is not None else float(np.nanpercentile(a.pressure_kpa, 95.0))
    flow = asked.pump.flow_lpm(float(np.median([p.rpm for p in passes]))) if passes else None
    return _Drive(cover, ladder, smallest, peak, flow, tuple(_notes(a)))


def _judged(arguments: argparse.Namespace) -> Analysis:
    from pathlib import Path

    from basso.workflow import judge

    judging = options.judging(arguments)
    recording = logs.opened_one(arguments, Path(arguments.log))
    options.check_named(judging, [recording])
    known = options.known(arguments, [recording])
    return judge(recording, options.judged_by(arguments, judging, recording, known.get(recording.content_hash)))


def _notes(a: Analysis) -> list[str]:
    from basso.words.accumulator import log_cautions

    return [str(w) for w in log_cautions(a)]


def _report(drive: _Drive, floor_kpa: float) -> None:
    from basso.words.accumulator import WILL_NOT_FIX, cover_opening, how_sure, ladder_words, pass_words, taken_words

    title, detail = cover_opening(drive.cover, floor_kpa, drive.smallest_l)
    print(f"  {title}")
    print(f"  {detail}")
    for p in drive.cover.passes:
        dry = ", ran dry" if p.ran_dry else ""
        print(
            f"    {pass_words(p):<22} {p.without.lowest_kpa:5.0f} → {p.lowest_kpa:5.0f} kPa, "
            f"{p.oil_left_l:.2f} L left{dry}"
        )
    for words in (*drive.notes, taken_words(drive.cover), *ladder_words(drive.ladder), how_sure(), WILL_NOT_FIX):
        if words:
            print(f"  {words}")
