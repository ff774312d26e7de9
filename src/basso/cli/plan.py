"""``basso plan LOG…``: how many laps a trial takes on this car, in which order, under which conditions."""

from __future__ import annotations

import argparse
import json
import math
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from basso.cli import logs, options
from basso.cli.terminal import print_document
from basso.errors import InputError

if TYPE_CHECKING:
    from basso.analysis import Analysis
    from basso.trial.card import RunCard, SideName

_MOST_PLAN_BYTES = 1_000_000

HELP = "how many laps a trial of a change takes, in which order"
DESCRIPTION = """\
From a car's own logs: how far its laps scatter, and so how many flying laps a side it takes to see the smallest change
that matters with the wanted certainty; the order of the runs, what to hold, when to stop.

  basso plan stint1.csv stint2.csv --effect 20
  basso plan stint1.csv --effect -15 --power 0.8 --json > plan.json

On the day, hold what was driven against the card of that plan:

  basso plan --card plan.json --run A=run1.csv --run B=run2.csv"""


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    from basso.trial.plan import MEASURES

    parser.add_argument("logs", metavar="LOG", nargs="*", help="logs of the car on that circuit, before the change")
    parser.add_argument("--effect", type=float, metavar="KPA", help="the smallest change of the lowest pressure to see")
    parser.add_argument("--power", type=float, default=0.9, metavar="P", help="how sure to see it (default 0.9)")
    parser.add_argument("--measure", choices=MEASURES, default=MEASURES[0], help="what is judged by")
    parser.add_argument("--card", metavar="PLAN", help="check runs against this plan (what --json printed)")
    parser.add_argument(
        "--run",
        dest="driven",
        action="append",
        default=[],
        metavar="SIDE=LOG",
        help="with --card: a run of side A or B; repeatable, in the order driven",
    )
    parser.add_argument("--json", action="store_true", help="print one JSON document (basso.plan/1, or basso.runs/1)")
    options.add_garage(parser)
    options.add_judging(parser)
    logs.add_reading(parser)


def run(arguments: argparse.Namespace) -> int:
    """Plan it, or hold what was driven against a plan."""
    if arguments.card is not None or arguments.driven:
        return _check(arguments)
    from basso.report.plan_document import plan_document
    from basso.report.run_card import held
    from basso.trial.plan import plan_trial
    from basso.units import DisplayUnits
    from basso.words.plan import CAUTIONS, plan_reasons, stop_when

    if not arguments.logs or arguments.effect is None:
        raise InputError("Name the car's own logs, and with --effect the smallest change that is to be seen.")
    if not (math.isfinite(arguments.effect) and 1.0 <= abs(arguments.effect) <= 1000.0):
        raise InputError(f"--effect {arguments.effect:g}: give a change of pressure of 1 to 1000 kPa, up or down.")
    if not 0.5 <= arguments.power <= 0.99:
        raise InputError(f"--power {arguments.power:g}: give a certainty between 0.5 and 0.99.")
    plan = plan_trial(_judged(arguments, arguments.logs), arguments.effect, arguments.power)
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


def _judged(arguments: argparse.Namespace, paths: Sequence[str]) -> list[Analysis]:
    from basso.workflow import judge

    judging = options.judging(arguments)
    recordings = logs.opened(arguments, paths)
    options.check_named(judging, recordings)
    known = options.known(arguments, recordings)
    return [judge(r, options.judged_by(arguments, judging, r, known.get(r.content_hash))) for r in recordings]


def _check(arguments: argparse.Namespace) -> int:
    """Hold runs against the card of a plan."""
    from basso.report.plan_document import runs_document
    from basso.trial.card import check_runs
    from basso.words.run_card import card_words, facts, run_words

    if arguments.card is None:
        raise InputError("--run: against which plan? Name it with --card PLAN.json.")
    if arguments.logs or arguments.effect is not None:
        raise InputError("--card checks runs, it plans none: name them with --run SIDE=LOG, without --effect.")
    if not arguments.driven:
        raise InputError("--card: name what was driven with --run A=LOG or --run B=LOG, in the order driven.")
    card = _card(Path(arguments.card))
    named = [_run(text) for text in arguments.driven]
    if len({path for _, path in named}) < len(named):
        raise InputError("--run: the same log is named twice; a run is one drive.")
    analyses = _judged(arguments, [path for _, path in named])
    checked = check_runs(card, [(side, x) for (side, _), x in zip(named, analyses, strict=True)])
    if arguments.json:
        print_document(runs_document(checked))
        return 0
    print(" ".join(card_words(checked)))
    for r in checked.runs:
        print(f"  Run {r.number}, {r.side}, {r.name}: {facts(r)}")
        for words in run_words(r):
            print(f"    {words}")
    return 0


def _card(path: Path) -> RunCard:
    from basso.files import open_plain
    from basso.trial.card import card_from

    with open_plain(path) as file:
        data = file.read(_MOST_PLAN_BYTES + 1)
    try:
        document = json.loads(data) if len(data) <= _MOST_PLAN_BYTES else None
    except (ValueError, RecursionError):
        document = None
    return card_from(document, str(path))


def _run(text: str) -> tuple[SideName, str]:
    side, _, path = text.partition("=")
    if side == "A" and path:
        return "A", path
    if side == "B" and path:
        return "B", path
    raise InputError(f"--run {text}: write the side and the log, as A=run1.csv or B=run2.csv.")
