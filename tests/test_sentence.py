"""Numbers in the core's sentences stay values: the same sentence in any reader's units, and no unit written into its
words."""

from __future__ import annotations

import ast
import pickle
import re
from itertools import product
from pathlib import Path

import pytest

from basso.analysis import Analysis
from basso.sentence import Sentence, begun, in_celsius, in_degrees, in_kpa, in_litres, joined, phrase, read_in
from basso.units import UNITS, DisplayUnits
from basso.workflow import demo_folder, judge, open_recording
from support import judged_scenario

AMERICAN = DisplayUnits(
    pressure=UNITS["psi"], temperature=UNITS["°F"], volume=UNITS["US qt"], length=UNITS["in"], speed=UNITS["mph"]
)
CORE = Path(__file__).parent.parent / "src" / "basso"


@pytest.mark.parametrize(
    ("said", "base", "shown"),
    [
        (
            phrase("Reads {:bare} ± {} over {:.1f} s.", in_kpa(100.8, 1), in_kpa(2.2, 1), 10.1),
            "Reads 100.8 ± 2.2 kPa over 10.1 s.",
            "Reads 14.6 ± 0.32 psi over 10.1 s.",
        ),
        (phrase("must read 0 ± {}", in_kpa(3)), "must read 0 ± 3 kPa", "must read 0 ± 0.4 psi"),
        (
            phrase("moved by {}, {}", in_kpa(-7), in_kpa(14, signed=True)),
            "moved by −7 kPa, +14 kPa",
            "moved by −1.0 psi, +2.0 psi",
        ),
        (phrase("over {}/s there", in_kpa(6000)), "over 6000 kPa/s there", "over 870 psi/s there"),
        (phrase("from {:bare} to {}", in_celsius(90), in_celsius(104)), "from 90 to 104 °C", "from 194 to 219 °F"),
        (phrase("moves by {}", in_degrees(30)), "moves by 30 °C", "moves by 54 °F"),
        (phrase("{} over the line", in_litres(0.3, 1)), "0.3 L over the line", "0.32 US qt over the line"),
        (phrase("'P3kPa' reads {{}} at {:.0%}", 0.5), "'P3kPa' reads {} at 50%", "'P3kPa' reads {} at 50%"),
    ],
)
def test_a_sentence_is_read_in_the_readers_units(said: Sentence, base: str, shown: str) -> None:
    assert said == base and read_in(said, DisplayUnits()) == base
    assert read_in(said, AMERICAN) == shown


def test_what_is_made_of_sentences_keeps_their_numbers() -> None:
    low, hot = phrase("reads {}", in_kpa(69)), phrase("at {}", in_celsius(100))
    for made, shown in (
        (low + ", " + hot, "reads 10 psi, at 212 °F"),
        ("it " + low, "it reads 10 psi"),
        (joined("; ", [low, "plain", hot]), "reads 10 psi; plain; at 212 °F"),
        (phrase("{}: {}", low, "so"), "reads 10 psi: so"),
        (begun(low) + ".", "Reads 10 psi."),
        (low.replace("reads", "shows"), "shows 10 psi"),
        (pickle.loads(pickle.dumps(low)), "reads 10 psi"),
    ):
        assert read_in(made, AMERICAN) == shown
    assert read_in("69 kPa in plain text is left alone", AMERICAN) == "69 kPa in plain text is left alone"


_NO_SENTENCE = {
    # What a column or an option is written in, the unit of a correction, and where a pattern's figure holds.
    *("memory", "units.py", "sentence.py", "cli", "formats", "standin", "garage", "recording", "report", "words", "ui")
}
_UNIT = re.compile(r"(?:^|[\d }–±]) ?(?:kPa|°C|L/min)\b")
_NAMES = re.compile(r"at (40|100) °C|At 100 °C|mm²/s at 40|kPa at 5000 rpm and 15 mm²/s|write slope:BASE")
"""What a viscosity is called by, the place a pattern's figure is for, and how an option is written: the same in any
unit."""


def test_no_unit_is_written_into_a_sentence_of_the_core() -> None:
    wrong = []
    for path in sorted(CORE.rglob("*.py")):
        if path.relative_to(CORE).parts[0] in _NO_SENTENCE:
            continue
        tree = ast.parse(path.read_text(encoding="utf-8"))
        docs = {id(n.value) for n in ast.walk(tree) if isinstance(n, ast.Expr) and isinstance(n.value, ast.Constant)}
        for node in ast.walk(tree):
            if isinstance(node, ast.Constant) and isinstance(node.value, str) and id(node) not in docs:
                words = node.value
                if _UNIT.search(words) and " " in words.strip() and not _NAMES.search(words):
                    wrong.append(f"{path.name}:{node.lineno} {words[:60]}")
    assert not wrong, wrong


def sentences(a: Analysis) -> list[str]:
    """Everything the core says of a session."""
    said = [c.message for c in a.checks] + [c.reason for c in a.corrections] + [a.side.by]
    for dip in a.dips:
        said += [dip.cause.reason]
        for rival in a.rivals(dip):
            said += [*rival.speaks_for, *rival.speaks_against]
    return said


SCENARIOS = ("truth-left", "truth-braking", "truth-high-rpm", "truth-hot-oil", "truth-worn")
_NUMBER_WITH = re.compile(r"\d ?(kPa|°C|bar|psi|°F)\b")


@pytest.mark.parametrize("log", [*sorted(p.stem for p in demo_folder().glob("*.csv")), *SCENARIOS])
def test_every_sentence_of_a_session_is_in_the_units_asked_for(log: str, shared_cache: None) -> None:
    a = judged_scenario(log, 5).analysis if log in SCENARIOS else judge(open_recording(demo_folder() / f"{log}.csv"))
    said = sentences(a)
    assert said
    for pressure, heat in product(("kPa", "bar", "psi"), ("°C", "°F")):
        units = DisplayUnits(pressure=UNITS[pressure], temperature=UNITS[heat])
        for words in said:
            read = read_in(words, units)
            assert set(_NUMBER_WITH.findall(read)) <= {pressure, heat}, read
