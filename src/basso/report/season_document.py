"""A car's season as a JSON document and as text for a terminal."""

from __future__ import annotations

from typing import Any

from basso.car.season import WAYS, Season, SeasonPoint
from basso.report.documents import rounded
from basso.units import DisplayUnits
from basso.words.season import margin_words, season_words, ways_words


def season_document(car: str, s: Season, rpm: float | None, temperature_c: float | None) -> dict[str, Any]:
    """Schema ``basso.season/1``: a car's sessions, oldest first, at one engine speed and oil temperature."""

    def margin(p: SeasonPoint) -> dict[str, float | None] | None:
        found = p.margin_at(rpm, temperature_c) if rpm is not None and temperature_c is not None else None
        return None if found is None else dict(zip(("low", "kpa", "high"), (rounded(v, 1) for v in found), strict=True))

    return {
        "schema": "basso.season/1",
        "car": car,
        "sentence": " ".join(map(str, season_words(s, rpm, temperature_c))),
        "at": {"rpm": rounded(rpm, 0), "oil_temp_c": rounded(temperature_c, 1)},
        "sessions": [
            {
                "session": p.session.title,
                "began": p.session.began,
                "build": p.build or None,
                "oil": p.oil.name if p.oil is not None else None,
                "laps": p.laps,
                "margin": margin(p),
                "dips_per_lap": {way: rounded(n, 2) for way, n in p.dips_per_lap.items()} if p.laps else None,
                "accumulator_armed": p.masked,
                "zero_kpa": rounded(p.zero_kpa, 1),
                "hot_idle_kpa": rounded(p.idle_kpa, 1),
                "drops_kpa": {parts: rounded(kpa, 1) for parts, kpa in p.drops_kpa.items()},
            }
            for p in s.points
        ],
        "left_out": [{"session": title, "why": why} for title, why in s.left_out],
    }


def season_text(s: Season, rpm: float | None, temperature_c: float | None) -> str:
    """The same as lines."""
    lines = [str(w) for w in season_words(s, rpm, temperature_c)]
    for p in s.points:
        told = []
        if rpm is not None and temperature_c is not None:
            told.append(f"margin {margin_words(p, rpm, temperature_c)}")
        if p.laps:
            told.append(f"{sum(p.dips_per_lap.values()):.1f} dips a lap" + (f" ({w})" if (w := ways_words(p)) else ""))
        if p.zero_kpa is not None:
            told.append(f"zero {p.zero_kpa:.0f} kPa")
        if p.idle_kpa is not None:
            told.append(f"hot idle {p.idle_kpa:.0f} kPa")
        told += [f"{parts} {kpa:.0f} kPa" for parts, kpa in p.drops_kpa.items()]
        if p.masked:
            told.append("accumulator armed")
        lines.append(f"  {p.session.began[:10]}  {p.session.title}: {', '.join(told)}")
    lines += [f"  left out: {title}: {why}" for title, why in s.left_out]
    return "\n".join(lines)


def season_rows(s: Season, at: tuple[float, float] | None, units: DisplayUnits) -> list[list[str]]:
    """The same as a table in the reader's units, the heading first; ``at``: engine speed and oil temperature (°C) of
    the margin."""
    unit = units.pressure
    parts = list(dict.fromkeys(part for p in s.points for part in p.drops_kpa))

    digits = {"psi": 2, "bar": 3}.get(unit.symbol, 1)

    def told(kpa: float | None) -> str:
        return "" if kpa is None else f"{unit.difference_from_base(kpa):.{digits}f}"

    heads = ["Day", "Session", "Build", "Oil", "Laps", *(f"Margin{w}, {unit.symbol}" for w in ("", " from", " to"))]
    heads += [*(f"Dips a lap, {w}" for w in WAYS), f"Zero read, {unit.symbol}", f"Hot idle, {unit.symbol}"]
    rows = [[*heads, *(f"Drop {part}, {unit.symbol}" for part in parts), "Accumulator"]]
    for p in s.points:
        low, middle, high = (p.margin_at(*at) if at is not None else None) or (None, None, None)
        dips = [f"{p.dips_per_lap.get(w, 0.0):.2f}" if p.laps else "" for w in WAYS]
        rows.append(
            [
                p.session.began[:10],
                p.session.title,
                p.build,
                p.oil.name if p.oil is not None else "",
                str(p.laps),
                *map(told, (middle, low, high)),
                *dips,
                told(p.zero_kpa),
                told(p.idle_kpa),
                *(told(p.drops_kpa.get(part)) for part in parts),
                "armed" if p.masked else "",
            ]
        )
    return rows
