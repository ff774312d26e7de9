"""``basso corners LOG``: where on the circuit it happens, and from which g on."""

from __future__ import annotations

import argparse
from pathlib import Path

from basso.cli import logs, options
from basso.cli.terminal import print_document
from basso.errors import InputError

HELP = "where on the circuit oil is lost, and above which g"
DESCRIPTION = """\
Look at every corner and braking zone lap by lap, rank them by exposure, and find the g above which the pressure
begins to fall in each direction, and how long it can be held, with a 95 % interval.

  basso corners run2.csv
  basso corners run2.csv --json"""


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    parser.add_argument("log", metavar="LOG", help="a log file")
    parser.add_argument("--json", action="store_true", help="print one JSON document (basso.corners/1)")
    options.add_garage(parser)
    options.add_kept(parser)
    options.add_judging(parser)
    logs.add_reading(parser)


def run(arguments: argparse.Namespace) -> int:
    """Find and tell."""
    from basso.findings.corners.findings import find_corners
    from basso.report.corners_documents import corners_document
    from basso.words.corners import (
        held_up_words,
        knee_words,
        per_lap_words,
        place_words,
        runs_words,
        side_words,
        slides_words,
        threshold_words,
    )
    from basso.workflow import judge

    judging = options.judging(arguments)
    recording = logs.opened_one(arguments, Path(arguments.log))
    options.check_named(judging, [recording])
    known = options.known(arguments, [recording]).get(recording.content_hash)
    told = find_corners(judge(recording, options.judged_by(arguments, judging, recording, known)))
    if told is None:
        raise InputError(
            f"{arguments.log}: corners cannot be judged: oil pressure or engine speed is missing, "
            "or the engine hardly ran warm; "
            "'basso import' lists its channels."
        )
    if arguments.json:
        print_document(corners_document(told))
        return 0
    print(
        f"{told.analysis.recording.path}: {len(told.places)} places, {len(told.ranked)} of them below "
        "the floor at times"
    )
    if told.places:
        print("  place            what it is               passes  below  lowest  worst  below s  lowest in")
    for p in told.places:
        lowest, worst = (f"{100 * v:5.0f}%" if v == v else "    –" for v in (p.lowest, p.worst))
        print(
            f"  {p.place.label:<16} {place_words(p):<24} {len(p.passes):6d} {p.dips:6d}  {lowest} "
            f"{worst}  {p.below_s:7.2f}  {p.phase or '–'}"
        )
    for words in (
        *(threshold_words(t, told.analysis.side) for t in told.thresholds),
        side_words(told),
        knee_words(told),
        runs_words(told),
        held_up_words(told),
        slides_words(told),
        per_lap_words(told.per_lap),
    ):
        if words:
            print(f"  {words}")
    if told.test_place is not None:
        print(f"  test a change on {told.test_place.place.label}")
    return 0
