"""``basso drops LOG…``: what cooler and filter take of the pressure, and whether it has grown since the logs before."""

from __future__ import annotations

import argparse
from dataclasses import asdict

from basso.cli import logs, options
from basso.cli.terminal import print_document

HELP = "pressure drop across cooler and filter"
DESCRIPTION = """\
The drop across the parts between the places where oil pressure is logged, at one engine speed and one viscosity;
the last log is compared with those named before it. A clogging filter is named, with its pressure drop at redline.

  basso drops spring.csv summer.csv today.csv --oil 10W-40 --redline 7200"""


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    parser.add_argument("logs", metavar="LOG", nargs="+", help="earlier logs first, the one in question last")
    parser.add_argument(
        "--redline", type=float, default=7000.0, metavar="RPM", help="engine speed to state the drop at (default 7000)"
    )
    parser.add_argument(
        "--oil", metavar="OIL", help="grade (10W-40), or viscosity at 40 and 100 °C in mm²/s as measured (93,14.1)"
    )
    parser.add_argument("--json", action="store_true", help="one JSON document on standard output")
    options.add_garage(parser)
    logs.add_reading(parser)


def run(arguments: argparse.Namespace) -> int:
    """Measure and tell."""
    from basso.oil.grades import parse_oil
    from basso.oilway.drops import find_drops, held_against

    oil = parse_oil(arguments.oil) if arguments.oil else None
    *before, recording = logs.opened(arguments, arguments.logs)
    known = options.known(arguments, [recording]).get(recording.content_hash)
    earlier = [e.drops for e in known.earlier] if known is not None else []
    changes = held_against(
        find_drops(recording, oil), [*earlier, *(find_drops(r, oil) for r in before)], arguments.redline
    )
    if arguments.json:
        rows = [
            {**asdict(c.now), "state": c.state, "before_kpa": c.before_kpa, "costs_kpa": c.costs_kpa, "words": c.words}
            for c in changes
        ]
        print_document({"schema": "basso.drops/1", "log": str(arguments.logs[-1]), "drops": rows})
        return 0
    for change in changes:
        print(change.words)
    if not changes:
        print(
            f"{arguments.logs[-1]}: oil pressure is logged at fewer than two places, or the engine "
            "hardly ran warm; no pressure drop can be measured."
        )
    return 0
