"""A stick's reading in litres: known pans, noise, and what the fit must refuse to say."""

from __future__ import annotations

import numpy as np
import pytest

from basso.errors import InputError
from basso.oil.level_book import Reading, drunk_l, fit_level, mixed_parts


def straight(depths: list[float], noise_l: float = 0.0, seed: int = 0) -> list[Reading]:
    rng = np.random.default_rng(seed)
    return [Reading(0.5 + 0.05 * d + rng.normal(0, noise_l), d) for d in depths]


def test_a_straight_pan() -> None:
    fit = fit_level(straight([10, 30, 50, 70]))
    assert fit is not None
    litres, within = fit.litres(40.0)
    assert litres == pytest.approx(2.5) and 0.05 < within < 0.3  # never surer than a millimetre of stick
    assert fit.litres_per_mm == pytest.approx(0.05)
    assert fit.depth_mm(3.0) == pytest.approx(50.0, abs=0.2)
    assert fit.depth_mm(9.0) is None


def test_a_pan_that_widens_bends_the_line() -> None:
    depths = np.linspace(10, 80, 8)
    truth = 0.3 + 0.03 * depths + 0.0004 * depths**2
    fit = fit_level([Reading(float(v), float(d)) for v, d in zip(truth, depths, strict=True)])
    assert fit is not None and len(fit.coefficients) == 3
    assert fit.litres(45.0)[0] == pytest.approx(0.3 + 1.35 + 0.81, abs=0.01)


def test_the_interval_covers_the_truth_nineteen_times_in_twenty() -> None:
    hits = 0
    for seed in range(400):
        fit = fit_level(straight([10, 25, 40, 55, 70], noise_l=0.12, seed=seed))
        assert fit is not None
        litres, within = fit.litres(47.0)
        reading = 0.5 + 0.05 * 47.0 + np.random.default_rng(1000 + seed).normal(0, 0.12)
        hits += abs(litres - reading) <= within
    assert 0.92 <= hits / 400 <= 0.99


@pytest.mark.parametrize(
    "readings",
    [
        straight([10, 30]),
        straight([30, 30, 30]),
        straight([30, 31, 32]),
        [Reading(4.0, 10.0), Reading(3.0, 30.0), Reading(2.0, 50.0)],
    ],
    ids=["too few", "one depth", "too close", "more oil reads lower"],
)
def test_what_cannot_be_fitted_is_not(readings: list[Reading]) -> None:
    assert fit_level(readings) is None


def test_nothing_is_said_outside_what_was_calibrated() -> None:
    fit = fit_level(straight([10, 30, 50, 70]))
    assert fit is not None
    with pytest.raises(InputError, match="90 mm lies outside what was calibrated"):
        fit.litres(90.0)


def test_what_the_filter_drank() -> None:
    fit = fit_level(straight([10, 30, 50, 70]))
    assert fit is not None
    litres, within = drunk_l(fit, 66.0, 60.0)
    assert litres == pytest.approx(0.3) and within > 0.1


def test_mixed_parts() -> None:
    assert mixed_parts(3.5, 0.15, 3.6) == ""
    assert "0.9 L less than the pan's 3.6 L" in mixed_parts(2.7, 0.15, 3.6)
    assert "sweep the oil" in mixed_parts(4.4, 0.15, 3.6)
    assert mixed_parts(2.9, 0.8, 3.6) == ""  # too unsure to warn
