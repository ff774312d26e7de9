"""``basso``: one parser, one file per command, errors as one sentence."""

from __future__ import annotations

import argparse
import errno
import os
import re
import sys
from collections.abc import Sequence
from importlib import import_module
from pathlib import Path
from typing import NoReturn, Protocol, cast

from basso.cli.parser import Parser, did_you_mean, refuse_unknown, wrapped
from basso.cli.terminal import progress_on, speak_plainly, wipe
from basso.errors import BassoError, InputError
from basso.plain_text import spelled_out
from basso.platform.code import CHILD
from basso.platform.memory import keep_freed_memory
from basso.version import VERSION

COMMANDS = {
    "open": "basso.cli.open_window",
    "import": "basso.cli.import_log",
    "analyze": "basso.cli.analyze",
    "normal": "basso.cli.normal",
    "corners": "basso.cli.corners",
    "compare": "basso.cli.compare",
    "plan": "basso.cli.plan",
    "report": "basso.cli.report",
    "alarm": "basso.cli.alarm",
    "live": "basso.cli.live",
    "export": "basso.cli.export",
    "garage": "basso.cli.garage",
    "symptoms": "basso.cli.symptoms",
    "fit": "basso.cli.fit",
    "sensors": "basso.cli.sensors",
    "drops": "basso.cli.drops",
    "sump": "basso.cli.sump",
    "accumulator": "basso.cli.accumulator",
    "standin": "basso.cli.standin",
    "desktop": "basso.cli.desktop",
}

_NO_ROOM = (errno.ENOSPC, errno.EDQUOT, errno.EFBIG, errno.EIO)
_NUMBERS = re.compile(r"-[\d.]+(e-?\d+)?(,[-+]?[\d.]+(e-?\d+)?)+", re.IGNORECASE)

_DESCRIPTION = """\
Basso finds oil starvation in logs of oil pressure, oil temperature, rpm and g, explains it, and judges what a
change did about it. Without a command it opens its window.

  basso                                   open the window
  basso analyze run2.csv                  what happened in one run, for people
  basso analyze run2.csv --json           the same for scripts
  basso compare --a before.csv --b after.csv"""
_CAUTION = """\
Basso advises; the engine builder, the maker's manual, the event's rules and local law decide. Test only on a
closed course. With a real low-pressure warning stop the engine. Exit status: 0 done, 2 the input cannot be used."""


class Command(Protocol):
    """What every command module offers."""

    HELP: str
    DESCRIPTION: str

    def add_arguments(self, parser: argparse.ArgumentParser) -> None:
        """Declare the command's options."""
        ...

    def run(self, arguments: argparse.Namespace) -> int:
        """Do the work; returns the exit status.

        Raises:
            InputError: the input cannot be used; the sentence says what, where and what to do.
        """
        ...


def build_parser(only: str | None = None) -> argparse.ArgumentParser:
    """The whole command line, with help worth reading; or one command of it, which then alone is loaded."""
    raw = argparse.RawDescriptionHelpFormatter
    parser = Parser(prog="basso", description=wrapped(_DESCRIPTION), epilog=wrapped(_CAUTION), formatter_class=raw)
    parser.add_argument("--version", action="version", version=f"basso {VERSION}")
    commands = parser.add_subparsers(dest="command", metavar="COMMAND")
    for name in [only] if only is not None and only in COMMANDS else COMMANDS:
        module = cast(Command, import_module(COMMANDS[name]))
        sub = commands.add_parser(
            name,
            help=module.HELP,
            description=wrapped(module.DESCRIPTION),
            epilog=wrapped(_CAUTION),
            formatter_class=raw,
        )
        module.add_arguments(sub)
        sub.set_defaults(run=module.run)
    return parser


def _joined(words: Sequence[str]) -> list[str]:
    """``--pickup -120,10,8`` as ``--pickup=-120,10,8``: a list of numbers that begins below zero is no option."""
    made: list[str] = []
    for word in words:
        if made and made[-1].startswith("--") and "=" not in made[-1] and _NUMBERS.fullmatch(word):
            made[-1] += f"={word}"
        else:
            made.append(word)
    return made


def main(argv: Sequence[str] | None = None) -> int:
    """Run one command; returns the exit status. User errors become one line on standard error."""
    words = _joined(sys.argv[1:] if argv is None else argv)
    if words and words[0] not in COMMANDS and Path(words[0]).exists():
        words = ["open", *words]  # a log is opened
    try:
        arguments = _parsed(words or ["open"])
        arguments.progress = progress_on(sys.stderr)
        try:
            status = int(arguments.run(arguments))
        finally:
            wipe(sys.stderr)
        sys.stdout.flush()
        return status
    except BassoError as error:
        print(f"basso: {spelled_out(str(error))}", file=sys.stderr)
        return 2
    except BrokenPipeError:  # the reader of our output went away ("| head")
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 0
    except OSError as error:
        if error.errno not in _NO_ROOM:
            raise
        print(
            f"basso: the output cannot be written ({error.strerror}); free some room, or send it elsewhere.",
            file=sys.stderr,
        )
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 2
    except KeyboardInterrupt:
        print("basso: stopped.", file=sys.stderr)
        return 130


def _parsed(words: list[str]) -> argparse.Namespace:
    """The command's arguments.

    Raises:
        InputError: there is no such command or option, or an argument is missing or wrong.
    """
    command = words[0]
    if command.startswith("-"):  # --help, --version
        return build_parser().parse_args(words)
    if command not in COMMANDS:
        raise InputError(_no_command(command))
    parser = build_parser(only=command)
    arguments, unknown = parser.parse_known_args(words)
    if unknown:
        alone = Parser(prog=f"basso {command}")
        cast(Command, import_module(COMMANDS[command])).add_arguments(alone)
        refuse_unknown(unknown, alone, command)
    return arguments


def _no_command(word: str) -> str:
    if Path(word).suffix or "/" in word:
        return f"{word}: does not exist; check the name and the folder."
    return f"there is no command '{word}'{did_you_mean(word, COMMANDS)} 'basso --help' lists them."


def _be_child() -> NoReturn:
    """A frozen program that was started as one of its own children: only its own modules can be asked for."""
    from runpy import run_module

    _, _, module, *sys.argv[1:] = sys.argv
    if module.split(".")[0] == "basso":
        run_module(module, run_name="__main__")
    sys.exit(0)


def entry() -> None:
    """The console script: whatever goes wrong is one line, and a fault of ours is written down."""
    if sys.argv[1:2] == [CHILD]:
        _be_child()
    speak_plainly(sys.stdout, sys.stderr)
    keep_freed_memory()
    try:
        status = main()
    except MemoryError:
        print("basso: the memory is full; close other programs, or give fewer or smaller logs.", file=sys.stderr)
        status = 2
    except Exception as error:
        from basso.faults import note_fault

        print(f"basso: {spelled_out(note_fault(' '.join(['basso', *sys.argv[1:2]]), error))}", file=sys.stderr)
        status = 2
    sys.exit(status)
