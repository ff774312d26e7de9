"""A trial's verdict in words, the same in the window, on the command line and in documents."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from basso.sentence import in_kpa, phrase, read_in
from basso.trial.guards import TAKES_IN_NONE, TOO_SMALL
from basso.units import DisplayUnits, Quantity
from basso.words.opening import Opening

if TYPE_CHECKING:
    from collections.abc import Sequence

    from basso.trial.fragile import Fragile
    from basso.trial.verdict import Comparison

Q = Quantity
_SAID_ELSEWHERE = (TAKES_IN_NONE, TOO_SMALL)
"""What the interval beside the figure says already."""


def opening(c: Comparison, units: DisplayUnits) -> Opening:
    """The verdict as a sentence with its numbers and its reason."""
    if c.verdict == "not_comparable":
        return Opening("Not comparable", " ".join(_sentence(read_in(r, units)) for r in c.reasons))
    e = c.effect_kpa
    assert e is not None

    def kpa(value: float) -> str:
        return units.number(value, Q.PRESSURE, difference=True, signed=True)

    unit = units.pressure.symbol
    interval = f"{kpa(e.low)} to {kpa(e.high)}"
    where = places_words([p.label for p in c.over])
    better = "Cured, no dip is left" if c.judgement == "cured" else "Helps"
    head = {
        "better": f"{better}: lowest pressure up {units.text(abs(e.estimate), Q.PRESSURE, difference=True)} "
        f"({interval}) with {c.b.label}",
        "worse": f"Worse: lowest pressure down {units.text(abs(e.estimate), Q.PRESSURE, difference=True)} "
        f"({interval}) with {c.b.label}",
        "no_clear_change": f"No clear change with {c.b.label}: {kpa(e.estimate)} {unit} ({interval})",
    }[c.verdict]
    heat = f"{units.text(e.at_temperature_c, Q.TEMPERATURE)}, " if math.isfinite(e.at_temperature_c) else ""
    detail = (
        f"In {where}, at {heat}{units.text(e.at_rpm, Q.ROTATION)} and {e.at_peak_g:.2f} g; {e.laps_a} "
        f"against {e.laps_b} laps. "
        f"95 % interval, laps as repetitions."
    )
    naive = c.naive_kpa
    if naive is not None and math.copysign(1, naive) != math.copysign(1, e.estimate) and abs(naive) > 5:
        detail += f" Lap against lap it would look like {kpa(naive)} {unit}: the conditions differ."
    more = [r for r in c.reasons[2:] if r not in _SAID_ELSEWHERE]
    detail += "".join(f" {_sentence(read_in(r, units))}" for r in more)
    if c.verdict == "no_clear_change":
        detail += " More laps a side would narrow it."
    return Opening(head + ".", detail)


def _sentence(text: str) -> str:
    return text[0].upper() + text[1:] + ("" if text.endswith(".") else ".")


def places_words(labels: list[str]) -> str:
    """A few places by name, the rest by number."""
    if len(labels) <= 3:
        return " and ".join(labels) if len(labels) < 3 else f"{labels[0]}, {labels[1]} and {labels[2]}"
    return f"{labels[0]}, {labels[1]}, {labels[2]} and {len(labels) - 3} more"


def fragile_words(rows: Sequence[Fragile]) -> list[str]:
    """What would overturn the verdict, a sentence each; one that says that nothing plausible does."""
    words: list[str] = []
    for r in rows:
        if r.flips_at is None:
            continue
        if r.assumption in ("zero_a", "zero_b"):
            side = r.assumption[-1].upper()
            off = in_kpa(r.flips_at - r.now, signed=True)
            words.append(phrase("It would not hold if the zero of {} were off by {}.", side, off))
        elif r.assumption == "temperature_slope":
            words.append(
                phrase(
                    "It would not hold if 1 °C of oil made {} instead of {}.",
                    in_kpa(r.flips_at, 1, signed=True),
                    in_kpa(r.now, 1, signed=True),
                )
            )
        elif r.assumption == "floor":
            words.append(phrase("It would not hold with every floor {}.", in_kpa(r.flips_at, signed=True)))
        else:
            laps = round(r.flips_at)
            words.append(f"It hangs on {laps} lap{'' if laps == 1 else 's'}: without, it is another.")
    return words or ["It holds for any plausible zero, temperature slope and floor, and without any one or two laps."]


def sentence(c: Comparison, units: DisplayUnits) -> str:
    """The opening lines as one text."""
    words = opening(c, units)
    return f"{words.title if words.title.endswith('.') else words.title + '.'} {words.detail}".strip()
