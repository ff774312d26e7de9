"""One lap laid under a session by where on the circuit it was, so that two drives can be seen over one another."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from basso.analysis import Analysis
from basso.sentence import Sentence, in_celsius, phrase
from basso.track.alignment import align
from basso.track.laps import Lap
from basso.units import FloatArray

_FEWEST = 20


@dataclass(frozen=True, slots=True, eq=False)
class LaidLap:
    """A lap's readings where the session it lies under is at the same place; every array has shape (n,), at that
    session's times, NaN outside its complete laps and where the lap has no reading.

    Attributes:
        lap: whose readings these are; ``own``: it is of the same drive.
        shift_m: how much further on it was laid to have its corners at theirs.
        temperature_here_c, temperature_there_c: median oil temperature of the session and of the lap, or None.
    """

    lap: Lap
    own: bool
    shift_m: float
    pressure_kpa: FloatArray
    lateral_g: FloatArray | None
    longitudinal_g: FloatArray | None
    rpm: FloatArray
    temperature_c: FloatArray | None
    temperature_here_c: float | None
    temperature_there_c: float | None


@dataclass(frozen=True, slots=True)
class NotLaid:
    """Why a lap cannot be laid under a session."""

    why: str


def laid_under(a: Analysis, other: Analysis, lap: Lap) -> LaidLap | NotLaid:
    """Lay one lap of ``other`` under every complete lap of ``a`` (which it may be of itself) by the distance driven.

    Laps begin where each log's line is; corners are brought together by the path, else by the cornering.
    """
    if a.track is None or other.track is None:
        return NotLaid("the distance along the lap is not known: it takes speed or a path, and laps")
    laid = align(a.track.shape, other.track.shape)
    if laid.problem is not None:
        return NotLaid(laid.problem)
    inside = (other.time_s >= lap.start_s) & (other.time_s < lap.end_s) & np.isfinite(other.track.lap_distance_m)
    if np.count_nonzero(inside) < _FEWEST:
        return NotLaid("that lap is not complete")
    length = a.track.length_m
    there = (other.track.lap_distance_m[inside] * (length / other.track.length_m) + laid.shift_m) % length
    order = np.argsort(there, kind="stable")
    there = there[order]
    here = a.track.lap_distance_m

    def at_places(values: FloatArray | None) -> FloatArray | None:
        if values is None:
            return None
        found = np.full(here.shape, np.nan)
        known = np.isfinite(here)
        own = values[inside][order]
        found[known] = np.interp(here[known], there, own, period=length)
        return found

    pressure, rpm = at_places(other.pressure_kpa), at_places(other.rpm)
    assert pressure is not None and rpm is not None
    return LaidLap(
        lap=lap,
        own=other is a,
        shift_m=laid.shift_m if other is not a else 0.0,
        pressure_kpa=pressure,
        # Where either logger is not proven to tell left from right, the signs may differ.
        lateral_g=at_places(other.lateral_g) if other is a or (a.side.proven and other.side.proven) else None,
        longitudinal_g=at_places(other.longitudinal_g),
        rpm=rpm,
        temperature_c=at_places(other.temperature_c),
        temperature_here_c=_median(a.temperature_c, np.isfinite(here)),
        temperature_there_c=_median(other.temperature_c, inside),
    )


def _median(values: FloatArray | None, where: np.ndarray) -> float | None:
    if values is None or not np.isfinite(values[where]).any():
        return None
    return float(np.nanmedian(values[where]))


def laid_words(laid: LaidLap, title: str) -> Sentence:
    """Which lap lies under the traces, laid how, and at which temperature; ``title``: of its session."""
    whose = f"lap {laid.lap.number}" if laid.own else f"{title}, lap {laid.lap.number}"
    how = "" if abs(laid.shift_m) < 1.0 else f", shifted {laid.shift_m:+.0f} m".replace("-", "−")
    head = f"Under the traces (dashed): {whose}, by distance{how}."
    here, there = laid.temperature_here_c, laid.temperature_there_c
    if here is None or there is None:
        return phrase("{} The oil temperature of one is not known: warmer oil alone lowers the pressure.", head)
    return phrase(
        "{} Oil {} there, {} here: warmer oil alone lowers the pressure.", head, in_celsius(there), in_celsius(here)
    )
