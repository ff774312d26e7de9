"""``basso live --headless``: a bus judged and recorded as it runs, for a box without a screen."""

from __future__ import annotations

import argparse
import json
import signal
import sys
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING

from basso.cli import logs, options
from basso.errors import InputError
from basso.plain_text import spelled_out

if TYPE_CHECKING:
    from basso.alarm.live import LiveReading
    from basso.alarm.rules import AlarmRule
    from basso.report.documents import Document

HELP = "judge and record a bus as it runs"
DESCRIPTION = """\
Listen to a bus that python-can opens, decode it with its database, record it, and say twenty times a second how the
pressure stands against normal and floor: one JSON object a line, the recording's place in the last one. Without
--normal there is no normal, and floors that need one say nothing.

  basso live --headless --bus socketcan --channel can0 --dbc car.dbc \\
      --out logs --normal last-run.csv
  basso live --headless --bus udp_multicast --channel 239.74.163.2 \\
      --dbc standin.dbc --out logs --seconds 60"""

_TICK_S = 0.05


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    parser.add_argument("--headless", action="store_true", help="one JSON object a line on standard output")
    parser.add_argument("--bus", required=True, metavar="INTERFACE", help="as python-can names it: socketcan, …")
    parser.add_argument("--channel", required=True, metavar="CHANNEL", help="as python-can names it: can0, …")
    parser.add_argument("--out", required=True, metavar="FOLDER", help="where the recording grows")
    parser.add_argument("--seconds", type=float, metavar="S", help="end after so long (default: Ctrl+C)")
    parser.add_argument(
        "--alarm", metavar="FILE", help="a document of 'basso alarm --json': its best kind is the warning device"
    )
    options.add_judging(parser)
    logs.add_reading(parser)


def run(arguments: argparse.Namespace) -> int:
    """Listen until the time is up or somebody stops it."""
    from basso.alarm.session import LiveSession
    from basso.formats.database import load_database
    from basso.formats.live_bus import LiveBus

    if not arguments.headless:
        raise InputError("live: add --headless; in the window live logging is not built yet.")
    if not arguments.dbc:
        raise InputError("live: frames mean nothing without their database; name it with --dbc FILE.")
    if arguments.seconds is not None and not 0.0 < arguments.seconds < 1e6:
        raise InputError(f"--seconds {arguments.seconds:g}: give a number over 0.")
    if arguments.refuse or arguments.correct:
        raise InputError("live: --refuse and --correct are for logs; give them to 'basso analyze' afterwards.")
    rule = _rule(Path(arguments.alarm)) if arguments.alarm else None
    database, reading, judging = Path(arguments.dbc), logs.reading(arguments), options.judging(arguments)
    load_database(database)  # what cannot be used is told before anything is opened
    bus = LiveBus(arguments.bus, arguments.channel, database, Path(arguments.out))
    session = LiveSession(bus, database, reading, judging, rule)
    try:
        with _stopped_by_signals() as stop:
            until = time.monotonic() + (arguments.seconds or float("inf"))
            due = time.monotonic()
            while time.monotonic() < until and not stop.is_set():
                print(json.dumps(_document(session.tick())), flush=True)
                for note in session.take_notes():
                    print(f"basso: {spelled_out(note)}", file=sys.stderr, flush=True)
                due = max(due + _TICK_S, time.monotonic())
                stop.wait(max(min(due, until) - time.monotonic(), 0.0))
    finally:
        path = session.close()
    print(json.dumps({"recording": str(path)}), flush=True)
    return 0


def _document(reading: LiveReading) -> Document:
    from basso.report.documents import rounded

    return {
        "time_s": rounded(reading.time_s, 3),
        "rpm": rounded(reading.rpm, 1),
        "pressure_kpa": rounded(reading.pressure_kpa, 2),
        "expected_kpa": rounded(reading.expected_kpa, 2),
        "floor_kpa": rounded(reading.floor_kpa, 2),
        "oil_temp_c": rounded(reading.oil_temp_c, 2),
        "state": reading.state,
        "lap": reading.lap,
        "dips": reading.dips,
    }


@contextmanager
def _stopped_by_signals() -> Iterator[threading.Event]:
    """Ctrl+C and a plain ``kill`` end the drive as its time does: the recording is closed and named."""
    stop = threading.Event()
    if threading.current_thread() is not threading.main_thread():
        yield stop
        return
    before = {s: signal.signal(s, lambda *_: stop.set()) for s in (signal.SIGINT, signal.SIGTERM)}
    try:
        yield stop
    finally:
        for which, handler in before.items():
            signal.signal(which, handler)


def _rule(path: Path) -> AlarmRule:
    """The best device of a kept document."""
    from basso.report.alarm_document import best_rule

    try:
        text = path.read_text(encoding="utf-8")
    except OSError as error:
        raise InputError(
            f"{path}: cannot be read ({error.strerror}); name a document of 'basso alarm --json'."
        ) from None
    except UnicodeDecodeError:
        text = ""
    try:
        return best_rule(json.loads(text))
    except (ValueError, KeyError, TypeError, AttributeError, RecursionError):
        raise InputError(f"{path}: is no document of 'basso alarm --json'; make one with it.") from None
