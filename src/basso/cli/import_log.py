"""``basso import LOG``: read a log and say what was found in it."""

from __future__ import annotations

import argparse
from pathlib import Path

from basso.cli import logs
from basso.cli.terminal import print_document
from basso.report.documents import import_document

HELP = "read a log and list its channels"
DESCRIPTION = """\
Read one log and list its channels: what each one is, its unit, its rate, its range. What had to be assumed is
in the notes; a wrong assumption is put right with --role and --unit.

  basso import run2.csv
  basso import run2.csv --role oil_pressure="P3 gallery" \\
      --unit "P3 gallery=psi" """


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    parser.add_argument("log", metavar="LOG", help="the log file")
    parser.add_argument("--json", action="store_true", help="print one JSON document (basso.import/1)")
    logs.add_reading(parser)


def run(arguments: argparse.Namespace) -> int:
    """Read and report."""
    from basso.workflow import describe

    path = Path(arguments.log)
    with logs.at_hand(path) as file:
        summary = describe(file, logs.reading(arguments), progress=arguments.progress, memory=logs.memory())
    document = import_document(path, summary)
    if arguments.json:
        print_document(document)
        return 0
    rate = summary.rate_hz
    print(
        f"{path}: {summary.format}, {summary.duration_s:.1f} s, {summary.samples} rows"
        + (f" at {rate:.4g} Hz" if rate else "")
    )
    width = max((len(c.name) for c in summary.channels), default=0)
    for c in summary.channels:
        span = f"{c.least:.5g} to {c.most:.5g}" if c.least is not None else "empty"
        unit = (c.unit or "") + (" (assumed)" if c.unit_assumed else "")
        print(f"  {c.name:<{width}}  {c.role or '–':<20} {unit:<16} {span}")
    for note in summary.notes:
        print(f"Note: {note}")
    return 0
