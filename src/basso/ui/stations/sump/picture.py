"""What the Sump station shows, worked out without Qt: figures of the pan, rows of changes, curves, logged g."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from basso.findings.sump.findings import CURVE_DEG, SumpFindings, TriedCure
from basso.sentence import read_in
from basso.sump.levels import LEAST_CLEARANCE_M, MOST_CLEARANCE_M
from basso.sump.standing import MOST_G
from basso.units import DisplayUnits, FloatArray, Quantity

MOST_ROWS = 7
_LETTERS = "BCDEFGHIJKLMNOPQRSTUVWXYZ"
_CELL_G = 0.1
_CURVE_TO_G = 2.0


@dataclass(frozen=True, slots=True)
class Figure:
    """A measured or computed figure: name, value, unit and a word on it."""

    name: str
    value: str
    unit: str
    note: str = ""
    is_off: bool = False


@dataclass(frozen=True, slots=True, eq=False)
class VariantRow:
    """A row of the table of changes, in the units shown.

    Attributes:
        letter: A is the pan as it is.
        lowest: mean of the lowest pressure in the place where it is least, with ``where``; "–" unknown.
        effect, low, high: change of the lowest pressure in the unit shown; None for the pan as it is.
        dips: a lap; ``fill``: up to the crank's sweep.
        curve: g at :data:`~basso.findings.sump.findings.CURVE_DEG`.
        cured: no dips are left.
    """

    letter: str
    title: str
    lowest: str
    where: str
    effect: float | None
    low: float | None
    high: float | None
    effect_words: str
    dips: str
    fill: str
    work: str
    cost: str
    curve: FloatArray
    cured: bool


def rows(found: SumpFindings, units: DisplayUnits) -> list[VariantRow]:
    """The pan as it is, and the changes, the best first."""
    laps = max(len(found.analysis.rounds), 1)
    made = [_now(found, units, laps)]
    for letter, tried in zip(_LETTERS, found.cures[:MOST_ROWS], strict=False):
        made.append(_row(letter, tried, units, laps))
    return made


def _now(found: SumpFindings, units: DisplayUnits, laps: int) -> VariantRow:
    told = next((t.told for t in found.cures if t.told is not None), None)
    lowest, where, dips = "–", "", "–"
    if told is not None and told.places:
        worst = min(told.places, key=lambda p: p.lowest_before_kpa)
        lowest, where = units.number(worst.lowest_before_kpa, Quantity.PRESSURE), worst.place
        dips = f"{told.dips_before / laps:.1f}"
    most = found.levels.most_fill_m3
    return VariantRow(
        letter="A",
        title="Now (as measured)",
        lowest=lowest,
        where=place_words(where),
        effect=None,
        low=None,
        high=None,
        effect_words="",
        dips=dips,
        fill=units.number(1000.0 * most, Quantity.VOLUME) if most is not None else "–",
        work="none",
        cost="",
        curve=found.uncover_g,
        cured=False,
    )


def _row(letter: str, tried: TriedCure, units: DisplayUnits, laps: int) -> VariantRow:
    told, cure = tried.told, tried.cure
    effect = low = high = None
    lowest, where, dips, words = "–", "", "–", ""
    if told is not None:
        effect, low, high = (
            units.pressure.difference_from_base(v) for v in (told.effect_kpa, told.low_kpa, told.high_kpa)
        )
        words = units.number(told.effect_kpa, Quantity.PRESSURE, difference=True, signed=True)
        dips = f"{told.dips_after / laps:.1f}"
        if told.places:
            worst = min(told.places, key=lambda p: p.lowest_after_kpa)
            lowest, where = units.number(worst.lowest_after_kpa, Quantity.PRESSURE), worst.place
    return VariantRow(
        letter=letter,
        title=str(read_in(cure.title, units)),
        lowest=lowest,
        where=place_words(where),
        effect=effect,
        low=low,
        high=high,
        effect_words=words,
        dips=dips,
        fill=units.number(tried.most_fill_l, Quantity.VOLUME) if tried.most_fill_l is not None else "–",
        work=cure.work,
        cost=cure.cost,
        curve=tried.uncover_g,
        cured=told is not None and told.dips_after < 0.5,
    )


def place_words(place: str) -> str:
    """ "turn 6" for a corner, "B3" for a braking zone."""
    return f"turn {place}" if place.isdigit() else place


def figures(found: SumpFindings, units: DisplayUnits) -> list[Figure]:
    """What the pan says standing still, a row each."""
    told, pan = found.levels, found.pan
    length, volume = units.length.symbol, units.volume.symbol

    def mm(metres: float | None) -> str:
        return height_words(metres, units) if metres is not None else "–"

    made = [Figure("Holds", units.number(1000.0 * told.solid.capacity_m3, Quantity.VOLUME), volume)]
    if pan.fill_l is not None and told.rest_m is not None:
        level = f"{mm(told.rest_m)} {length} deep"
        made.append(Figure("At rest", units.number(pan.fill_l, Quantity.VOLUME), volume, level))
    if pan.fill_l is not None and pan.away_l and told.running_m is not None:
        running = units.number(max(pan.fill_l - pan.away_l, 0.0), Quantity.VOLUME)
        made.append(Figure("Running", running, volume, f"{mm(told.running_m)} {length} deep"))
    for plate in told.plates:
        made.append(
            Figure(
                "Plate over running level", mm(plate.over_running_m), length, plate.plate.bay, plate.state == "under"
            )
        )
    if told.clearance_m is not None:
        is_off = not LEAST_CLEARANCE_M - 1e-9 <= told.clearance_m <= MOST_CLEARANCE_M + 1e-9
        window = f"{units.number(3.0, Quantity.LENGTH)} to {units.number(10.0, Quantity.LENGTH)}"
        made.append(Figure("Pickup over the floor", mm(told.clearance_m), length, window, is_off))
    if told.sweep_over_rest_m is not None:
        made.append(
            Figure("Crank sweep over oil", mm(told.sweep_over_rest_m), length, "at rest", told.sweep_over_rest_m < 0.0)
        )
    if told.most_fill_m3 is not None:
        made.append(
            Figure("Fill up to", units.number(1000.0 * told.most_fill_m3, Quantity.VOLUME), volume, "the sweep")
        )
    if found.book is not None:
        off = units.number(found.book.off_l, Quantity.VOLUME)
        note = "agrees" if found.book.belongs else "does not agree"
        made.append(Figure("Level book", off, volume, note, not found.book.belongs))
    return made


def height_words(metres: float, units: DisplayUnits) -> str:
    """A height in the unit shown; small ones in mm with a decimal, since a millimetre of clearance matters."""
    mm = 1000.0 * metres
    if units.length.symbol == "mm" and abs(mm) < 20.0:
        return f"{mm:.1f}".rstrip("0").rstrip(".").replace("-", "−")
    return units.number(mm, Quantity.LENGTH)


def curve_points(curve: FloatArray) -> list[list[tuple[float, float]]]:
    """An uncover curve as pieces of (right, up) in g, told by where the oil goes: nose up, left at the left.

    Where the pickup holds beyond :data:`MOST_G` the curve has a gap.
    """
    pieces: list[list[tuple[float, float]]] = [[]]
    for degrees, g in [
        *zip(CURVE_DEG.tolist(), curve.tolist(), strict=False),
        (360.0, float(curve[0]) if curve.size else 0.0),
    ]:
        if not np.isfinite(g) or g > MOST_G:
            if pieces[-1]:
                pieces.append([])
            continue
        angle = np.radians(degrees)
        # The car accelerates by (cos, sin) forward and to the left; the oil goes the other way.
        pieces[-1].append((float(g * np.sin(angle)), float(-g * np.cos(angle))))
    return [p for p in pieces if len(p) > 1]


@dataclass(frozen=True, slots=True)
class LoggedCell:
    """A cell of g that was held on flying laps.

    Attributes:
        right, up: its middle, g, by where the oil was thrown.
        often: how often of the most, 0 to 1.
        uncovers: a steady g there uncovers the pickup of the pan as it is.
    """

    right: float
    up: float
    often: float
    uncovers: bool


def logged_cells(logged_g: FloatArray, curve: FloatArray) -> list[LoggedCell]:
    """Where the oil was thrown on flying laps; ``curve``: the uncover curve of the pan as it is."""
    if logged_g.size == 0:
        return []
    across = np.floor(logged_g[:, 1] / _CELL_G).astype(int)
    along = np.floor(-logged_g[:, 0] / _CELL_G).astype(int)
    cells, count = np.unique(np.column_stack([across, along]), axis=0, return_counts=True)
    most = float(count.max())
    made = []
    for (a, b), n in zip(cells, count, strict=True):
        if n < 2:
            continue
        right, up = (float(a) + 0.5) * _CELL_G, (float(b) + 0.5) * _CELL_G
        toward = float(np.degrees(np.arctan2(right, -up))) % 360.0
        limit = (
            np.interp(toward, CURVE_DEG, np.where(np.isfinite(curve), curve, 9.0), period=360.0) if curve.size else 9.0
        )
        made.append(LoggedCell(right, up, float(np.sqrt(n / most)), bool(np.hypot(right, up) > limit)))
    return made


def reach_g(found: SumpFindings) -> float:
    """How far the curve's picture reaches, g: past what was logged, up to :data:`_CURVE_TO_G`."""
    logged = float(np.hypot(*found.logged_g.T).max()) if found.logged_g.size else 1.0
    return min(max(logged + 0.3, 1.2), _CURVE_TO_G)
