"""What is told of a car's pan on a logged drive: standing still, the flow model, and which change cures it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from basso.analysis import Analysis
from basso.findings.sump.logged import calibration_of, oil_of
from basso.progress import Progress, silent
from basso.sump.calibration import Calibration
from basso.sump.compartments import compartments_of
from basso.sump.cures import Cure, cures_of, ranked
from basso.sump.in_time import OilInTime
from basso.sump.levels import BookFit, Levels, against_book, levels_of
from basso.sump.measured import MeasuredPan, pickup_in_car_m, solid_of
from basso.sump.solid import Solid
from basso.sump.standing import uncover_g
from basso.sump.variants import Prediction, predict
from basso.units import FloatArray

CURVE_DEG = np.arange(0.0, 360.0, 5.0)
"""Directions of the car's acceleration in which the uncover curves are drawn."""


@dataclass(frozen=True, slots=True, eq=False)
class TriedCure:
    """A change with what it does: ``told`` on the logged drive (None where the model may not predict), ``uncover_g`` at
    :data:`CURVE_DEG` standing still, ``most_fill_l`` up to the crank's sweep (None where that was not measured)."""

    cure: Cure
    told: Prediction | None
    uncover_g: FloatArray
    most_fill_l: float | None


@dataclass(frozen=True, slots=True, eq=False)
class SumpFindings:
    """A pan on a logged drive.

    Attributes:
        analysis: the drive's.
        pan: as it was on it.
        levels: what it says standing still.
        uncover_g: at :data:`CURVE_DEG`, with the running volume; () without pickup or fill.
        logged_g: (ax, ay) that was held for 0.3 s on flying laps, shape (n, 2).
        calibration: of the flow model; None where pickup or fill are not known.
        cures: the best first.
        book: the pan against the stick's readings; None where there are too few.
        oil: where the model has the oil through the drive; None where it is not usable.
    """

    analysis: Analysis
    pan: MeasuredPan
    levels: Levels
    uncover_g: FloatArray
    logged_g: FloatArray
    calibration: Calibration | None
    cures: tuple[TriedCure, ...]
    book: BookFit | None = None
    oil: OilInTime | None = None


def find_sump(
    analysis: Analysis,
    pan: MeasuredPan,
    own: Sequence[Cure] = (),
    readings: Sequence[tuple[float, float]] = (),
    progress: Progress = silent,
) -> SumpFindings:
    """Calibrate the flow model on a drive and try every sensible change on it, and the user's ``own``.

    ``readings``: of the pan's stick, (litres in the pan, mm read).
    """
    levels = levels_of(pan)
    poured, depth = (np.array([r[i] for r in readings], dtype=np.float64) for i in (0, 1))
    book = against_book(levels.solid, poured, depth / 1000.0)
    if pan.pickup is None or not pan.fill_l:
        return SumpFindings(analysis, pan, levels, np.empty(0), _logged_g(analysis), None, (), book)
    c = compartments_of(pan)

    def fitting(done: float, what: str) -> None:
        progress(0.5 * done, what)

    calibration = calibration_of([analysis], c, pan.fill_l / 1000.0, pan.away_l, pan.pump_m3_per_rev, fitting)
    cures = [*own, *cures_of(pan)]
    told = predict(calibration, [cure.variant() for cure in cures], lambda done, what: progress(0.5 + 0.5 * done, what))
    pairs: list[tuple[Cure, Prediction | None]] = (
        list(ranked(cures, told)) if told else [(cure, None) for cure in cures]
    )
    return SumpFindings(
        analysis=analysis,
        pan=pan,
        levels=levels,
        uncover_g=running_uncover_g(pan),
        logged_g=_logged_g(analysis),
        calibration=calibration,
        cures=tuple(TriedCure(cure, p, running_uncover_g(cure.pan), _most_fill_l(cure.pan)) for cure, p in pairs),
        book=book,
        oil=oil_of(analysis, calibration),
    )


def running_uncover_g(pan: MeasuredPan, solid: Solid | None = None) -> FloatArray:
    """The steady g that uncovers the pickup with the oil in that is there while running, at :data:`CURVE_DEG`.

    ``solid``: the pan's inside, where it was worked out already.
    """
    pickup = pickup_in_car_m(pan)
    if pickup is None or not pan.fill_l:
        return np.empty(0)
    return uncover_g(solid or solid_of(pan), pickup, max(pan.fill_l - pan.away_l, 0.01) / 1000.0, CURVE_DEG)


def _most_fill_l(pan: MeasuredPan) -> float | None:
    most = levels_of(pan).most_fill_m3
    return 1000.0 * most if most is not None else None


def _logged_g(a: Analysis) -> FloatArray:
    """What was held for about 0.3 s, a few times a second, on flying laps."""
    if a.lateral_g is None or a.longitudinal_g is None:
        return np.empty((0, 2))
    from basso.recording.gaps import or_zero
    from basso.recording.rolling import rolling_mean

    step = float(np.median(np.diff(a.time_s)))
    held = max(1, round(0.3 / step))
    ax, ay = rolling_mean(or_zero(a.longitudinal_g), held), rolling_mean(or_zero(a.lateral_g), held)
    flying = np.zeros(ax.shape, dtype=np.bool_)
    for lap in a.rounds:
        flying |= (a.time_s >= lap.start_s) & (a.time_s < lap.end_s)
    every = max(1, round(0.1 / step))
    return np.column_stack([ax[flying][::every], ay[flying][::every]])
