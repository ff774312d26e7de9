"""The parser of the command line: what is wrong is one sentence, with the word that was probably meant."""

from __future__ import annotations

import argparse
import re
from collections.abc import Iterable
from difflib import get_close_matches
from textwrap import fill
from typing import NoReturn

from basso.errors import InputError

_WIDE = 80


class Parser(argparse.ArgumentParser):
    """A parser that raises :class:`InputError` where argparse prints usage and ends the process."""

    def error(self, message: str) -> NoReturn:
        """Say it in one sentence, with the way to the help."""
        raise InputError(f"{message}; '{self.prog} --help' shows how.")


def did_you_mean(word: str, known: Iterable[str]) -> str:
    """ "; did you mean …?", or nothing where no known word is near."""
    near = get_close_matches(word, list(known), n=1, cutoff=0.6)
    return f"; did you mean {near[0]}?" if near else "."


def wrapped(text: str) -> str:
    """A description at the width of a terminal; lines that begin with blanks are examples and stay as they are."""
    return "\n\n".join(p if p.startswith(" ") else fill(p, _WIDE) for p in text.split("\n\n"))


def refuse_unknown(unknown: list[str], parser: argparse.ArgumentParser, command: str) -> None:
    """Options that a command does not have.

    Raises:
        InputError: there are some; the sentence names the first, and the option that is spelled nearly so.
    """
    if not unknown:
        return
    word = next((w for w in unknown if w.startswith("-")), unknown[0]).split("=")[0]
    if not word.startswith("-"):
        raise InputError(f"'{word}': one argument too many; 'basso {command} --help' shows what it takes.")
    known = sorted(set(re.findall(r"(?<![\w-])--?[a-z][a-z-]*", parser.format_help())))
    raise InputError(f"{command} has no option {word}{did_you_mean(word, known)} 'basso {command} --help' lists them.")
