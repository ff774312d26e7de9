"""A warning device in words: what it catches, what it misses, the driver's card."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from basso.alarm.backtest import SEVERE_KPA, SEVERE_S, SEVERE_SHARE
from basso.alarm.settings import under_floor_kpa
from basso.sentence import in_celsius, in_kpa, joined, phrase

if TYPE_CHECKING:
    from basso.alarm.backtest import Proof, ProvedDip
    from basso.alarm.findings import AlarmFindings, SetAlarm
    from basso.alarm.rules import Kind
    from basso.alarm.settings import Setting

CAUTION = """\
When it shows: lift, clutch, stop the engine; do not restart until the cause is found. Prove switch and lamp on the
bench first; test only on a closed course."""
BENCH = "Before you rely on it: prove switch and lamp on the bench. Test on a closed course only."
CHECKS = (
    "Oil on the outside: leaks, filter, cooler lines, plug. Oil on a hot exhaust or a tyre starts fires and crashes.",
    "Oil level, car level, engine stopped for ten minutes.",
    "The reading itself: another gauge on the same port, plug and wiring. Until it is proved, it is believed.",
    "Crank with ignition and fuel off: pressure within 10 s, in short bursts.",
    "Filter cut open, magnet and plug: metal stops the programme until it is explained.",
    "The log: where it was, at which g, rpm and oil temperature (Dips).",
)
"""What is looked at after a warning, in this order; the job sheet of that name has it step by step."""
KINDS: dict[Kind, str] = {
    "two_stage": "Two stages by rpm",
    "table": "Table by rpm",
    "share": "% of normal",
    "gated": "Above a set rpm",
    "fixed": "One pressure",
}
_SHALLOW_KPA = 15.0
_WARMER_C = 5.0
_OFTEN_PERCENT = 10.0


def severe_words() -> str:
    """What counts as severe."""
    return phrase(
        "severe: under {:.0f} % of normal or {} under the floor for {:g} s",
        100.0 * SEVERE_SHARE,
        in_kpa(SEVERE_KPA),
        SEVERE_S,
    )


def setting_words(setting: Setting, is_drawn: bool = False) -> str:
    """A device in a few words: "Table by rpm, 30 kPa under normal"."""
    if is_drawn:
        return f"{KINDS[setting.kind]}, as drawn"
    if setting.kind == "fixed":
        return phrase("One pressure, {}", in_kpa(setting.amount))
    if setting.kind == "share":
        return f"{100.0 * setting.amount:.0f} % of normal"
    if setting.kind == "gated":
        return phrase("Above {:.0f} rpm, {} under normal there", setting.gate_rpm, in_kpa(setting.amount))
    return phrase("{}, {} under normal", KINDS[setting.kind], in_kpa(setting.amount))


def opening(found: AlarmFindings, chosen: SetAlarm) -> tuple[str, str]:
    """What the device catches, and how far that is proved."""
    p = chosen.proof
    minutes = 60.0 * p.running_h
    title = joined("", [_subject(chosen), _catches(p), _false_words(p)])
    parts: list[str] = []
    if chosen.held_by_floor > 0.0:
        under = in_kpa(under_floor_kpa(chosen.setting.amount))
        parts.append(phrase("Where normal sinks to the floor, the line stays {} under the floor.", under))
    if p.lead_s is not None:
        parts.append(f"It shows {lead_words(p.lead_s)} the lowest pressure (median).")
    if p.running_h > 0.0 and p.shown_s / 36.0 / p.running_h >= _OFTEN_PERCENT:
        parts.append(f"It is lit for {p.shown_s / 36.0 / p.running_h:.0f} % of the running: cure that first.")
    if chosen.act is not None:
        act = chosen.act
        parts.append(
            f"It stays on in {act.caught_severe} of {act.severe} severe dips."
            if act.severe
            else f"It stays on in {act.caught} of {act.dips} dips."
        )
    a = found.analysis
    laps = f"{len(a.rounds)} laps, " if a.rounds else ""
    once = f": one false alarm counts as {1.0 / p.running_h:.0f} an hour" if 0.0 < p.running_h < 0.7 else ""
    parts.append(f"Tried on the {laps}{minutes:.0f} min it was set by{once}.")
    if chosen.held_out is not None:
        h = chosen.held_out
        logs = len(found.basis.held_out)
        parts.append(
            f"On {logs} other log{'s' * (logs > 1)} of the build it catches {_counted(h)}, with {h.false or 'no'} "
            f"false in {60.0 * h.running_h:.0f} min."
        )
    else:
        parts.append("There is no other log of this build to prove it on: the next drive will differ.")
    return title, joined(" ", parts)


def lead_words(lead_s: float) -> str:
    """ "200 ms before", "1.4 s after"."""
    size = f"{1000.0 * abs(lead_s):.0f} ms" if abs(lead_s) < 1.0 else f"{abs(lead_s):.1f} s"
    return f"{size} {'before' if lead_s >= 0.0 else 'after'}"


def _subject(chosen: SetAlarm) -> str:
    s = chosen.setting
    if chosen.is_kept:
        return "The alarm kept with this build "
    if chosen.moved:
        return "Blinking as drawn " if s.kind == "two_stage" else "The line as drawn "
    if s.kind == "fixed":
        return phrase("A lamp at {} ", in_kpa(s.amount))
    if s.kind == "share":
        return f"A lamp at {100.0 * s.amount:.0f} % of normal "
    if s.kind == "gated":
        return phrase("A lamp at {} above {:.0f} rpm ", in_kpa(chosen.rule.points[0][1]), s.gate_rpm)
    what = "Blinking" if s.kind == "two_stage" else "A lamp"
    by_floor = under_floor_kpa(s.amount)
    if chosen.held_by_floor >= 0.5:
        return phrase("{} {} under the floor ", what, in_kpa(by_floor))
    return phrase("{} {} under normal ", what, in_kpa(s.amount))


def _catches(p: Proof) -> str:
    return f"catches {_counted(p)}" if p.dips else "has no dip to catch on this log"


def _counted(p: Proof) -> str:
    if not p.dips:
        return "nothing, for there is no dip"
    if not p.severe:
        return f"{_of(p.caught, p.dips)} dips, none of them severe"
    return f"{_of(p.caught_severe, p.severe)} severe and {p.caught} of {p.dips} dips"


def _of(part: int, whole: int) -> str:
    return f"all {whole}" if part == whole and whole > 1 else f"{part} of {whole}"


def _false_words(p: Proof) -> str:
    while_running = p.false - p.false_stopped
    words = f", with {while_running or 'no'} false alarm{'s' * (while_running != 1)} in {60.0 * p.running_h:.0f} min"
    return words + (" running; it is lit with the engine stopped" if p.false_stopped else "")


def missed_words(chosen: SetAlarm) -> tuple[str, str]:
    """How many dips it misses, and why."""
    p, missed = chosen.proof, chosen.missed
    if not p.dips:
        return "No dip on this log", "What it would miss is not known: prove it on a drive that dips."
    if not missed:
        return "No dip missed", "That says nothing of another drive: hotter oil, other corners, less oil."
    severe = sum(x.is_severe for x in missed)
    title = f"Missed: {len(missed)} of {p.dips}, {severe or 'none'} severe"
    parts: list[str] = []
    slow = [x for x in missed if x.line_kpa is None]
    if slow:
        parts.append(f"{len(slow)} lie{'s' * (len(slow) == 1)} under the {chosen.setting.gate_rpm:.0f} rpm gate.")
    rest = [x for x in missed if x.line_kpa is not None]
    shallow = [x for x in rest if -x.dip.dip.told_margin_kpa < _SHALLOW_KPA]
    if shallow:
        parts.append(
            phrase("{} {} less than {} deep.", len(shallow), "is" if len(shallow) == 1 else "are", in_kpa(_SHALLOW_KPA))
        )
    over = [x for x in rest if x.line_kpa is not None and x.dip.dip.min_pressure_kpa >= x.line_kpa]
    gaps = [x.dip.dip.min_pressure_kpa - x.line_kpa for x in over if x.line_kpa is not None]
    if gaps:
        which = "its lowest pressure" if len(missed) == 1 else f"the lowest pressure of {len(over)} of them"
        by = phrase("{:bare} to {}", in_kpa(min(gaps)), in_kpa(max(gaps))) if len(over) > 1 else in_kpa(gaps[0])
        parts.append(phrase("The line lies {} under {}{}.", by, which, _cooler(chosen, over)))
    short = len(rest) - len(over)
    if short:
        parts.append(f"{short} crossed the line for less than the {chosen.setting.delay_s:g} s it waits.")
    return title, joined(" ", parts)


def _cooler(chosen: SetAlarm, missed: Sequence[ProvedDip]) -> str:
    """ "; the oil was cooler there (92 to 108 °C)", where that is why."""
    at_c = chosen.setting.at_c
    heats = [x.dip.temperature_c for x in missed if x.dip.temperature_c is not None]
    if at_c is None or chosen.setting.kind == "fixed" or not heats or max(heats) > at_c - _WARMER_C:
        return ""
    if len(heats) == 1:
        return phrase("; the oil was cooler there ({})", in_celsius(heats[0]))
    return phrase("; the oil was cooler there ({:bare} to {})", in_celsius(min(heats)), in_celsius(max(heats)))


def idle_words(chosen: SetAlarm) -> str:
    """What it does at hot idle."""
    if chosen.rule.gate_rpm > 0.0:
        return f"Silent under {chosen.rule.gate_rpm:.0f} rpm, so at idle too."
    if chosen.idle_shown is None:
        return "What it does at hot idle is not known: no hot idling on this log."
    if chosen.idle_shown < 0.005:
        return "Dark at hot idle on this log."
    return f"Lit for {100.0 * chosen.idle_shown:.0f} % of hot idling: normal if it goes out with revs."


@dataclass(frozen=True, slots=True)
class CardPart:
    """A part of the driver's card: what the lamp does, what to do, and a note."""

    heading: str
    orders: tuple[str, ...]
    note: str


def drivers_card(chosen: SetAlarm) -> tuple[CardPart, ...]:
    """What the driver does when it shows (domain, section 8)."""
    stop = CardPart(
        "Stays on" if chosen.rule.caution_points is not None else "Light on",
        ("Lift.", "Clutch.", "Stop the engine."),
        "Stop off line. No restart until the cause is found.",
    )
    blink = CardPart("Blinks", (), "Back off and call the pits. Come in if it blinks again this lap.")
    parts = (blink, stop) if chosen.rule.caution_points is not None else (stop,)
    return (*parts, CardPart("", (), idle_words(chosen)))


def places_of(p: Proof) -> list[tuple[str, list[int]]]:
    """Places with the indexes of their dips, in the order of the lap; off the laps last."""
    names = {x.place for x in p.each}
    at = {x.place: (x.dip.place.start_m if x.dip.place is not None else np.inf) for x in p.each}
    ordered = sorted(names, key=lambda n: (at[n], n or ""))
    return [(n or "off the laps", [i for i, x in enumerate(p.each) if x.place == n]) for n in ordered]


def blind_words(p: Proof) -> str:
    """The places where most is missed, in few words: "turns 2, 4"; "" where nothing is."""
    missed = Counter(x.place for x in p.each if x.lead_s is None)
    names = [
        n.split()[1] if n is not None and len(n.split()) > 1 else (n or "off the laps")
        for n, _ in missed.most_common(2)
    ]
    return ", ".join(names) + (" and more" if len(missed) > 2 else "")
