"""The stand-in car is physics: the same seed gives the same bytes, and the parts behave as the real ones do."""

from __future__ import annotations

import hashlib
from dataclasses import replace
from importlib import resources

import numpy as np
import pytest

from basso.errors import InputError
from basso.standin.car import STEP_S, Car, Outing, drive_session, dyno_session, speed_profile
from basso.standin.circuit import Straight, Turn, harrowfell, lay_out
from basso.standin.demo import demo_log
from basso.standin.engine import Heat, TrueEngine, balance_kpa, churned_air, oil_temperature, pump_flow
from basso.standin.faults import Logger
from basso.standin.pan import Pan, move_oil
from basso.standin.scenarios import SCENARIOS, generator, run, run_setup, scenario
from basso.standin.simulate import Bottle, Setup, simulate, true_dips

DEMO = [name for name, s in SCENARIOS.items() if s.demo_seed is not None]
DEMO_FOLDER = resources.files("basso").joinpath("demo")


@pytest.mark.parametrize("name", ["baseline-1", "hill-climb", "accumulator", "truth-left"])
def test_same_seed_same_bytes(name: str) -> None:
    once, again, other = (hashlib.sha256(run(name, seed, 2)[1]).hexdigest() for seed in (7, 7, 8))
    assert once == again
    assert once != other


@pytest.mark.parametrize("name", DEMO)
def test_the_demo_log_that_ships_is_what_the_simulator_makes(name: str) -> None:
    assert DEMO_FOLDER.joinpath(f"{name}.csv").read_bytes() == demo_log(name)


def test_all_demo_logs_together_stay_small() -> None:
    size = sum(len(DEMO_FOLDER.joinpath(f"{n}.csv").read_bytes()) for n in DEMO)
    assert size <= 8_000_000


def test_an_unknown_scenario_is_answered_with_the_known_ones() -> None:
    with pytest.raises(InputError, match="baseline-1"):
        scenario("elsewhere")


@pytest.fixture(scope="module")
def drive():  # type: ignore[no-untyped-def]
    return drive_session(Car(), harrowfell(), Outing(laps=2), generator("test", 1))


class TestCar:
    def test_a_lap_stays_within_grip_brakes_and_power(self, drive) -> None:  # type: ignore[no-untyped-def]
        assert np.abs(drive.lateral_g).max() < 1.45
        assert drive.longitudinal_g.min() > -1.45
        assert drive.longitudinal_g.max() < 0.75

    def test_left_turns_are_positive_and_more_of_them(self, drive) -> None:  # type: ignore[no-untyped-def]
        assert np.mean(drive.lateral_g > 0.5) > np.mean(drive.lateral_g < -0.5)

    def test_the_engine_is_shifted_before_it_over_revs(self, drive) -> None:  # type: ignore[no-untyped-def]
        moving = drive.rpm[drive.speed_mps > 10]
        assert moving.max() < 7400
        assert np.percentile(moving, 1) > 2000

    def test_speed_is_the_rate_of_distance(self, drive) -> None:  # type: ignore[no-untyped-def]
        moving = slice(4000, 8000)
        steps = np.diff(drive.distance_m[moving]) / STEP_S
        assert np.median(np.abs(steps - drive.speed_mps[moving][1:])) < 0.3

    def test_the_profile_obeys_the_curvature(self) -> None:
        circuit = lay_out("ring", [Turn(50.0, 180.0), Straight(200), Turn(50.0, 180.0), Straight(200)])
        car = Car()
        lateral = speed_profile(car, circuit, 1.0) ** 2 * np.abs(circuit.curvature_per_m) / 9.80665
        assert lateral.max() == pytest.approx(car.grip_g, rel=0.06)

    def test_a_dyno_day_has_no_g(self) -> None:
        day = dyno_session(Car(), 3, generator("test", 2))
        assert np.abs(day.lateral_g).max() < 0.02
        assert day.rpm.max() > 6000
        assert day.rpm[0] == day.rpm[-1] == 0.0


class TestEngine:
    rpm = np.linspace(900, 7000, 40)

    def _at(self, engine: TrueEngine, temperature: float = 100.0, air: float = 0.0) -> np.ndarray:
        return np.asarray(balance_kpa(engine, self.rpm, np.full(40, temperature), pump_flow(engine, self.rpm, air)))

    def test_what_the_pump_delivers_leaves_the_gallery(self) -> None:
        engine = TrueEngine()
        p = self._at(engine)
        from basso.oil.grades import grade
        from basso.oil.viscosity import walther

        viscosity = walther(grade(engine.oil)).viscosity_mm2ps(np.array([100.0]))[0]
        leaving = p * engine.bearing * (1 + self.rpm / engine.bearing_rpm) / viscosity + engine.orifice * np.sqrt(p)
        leaving += engine.relief_slope * np.maximum(p - engine.relief_kpa, 0)
        assert leaving == pytest.approx(pump_flow(engine, self.rpm), rel=1e-9)

    def test_rises_with_rpm_falls_with_heat_flattens_at_relief(self) -> None:
        assert np.all(np.diff(self._at(TrueEngine())) > 0)
        assert np.all(self._at(TrueEngine(), 120.0) < self._at(TrueEngine(), 90.0))
        assert self._at(TrueEngine(), 60.0).max() < TrueEngine().relief_kpa * 1.2

    def test_air_and_wear_only_ever_lower_it(self) -> None:
        assert np.all(self._at(TrueEngine(), air=0.3) < self._at(TrueEngine()))
        assert np.all(self._at(TrueEngine(bearing=2.0)) < self._at(TrueEngine()))

    def test_churning_needs_rpm_and_time(self) -> None:
        rpm = np.where(np.arange(1000) < 500, 5000.0, 7000.0)
        air = churned_air(TrueEngine(churn_rpm=6000.0), rpm)
        assert air[499] == 0.0
        assert 0 < air[510] < air[600] <= 0.4

    def test_oil_warms_towards_its_balance(self, drive) -> None:  # type: ignore[no-untyped-def]
        temperature = oil_temperature(Heat(start_c=60.0), drive)
        assert temperature[-3000] > 75.0
        assert np.abs(np.diff(temperature)).max() < 0.02


class TestPan:
    def test_a_dip_follows_the_g_with_a_lag(self, drive) -> None:  # type: ignore[no-untyped-def]
        motion = move_oil(Pan(), drive)
        lags = np.arange(0, 120)
        agreement = [np.corrcoef(drive.lateral_g[:-200], motion.surface_ay_g[k : k - 200 or None])[0, 1] for k in lags]
        assert 0.2 < lags[int(np.argmax(agreement))] * STEP_S < 1.0

    def test_more_oil_keeps_the_pickup_covered(self, drive) -> None:  # type: ignore[no-untyped-def]
        heads = [move_oil(Pan(fill_l=v), drive).head_m.min() for v in (3.9, 4.4, 4.9)]
        assert heads[0] < heads[1] < heads[2]

    def test_doors_keep_oil_at_the_pickup(self, drive) -> None:  # type: ignore[no-untyped-def]
        open_pan, gated = move_oil(Pan(fill_l=4.0), drive), move_oil(Pan(fill_l=4.0, gated=True), drive)
        assert gated.air.sum() < 0.5 * open_pan.air.sum()


class TestTruth:
    def test_the_cures_of_the_scenario_cure(self) -> None:
        counts = {
            n: len(true_dips(run(n, SCENARIOS[n].demo_seed or 1)[0])) for n in ("baseline-1", "gated", "plus-0.4")
        }
        assert counts["baseline-1"] > 2 * counts["gated"]
        assert counts["baseline-1"] > 1.5 * counts["plus-0.4"]

    def test_an_accumulator_holds_the_pressure_up(self) -> None:
        setup = Setup(harrowfell(), pan=Pan(fill_l=4.1), session=Outing(laps=2))
        without = simulate(setup, generator("x", 1))
        with_bottle = simulate(replace(setup, bottle=Bottle()), generator("x", 1))
        low = without.pressure_kpa < 0.6 * without.healthy_kpa
        assert low.any()
        assert np.mean(with_bottle.pressure_kpa[low] - without.pressure_kpa[low]) > 20.0

    def test_the_accumulator_never_holds_more_oil_than_the_gas_law_allows(self) -> None:
        s = simulate(Setup(harrowfell(), bottle=Bottle(), session=Outing(laps=1)), generator("x", 2))
        assert s.bottle_kpa is not None
        assert s.bottle_kpa.min() >= Bottle().precharge_kpa - 1e-6
        assert s.bottle_kpa.max() <= s.pressure_kpa.max() + 5.0


def test_a_logger_writes_what_it_is_told_to() -> None:
    setup = Setup(harrowfell(), session=Outing(laps=1))
    logger = Logger(25, "bar", "°F", "m/s²", "mph", clock=True, units_row=True, gps=True)
    head = run_setup(setup, logger, generator("x", 1))[1].decode().splitlines()[:3]
    assert head[0].startswith("Time,Engine speed,Oil pressure")
    assert "bar" in head[1] and "°F" in head[1] and "m/s²" in head[1]
    assert head[2].count(":") == 2
