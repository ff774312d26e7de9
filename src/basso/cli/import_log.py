"""``basso import LOG``: read a log and say what was found in it."""

from __future__ import annotations

import argparse
from pathlib import Path

from basso.cli import options
from basso.cli.documents import dump, import_document

HELP = "read a log and say what was found in it"
DESCRIPTION = """\
Read one log and list its channels: what each one is, its unit, its rate, its range. What had to be assumed is
in the notes; a wrong assumption is put right with --role and --unit.

  basso import run2.csv
  basso import run2.csv --role oil_pressure="P3 gallery" --unit "P3 gallery=psi" """


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    parser.add_argument("log", metavar="LOG", help="the log file")
    parser.add_argument("--json", action="store_true", help="print one JSON document (basso.import/1)")
    options.add_reading(parser)


def run(arguments: argparse.Namespace) -> int:
    """Read and report."""
    from basso.workflow import open_recording

    recording = open_recording(Path(arguments.log), options.reading(arguments))
    document = import_document(recording)
    if arguments.json:
        print(dump(document))
        return 0
    rate = recording.rate_hz
    print(
        f"{recording.path}: {recording.format}, {recording.duration_s:.1f} s, {recording.samples} rows"
        + (f" at {rate:.4g} Hz" if rate else "")
    )
    width = max(len(c["name"]) for c in document["channels"])
    for c in document["channels"]:
        span = f"{c['min']:.5g} to {c['max']:.5g}" if c["min"] is not None else "empty"
        unit = (c["unit"] or "") + (" (assumed)" if c["unit_assumed"] else "")
        print(f"  {c['name']:<{width}}  {c['role'] or '–':<20} {unit:<16} {span}")
    for note in recording.notes:
        print(f"Note: {note}")
    return 0
