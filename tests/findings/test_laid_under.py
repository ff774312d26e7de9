"""A lap laid under a session stands where the car was at the same place, whichever drive it is of."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from basso.findings.laid_under import LaidLap, NotLaid, laid_under, laid_words
from basso.sentence import read_in
from basso.units import UNITS, DisplayUnits
from support import judged_scenario


def test_a_lap_under_itself_is_itself() -> None:
    a = judged_scenario("baseline-1", 3).analysis
    lap = [x for x in a.laps if x.complete][3]
    laid = laid_under(a, a, lap)
    assert isinstance(laid, LaidLap) and laid.own and laid.shift_m == 0.0
    inside = (a.time_s >= lap.start_s + 1.0) & (a.time_s < lap.end_s - 1.0)
    np.testing.assert_allclose(laid.pressure_kpa[inside], a.pressure_kpa[inside], atol=1.0)
    np.testing.assert_allclose(laid.rpm[inside], a.rpm[inside], atol=20.0)


def test_another_drives_lap_has_its_corners_where_these_are() -> None:
    a, other = (judged_scenario(name, seed).analysis for name, seed in (("baseline-1", 3), ("plus-0.4", 4)))
    lap = [x for x in other.laps if x.complete][2]
    laid = laid_under(a, other, lap)
    assert isinstance(laid, LaidLap) and not laid.own and laid.lateral_g is not None and a.lateral_g is not None
    known = np.isfinite(laid.lateral_g) & np.isfinite(a.lateral_g)
    assert a.track is not None
    assert np.array_equal(np.isfinite(laid.pressure_kpa), np.isfinite(a.track.lap_distance_m)), "in its whole laps only"
    assert np.corrcoef(laid.lateral_g[known], a.lateral_g[known])[0, 1] > 0.9


def test_it_is_said_which_lap_it_is_and_how_warm_its_oil_was() -> None:
    a = judged_scenario("baseline-1", 3).analysis
    laps = [x for x in a.laps if x.complete]
    laid = laid_under(a, a, laps[0])
    assert isinstance(laid, LaidLap)
    units = DisplayUnits(temperature=UNITS["°F"])
    said = read_in(laid_words(laid, "Stint"), units)
    assert said.startswith(f"Under the traces (dashed): lap {laps[0].number}, by distance.")
    assert laid.temperature_there_c is not None
    assert units.text(laid.temperature_there_c, UNITS["°C"].quantity) in said
    unknown = read_in(laid_words(replace(laid, temperature_there_c=None), "Stint"), units)
    assert "is not known" in unknown


@pytest.mark.parametrize("name", ["hill-climb", "dyno"])
def test_what_has_no_laps_there_says_why(name: str) -> None:
    a, other = judged_scenario("baseline-1", 3).analysis, judged_scenario(name, 5).analysis
    lap = next(x for x in a.laps if x.complete)
    laid = laid_under(other, a, lap)
    assert isinstance(laid, NotLaid) and laid.why


def test_lateral_g_is_not_laid_where_a_side_is_not_proven() -> None:
    a, other = (judged_scenario(name, seed).analysis for name, seed in (("baseline-1", 3), ("plus-0.4", 4)))
    lap = next(x for x in other.laps if x.complete)
    unproven = [replace(x, side=replace(x.side, proven=False)) for x in (a, other)]
    for here, there in ((a, unproven[1]), (unproven[0], other), (unproven[0], unproven[1])):
        laid = laid_under(here, there, lap)
        assert isinstance(laid, LaidLap) and laid.lateral_g is None
