"""Options that several commands share, and how they become the core's own."""

from __future__ import annotations

import argparse
import math
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from basso.cli import logs
from basso.errors import InputError

if TYPE_CHECKING:
    from basso.findings.normal.question import Question
    from basso.pressure.earlier import Known
    from basso.pressure.options import JudgeOptions
    from basso.recording.recording import Recording


def add_judging(parser: argparse.ArgumentParser, with_floor: bool = True) -> None:
    """``--floor``, ``--rpm-gate``, ``--min-duration`` and ``--normal``; ``with_floor``: False where ``--floor`` means
    something else to a command."""
    group = parser.add_argument_group("judging")
    parser.set_defaults(floors=[])
    if with_floor:
        group.add_argument(
            "--floor",
            dest="floors",
            action="append",
            metavar="RULE",
            help="slope:BASE,PER1000 (kPa at 0 rpm and per 1000 rpm), fixed:KPA, table:RPM=KPA,…, share:FRACTION of "
            "normal pressure, or less:KPA below normal; repeatable, the highest applies (default: slope:0,48.3 "
            "and share:0.70)",
        )
    group.add_argument(
        "--rpm-gate", type=float, default=1500.0, metavar="RPM", help="judge only above this (default 1500)"
    )
    group.add_argument(
        "--min-duration", type=float, default=0.15, metavar="S", help="ignore shorter dips (default 0.15)"
    )
    group.add_argument(
        "--normal",
        action="append",
        default=[],
        metavar="LOG",
        help="learn normal pressure from this earlier log instead; repeatable",
    )
    group.add_argument(
        "--refuse",
        action="append",
        default=[],
        metavar="CHANNEL=KIND",
        help="do not apply this correction, such as 'Oil pressure=offset'; repeatable; the output lists the kinds",
    )
    group.add_argument(
        "--correct",
        action="append",
        default=[],
        metavar="CHANNEL=KIND:VALUE",
        help="apply this correction with your own value, in the unit shown in the output ('Oil "
        "pressure=offset:-98'); repeatable",
    )
    group.add_argument(
        "--oil", metavar="OIL", help="grade (10W-40), or viscosity at 40 and 100 °C in mm²/s as measured (93,14.1)"
    )


def add_garage(parser: argparse.ArgumentParser) -> None:
    """``--garage``."""
    parser.add_argument(
        "--garage",
        nargs="?",
        const="",
        metavar="FOLDER",
        help="compare the log with the sensor's card and the car's earlier sessions in your garage, or in "
        "the garage in FOLDER",
    )


def add_kept(parser: argparse.ArgumentParser) -> None:
    """``--by-kept``."""
    parser.add_argument(
        "--by-kept",
        action="store_true",
        help="with --garage: use the saved normal of the log's build instead of the log's own",
    )


def known(arguments: argparse.Namespace, recordings: Sequence[Recording]) -> dict[str, Known]:
    """What the garage that was asked for knows of the cars behind the logs, by the logs' fingerprints.

    Raises:
        InputError: there is no such garage.
    """
    from basso.garage.place import FILE, default_folder
    from basso.workflow import known_by_garage

    by_kept = getattr(arguments, "by_kept", False)
    if arguments.garage is None:
        if by_kept:
            raise InputError("--by-kept: which garage keeps it? Add --garage, or --garage FOLDER.")
        return {}
    where = Path(arguments.garage) if arguments.garage else default_folder()
    if not (where / FILE).is_file():
        raise InputError(f"{where}: there is no garage; name its folder, or leave --garage out.")
    found = known_by_garage(where, recordings, logs.memory())
    for recording in recordings if by_kept else ():
        kept = found.get(recording.content_hash)
        if kept is None or kept.in_force is None:
            raise InputError(
                f"{recording.path}: the garage has no saved normal of its build; save one with 'basso garage "
                "normal CAR --keep', or leave "
                "--by-kept out."
            )
    # An oil that was named goes before what the garage says.
    return {log: replace(k, oil=None) for log, k in found.items()} if getattr(arguments, "oil", None) else found


def judged_by(
    arguments: argparse.Namespace, judging: JudgeOptions, recording: Recording, known: Known | None = None
) -> JudgeOptions:
    """How one log is judged: by what is asked for now, what was decided before, and what the garage that was asked for
    knows."""
    from basso.workflow import options_for

    return options_for(recording, judging, logs.memory(), known, follow_car=not arguments.floors)


def asked(arguments: argparse.Namespace, recording: Recording, question: Question) -> Question:
    """What is asked of normal, with what the garage that was asked for has to say to it."""
    from basso.car.history import car_history
    from basso.car.known import session_of
    from basso.car.questions import asked_of
    from basso.garage.place import default_folder
    from basso.garage.records import Car
    from basso.garage.store import Garage

    with Garage(Path(arguments.garage) if arguments.garage else default_folder()) as garage:
        for history in (car_history(garage, car) for car in garage.all(Car)):
            if history.arrival is not None:
                continue
            session = session_of(history, recording.content_hash)
            if session is not None:
                return asked_of(history, session, question)
    return question


def judging(arguments: argparse.Namespace) -> JudgeOptions:
    """The judging options, with the normal of ``--normal`` logs learned.

    Raises:
        InputError: a number is out of range, or no normal can be learned from the ``--normal`` logs.
    """
    from basso.analysis.pooled import pooled_normal
    from basso.oil.grades import parse_oil, usual
    from basso.pressure.dips import DipRules
    from basso.pressure.floors import DEFAULT_FLOORS, parse_floor
    from basso.pressure.options import JudgeOptions

    for name in ("rpm_gate", "min_duration"):
        value = getattr(arguments, name)
        if not math.isfinite(value) or value < 0:
            raise InputError(f"--{name.replace('_', '-')} {value}: give a number of 0 or more.")
    floors = tuple(parse_floor(t) for t in arguments.floors) or DEFAULT_FLOORS
    options = JudgeOptions(
        floors=floors,
        rules=DipRules(rpm_gate=arguments.rpm_gate, least_s=arguments.min_duration),
        oil=parse_oil(arguments.oil) if arguments.oil else usual(),
        refused=frozenset(_correction(t)[:2] for t in arguments.refuse),
        edited=frozenset(_corrected(t) for t in arguments.correct),
        by_kept=getattr(arguments, "by_kept", False),
    )
    if not arguments.normal:
        return options
    normal = pooled_normal(logs.opened(arguments, arguments.normal), options)
    if not normal.valid:
        raise InputError(
            f"--normal {', '.join(arguments.normal)}: no normal pressure can be learned from it: {normal.reason}."
        )
    return replace(options, normal=normal)


def check_named(judging: JudgeOptions, recordings: Sequence[Recording]) -> None:
    """``--refuse`` and ``--correct`` name channels that there are.

    Raises:
        InputError: one names none of the logs' channels; the sentence lists them.
    """
    names = {c.name for r in recordings for c in r.channels}
    for option, named in (
        ("--refuse", {c for c, _ in judging.refused}),
        ("--correct", {c for c, _, _ in judging.edited}),
    ):
        for name in sorted(named - names):
            known = ", ".join(f"'{n}'" for n in sorted(names)[:20])
            where = recordings[0].path if len(recordings) == 1 else "the logs"
            raise InputError(f"{option}: '{name}' is no channel of {where}; there are {known}.")


def _correction(text: str) -> tuple[str, str, str]:
    """Channel, kind and what stands after it, of ``CHANNEL=KIND`` or ``CHANNEL=KIND:VALUE``."""
    from typing import get_args

    from basso.recording.corrections import Kind

    channel, sign, rest = text.rpartition("=")
    kind, _, value = rest.partition(":")
    if not sign or kind not in get_args(Kind):
        raise InputError(f"'{text}': write CHANNEL=KIND, the kind being one of {', '.join(get_args(Kind))}.")
    return channel, kind, value


def _corrected(text: str) -> tuple[str, str, float]:
    channel, kind, value = _correction(text)
    try:
        return channel, kind, float(value)
    except ValueError:
        raise InputError(f"--correct '{text}': write CHANNEL=KIND:VALUE, such as 'Oil pressure=offset:-98'.") from None
