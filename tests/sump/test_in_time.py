"""A calibrated model's oil, moment by moment: none is lost between compartments, and the drawing shows each surface."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from basso.sump.calibration import PRIOR_MIDDLE, Calibration, Fit
from basso.sump.compartments import compartments_of
from basso.sump.flow import PARAMETERS, STEP_S, Run
from basso.sump.in_time import OilInTime, oil_in_time
from basso.sump.measured import MeasuredPan
from basso.sump.sections import drawing_of, oil_at, oil_in
from pans import BOX, TWO

FILL_M3 = 0.0036


def drive(ay_g: float = 0.0, rpm: float = 0.0, seconds: float = 20.0) -> Run:
    """Standing for four seconds, then so."""
    n = round(seconds / STEP_S)
    one, late = np.ones(n), (np.arange(n) * STEP_S >= 4.0).astype(np.float64)
    return Run(0.0 * one, ay_g * late, rpm * late, 400.0 * one, 500.0 * one, 9.0, one)


def oil(pan: MeasuredPan, run: Run, mirrored: bool = False, **changes: float) -> OilInTime:
    best = np.array([{**PRIOR_MIDDLE, "lean_x_g": 0.0, "lean_y_g": 0.0, "tilt": 1.0, **changes}[n] for n in PARAMETERS])
    fit = Fit("delivery", False, mirrored, best, best[None], 1.0, np.zeros(1))
    c = compartments_of(pan)
    return oil_in_time(Calibration(True, "", c, (), FILL_M3, 1e-5, (fit,)), run, 100.0)


def test_none_is_lost_between_compartments_and_what_is_up_in_the_engine_is_missing_from_the_pan() -> None:
    made = oil(TWO, drive(1.0, 6000.0), held_l=0.5, held_s=1.0)
    total = made.held_m3.sum(axis=0)
    assert total[0] == pytest.approx(FILL_M3, rel=1e-9)
    assert total[-1] == pytest.approx(FILL_M3 - 0.0005, rel=1e-4)
    assert np.all(np.diff(total) <= 1e-9), "it only goes up"


def test_standing_still_the_drawing_is_the_static_one() -> None:
    moment = oil(BOX, drive(), held_l=1e-6).at(110.0)
    assert moment is not None
    drawn, still = oil_at(drawing_of(BOX), moment), oil_in(drawing_of(BOX), 1000.0 * FILL_M3 / 1000.0, 0.0, 0.0)
    assert moment.head_m == pytest.approx(still.head_m, abs=5e-4)
    for a, b in zip(drawn.behind[0], still.behind[0], strict=True):
        assert a == pytest.approx(b, abs=5e-4)


def test_behind_a_door_oil_stands_higher_than_before_it() -> None:
    """The door of the pan lets oil to the front only: braking hard it stays there: two levels in the cut."""
    run = drive()
    ahead = np.where(np.arange(run.rpm.size) * STEP_S < 8.0, -0.8, 0.0)
    moment = oil(TWO, replace(run, ax_g=ahead), held_l=1e-6).at(119.0)
    assert moment is not None
    drawing = drawing_of(TWO)
    drawn = oil_at(drawing, moment)
    assert len(drawing.rooms) == 2
    tops = [max(up for _, up in polygon) for polygon in drawn.side if polygon]
    assert len(tops) == 2 and abs(tops[0] - tops[1]) > 0.02


def test_a_model_that_fits_the_other_way_round_shows_the_oil_on_the_side_it_lies_in_the_pan() -> None:
    logged, mirrored = (oil(BOX, drive(1.0), mirrored=m).at(119.0) for m in (False, True))
    assert logged is not None and mirrored is not None
    assert logged.ay_g == pytest.approx(-mirrored.ay_g) and logged.ay_g > 0.9


def test_there_is_no_oil_outside_of_the_log() -> None:
    made = oil(BOX, drive())
    assert made.at(99.0) is None and made.at(121.0) is None and made.at(100.0) is not None
