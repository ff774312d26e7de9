"""``basso analyze LOG…``: find the dips and say why."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING

from basso.cli import options
from basso.errors import InputError
from basso.report.documents import analysis_document, dump

if TYPE_CHECKING:
    from basso.analysis import Analysis

HELP = "find the dips in a log and say why they happened"
DESCRIPTION = """\
Check the readings, learn what this engine's pressure should be, and find where it lay below the floor: how deep,
how long, where, and why. Pressures are gauge; a sensor that reads the atmosphere with the engine stopped is corrected.

  basso analyze run2.csv
  basso analyze run2.csv --floor slope:69,69 --rpm-gate 2500
  basso analyze today.csv --normal spring.csv --json"""


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    parser.add_argument("logs", metavar="LOG", nargs="+", help="log files")
    parser.add_argument(
        "--json", action="store_true", help="print one JSON document (basso.analysis/1), an array for several logs"
    )
    parser.add_argument(
        "--out", metavar="FILE", help="write the analysis too: .json, .csv (the dips) or .xlsx (everything)"
    )
    options.add_garage(parser)
    options.add_kept(parser)
    options.add_judging(parser)
    options.add_reading(parser)


def run(arguments: argparse.Namespace) -> int:
    """Judge each log and report."""
    from basso.workflow import export_analysis, judge, open_recording

    if arguments.out and len(arguments.logs) > 1:
        raise InputError("--out takes one log at a time; run it once for each.")
    judging, reading = options.judging(arguments), options.reading(arguments)
    recordings = [open_recording(path, reading) for path in options.paths(arguments.logs)]
    known = options.known(arguments, recordings)
    analyses = [judge(r, judging.by(None, known.get(r.content_hash))) for r in recordings]
    if arguments.out:
        export_analysis(analyses[0], Path(arguments.out))
    if arguments.json:
        documents = [analysis_document(a) for a in analyses]
        print(dump(documents[0] if len(documents) == 1 else documents))
        return 0
    for a in analyses:
        _report(a)
    return 0


def _report(a: Analysis) -> None:
    print(
        f"{a.recording.path}: {len(a.dips)} dips in {a.exposure.running_s / 60:.1f} min of running, "
        f"{a.exposure.below_floor_s:.1f} s below the floor"
    )
    for check in a.checks:
        if check.level != "ok":
            print(f"  {check.level}: {check.message}")
    if a.expected.valid:
        low, high = a.expected.rpm_range
        heat = a.expected.temperature_range_c
        at = f", {heat[0]:.0f}–{heat[1]:.0f} °C" if heat is not None else ""
        print(f"  normal: {a.expected.method}, ± {a.expected.residual_kpa:.0f} kPa over {low:.0f}–{high:.0f} rpm{at}")
    if a.dips:
        print("  start s  length s  lowest kPa  under floor  share  lap  place              cause")
    for d in a.dips:
        share = f"{d.dip.min_share:.0%}" if d.dip.min_share is not None else "–"
        lap = str(d.lap.number) if d.lap is not None else "–"
        print(
            f"  {d.dip.start_s:7.1f}  {d.dip.duration_s:8.2f}  {d.dip.min_pressure_kpa:10.0f}  {d.dip.min_margin_kpa:11.0f}"
            f"  {share:>5}  {lap:>3}  {d.place.label if d.place is not None else '–':<17}  {d.cause.name.replace('_', ' ')}: {d.cause.reason}"
        )
