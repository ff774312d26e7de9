"""A car's season in words: margin at one engine speed and oil temperature, dips per lap, zero, hot idle."""

from __future__ import annotations

from basso.car.season import Season, SeasonPoint
from basso.sentence import Sentence, in_celsius, in_kpa, phrase

_ZERO_KPA, _THICKER = 8.0, 1.05
"""Zeros further apart, and oils that differ by more in viscosity at 100 °C, are said (default)."""


def season_words(s: Season, rpm: float | None = None, temperature_c: float | None = None) -> list[str]:
    """What the season comes to, a sentence each. ``rpm``, ``temperature_c``: where margins are told (default: where the
    most sessions drove)."""
    if not s.points:
        return ["No session with a log that is kept can be judged, so there is nothing to draw a line through."]
    rpm, heat = rpm if rpm is not None else s.rpm, temperature_c if temperature_c is not None else s.temperature_c
    said: list[str] = []
    if rpm is None or heat is None:
        said.append("No oil temperature was logged, so margins of different days cannot be held against each other.")
    else:
        said += _margins(s, rpm, heat)
    said += _dips(s.points)
    if unproven := [p.session.title for p in s.points if not p.zero_proven]:
        said.append(f"The sensor's zero is not proven, so the margin is less sure: {', '.join(unproven)}.")
    zeros = [p for p in s.points if p.zero_kpa is not None]
    if zeros:
        # Of two that lie apart, the one furthest from the newest is told.
        newest = zeros[-1]
        far = max(zeros, key=lambda p: abs((p.zero_kpa or 0.0) - (newest.zero_kpa or 0.0)))
        if abs((far.zero_kpa or 0.0) - (newest.zero_kpa or 0.0)) > _ZERO_KPA:
            said.append(
                phrase(
                    "The pressure sensor read {} with the engine stopped in {}, {} in {}.",
                    in_kpa(far.zero_kpa or 0.0),
                    far.session.title,
                    in_kpa(newest.zero_kpa or 0.0),
                    newest.session.title,
                )
            )
    return said


def _margins(s: Season, rpm: float, heat: float) -> list[str]:
    known = [(p, m) for p in s.points if not p.masked and (m := p.margin_at(rpm, heat)) is not None]
    at = phrase("At {} rpm and {}", f"{rpm:.0f}", in_celsius(heat))
    if not known:
        return [phrase("{}: no session drove there, or every floor falls with normal.", at)]
    p, (low, margin, high) = known[-1]
    said: list[str] = [
        phrase(
            "{} normal stands {} over the floor in {} ({:bare} to {}).",
            at,
            in_kpa(margin),
            p.session.title,
            in_kpa(low),
            in_kpa(high),
        )
    ]
    first, (low_1, margin_1, high_1) = known[0]
    if len(known) > 1:
        since = phrase("{} in {}", in_kpa(margin_1), first.session.title)
        if low > high_1 or high < low_1:
            how = "more" if margin > margin_1 else "less"
            apart = in_kpa(abs(margin - margin_1))
            said.append(phrase("It was {}: now {} {}, as the sensor reads it.", since, apart, how))
        else:
            said.append(phrase("It was {}: no change that single sessions can tell.", since))
        thick = [p.oil.at_100_mm2ps for p, _ in known if p.oil is not None]
        if thick and max(thick) > _THICKER * min(thick):
            said.append("Not all were driven on oil of one thickness: a thicker one alone lifts the margin.")
    return said


def _dips(points: tuple[SeasonPoint, ...]) -> list[str]:
    told = [p for p in points if p.laps]
    if not told:
        return []
    last = told[-1]
    worst = max(told, key=lambda p: sum(p.dips_per_lap.values()))
    if not worst.dips_per_lap:
        return [f"No dip in {sum(p.laps for p in told)} flying laps of {len(told)} sessions."]
    most, now = (sum(p.dips_per_lap.values()) for p in (worst, last))
    said = [
        f"Most dips: {worst.session.title}, {most:.1f} a lap ({ways_words(worst)}); "
        f"newest: {last.session.title}, {now:.1f} a lap."
    ]
    if any(p.masked for p in told):
        names = ", ".join(p.session.title for p in told if p.masked)
        said.append(f"With an accumulator armed, so no proof of the pan: {names}.")
    return said


def ways_words(p: SeasonPoint) -> str:
    """Dips a lap by the way they went, the most first."""
    return ", ".join(f"{w} {n:.1f}" for w, n in sorted(p.dips_per_lap.items(), key=lambda x: -x[1]))


def margin_words(p: SeasonPoint, rpm: float, temperature_c: float) -> Sentence | str:
    """The margin of one session with its interval; "–" where it did not drive there."""
    m = p.margin_at(rpm, temperature_c)
    return "–" if m is None else phrase("{} ({:bare} to {:bare})", in_kpa(m[1]), in_kpa(m[0]), in_kpa(m[2]))
