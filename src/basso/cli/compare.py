"""``basso compare --a LOG… --b LOG…``: did the change help?"""

from __future__ import annotations

import argparse
import sys
from dataclasses import asdict, replace
from pathlib import Path
from typing import TYPE_CHECKING

from basso.cli import logs, options
from basso.cli.terminal import print_document
from basso.errors import InputError
from basso.report.documents import Document, comparison_document, fragile_documents, sides_document

if TYPE_CHECKING:
    from collections.abc import Sequence

    from basso.car.cards import TrialCards
    from basso.oil.grades import Grade
    from basso.pressure.earlier import Known
    from basso.pressure.floors import Floor
    from basso.recording.recording import Recording
    from basso.trial.fragile import Fragile
    from basso.trial.verdict import Comparison

HELP = "judge a change: logs before and after it"
DESCRIPTION = """\
Compare logs before a change (A) with logs after it (B): the lowest pressure of every pass through the dip-prone places,
at the same oil temperature, rpm and g, with an interval that counts laps, not samples. Where like cannot be held
against like, the answer is "not comparable" and why.

  basso compare --a full-mark-1.csv full-mark-2.csv --b plus-0.4.csv
  basso compare --side full=run1.csv,run2.csv --side plus=run3.csv \\
      --side baffle=run4.csv"""


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Declare the options."""
    parser.add_argument("--a", metavar="LOG", nargs="+", default=[], help="logs before the change")
    parser.add_argument("--b", metavar="LOG", nargs="+", default=[], help="logs after it")
    parser.add_argument(
        "--side",
        action="append",
        default=[],
        metavar="LABEL=LOG[,LOG...]",
        help="one of three or more sides, instead of --a and --b; the first is what the others are held against",
    )
    parser.add_argument("--label-a", default="A", help="name of A (default A)")
    parser.add_argument("--label-b", default="B", help="name of B (default B)")
    parser.add_argument("--garage", metavar="FOLDER", help="the garage with the build sheets (default: your own)")
    parser.add_argument("--json", action="store_true", help="print one JSON document (basso.comparison/1)")
    options.add_judging(parser)
    logs.add_reading(parser)


def judged(arguments: argparse.Namespace) -> tuple[Comparison, Sequence[Fragile]]:
    """The comparison of ``--a`` with ``--b``, and what would overturn it.

    Raises:
        InputError: a side has no log, both have the same, or one cannot be used.
    """
    from basso.memory.decisions import Decision
    from basso.trial.fragile import fragile_of
    from basso.workflow import options_for, run_trial, verdict_with_zero

    judging, memory = options.judging(arguments), logs.memory()
    for name in ("a", "b"):
        if not getattr(arguments, name):
            raise InputError(f"--{name}: name the logs {'before' if name == 'a' else 'after'} the change.")
    if set(map(str, arguments.a)) & set(map(str, arguments.b)):
        raise InputError("--a and --b name the same log; a change is judged between different runs.")
    a, b = (logs.opened(arguments, side) for side in (arguments.a, arguments.b))
    options.check_named(judging, [*a, *b])
    decided = {r.content_hash: options_for(r, judging, memory) for r in (*a, *b)}
    by = {log: Decision(made.refused, made.edited) for log, made in decided.items()}
    known, oil, floors = _known(arguments.garage, [*a, *b])
    judging = replace(
        judging,
        oil=oil if oil is not None and not arguments.oil else judging.oil,
        floors=floors if floors and not arguments.floors else judging.floors,
    )
    comparison = run_trial(arguments.label_a, a, arguments.label_b, b, judging, decided=by, known=known)
    return comparison, fragile_of(comparison, lambda side, by_kpa: verdict_with_zero(comparison, side, by_kpa))


def run(arguments: argparse.Namespace) -> int:
    """Compare and report."""
    from basso.units import DisplayUnits
    from basso.words.trial import fragile_words, sentence

    if arguments.side:
        return _several(arguments)
    comparison, fragile = judged(arguments)
    cards = _cards(arguments.garage, comparison)
    if arguments.json:
        # What the contract fixes, and the cards where there are any.
        more: Document = {"cards": asdict(cards)} if cards is not None else {}
        more["fragile"] = fragile_documents(fragile)
        print_document({**comparison_document(comparison), **more})
        return 0
    for words in (cards.listed, *cards.cautions) if cards is not None else ():
        print(words)
    print(sentence(comparison, DisplayUnits()))
    for reason in comparison.reasons[1:]:
        print(f"  {reason}")
    for words in fragile_words(fragile):
        print(f"  {words}")
    for row in comparison.likeness:
        print(f"  {row.what}: {row.finding} ({row.state})")
    for r in comparison.corners:
        if r.effect is None and r.a_min_kpa is not None and r.b_min_kpa is not None:
            print(
                f"  {r.place.label:<18} {r.a_min_kpa:6.0f} → {r.b_min_kpa:6.0f} kPa   too few    "
                f"{r.passes_a} · {r.passes_b} passes"
            )
        elif r.effect is not None:
            print(
                f"  {r.place.label:<18} {r.a_min_kpa:6.0f} → {r.b_min_kpa:6.0f} kPa   {r.effect.estimate:+6.0f} "
                f"({r.effect.low:+.0f} to {r.effect.high:+.0f})   {r.passes_a} · {r.passes_b} passes"
            )
    return 0


def _several(arguments: argparse.Namespace) -> int:
    """Three sides or more, each against each."""
    from basso.trial.several import Sides, compare_several
    from basso.units import DisplayUnits
    from basso.words.trial import sentence
    from basso.workflow import options_for, run_trial

    if arguments.a or arguments.b:
        raise InputError("--side stands instead of --a and --b; name every side with it.")
    named = [_named_side(text) for text in arguments.side]
    if len(named) < 3:
        raise InputError("--side: name three sides or more; two are compared with --a and --b.")
    labels = [label for label, _ in named]
    if len(set(labels)) < len(labels):
        raise InputError("--side: two sides have the same label; give each its own.")
    judging, memory = options.judging(arguments), logs.memory()
    read = {label: logs.opened(arguments, names) for label, names in named}
    everything = [r for side in read.values() for r in side]
    options.check_named(judging, everything)
    from basso.memory.decisions import Decision

    made = {r.content_hash: options_for(r, judging, memory) for r in everything}
    by = {log: Decision(m.refused, m.edited) for log, m in made.items()}
    known, oil, floors = _known(arguments.garage, everything)
    judging = replace(
        judging,
        oil=oil if oil is not None and not arguments.oil else judging.oil,
        floors=floors if floors and not arguments.floors else judging.floors,
    )
    found: Sides = compare_several(
        labels, lambda a, b: run_trial(a, read[a], b, read[b], judging, decided=by, known=known)
    )
    if arguments.json:
        print_document(sides_document(found))
        return 0
    for c in found.contrasts:
        print(f"{c.a.label} → {c.b.label}: {sentence(c, DisplayUnits())}")
    return 0


def _named_side(text: str) -> tuple[str, list[str]]:
    label, equals, logs = text.partition("=")
    names = [name for name in logs.split(",") if name]
    if not label.strip() or not equals or not names:
        raise InputError(f"--side '{text}': write LABEL=LOG, more logs of the side after a comma.")
    return label.strip(), names


def _known(
    folder: str | None, recordings: Sequence[Recording]
) -> tuple[dict[str, Known], Grade | None, tuple[Floor, ...]]:
    """What the garage that is named, or one's own, knows of the logs' car; nothing where there is none or it cannot be
    read."""
    from basso.garage.place import FILE, default_folder
    from basso.workflow import known_for_trial

    where = Path(folder) if folder else default_folder()
    if not (where / FILE).is_file():
        return {}, None, ()
    try:
        return known_for_trial(where, recordings)
    except InputError:
        if folder:
            raise
        return {}, None, ()  # said where its cards are read


def _cards(folder: str | None, comparison: Comparison) -> TrialCards | None:
    """The cards of both sides, from the garage that is named, or from one's own if there is one that can be read."""
    from basso.garage.place import FILE, default_folder
    from basso.units import DisplayUnits
    from basso.workflow import cards_of_trial

    where = Path(folder) if folder else default_folder()
    if not (where / FILE).is_file():
        if folder:
            raise InputError(f"{where}: there is no garage; name its folder, or leave --garage out.")
        return None
    try:
        return cards_of_trial(where, comparison, DisplayUnits())
    except InputError as error:
        if folder:
            raise
        print(f"The build sheets could not be read: {error}", file=sys.stderr)
        return None
