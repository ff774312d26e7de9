"""Everything that is told about where: places ranked, thresholds of g, both sides at equal g, the rose, the circuit."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from basso.analysis import Analysis
from basso.findings.corners.banking import banking_deg
from basso.findings.corners.line import CircuitLine, circuit_line, speed_of
from basso.findings.corners.passes import Pass, passes_of
from basso.findings.corners.pattern import HeldUp, PlacePattern, held_up, place_pattern
from basso.findings.corners.per_lap import PerLap, per_lap
from basso.findings.corners.rose import Rose, oil_rose
from basso.findings.corners.runs import RunFinding, tell_runs
from basso.pressure.exposure import exposure_weight
from basso.pressure.knee import Knee, find_knee
from basso.pressure.thresholds import Threshold, find_thresholds
from basso.progress import Progress, silent
from basso.recording.gaps import or_zero
from basso.track.corners import Place
from basso.track.slides import find_slides
from basso.units import FloatArray

_LOW = 0.90
"""A share of normal under this is a sag (default)."""
_EQUAL_G = 0.3
_LEAN_T = 3.0


@dataclass(frozen=True, slots=True, eq=False)
class PlaceFinding:
    """One place over every complete lap.

    Attributes:
        passes: in order of laps; ``dips``: in how many the pressure lay below the floor.
        lowest: lowest share of normal, median of the passes; ``worst`` of all; NaN where nothing is expected.
        below_s: seconds below the floor, a pass on average; ``exposure``: the same weighed by engine speed and depth,
            over all.
        phase: where in the place it is lowest most often: "turn-in", "middle", "exit" or "after it"; "" where it never
            sags.
        length_m, radius_m: of the place; radius at the apex, NaN for braking zones.
        lean_per_lap: share of normal lost a lap more than the lap before, None where the laps do not show it.
        banking_deg: by how much the pan's floor leans into the corner, None where no path tells.
        pattern: when it dips.
    """

    place: Place
    passes: tuple[Pass, ...]
    dips: int
    lowest: float
    worst: float
    below_s: float
    exposure: float
    phase: str
    length_m: float
    radius_m: float
    lean_per_lap: float | None
    banking_deg: float | None = None
    pattern: PlacePattern | None = None


@dataclass(frozen=True, slots=True)
class SideFinding:
    """One direction at equal g: of the seconds felt at each g, how many lay under the floor.

    Attributes:
        direction: "left" or "right" turns, "braking", "acceleration".
        seconds: felt at over 0.3 g; ``below_s``: of them under the floor.
        share: seconds under the floor of those felt, with the seconds of each ring of g weighed as all directions have
            them together, so that the circuit's own way round does not decide; NaN where it shares no g with the
            others.
    """

    direction: str
    seconds: float
    below_s: float
    share: float


@dataclass(frozen=True, slots=True, eq=False)
class CornerFindings:
    """What is told about where; carries the analysis it was worked out from.

    ``knee``: where the pressure sags with engine speed alone, None where it does not. ``held_up``: where oil is held up
    in the engine; ``runs``: launches, stops and the like; ``per_lap``: what a lap costs; ``slides``: stretches (start,
    end) in s where the car slid or was caught. ``places``: in driving order; ``ranked``: those with dips, worst first;
    ``test_place``: where a change is best tried.
    """

    analysis: Analysis
    places: tuple[PlaceFinding, ...]
    thresholds: tuple[Threshold, ...]
    sides: tuple[SideFinding, ...]
    rose: Rose | None
    circuit: CircuitLine | None
    knee: Knee | None = None
    held_up: tuple[HeldUp, ...] = ()
    runs: tuple[RunFinding, ...] = ()
    per_lap: tuple[PerLap, ...] = ()
    slides: tuple[tuple[float, float], ...] = ()

    @property
    def dips_in_slides(self) -> int:
        """Dips that began in a slide or a correction, or in the second after it."""
        return sum(any(a - 0.3 <= d.dip.start_s <= b + 1.0 for a, b in self.slides) for d in self.analysis.dips)

    @property
    def ranked(self) -> tuple[PlaceFinding, ...]:
        """Places where the pressure lay below the floor, the most exposed first."""
        return tuple(sorted((p for p in self.places if p.dips), key=lambda p: -p.exposure))

    @property
    def test_place(self) -> PlaceFinding | None:
        """Where a change is best tried: of the places that dip in most passes the one that repeats itself best."""
        often = [p for p in self.places if len(p.passes) >= 3 and p.dips >= 0.7 * len(p.passes)]
        return min(often, key=lambda p: float(np.std([x.min_share for x in p.passes])), default=None)

    def threshold(self, direction: str) -> Threshold | None:
        """The threshold of a direction; None where no g tells of it."""
        return next((t for t in self.thresholds if t.direction == direction), None)


def find_corners(a: Analysis, progress: Progress = silent) -> CornerFindings | None:
    """Put together what is told about where; None where the session cannot be judged at all."""
    if not a.judgeable or not a.judged.any():
        return None
    progress(0.0, "finding thresholds")
    side, along = (or_zero(g) if g is not None else None for g in (a.lateral_g, a.longitudinal_g))
    thresholds = thresholds_of(a)
    progress(0.7, "going through the places")
    line = circuit_line(a)
    places: tuple[PlaceFinding, ...] = ()
    if a.track is not None:
        passes = passes_of(a, a.track.places, a.track.length_m, 0, 0)
        told = (_place(p, [x for x in passes if x.place == p.id], a, line) for p in a.track.places)
        # A straight says something only where a dip began on it: else what is seen there is the end of a corner's.
        begun = {d.place.id for d in a.dips if d.place is not None}
        places = tuple(p for p in told if p.place.loaded or p.place.id in begun)
    return CornerFindings(
        analysis=a,
        places=places,
        thresholds=thresholds,
        sides=_sides(a),
        rose=oil_rose(a),
        circuit=line,
        knee=find_knee(a.time_s, a.share, a.rpm, side, along, a.judged),
        held_up=held_up(a, thresholds),
        runs=tell_runs(a),
        per_lap=per_lap(a),
        slides=_slides(a, line),
    )


def _slides(a: Analysis, line: CircuitLine | None) -> tuple[tuple[float, float], ...]:
    if a.track is None or a.lateral_g is None or line is None:
        return ()
    speed = speed_of(a, a.track.lap_distance_m)
    return tuple(find_slides(a.time_s, or_zero(a.lateral_g), speed, a.track))


def thresholds_of(a: Analysis) -> tuple[Threshold, ...]:
    """From which g on the pressure falls, by direction; () where nothing can be judged, or one of the two g is missing:
    what it did would be put down to the other."""
    if not a.judgeable or not a.judged.any() or a.lateral_g is None or a.longitudinal_g is None:
        return ()
    side, along = or_zero(a.lateral_g), or_zero(a.longitudinal_g)
    return find_thresholds(a.time_s, a.share, a.rpm, side, along, a.judged)


def _place(place: Place, passes: list[Pass], a: Analysis, line: CircuitLine | None) -> PlaceFinding:
    shares = np.array([p.min_share for p in passes])
    known = shares[np.isfinite(shares)]
    below = np.array([p.below_s for p in passes])
    weights = np.array([exposure_weight(p.rpm, p.min_share) for p in passes])
    return PlaceFinding(
        place=place,
        passes=tuple(passes),
        dips=int(np.count_nonzero(below > 0.0)),
        lowest=float(np.median(known)) if known.size else float("nan"),
        worst=float(known.min()) if known.size else float("nan"),
        below_s=float(below.mean()) if below.size else 0.0,
        exposure=float(np.sum(below * weights)),
        phase=_phase(place, passes, a),
        length_m=place.end_m - place.start_m,
        radius_m=_radius(place, line),
        lean_per_lap=_lean(passes),
        banking_deg=banking_deg(place, line, a.track.shape.lateral_g)
        if line is not None and a.track is not None
        else None,
        pattern=place_pattern(place, passes),
    )


def _phase(place: Place, passes: list[Pass], a: Analysis) -> str:
    """Where in the place the lowest is most often, of the passes that sag."""
    if a.track is None:
        return ""
    found = []
    for p in passes:
        if not p.min_share < _LOW:
            continue
        at = float(a.track.lap_distance_m[min(int(np.searchsorted(a.time_s, p.time_s)), a.time_s.size - 1)])
        part = (at - place.start_m) / max(place.end_m - place.start_m, 1.0)
        found.append("turn-in" if part < 0.33 else "middle" if part < 0.67 else "exit" if part <= 1.0 else "after it")
    return max(dict.fromkeys(found), key=found.count) if found else ""


def _radius(place: Place, line: CircuitLine | None) -> float:
    """v²/a at the apex, over the complete laps; NaN without speed, and for a braking zone."""
    if line is None or not place.is_corner:
        return float("nan")
    v = float(np.interp(place.apex_m, line.along_m, line.speed_mps))
    return v * v / (9.80665 * max(abs(place.peak_g), 0.1))


def _lean(passes: list[Pass]) -> float | None:
    """Slope of the lowest share over the laps, where it is sure (|t| over 3)."""
    rows = [(float(p.lap_key[2]), p.min_share) for p in passes if np.isfinite(p.min_share)]
    if len(rows) < 4:
        return None
    lap, share = np.array(rows).T
    slope, level = np.polyfit(lap, share, 1)
    left = share - slope * lap - level
    error = float(np.sqrt(np.sum(left**2) / (lap.size - 2) / np.sum((lap - lap.mean()) ** 2)))
    return float(slope) if abs(slope) > _LEAN_T * max(error, 1e-4) and abs(slope) * (lap[-1] - lap[0]) > 0.03 else None


def _sides(a: Analysis) -> tuple[SideFinding, ...]:
    """Seconds under the floor at equal g, by direction."""
    if a.lateral_g is None or a.longitudinal_g is None:
        return ()
    step = float(np.median(np.diff(a.time_s)))
    side, along = or_zero(a.lateral_g), or_zero(a.longitudinal_g)
    size = np.hypot(side, along)
    ring = np.minimum((size / 0.2).astype(int), 12)
    below = or_zero(a.margin_kpa) < 0
    ways = {
        "left": (side > np.abs(along)),
        "right": (-side > np.abs(along)),
        "braking": (-along >= np.abs(side)),
        "acceleration": (along >= np.abs(side)),
    }
    use = a.judged & (size >= _EQUAL_G) & np.isfinite(a.margin_kpa)

    def seconds(where: NDArray[np.bool_]) -> FloatArray:
        return np.bincount(ring[where], minlength=13).astype(np.float64) * step

    felt = {d: seconds(use & w) for d, w in ways.items()}
    under = {d: seconds(use & w & below) for d, w in ways.items()}
    all_of = np.sum(list(felt.values()), axis=0)
    return tuple(
        SideFinding(d, float(felt[d].sum()), float(under[d].sum()), _at_equal_g(felt[d], under[d], all_of))
        for d in ways
    )


def _at_equal_g(felt: FloatArray, under: FloatArray, all_of: FloatArray) -> float:
    """Rate in each ring, weighed by the seconds all directions have there; rings that this one hardly has are left
    out."""
    known = felt > 0.5
    return (
        float(np.sum((under / np.maximum(felt, 1e-9) * all_of)[known]) / all_of[known].sum())
        if known.any()
        else float("nan")
    )
