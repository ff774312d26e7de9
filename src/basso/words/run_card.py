"""Runs held against their card, in words: what is off, what to do about it, what is still to drive."""

from __future__ import annotations

from basso.sentence import in_celsius, in_degrees, joined, phrase
from basso.trial.card import CheckedCard, CheckedRun, SideName

_IN_RANGE = " with the oil in range"
_UNCHECKED = {
    "oil": "oil temperature",
    "pace": "lap times",
    "g": "g",
    "stop line": "the line at which to stop, since normal is not known",
}


def run_words(r: CheckedRun) -> list[str]:
    """What a run's line of the card comes to, a sentence each; the gravest first."""
    said: list[str] = []
    if r.barred:
        return [phrase("It cannot be judged: {}", r.barred)]
    if r.laps == 0:
        return ["No flying laps, so there is nothing to hold against the card."]
    if r.low is not None:
        where = "".join(
            (f", lap {r.low.lap}" if r.low.lap is not None else "", f", {r.low.place}" if r.low.place else "")
        )
        said.append(
            f"Under half of normal for {r.low.seconds:.1f} s{where}: the card says end the run; read this log before "
            "anyone drives on."
        )
    if (oil := r.off.get("oil")) is not None:
        said.append(
            phrase(
                "Oil {} {} than the card: repeat it {}, or have it adjusted, which widens the interval.",
                in_degrees(abs(oil)),
                "hotter" if oil > 0 else "cooler",
                "cooler" if oil > 0 else "warmer",
            )
        )
    if (pace := r.off.get("pace")) is not None and r.lap_time_s:
        part = 100.0 * abs(pace) / (r.lap_time_s - pace)
        said.append(
            f"Laps {part:.1f} % {'slower' if pace > 0 else 'quicker'} than the card allows: about {2.0 * part:.0f} % "
            f"{'less' if pace > 0 else 'more'} g; a comparison at equal g has to make up for it."
        )
    if (g := r.off.get("g")) is not None:
        said.append(f"g held is {abs(g):.2f} g {'over' if g > 0 else 'under'} the card.")
    if r.asked is not None and r.in_range < r.asked:
        lacks = r.asked - r.in_range
        also = f" ({r.laps} driven)" if r.laps != r.in_range else ""
        said.append(f"{_flying(r.in_range)}{_IN_RANGE if r.oil_c else ''}{also} of the {r.asked} asked: {lacks} more.")
    if r.unknown:
        said.append(f"The log does not tell, so not checked: {', '.join(_UNCHECKED[w] for w in r.unknown)}.")
    if r.asked is None:
        said.append(f"The card has no further run of {r.side}; it is counted with the others.")
    return said or ["As the card has it."]


def facts(r: CheckedRun) -> str:
    """What was driven, in one line: laps, oil entering them, lap time, g."""
    said: list[str] = [_flying(r.laps)]
    if r.oil_c is not None:
        low, _, high = r.oil_c
        said.append(phrase("oil {:bare} to {}", in_celsius(low), in_celsius(high)))
    if r.lap_time_s is not None:
        said.append(f"{r.lap_time_s:.1f} s a lap")
    if r.peak_g is not None:
        said.append(f"{r.peak_g:.2f} g")
    return joined(", ", said)


def card_words(c: CheckedCard) -> list[str]:
    """What the day comes to, a sentence each: the first says whether to go on."""
    said: list[str] = []
    stop = [r for r in c.runs if r.low is not None]
    off = [r for r in c.runs if r.barred or r.off or r.laps == 0]
    if stop:
        said.append(f"{_numbers(stop)} crossed the line at which to stop: read the log before anyone drives on.")
    elif off:
        said.append(f"{_numbers(off)} {'is' if len(off) == 1 else 'are'} off the card.")
    elif c.runs and not any(r.unknown for r in c.runs):
        said.append("The run is as on the card." if len(c.runs) == 1 else "The runs are as on the card.")
    if c.in_order is False:
        said.append(
            f"Driven {' '.join(r.side for r in c.runs)}, not {' '.join(c.card.order)}: what drifts through the day "
            "does not cancel and may pass for the change."
        )
    elif c.in_order is None and len(c.runs) > 1:
        said.append("The logs do not say when they began, so the order was not checked.")
    sides: tuple[SideName, SideName] = ("A", "B")
    lacking = [f"{_flying(c.to_drive[s])} of {s}" for s in sides if c.to_drive[s]]
    said.append(
        f"Still to drive with the oil in range: {' and '.join(lacking)}." if lacking else "Nothing left to drive."
    )
    if any("oil" in r.unknown for r in c.runs):
        said.append("Laps whose oil temperature was not logged count as in range here.")
    return said


def _numbers(runs: list[CheckedRun]) -> str:
    *names, last = [f"{r.number} ({r.side})" for r in runs]
    return f"Runs {', '.join(names)} and {last}" if names else f"Run {last}"


def _flying(laps: int) -> str:
    return f"{laps} flying lap{'' if laps == 1 else 's'}"
