"""The knee, on engines whose crank beats air into the oil above a known speed."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from basso.analysis import Analysis, analyse
from basso.findings.corners.findings import find_corners
from basso.pressure.earlier import Known
from basso.pressure.knee import Knee, find_knee
from basso.standin.car import Outing
from basso.standin.circuit import random_circuit
from basso.standin.engine import Heat, TrueEngine
from basso.standin.faults import Logger
from basso.standin.scenarios import generator, run_setup
from basso.standin.simulate import Setup
from basso.words.corners import knee_words
from support import recording_of


def driven(seed: int, churn_rpm: float | None, rate_hz: int = 20) -> Analysis:
    rng = generator("knee", seed)
    setup = Setup(random_circuit(rng), heat=Heat(start_c=80.0), session=Outing(laps=6))
    setup = replace(setup, engine=TrueEngine(churn_rpm=churn_rpm))
    return analyse(recording_of(run_setup(setup, Logger(rate_hz, gps=True), generator("knee/drive", seed))[1]))


def knee(a: Analysis) -> Knee | None:
    side, along = (np.nan_to_num(g) if g is not None else None for g in (a.lateral_g, a.longitudinal_g))
    return find_knee(a.time_s, a.share, a.rpm, side, along, a.judged)


@pytest.mark.parametrize(("seed", "rate_hz"), [(1, 20), (2, 100)])
@pytest.mark.parametrize("churn_rpm", [5800.0, 6200.0])
def test_the_speed_from_which_air_is_beaten_in_is_found(seed: int, rate_hz: int, churn_rpm: float) -> None:
    a = driven(seed, churn_rpm, rate_hz)
    found = knee(a)
    assert found is not None and found.low_rpm <= churn_rpm <= found.high_rpm and found.high_rpm - found.low_rpm < 700.0
    assert 0.04 < found.fall < 0.5 and found.top_rpm > churn_rpm
    told = find_corners(a)
    assert told is not None and told.knee == found
    assert f"sags above {found.rpm:.0f} rpm" in knee_words(told) and "state is not noted" in knee_words(told)
    for state, words in (("armed", "was armed and fills such sags"), ("none", "windage tray.")):
        known = replace(a, options=replace(a.options, known=Known(accumulator=state)))
        assert words in knee_words(replace(told, analysis=known)) and "not noted" not in knee_words(
            replace(told, analysis=known)
        )


@pytest.mark.parametrize("seed", [1, 2, 3])
def test_corners_that_bare_the_pickup_are_no_knee(seed: int) -> None:
    a = driven(seed, None)
    told = find_corners(a)
    assert knee(a) is None and told is not None and knee_words(told) == ""


def test_too_little_calm_running_tells_of_none() -> None:
    n = 2000
    t, rpm = np.arange(n) / 20.0, np.linspace(3000.0, 7000.0, n)
    share = np.where(rpm > 6000.0, 0.8, 1.0)
    judged = np.ones(n, dtype=bool)
    assert find_knee(t, share, rpm, np.full(n, 1.0), None, judged) is None
    found = find_knee(t, share, rpm, None, None, judged)
    assert found is not None and found.low_rpm < 6000.0
    assert (
        find_knee(t, share, rpm, None, None, ~judged) is None
        and find_knee(t[:20], share[:20], rpm[:20], None, None, judged[:20]) is None
    )
