"""Changes of normal told apart, on engines that were changed in their flow balance."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from basso.normal.changed import changed_normal
from basso.normal.expected import ExpectedPressure, fit_expected
from basso.oil.grades import grade
from basso.standin.engine import TrueEngine, balance_kpa, pump_flow

ENGINE = TrueEngine(relief_kpa=520.0, bearing=1.2)


def _drive(
    engine: TrueEngine, seed: int, warm_by: float = 0.0
) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """An hour's settled running at 2 Hz, oil warming by and by."""
    rng = np.random.default_rng(seed)
    n = 7000
    rpm = np.where(rng.random(n) < 0.08, rng.normal(950, 20, n), rng.uniform(2500, 7000, n))
    heat = np.linspace(72.0, 116.0, n) + rng.normal(0, 2, n) + warm_by
    kpa = balance_kpa(engine, rpm, heat, pump_flow(engine, rpm)) + rng.normal(0, 3.0, n)
    return kpa, rpm, heat, np.ones(n, dtype=bool)


@pytest.fixture(scope="module")
def before() -> ExpectedPressure:
    return fit_expected(*_drive(ENGINE, 1), grade(ENGINE.oil))


CHANGES = {
    "none": {},
    "relief_low": {"relief_kpa": 400.0},
    "relief_high": {"relief_kpa": 640.0},
    "worn_bearings": {"bearing": 1.2 * 1.4},
    "thin_oil": {"oil": "5W-30"},
    "thick_oil": {"oil": "15W-50"},
}


@pytest.mark.parametrize("cause", CHANGES)
@pytest.mark.parametrize("seed", [11, 12])
def test_the_engine_says_what_changed(before: ExpectedPressure, cause: str, seed: int) -> None:
    found = changed_normal(before, *_drive(replace(ENGINE, **CHANGES[cause]), seed, warm_by=3.0))  # type: ignore[arg-type]
    assert found.candidates[0].pattern.key == cause
    assert sum(c.probability for c in found.candidates) == pytest.approx(1.0)
    if cause == "none":
        assert found.low_kpa <= 0.0 <= found.high_kpa
    elif cause in ("relief_low", "worn_bearings", "thin_oil"):
        assert found.offset_kpa < 0.0


def test_a_sensors_zero_is_the_same_everywhere(before: ExpectedPressure) -> None:
    kpa, *rest = _drive(ENGINE, 21)
    found = changed_normal(before, kpa - 17.0, *rest)
    assert found.cause == "sensor_zero"
    assert found.candidates[0].value == pytest.approx(-17.0, abs=4.0)
    assert found.offset_kpa == pytest.approx(-17.0, abs=4.0) and found.high_kpa < 0.0


def test_a_clogging_filter_takes_more_the_more_flows(before: ExpectedPressure) -> None:
    from basso.oil.viscosity import walther

    kpa, rpm, heat, settled = _drive(ENGINE, 22)
    thick = walther(grade(ENGINE.oil)).viscosity_mm2ps(heat) / 15.0
    found = changed_normal(before, kpa - 25.0 * (rpm / 5000.0) * thick - 20.0 * (rpm / 5000.0) ** 2, rpm, heat, settled)
    assert found.cause == "clogged_filter"
    assert found.candidates[0].value == pytest.approx(45.0, abs=8.0)


def test_what_cannot_be_told_is_not_told(before: ExpectedPressure) -> None:
    kpa, rpm, heat, settled = _drive(ENGINE, 23)
    without = changed_normal(before, kpa, rpm, None, settled)
    assert without.cause == "" and not without.candidates and "a hotter day looks like a change" in without.reason
    elsewhere = changed_normal(before, kpa, rpm, heat + 60.0, settled)
    assert elsewhere.cause == "" and "hardly any settled running" in elsewhere.reason


@pytest.mark.parametrize("relief_kpa", [330.0, 380.0])
@pytest.mark.parametrize("times", [1.25, 1.55])
def test_a_valve_that_opens_later_is_no_wear_though_the_earlier_normal_never_saw_beyond_it(
    relief_kpa: float, times: float
) -> None:
    # The earlier sessions were capped nearly everywhere: what the pump makes without the valve is the form's guess.
    engine = replace(ENGINE, relief_kpa=relief_kpa)
    earlier = fit_expected(*_drive(engine, 5), grade(ENGINE.oil))
    found = changed_normal(earlier, *_drive(replace(engine, relief_kpa=times * relief_kpa), 6, warm_by=2.0))
    assert found.low_kpa > 0.0 and found.cause == "relief_high"
    lower = {"worn_bearings", "thin_oil", "leak", "clogged_filter", "relief_low"}
    assert all(c.probability < 1e-9 for c in found.candidates if c.pattern.key in lower)


def test_an_oil_that_is_only_known_by_its_label_blames_nothing_for_a_little(before: ExpectedPressure) -> None:
    kpa, rpm, heat, settled = _drive(ENGINE, 24)
    # As thin as 2 °C hotter: what a batch differs by from its label.
    sure, labelled = (changed_normal(before, kpa, rpm, heat - 2.0, settled, oil_sd=sd) for sd in (0.0, 0.05))
    none = [next(c.probability for c in f.candidates if c.pattern.key == "none") for f in (sure, labelled)]
    assert none[1] > none[0] and labelled.high_kpa - labelled.low_kpa > sure.high_kpa - sure.low_kpa
