"""``basso plan LOG…``: how many laps a trial takes on this car, in which order, under which conditions."""

from __future__ import annotations

import argparse
import math

from basso.cli import logs, options
from basso.cli.terminal import print_document
from basso.errors import InputError

HELP = "how many laps a trial of a change takes, in which order"
DESCRIPTION = """\
From a car's own logs: how far its laps scatter, and so how many flying laps a side it takes to see the smallest change
that matters with the wanted certainty; the order of the runs, what to hold, when to stop.

  basso plan stint1.csv stint2.csv --effect 20
  basso plan stint1.csv --effect -15 --power 0.8 --json"""


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    from basso.trial.plan import MEASURES

    parser.add_argument("logs", metavar="LOG", nargs="+", help="logs of the car on that circuit, before the change")
    parser.add_argument(
        "--effect", type=float, required=True, metavar="KPA", help="the smallest change of the lowest pressure to see"
    )
    parser.add_argument("--power", type=float, default=0.9, metavar="P", help="how sure to see it (default 0.9)")
    parser.add_argument("--measure", choices=MEASURES, default=MEASURES[0], help="what is judged by")
    parser.add_argument("--json", action="store_true", help="print one JSON document (basso.plan/1)")
    options.add_garage(parser)
    options.add_judging(parser)
    logs.add_reading(parser)


def run(arguments: argparse.Namespace) -> int:
    """Plan it."""
    from basso.report.plan_document import plan_document
    from basso.report.run_card import held
    from basso.trial.plan import plan_trial
    from basso.units import DisplayUnits
    from basso.words.plan import CAUTIONS, plan_reasons, stop_when
    from basso.workflow import judge

    if not (math.isfinite(arguments.effect) and 1.0 <= abs(arguments.effect) <= 1000.0):
        raise InputError(f"--effect {arguments.effect:g}: give a change of pressure of 1 to 1000 kPa, up or down.")
    if not 0.5 <= arguments.power <= 0.99:
        raise InputError(f"--power {arguments.power:g}: give a certainty between 0.5 and 0.99.")
    judging = options.judging(arguments)
    recordings = logs.opened(arguments, arguments.logs)
    options.check_named(judging, recordings)
    known = options.known(arguments, recordings)
    analyses = [judge(r, options.judged_by(arguments, judging, r, known.get(r.content_hash))) for r in recordings]
    plan = plan_trial(analyses, arguments.effect, arguments.power)
    if arguments.json:
        print_document(plan_document(plan))
        return 0
    if plan.laps_per_side is None:
        print("No number of laps that was tried is enough.")
    else:
        runs = ", ".join(f"{side} {laps}" for side, laps in zip(plan.order, plan.laps_per_run, strict=True))
        print(f"{plan.laps_per_side} flying laps a side. Runs: {runs} (flying laps; with an out- and a cool-down lap)")
    for laps, power in plan.power_at:
        print(f"  {laps:>3} laps a side: seen in {100.0 * power:.0f} %")
    for words in held(plan, DisplayUnits()):
        print(f"  {words}")
    for words in (*plan_reasons(plan), *stop_when(plan), CAUTIONS[1]):
        print(f"  {words}")
    return 0
