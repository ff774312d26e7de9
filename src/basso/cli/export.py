"""``basso export LOG OUT``: write a log, raw or corrected, whole or a stretch of it, as CSV or Parquet."""

from __future__ import annotations

import argparse
import math
import sys
from pathlib import Path

from basso.cli import logs
from basso.cli.terminal import ask_over
from basso.errors import InputError

HELP = "write a log as CSV or Parquet, raw or corrected, whole or in part"
DESCRIPTION = """\
Write a log in an open format, by the ending of OUT: .csv or .parquet. Channels keep their units and their own sample
times. With --corrected the corrections that `basso analyze` makes are applied.

  basso export run2.mf4 run2.parquet
  basso export run2.csv lap4.csv --from 402.5 --to 498 --corrected"""


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    parser.add_argument("log", metavar="LOG", help="the log file")
    parser.add_argument("out", metavar="OUT", help="where to write: .csv, .parquet, or - for CSV on standard output")
    parser.add_argument("--force", action="store_true", help="write over a file that is there")
    parser.add_argument("--corrected", action="store_true", help="with the corrections that the checks call for")
    parser.add_argument("--from", dest="start", type=float, metavar="S", help="seconds from the first sample")
    parser.add_argument("--to", dest="end", type=float, metavar="S", help="seconds from the first sample")
    parser.add_argument(
        "--facts",
        action="store_true",
        help="of a CSV: session facts, corrections and roles above the heading; Basso reads them back, other programs "
        "must skip them (a Parquet file holds them in its metadata)",
    )
    logs.add_reading(parser)


def run(arguments: argparse.Namespace) -> int:
    """Read and write."""
    from basso.formats.write import WRITTEN
    from basso.pressure.options import JudgeOptions
    from basso.workflow import export_recording, exported, judge, options_for

    out, log = Path(arguments.out), Path(arguments.log)
    piped = arguments.out == logs.PIPED
    if not piped and out.suffix.lower() not in WRITTEN:
        raise InputError(f"{out}: a log can be written as {' or '.join(WRITTEN)}; name the file so.")
    if out.exists() and log.exists() and out.samefile(log):
        raise InputError(f"{out}: is the log itself; write to another file.")
    if not piped and not arguments.force and out.exists():
        ask_over(arguments.out)
    recording = logs.opened_one(arguments, Path(arguments.log))
    span = None
    if arguments.start is not None or arguments.end is not None:
        start = arguments.start if arguments.start is not None else 0.0
        end = arguments.end if arguments.end is not None else recording.duration_s
        if not (math.isfinite(start) and math.isfinite(end) and start < end):
            raise InputError(f"--from {start:g} --to {end:g}: the stretch must end after it begins.")
        span = (start, end)
    corrected = None
    if arguments.corrected:
        corrected = judge(recording, options_for(recording, JudgeOptions(), logs.memory()))
    if piped:
        sys.stdout.buffer.write(exported(recording, ".csv", span, corrected, arguments.facts))
    else:
        export_recording(recording, out, span, corrected, arguments.facts)
    return 0
