"""``basso analyze LOG…``: find the dips and say why."""

from __future__ import annotations

import argparse
import os
import sys
from pathlib import Path
from typing import TYPE_CHECKING

from basso.cli import logs, options
from basso.cli.terminal import print_document
from basso.errors import InputError
from basso.plain_text import spelled_out
from basso.progress import silent

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from basso.pressure.options import JudgeOptions
    from basso.report.documents import Document
    from basso.report.several import JudgedLog

_OWN_THREADS = ("OPENBLAS_NUM_THREADS", "OMP_NUM_THREADS", "POLARS_MAX_THREADS")

HELP = "find the dips in a log and say why they happened"
DESCRIPTION = """\
Check the readings, learn this engine's normal pressure, and find every dip below the floor: how deep, how long,
where and why. Pressures are gauge; a sensor that reads atmospheric pressure with the engine stopped is corrected.

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
        "--out", metavar="FILE", help="also write the analysis: .json, .csv (the dips) or .xlsx (everything)"
    )
    options.add_garage(parser)
    options.add_kept(parser)
    options.add_judging(parser)
    logs.add_reading(parser)


def run(arguments: argparse.Namespace) -> int:
    """Judge each log and report; several at once, on as many cores as there are."""
    paths = logs.named(arguments.logs)
    if arguments.out and len(paths) > 1:
        raise InputError("--out takes one log at a time; run it once for each.")
    workers = min(len(paths), len(os.sched_getaffinity(0)))
    if logs.PIPED in arguments.logs:
        workers = 1  # standard input is this process's own
    told = _in_parallel(arguments, paths, workers) if workers > 1 else _in_turn(arguments, paths)
    from basso.report.several import on_shared_maps

    # What could be judged is answered, what could not is named.
    problems = [t for t in told if isinstance(t, str)]
    documents = on_shared_maps([t for t in told if not isinstance(t, str)])
    if len(paths) == 1 and problems:
        raise InputError(problems[0])
    if arguments.json:
        print_document(documents[0] if len(paths) == 1 else documents)
    else:
        for document in documents:
            _report(document)
    for sentence in problems:
        print(f"basso: {spelled_out(sentence)}", file=sys.stderr)
    return 2 if problems else 0


def _in_turn(arguments: argparse.Namespace, paths: Sequence[Path]) -> list[JudgedLog | str]:
    judging = options.judging(arguments)
    return [_told(arguments, judging, path) for path in paths]


def _judged(arguments: argparse.Namespace, judging: JudgeOptions, path: Path) -> JudgedLog:
    """A log as its document; where it was judged before by all the same, as it was kept."""
    from basso.report.kept_answers import judged_before

    recording = logs.opened_one(arguments, path, done=0.5)
    options.check_named(judging, [recording])
    known = options.known(arguments, [recording]).get(recording.content_hash)
    by = options.judged_by(arguments, judging, recording, known)

    def judge() -> JudgedLog:
        from basso.report.several import judged_log
        from basso.workflow import export_analysis, judge

        analysis = judge(recording, by, progress=lambda done, what: arguments.progress(0.5 + 0.5 * done, what))
        if arguments.out:
            export_analysis(analysis, Path(arguments.out))
        return judged_log(analysis)

    return judge() if arguments.out else judged_before(recording, by, judge)


def _in_parallel(arguments: argparse.Namespace, paths: Sequence[Path], workers: int) -> list[JudgedLog | str]:
    """Every log by itself; they share nothing. One worker is this process, which need not be begun first, the others
    are new ones. A log that cannot be used is the sentence that says why."""
    from collections import deque
    from concurrent.futures import BrokenExecutor, ProcessPoolExecutor, ThreadPoolExecutor
    from multiprocessing import get_context

    # One thread each, said before anything asks: what is parallel here is the logs.
    os.environ.update({name: "1" for name in _OWN_THREADS if name not in os.environ})
    sizes = [path.stat().st_size if path.is_file() else 0 for path in paths]
    # The longest first, so that none is left over at the end for one worker alone.
    waiting = deque(sorted(range(len(paths)), key=lambda i: -sizes[i]))
    told: dict[int, JudgedLog | str] = {}
    apart = argparse.Namespace(**{**vars(arguments), "progress": silent})

    def work(judge_one: Callable[[Path], JudgedLog | str]) -> None:
        while waiting:
            try:
                i = waiting.popleft()
            except IndexError:  # another worker took the last one
                return
            told[i] = judge_one(paths[i])
            arguments.progress(len(told) / len(paths), f"{len(told)} of {len(paths)} logs judged")

    with ProcessPoolExecutor(workers - 1, get_context("spawn")) as pool, ThreadPoolExecutor(workers - 1) as feeding:
        for _ in range(workers - 1):  # they load what they need while this one reads its options
            pool.submit(_get_ready)
        judging = options.judging(arguments)
        fed = [
            feeding.submit(work, lambda path: pool.submit(_told, apart, judging, path).result())
            for _ in range(workers - 1)
        ]
        try:
            work(lambda path: _told(apart, judging, path))
        finally:
            waiting.clear()
        try:
            for f in fed:
                f.result()
        except BrokenExecutor:
            raise InputError(
                "A process ended while judging a log, usually because memory ran out; give fewer logs at once."
            ) from None
    return [told[i] for i in range(len(paths))]


def _get_ready() -> None:
    """Load what judging a log takes."""
    import polars  # noqa: F401

    import basso.report.several
    import basso.workflow  # noqa: F401


def _told(arguments: argparse.Namespace, judging: JudgeOptions, path: Path) -> JudgedLog | str:
    """A log as its document, or the sentence that says why it cannot be used: an error's parts do not travel, its words
    do."""
    try:
        return _judged(arguments, judging, path)
    except InputError as error:
        return str(error)


def _report(document: Document) -> None:
    events, exposure, normal = document["events"], document["exposure"], document["expected"]
    judged = document["judged"]
    running = f"{exposure['running_s'] / 60:.1f} min of running"
    found = (
        f"{len(events)} dips in {judged['minutes']:.1f} min judged of {running}, "
        f"{exposure['below_floor_s']:.1f} s below the floor"
        if judged["minutes"] > 0
        else f"nothing was judged of {running}"
    )
    if (gauge := next((c for c in document["checks"] if c["id"] == "gauge"), None)) is not None:
        found = gauge["message"]
    print(f"{document['log']['path']}: {found}")
    print(f"  {document['sentence']}")
    if judged["not_judged"]:
        print("  not judged: " + "; ".join(f"{n['minutes']:.1f} min {n['why']}" for n in judged["not_judged"]))
    for check in document["checks"]:
        if check["level"] != "ok" and check is not gauge:
            print(f"  {check['level']}: {check['message']}")
    if normal["valid"]:
        (low, high), heat = normal["range"]["rpm"], normal["range"]["oil_temp_c"]
        at = f", {heat[0]:.0f}–{heat[1]:.0f} °C" if heat[0] is not None else ""
        print(f"  normal: {normal['method']}, ± {normal['residual_kpa']:.0f} kPa over {low:.0f}–{high:.0f} rpm{at}")
    if events:
        print("  start s  length s  lowest kPa  under floor  share  lap  place              cause")
    for e, more in zip(events, document["more"]["events"], strict=True):
        share = f"{e['min_share']:.0%}" if e["min_share"] is not None else "–"
        lap = str(e["lap"]) if e["lap"] is not None else "–"
        print(
            f"  {e['start_s']:7.1f}  {e['duration_s']:8.2f}  {e['min_pressure_kpa']:10.0f}  {e['min_margin_kpa']:11.0f}"
            f"  {share:>5}  {lap:>3}  {more['place'] or '–':<17}  {e['cause'].replace('_', ' ')}: {more['reason']}"
        )
