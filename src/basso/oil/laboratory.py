"""Laboratory analyses of used oil: what moved, per running hour, in plain words.

What is judged is a car against itself: the same engine's earlier samples. The few fixed limits are general practice
(default) and said as such; a laboratory that knows the engine and the oil knows better.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

_FROM = {
    "Fe": "iron: cylinders, crank, timing gear",
    "Pb": "lead: bearing overlay",
    "Cu": "copper: bearings, bushes, cooler",
    "Sn": "tin: bearing overlay, pistons",
    "Al": "aluminium: pistons, or dust together with silicon",
    "Cr": "chromium: rings",
    "Ag": "silver: bearing plating",
    "Si": "silicon: dust, or sealant after a rebuild",
    "Na": "sodium: coolant or salt",
    "K": "potassium: coolant",
}
BEARING_METALS = ("Pb", "Cu", "Sn", "Ag")
_MOVED_SHARE, _MOVED_LEAST = 0.5, 0.5
"""A metal has moved when its rate changed by half and by 0.5 mg/kg an hour (default): less is within what two bottles
of one oil differ by."""
_FUEL_PERCENT, _WATER_PERCENT, _THINNED = 2.0, 0.2, 0.15


@dataclass(frozen=True, slots=True)
class Sampled:
    """A sample and how long its oil had run, None when that is not known."""

    day: str
    values: Mapping[str, float]
    hours: float | None


@dataclass(frozen=True, slots=True)
class Trend:
    """One measure over the samples: (day, value, value per running hour or None)."""

    measure: str
    points: tuple[tuple[str, float, float | None], ...]


@dataclass(frozen=True, slots=True)
class Finding:
    """What a sample says: ``level`` is "note" or "warn"."""

    level: str
    measure: str
    sentence: str


def trends(samples: Sequence[Sampled]) -> list[Trend]:
    """Every measure over time. Metals also per running hour of the oil they were in."""
    measures = sorted({m for s in samples for m in s.values})
    ordered = sorted(samples, key=lambda s: s.day)
    return [
        Trend(
            m,
            tuple(
                (s.day, s.values[m], s.values[m] / s.hours if m in _FROM and s.hours else None)
                for s in ordered
                if m in s.values
            ),
        )
        for m in measures
    ]


def findings(samples: Sequence[Sampled], new_v100: float | None = None, new_bn: float | None = None) -> list[Finding]:
    """What the last sample says, against the ones before it and what the oil was when new.

    Args:
        samples: of one engine; an oil whose hours are not known is not compared by rate.
        new_v100: viscosity at 100 °C of the fresh oil in mm²/s; ``new_bn``: its base number, mg KOH/g.
    """
    ordered = sorted(samples, key=lambda s: s.day)
    if not ordered:
        return []
    last, earlier = ordered[-1], ordered[:-1]
    found = [f for m in _FROM if m in last.values and (f := _metal(m, last, earlier)) is not None]
    v100, fuel = last.values.get("v100"), last.values.get("fuel")
    if v100 is not None and new_v100 and abs(v100 / new_v100 - 1.0) > _THINNED:
        way = "thinner" if v100 < new_v100 else "thicker"
        why = (
            "fuel in it or a sheared polymer"
            if v100 < new_v100
            else "oxidation, soot, or a heavier oil than was written down"
        )
        found.append(
            Finding(
                "warn",
                "v100",
                f"At 100 °C it is {100 * abs(v100 / new_v100 - 1):.0f} % {way} than new "
                f"({v100:.1f} against {new_v100:.1f} mm²/s): {why}.",
            )
        )
    if fuel is not None and fuel >= _FUEL_PERCENT:
        found.append(
            Finding("warn", "fuel", f"{fuel:.1f} % fuel (2 % and more thins it: default); pressure falls with it.")
        )
    if (water := last.values.get("water")) is not None and water >= _WATER_PERCENT:
        found.append(
            Finding("warn", "water", f"{water:.2f} % water (0.2 % and more: default): look for coolant or short runs.")
        )
    if (glycol := last.values.get("glycol")) is not None and glycol > 0:
        found.append(
            Finding("warn", "glycol", "Glycol was found: coolant is getting into the oil. Do not run it until found.")
        )
    bn = last.values.get("bn")
    if bn is not None and new_bn and bn < 0.5 * new_bn:
        found.append(
            Finding(
                "warn", "bn", f"The base number is down to {bn:.1f} of {new_bn:.1f} mg KOH/g: less than half is left."
            )
        )
    return found


def _metal(measure: str, last: Sampled, earlier: Sequence[Sampled]) -> Finding | None:
    now, name = last.values[measure], _FROM[measure]
    level = "warn" if measure in BEARING_METALS else "note"
    known = [s for s in earlier if measure in s.values and s.hours]
    if not last.hours or not known:
        return None
    rate = now / last.hours
    usual = sum(s.values[measure] for s in known) / sum(s.hours or 0.0 for s in known)
    change = rate - usual
    if abs(change) < max(_MOVED_SHARE * usual, _MOVED_LEAST):
        return None
    way = "up" if change > 0 else "down"
    element, _, where = name.partition(": ")
    tail = " Cut the filter open and look before it runs again." if level == "warn" and change > 0 else ""
    return Finding(
        level if change > 0 else "note",
        measure,
        f"{element[0].upper()}{element[1:]} ({where}): {rate:.1f} mg/kg an hour, {way} from {usual:.1f} "
        f"({len(known)} earlier {'sample' if len(known) == 1 else 'samples'}).{tail}",
    )
