"""What the Sensors station shows, worked out without Qt: the checks in order, and what was corrected."""

from __future__ import annotations

from dataclasses import dataclass

from basso.analysis import Analysis
from basso.recording.corrections import Correction
from basso.recording.roles import Role
from basso.sentence import read_in
from basso.trust.consequence import costs, name_of, rank
from basso.trust.side import SIDE_CHECK, first_turn
from basso.trust.verdict import Check
from basso.units import DisplayUnits, Quantity

_NOT_IN_THE_GARAGE = (
    "Cannot be checked: the garage has no session of this log, so neither the sensor's card nor the "
    "car's earlier sessions are known. "
    "Put it there: Garage, New session."
)


@dataclass(frozen=True, slots=True)
class CheckLine:
    """One check as the list shows it. ``state``: "Fail", "Warning", "Note", "OK", "Corrected" or "Refused"."""

    check: Check
    name: str
    state: str
    mark: str
    """Tone of the state: "below", "attention", "soft" or ""."""
    finding: str
    costs: str


def check_lines(a: Analysis, units: DisplayUnits) -> list[CheckLine]:
    """The checks, those that would change most first, in the units shown."""
    more = [Check("reader", "note", " ".join(a.recording.notes))] if a.recording.notes else []
    if a.options.known is None and a.judgeable and not a.recording.manual:
        more.append(Check("sensor", "note", _NOT_IN_THE_GARAGE))
    return [_line(a, c, units) for c in sorted([*a.checks, *more], key=rank)]


def _line(a: Analysis, check: Check, units: DisplayUnits) -> CheckLine:
    if check.correction is not None and check.correction.key in a.options.refused:
        state, mark = "Refused", "below"
    elif check.correction is not None and a.puts_right(check):
        state, mark = "Corrected", "attention"
    else:
        state, mark = {
            "fail": ("Fail", "below"),
            "warn": ("Warning", "attention"),
            "note": ("Note", "soft"),
            "ok": ("OK", ""),
        }[check.level]
    if (
        check.message.startswith("Cannot be checked")
        or "cannot be told" in check.message
        or "cannot be proved" in check.message
    ):
        state = "Not checked"
    return CheckLine(check, name_of(check), state, mark, read_in(check.message, units), costs(check))


def opening(a: Analysis | None) -> tuple[str, str]:
    """Whether the readings can be believed, in a sentence, and what lies under it."""
    if a is None:
        return "No log is shown", "Open one under Logs: readings are checked before anything is judged."
    lines = check_lines(a, DisplayUnits())
    counts = {
        s: sum(x.state == s for x in lines) for s in ("OK", "Corrected", "Refused", "Warning", "Fail", "Not checked")
    }
    detail = ", ".join(f"{n} {_counted(s, n)}" for s, n in counts.items() if n) + "."
    if counts["Fail"]:
        return "These readings cannot be believed", detail
    if counts["Refused"]:
        return "A correction was refused: the fault stays in the readings", detail
    if counts["Corrected"]:
        n = counts["Corrected"]
        return f"Readings OK after {n} {'correction' if n == 1 else 'corrections'}", detail
    if counts["Warning"]:
        return f"Readings OK, with {counts['Warning']} {_counted('Warning', counts['Warning'])}", detail
    if not a.side.proven:
        return "Readings OK; which side is left is not known", detail
    return "Readings OK", detail


def _counted(state: str, n: int) -> str:
    """ "OK", "2 warnings" without the number."""
    plural = "s" if state in ("Warning", "Fail") and n != 1 else ""
    return state if state == "OK" else f"{state.lower()}{plural}"


def first_turn_of(a: Analysis) -> tuple[float, float] | None:
    """(time in s, lateral g as the log has it) of the first turn after the start; None where there is none."""
    recorded = a.recording.channel(Role.LATERAL_G)
    check = next((c for c in a.checks if c.id == SIDE_CHECK), None)
    if a.lateral_g is None or recorded is None or check is None:
        return None
    turn = first_turn(a.time_s, a.lateral_g, None)
    turned_over = any(c.key == (check.channel, "sign") for c in a.corrections)
    return (turn[0], -turn[1] if turned_over else turn[1]) if turn is not None else None


def correction_words(c: Correction, units: DisplayUnits) -> str:
    """What a correction does, in the units shown."""
    pressure = c.unit == "kPa"
    amount = (
        units.text(abs(c.value), Quantity.PRESSURE, difference=True)
        if pressure
        else f"{abs(c.value):.3g} {c.unit}".rstrip()
    )
    return {
        "offset": f"{amount} {'taken off' if c.value < 0 else 'added'}",
        "scale": f"multiplied by {c.value:.4g}",
        "sign": "turned over",
        "delay": _delay_words(c),
        "spikes": f"{c.value:.0f} readings left out",
        "swap": f"exchanged with {c.other}",
        "turn": f"turned back by {c.value:.0f}°",
        "slip": f"moved {abs(c.value):.2f} s from the slip on",
        "gain": f"multiplied by {c.value:.4g}",
        "lead": f"read {c.value:.0f} s ahead, as far as it was heading",
        "load": f"less what moves with {c.other}, {amount}",
    }[c.kind]


def _delay_words(c: Correction) -> str:
    """A filter undone, the rest moved; what is under 10 ms is not told."""
    shift = c.value - c.filter_s
    parts = [f"a filter of {c.filter_s:.2f} s undone"] if c.filter_s else []
    if abs(shift) >= 0.01 or not parts:
        parts.append(f"moved {abs(shift):.2f} s {'earlier' if shift > 0 else 'later'}")
    return ", ".join(parts)
