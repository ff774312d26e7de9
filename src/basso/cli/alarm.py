"""``basso alarm LOG…``: settings for a low-pressure warning, proved on the car's own logs."""

from __future__ import annotations

import argparse

from basso.cli import logs, options
from basso.cli.terminal import print_document

HELP = "settings for a low-pressure warning, proved on the car's own logs"
DESCRIPTION = """\
For each kind of warning device (one pressure; one pressure above an engine speed; a table over engine speed; a share of
normal; two stages) the settings that this car's own normal and dips ask for, at the hottest credible oil: which dips
each would have caught, how early, how many false alarms an hour, and what it is blind to.

  basso alarm run1.csv run2.csv
  basso alarm run1.csv --held-out run2.csv --json"""


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    parser.add_argument("logs", metavar="LOG", nargs="+", help="logs the alarm is set by")
    parser.add_argument(
        "--held-out", action="append", default=[], metavar="LOG", help="a log it is proved on only; repeatable"
    )
    parser.add_argument("--json", action="store_true", help="print one JSON document (basso.alarm/1)")
    options.add_garage(parser)
    options.add_judging(parser)
    logs.add_reading(parser)


def run(arguments: argparse.Namespace) -> int:
    """Propose and prove."""
    from basso.alarm.proposals import propose
    from basso.report.alarm_document import alarm_document
    from basso.words.alarm import CAUTION
    from basso.workflow import judge

    judging = options.judging(arguments)
    own = logs.named(arguments.logs)
    recordings = logs.opened(arguments, [*map(str, own), *arguments.held_out])
    options.check_named(judging, recordings)
    known = options.known(arguments, recordings)
    analyses = [judge(r, options.judged_by(arguments, judging, r, known.get(r.content_hash))) for r in recordings]
    count = len(own)
    plan = propose(analyses[:count], analyses[count:])
    if arguments.json:
        print_document(alarm_document(plan))
        return 0
    for p in plan.proposed:
        mark = "  (best)" if p.rule.kind == plan.best else ""
        kind = p.rule.kind.replace("_", " ")
        print(f"{kind}{mark}: above {p.rule.gate_rpm:.0f} rpm, shows after {p.rule.delay_s:g} s")
        print("  " + ", ".join(f"{n:.0f} rpm {kpa:.0f} kPa" for n, kpa in p.rule.points))
        for words, proof in (("on these logs", p.proof), ("on held-out logs", p.held_out)):
            if proof is not None:
                lead = f", {1000.0 * proof.lead_s:.0f} ms before the lowest" if proof.lead_s is not None else ""
                print(
                    f"  {words}: {proof.caught_severe} of {proof.severe} severe, {proof.caught} of {proof.dips} dips, "
                    f"{proof.false} false in {60.0 * proof.running_h:.0f} min{lead}"
                )
        for words in p.blind_to:
            print(f"  blind to {words}")
    print(CAUTION)
    return 0
