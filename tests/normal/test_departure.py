"""What an engine's own departure from the physical form is learned to be, and how sure that is."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from basso.normal.departure import OF_A_FORM_THAT_FITS, UNSEEN, Departure, Points, fit_departure
from basso.units import FloatArray

EDGES = np.linspace(np.log(0.25), np.log(2.0), 25)
HEAT = np.linspace(70.0, 130.0, 13)
PRIOR_SD = np.array([0.05, 0.05])


def _basis(log_rpm: FloatArray, heat: FloatArray | None) -> FloatArray:
    """A level and a slope over engine speed."""
    return np.column_stack([np.ones(log_rpm.size), log_rpm])


def _bump(log_rpm: FloatArray) -> FloatArray:
    """3 % more than the form says about 4000 rpm."""
    return 0.03 * np.exp(-0.5 * (log_rpm / 0.25) ** 2)


def _learned(
    low_rpm: float = 1500.0, noise: float = 0.004, heated: bool = True, silent: int = 0
) -> tuple[Departure, FloatArray]:
    rng = np.random.default_rng(3)
    log_rpm = np.log(rng.uniform(low_rpm, 6500.0, 120) / 4000.0)
    heat = rng.uniform(85.0, 110.0, 120) if heated else None
    seen = Points(log_rpm, heat, _basis(log_rpm, heat), np.full(120, 4.0))
    sd = np.full(120, noise)
    off = _bump(log_rpm) + rng.normal(0.0, noise, 120)
    if silent:
        off[:silent], sd[:silent] = 5.0, np.inf
    return fit_departure(
        seen=seen,
        off=off,
        noise=sd,
        prior_mean=np.zeros(2),
        prior_sd=PRIOR_SD,
        log_rpm=EDGES,
        temperature_c=HEAT if heated else None,
        basis_at=_basis,
        freedom=OF_A_FORM_THAT_FITS,
    )


@pytest.mark.parametrize("heated", [True, False])
def test_a_bump_is_learned_where_it_was_driven(heated: bool) -> None:
    found, _ = _learned(heated=heated)
    log_rpm = np.log(np.array([2500.0, 4000.0, 5500.0]) / 4000.0)
    heat = np.full(3, 97.0) if heated else None
    mean, sd = (found.at(table, log_rpm, heat) for table in (found.mean, found.sd))
    assert mean == pytest.approx(_bump(log_rpm), abs=0.006)
    assert np.all(np.abs(mean - _bump(log_rpm)) < 2.5 * sd)


def test_it_grows_less_sure_away_from_what_was_driven() -> None:
    found, _ = _learned(low_rpm=3500.0)
    driven, far = (
        float(found.at(found.sd, np.array([np.log(r / 4000.0)]), np.array([97.0]))[0]) for r in (5000.0, 1200.0)
    )
    assert UNSEEN <= driven < 0.015 and far > 2.0 * driven
    near, away = (
        float(found.at(found.apart, np.array([np.log(r / 4000.0)]), np.array([97.0]))[0]) for r in (5000.0, 1200.0)
    )
    assert near < 1.0 < away
    assert float(found.at(found.apart, np.zeros(1), np.array([130.0]))[0]) > 1.0  # never so hot


def test_what_was_seen_makes_the_parameters_surer() -> None:
    _, left = _learned()
    assert left.shape == (2,) and np.all(left < PRIOR_SD)


def test_a_cell_without_a_say_says_nothing() -> None:
    (silent, _), (spoken, _) = _learned(silent=20), _learned()
    at = np.zeros(1), np.array([97.0])
    assert float(silent.at(silent.mean, *at)[0]) == pytest.approx(float(spoken.at(spoken.mean, *at)[0]), abs=0.006)


def test_beyond_its_edges_it_is_as_at_the_edge_and_without_a_place_as_at_the_first() -> None:
    found, _ = _learned()
    ends = found.at(found.mean, np.array([-9.0, EDGES[0], EDGES[-1], 9.0]), np.array([70.0, 70.0, 130.0, 500.0]))
    assert ends[[0, 2]] == pytest.approx(ends[[1, 3]])
    assert np.isfinite(found.at(found.mean, np.array([np.nan]), np.array([np.nan]))).all()


def test_json_keeps_it_and_a_table_of_another_shape_is_refused() -> None:
    found, _ = _learned()
    back = Departure.from_plain(found.as_plain())
    for name in ("log_rpm", "temperature_c", "mean", "sd", "apart"):
        assert np.array_equal(getattr(back, name), getattr(found, name))
    wrong = replace(found, mean=found.mean[:-1]).as_plain()
    with pytest.raises(ValueError, match="does not fit"):
        Departure.from_plain(wrong)
    with pytest.raises(KeyError):
        Departure.from_plain({k: v for k, v in found.as_plain().items() if k != "sd"})
