"""``basso normal LOG…``: what this engine's pressure should be, which floor says what, and which oil it wants."""

from __future__ import annotations

import argparse
from dataclasses import replace
from typing import TYPE_CHECKING

from basso.cli import logs, options
from basso.cli.terminal import print_document
from basso.errors import InputError

if TYPE_CHECKING:
    from basso.findings.normal.findings import NormalFindings
    from basso.findings.normal.question import Question

HELP = "this engine's normal pressure, and which oil it needs"
DESCRIPTION = """\
Learn normal pressure from one log, or from several logs of one build: parameters and a table with intervals, what
each floor rule would flag, the oil temperature up to which each grade holds the floor at racing speed, warm-up and
hot idle. With --normal the last log is compared with earlier ones and the change is named; with --garage it is
compared with the car's earlier sessions and saved normals, using the engine card, oils and floors kept there.

  basso normal run2.csv --oil 10W-40
  basso normal spring1.csv spring2.csv --rpm 7000 --hot 118 \\
      --margin 20 --listed 5W-40 --listed 10W-40
  basso normal today.csv --normal spring1.csv --normal spring2.csv --json
  basso normal today.csv --garage"""


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    parser.add_argument("logs", metavar="LOG", nargs="+", help="log files of one build; several are taken together")
    parser.add_argument("--json", action="store_true", help="print one JSON document (basso.normal/1)")
    group = parser.add_argument_group("the oil adviser")
    group.add_argument(
        "--rpm", type=float, metavar="RPM", help="racing speed (default: 95 %% of the driving is below it)"
    )
    group.add_argument("--hot", type=float, metavar="C", help="hottest oil to plan for (default: the session's)")
    group.add_argument("--start", type=float, default=10.0, metavar="C", help="oil at a cold start (default 10)")
    group.add_argument(
        "--margin", type=float, default=0.0, metavar="KPA", help="margin wanted above the floor (default 0)"
    )
    group.add_argument(
        "--listed", action="append", default=[], metavar="GRADE", help="a grade the maker lists; repeatable"
    )
    group.add_argument(
        "--sheet",
        action="append",
        default=[],
        metavar="GRADE=V40,V100",
        help="an oil's own viscosities at 40 and 100 °C in mm²/s, by its data sheet; repeatable",
    )
    group.add_argument("--pump", type=float, metavar="CM3", help="oil pump, cm³ a turn of the crank (default 11)")
    group.add_argument("--target", type=float, metavar="C", help="oil temperature wanted, for the cooler (default 110)")
    group.add_argument("--litres", type=float, metavar="L", help="oil in the engine, for the cooler (default 4.5)")
    group.add_argument(
        "--window",
        metavar="LOW,HIGH",
        help="the maker's running window in kPa, such as 400,600; either side may be left out",
    )
    options.add_garage(parser)
    options.add_kept(parser)
    options.add_judging(parser)
    logs.add_reading(parser)


def run(arguments: argparse.Namespace) -> int:
    """Learn and tell."""
    from basso.analysis.pooled import pooled_normal
    from basso.findings.normal.findings import EarlierNormal, earlier_of, find_normal
    from basso.report.normal_documents import normal_document
    from basso.workflow import judge

    question = _question(arguments)
    judging = options.judging(arguments)
    recordings = logs.opened(arguments, arguments.logs)
    options.check_named(judging, recordings)
    before = judging.normal
    own = replace(judging, normal=None)
    if len(recordings) > 1:
        own = replace(own, normal=pooled_normal(recordings, own))
    last = recordings[-1]
    own = options.judged_by(arguments, own, last, options.known(arguments, [last]).get(last.content_hash))
    if own.known is not None:
        question = options.asked(arguments, last, question)
    earlier = earlier_of(own.known)
    if before is not None:
        earlier.append(EarlierNormal(", ".join(arguments.normal), "", before))
    told = find_normal(judge(last, own), question, earlier)
    if told is None:
        raise InputError(
            f"{arguments.logs[-1]}: normal cannot be learned: oil pressure or engine speed is "
            "missing, or the engine hardly ran warm over "
            f"{judging.rules.rpm_gate:.0f} rpm; 'basso import' lists its channels."
        )
    if arguments.json:
        print_document({**normal_document(told), "logs": list(arguments.logs)})
    else:
        _report(told, pooled=len(recordings))
    return 0


def _question(arguments: argparse.Namespace) -> Question:
    import math

    from basso.findings.normal.question import Question
    from basso.oil.grades import measured

    for name, low, high in (
        ("rpm", 500.0, 25000.0),
        ("hot", 20.0, 200.0),
        ("start", -40.0, 60.0),
        ("margin", 0.0, 500.0),
        ("pump", 0.5, 200.0),
        ("target", 40.0, 180.0),
        ("litres", 0.5, 60.0),
    ):
        value = getattr(arguments, name)
        if value is not None and not (math.isfinite(value) and low <= value <= high):
            raise InputError(f"--{name} {value:g}: give a number from {low:g} to {high:g}.")
    sheets = {}
    for text in arguments.sheet:
        grade, sign, numbers = text.partition("=")
        try:
            cold, hot = (float(v) for v in numbers.split(","))
        except ValueError:
            sign = ""
        if not sign or not grade.strip():
            raise InputError(f"--sheet {text}: write GRADE=V40,V100, such as 10W-40=93,14.1.")
        sheets[grade.strip()] = measured(cold, hot, grade.strip())
    return Question(
        rpm=arguments.rpm,
        hot_c=arguments.hot,
        start_c=arguments.start,
        margin_kpa=arguments.margin,
        listed=tuple(arguments.listed),
        pump_cm3=arguments.pump,
        window_kpa=_window(arguments.window),
        target_c=arguments.target,
        oil_l=arguments.litres,
        data_sheets=sheets,
    )


def _window(text: str | None) -> tuple[float | None, float | None]:
    """Both sides of the maker's window."""
    if text is None:
        return None, None
    low, sign, high = text.partition(",")
    try:
        sides = tuple(float(v) if v.strip() else None for v in (low, high))
    except ValueError:
        sign = ""
    if not sign or sides == (None, None):
        raise InputError(f"--window {text}: write LOW,HIGH in kPa, such as 400,600, or one side: 400, or ,600.")
    return sides[0], sides[1]


def _report(told: NormalFindings, pooled: int) -> None:
    from basso.report.normal_documents import (
        ceiling_words,
        change_words,
        cooler_oil_words,
        cooler_words,
        flow_words,
        met_words,
        port_words,
        seasons_words,
        temperature_words,
    )
    from basso.units import DisplayUnits

    units, e = DisplayUnits(), told.analysis.expected
    of = f"{pooled} logs pooled" if pooled > 1 else str(told.analysis.recording.path)
    if not e.valid:
        print(f"{of}: no normal: {e.reason}.")
    else:
        block = e.valid_range()
        where = "nowhere"
        if block is not None:
            (low, high), heat = block
            where = f"{low:.0f}–{high:.0f} rpm" + (f", {heat[0]:.0f}–{heat[1]:.0f} °C" if heat is not None else "")
        print(f"{of}: normal {e.method}, ± {e.residual_kpa:.0f} kPa, from {e.samples} settled samples; valid {where}")
    at = f"{told.racing_rpm:.0f} rpm" + (f" and {told.hot_c:.0f} °C" if told.hot_c == told.hot_c else "")
    print(f"  floors, at {at}:        floor kPa    normal over it  dips  below s")
    for s in (*told.floor_rules, *told.lines):
        kpa, over = (f"{v:.0f}" if v is not None else "–" for v in (s.at_hot_kpa, s.over_kpa))
        print(
            f"  {'*' if s.active else ' '} {s.floor_rule.name:<26}{kpa:>12}  {over:>16}  {s.dips:4d}  {s.below_s:7.1f}"
        )
    if told.advice is not None:
        print("  oil       holds the floor to        at hot kPa   over floor   pump kW   cold start mm²/s")
        for g in told.advice.grades:
            to = temperature_words(g.holds_to_c, units)
            band = f"({temperature_words(g.low_c, units)} to {temperature_words(g.high_c, units)})"
            mark = "" if g.listed is not False else "  not listed"
            print(
                f"  {g.grade.name:<8}  {to:<10} {band:<26}{g.at_hot_kpa:5.0f}  {g.over_kpa:+10.0f}  "
                f"{g.pump_kw:8.2f}  {g.start_mm2ps:10.0f}{mark}"
            )
        lightest = told.advice.lightest
        print(f"  lightest that holds: {lightest.grade.name if lightest is not None else 'none'}")
        for words in (x for x in (told.advice.window, *told.advice.cautions) if x):
            print(f"  {words}")
    if told.warm_up is not None:
        w = told.warm_up
        ready = "never" if w.ready_s is None else f"after {w.ready_s / 60.0:.1f} min"
        print(f"  warm-up: started at {w.start_c:.0f} °C, ready {ready}; {w.cold_load_s:.0f} s loaded while cold")
    if told.hot_idle is not None:
        i = told.hot_idle
        print(f"  hot idle: {i.kpa:.0f} ± {i.scatter_kpa:.0f} kPa at {i.rpm:.0f} rpm and {i.temperature_c:.0f} °C")
    if told.heating is not None and told.heating.steady_c is not None:
        h = told.heating
        print(f"  at this pace the oil settles at {h.steady_c:.0f} °C ({h.low_c:.0f} to {h.high_c:.0f})", end="")
        shed = told.to_shed
        print(
            f"; to hold {shed.target_c:.0f} °C shed {shed.kw:.1f} kW more ({shed.low_kw:.1f} to {shed.high_kw:.1f})"
            if shed is not None
            else ""
        )
    if told.cold_peak_kpa is not None:
        print(f"  highest with the oil under 50 °C: {told.cold_peak_kpa:.0f} kPa")
    if told.floor_met:
        met = ", ".join(
            f"{m.rpm:.0f} rpm {met_words(m, told.analysis.expected.temperature_range_c, units)}" for m in told.floor_met
        )
        print(f"  normal falls to the floor at: {met}")
    for words in (
        port_words(told),
        seasons_words(told.seasons, units),
        cooler_words(told.cooler, units),
        ceiling_words(told, units),
        cooler_oil_words(told.cooler_oil, told.analysis.options.oil.name, units),
        flow_words(told.flow, units),
    ):
        if words:
            print(f"  {words}")
    for held in told.history if len(told.history) > 1 else ():
        print(f"  {held.earlier.day:<10}  {held.earlier.title}: {change_words(held.change, units)}")
    if told.change is not None:
        print(f"  {change_words(told.change, units)}")
