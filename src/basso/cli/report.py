"""``basso report LOG…``: a session or a trial as one file to hand on."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING

from basso.cli import logs, options
from basso.errors import InputError

if TYPE_CHECKING:
    from basso.report.pages import Report
    from basso.units import DisplayUnits

HELP = "a session or a trial as one file to hand on"
DESCRIPTION = """\
Write a report of one or more sessions, or of a trial, as one file that needs nothing else: what happened, on what
evidence, what was assumed, and how far the claim goes. HTML for the screen, PDF for paper; charts are vectors.

  basso report run.csv --html run.html
  basso report --a full-1.csv full-2.csv --b baffle.csv \\
      --pdf trial.pdf --paper letter"""


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    parser.add_argument("logs", metavar="LOG", nargs="*", help="logs of the sessions")
    parser.add_argument("--a", metavar="LOG", nargs="+", default=[], help="of a trial: logs before the change")
    parser.add_argument("--b", metavar="LOG", nargs="+", default=[], help="of a trial: logs after it")
    parser.add_argument("--label-a", default="A", help="name of A (default A)")
    parser.add_argument("--label-b", default="B", help="name of B (default B)")
    parser.add_argument("--html", metavar="OUT", help="write HTML")
    parser.add_argument("--pdf", metavar="OUT", help="write PDF")
    parser.add_argument("--paper", choices=("a4", "letter"), default="a4", help="of the PDF (default a4)")
    parser.add_argument("--pressure", choices=("kPa", "bar", "psi"), default="kPa", help="unit of pressures")
    parser.add_argument("--temperature", choices=("C", "F"), default="C", help="unit of temperatures")
    options.add_garage(parser)
    options.add_judging(parser)
    logs.add_reading(parser)


def run(arguments: argparse.Namespace) -> int:
    """Judge and write."""
    from basso.files import write_whole
    from basso.units import UNITS, DisplayUnits

    is_trial = bool(arguments.a or arguments.b)
    if is_trial and arguments.logs:
        raise InputError("report: name logs of sessions, or --a and --b of a trial, not both.")
    if not is_trial and not arguments.logs:
        raise InputError("report: of which log? Name it, or --a and --b of a trial.")
    if not (arguments.html or arguments.pdf):
        raise InputError("report: where to? Add --html OUT.html or --pdf OUT.pdf.")
    units = DisplayUnits(pressure=UNITS[arguments.pressure], temperature=UNITS[f"°{arguments.temperature}"])
    report = _of_trial(arguments, units) if is_trial else _of_sessions(arguments, units)
    if arguments.html:
        from basso.report.html_page import to_html

        write_whole(Path(arguments.html), to_html(report).encode())
    if arguments.pdf:
        from basso.report.pdf_page import to_pdf

        write_whole(Path(arguments.pdf), to_pdf(report, arguments.paper))
    return 0


def _of_sessions(arguments: argparse.Namespace, units: DisplayUnits) -> Report:
    from basso.recording.drive import each_once
    from basso.report.session_report import session_report
    from basso.workflow import judge

    judging = options.judging(arguments)
    read = logs.opened(arguments, arguments.logs)
    options.check_named(judging, read)
    recordings, left_out = each_once(read)
    known = options.known(arguments, recordings)
    analyses = [judge(r, options.judged_by(arguments, judging, r, known.get(r.content_hash))) for r in recordings]
    return session_report(analyses, left_out, units)


def _of_trial(arguments: argparse.Namespace, units: DisplayUnits) -> Report:
    from basso.cli.compare import judged
    from basso.report.trial_report import trial_report

    comparison, fragile = judged(arguments)
    return trial_report(comparison, fragile, units)
