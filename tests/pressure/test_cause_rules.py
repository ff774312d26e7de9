"""Each rule by which a cause is named, a boundary either side: the evidence is made by hand, nothing is learned."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from basso.normal.expected import ExpectedPressure, fit_expected
from basso.pressure.causes import OIL_FALLS_KPA_S, Cause, Elsewhere, Signals, fastest_fall, find_cause, look_elsewhere
from basso.pressure.dips import Dip
from basso.pressure.floors import Fixed, highest_floor
from basso.pressure.slosh import felt
from basso.recording.roles import Role

RATE = 50.0
T = np.arange(0.0, 40.0, 1.0 / RATE)
FIRST, LAST = 1000, 1050
"""The dip: from 20 s to 21 s."""


@pytest.fixture(scope="module")
def expected() -> ExpectedPressure:
    """A normal that falls with heat, known from 1500 to 7000 rpm and from 70 to 130 °C."""
    rng = np.random.default_rng(1)
    rpm, temperature = rng.uniform(1500.0, 7000.0, 6000), rng.uniform(70.0, 130.0, 6000)
    kpa = 0.075 * rpm * np.exp(-0.018 * (temperature - 95.0))
    return fit_expected(kpa, rpm, temperature, np.ones(rpm.size, dtype=bool))


NOTHING_ELSE = Elsewhere(*(np.empty(0) for _ in range(5)), np.empty(0, dtype=np.bool_), memory_s=0.7)


def evidence(
    expected: ExpectedPressure,
    share: float = 1.0,
    temperature: float = 95.0,
    coolest: float | None = None,
    floor_over_normal: float = 1.02,
    level_share: float = 1.0,
    lateral: np.ndarray | None = None,
    longitudinal: np.ndarray | None = None,
    rpm: float = 5000.0,
    elsewhere: Elsewhere = NOTHING_ELSE,
) -> tuple[Dip, Signals]:
    """A second below the floor at one engine speed and oil temperature; ``share``: of normal, within it."""
    speed, heat = np.full(T.size, rpm), np.full(T.size, temperature)
    normal = expected.at(speed, heat)
    pressure = normal.copy()
    pressure[FIRST:LAST] *= share
    # Oil comes and goes over a tenth of a second: no sensor's jump.
    pressure = np.convolve(np.pad(pressure, 5, mode="edge"), np.full(11, 1 / 11), "valid")
    floor = highest_floor((Fixed(float(normal[0]) * floor_over_normal),), speed, normal)
    none = np.zeros(T.size)
    side = none if lateral is None else lateral
    along = none if longitudinal is None else longitudinal
    dip = Dip(
        start_s=float(T[FIRST]),
        end_s=float(T[LAST]),
        first=FIRST,
        last=LAST,
        lowest=FIRST + 20,
        lowest_margin=FIRST + 20,
        min_pressure_kpa=float(pressure[FIRST:LAST].min()),
        min_margin_kpa=float((pressure - floor.kpa)[FIRST:LAST].min()),
        min_share=share,
        told_margin_kpa=float((pressure - floor.kpa)[FIRST:LAST].min()),
        told_share=share,
        deficit_kpa_s=1.0,
    )
    signals = Signals(
        time_s=T,
        rpm=speed,
        pressure_kpa=pressure,
        expected_kpa=normal,
        floor=floor,
        lateral_g=side,
        longitudinal_g=along,
        temperature_c=heat,
        elsewhere=elsewhere,
        high_rpm=6000.0,
        expected=expected,
        coolest_c=temperature if coolest is None else coolest,
        level_share=level_share,
        felt=(felt(side, 1.0 / RATE), felt(along, 1.0 / RATE)),
    )
    return dip, signals


def cause_of(case: tuple[Dip, Signals]) -> Cause:
    return find_cause(*case)


class TestNormalItselfIsLow:
    def test_over_118_degrees_it_is_the_heat_though_the_log_shows_no_cooler_oil(
        self, expected: ExpectedPressure
    ) -> None:
        assert cause_of(evidence(expected, temperature=118.2)).name == "hot_oil"
        assert cause_of(evidence(expected, temperature=117.8)).name == "low_everywhere"

    def test_it_is_the_heat_where_cooler_oil_of_this_log_held_the_floor_by_three_per_cent(
        self, expected: ExpectedPressure
    ) -> None:
        hot = 110.0
        at_hot = float(expected.at(np.array([5000.0]), np.array([hot]))[0])

        def coolest_for(over_floor: float) -> float:
            """The oil temperature at which normal lies so much over the floor (which is at 1.02 of normal when hot)."""
            heats = np.linspace(80.0, hot, 4000)
            kpa = expected.at(np.full(heats.size, 5000.0), heats)
            return float(heats[np.argmin(np.abs(kpa / (1.02 * at_hot) - over_floor))])

        assert cause_of(evidence(expected, temperature=hot, coolest=coolest_for(1.04))).name == "hot_oil"
        assert cause_of(evidence(expected, temperature=hot, coolest=coolest_for(1.02))).name == "low_everywhere"

    def test_a_share_of_normal_under_088_is_starvation_not_a_low_normal(self, expected: ExpectedPressure) -> None:
        above, under = (cause_of(evidence(expected, share=s, temperature=121.0)) for s in (0.90, 0.86))
        assert above.name == "hot_oil"
        assert under.name not in ("hot_oil", "low_everywhere")

    def test_a_floor_well_under_normal_has_nothing_to_do_with_normal(self, expected: ExpectedPressure) -> None:
        low, high = (cause_of(evidence(expected, temperature=121.0, floor_over_normal=f)) for f in (0.84, 0.88))
        assert high.name == "hot_oil"
        assert low.name == "unknown"


class TestLowEverywhere:
    def test_settled_running_under_088_of_the_earlier_normal_is_low_everywhere(
        self, expected: ExpectedPressure
    ) -> None:
        case = {"share": 0.80, "floor_over_normal": 0.9}
        assert cause_of(evidence(expected, **case, level_share=0.87)).name == "low_everywhere"
        assert cause_of(evidence(expected, **case, level_share=0.89)).name != "low_everywhere"

    def test_a_dip_well_below_what_settled_running_shows_is_not_explained_by_it(
        self, expected: ExpectedPressure
    ) -> None:
        near, far = (
            cause_of(evidence(expected, share=s, floor_over_normal=0.9, level_share=0.8)) for s in (0.72, 0.60)
        )
        assert near.name == "low_everywhere"
        assert far.name != "low_everywhere"

    def test_without_oil_temperature_heat_and_wear_are_not_told_apart(self, expected: ExpectedPressure) -> None:
        dip, s = evidence(expected, share=0.85, level_share=0.8)
        cause = find_cause(dip, replace(s, temperature_c=None))
        assert cause.name == "unknown" and cause.needs == (Role.OIL_TEMP,)


class TestSensor:
    def test_only_a_fall_no_oil_makes_is_the_sensor(self, expected: ExpectedPressure) -> None:
        dip, s = evidence(expected, share=0.6, floor_over_normal=0.9)
        for fall, name in ((0.97 * OIL_FALLS_KPA_S, "unknown"), (1.03 * OIL_FALLS_KPA_S, "sensor")):
            pressure = s.pressure_kpa.copy()
            pressure[FIRST + 1] = pressure[FIRST] - fall / RATE
            made = replace(s, pressure_kpa=pressure)
            assert fastest_fall(made, dip) == pytest.approx(fall, rel=1e-3)
            assert find_cause(dip, made).name == name

    def test_with_a_g_that_could_throw_the_oil_it_is_not_put_down_to_the_sensor(
        self, expected: ExpectedPressure
    ) -> None:
        for g, is_sensor in ((0.33, True), (0.37, False)):
            dip, s = evidence(expected, share=0.6, floor_over_normal=0.9, lateral=np.full(T.size, g))
            pressure = s.pressure_kpa.copy()
            pressure[FIRST + 1] = pressure[FIRST] - 1.2 * OIL_FALLS_KPA_S / RATE
            assert (find_cause(dip, replace(s, pressure_kpa=pressure)).name == "sensor") is is_sensor


class TestThrown:
    @pytest.mark.parametrize(("g", "name"), [(0.33, "unknown"), (0.37, "left_turn")])
    def test_less_than_035_g_held_uncovers_no_pickup(self, expected: ExpectedPressure, g: float, name: str) -> None:
        assert cause_of(evidence(expected, share=0.6, floor_over_normal=0.9, lateral=np.full(T.size, g))).name == name

    def test_which_g_counts_goes_by_how_long_this_pan_takes(self, expected: ExpectedPressure) -> None:
        """A left turn that ended 0.7 s before the dip, braking since: a pan that answers at once was emptied by the
        braking, one that adds up the g of the last second by the turn."""
        side, along = np.zeros(T.size), np.zeros(T.size)
        side[(T > 18.0) & (T <= 19.55)] = 1.2
        along[(T > 19.55) & (T <= 20.5)] = -0.8
        case = {"share": 0.6, "floor_over_normal": 0.9, "lateral": side, "longitudinal": along}
        quick, slow = (
            cause_of(evidence(expected, **case, elsewhere=replace(NOTHING_ELSE, memory_s=memory)))
            for memory in (0.4, 1.6)
        )
        assert quick.name == "braking"
        assert slow.name == "left_turn"

    def test_a_second_direction_is_told_only_where_it_is_felt_when_the_air_was_drawn(
        self, expected: ExpectedPressure
    ) -> None:
        """Braking that begins as the dip begins came too late: the air in the gallery was drawn a tenth earlier."""
        side = np.where((T > 18.5) & (T < 21.0), 1.1, 0.0)
        for begins, together in ((19.3, "braking"), (19.95, "")):
            along = np.where((begins < T) & (T < 21.0), -0.9, 0.0)
            cause = cause_of(evidence(expected, share=0.6, floor_over_normal=0.9, lateral=side, longitudinal=along))
            assert (cause.name, cause.together_with) == ("left_turn", together), begins


class TestWhatThePanShows:
    @staticmethod
    def _session(memory_s: float) -> Elsewhere:
        """Left turns of many lengths, in which the pressure follows the g of the last ``memory_s``."""
        rng = np.random.default_rng(3)
        time = np.arange(0.0, 400.0, 0.02)
        side = np.zeros(time.size)
        for at in np.arange(5.0, 390.0, 6.0):
            side[(time >= at) & (time < at + rng.uniform(0.4, 3.0))] = rng.uniform(0.6, 1.3)
        size = round(memory_s / 0.02)
        held = np.convolve(np.concatenate([np.zeros(size - 1), side]), np.full(size, 1.0 / size), "valid")
        share = 1.0 - np.clip(held - 0.7, 0.0, 1.0)
        everywhere = np.ones(time.size, dtype=np.bool_)
        return look_elsewhere(np.full(time.size, 5000.0), share, everywhere, side, np.zeros(time.size), 0.02)

    @pytest.mark.parametrize("memory_s", [0.2, 0.7, 1.6])
    def test_over_how_long_the_g_adds_up_is_found(self, memory_s: float) -> None:
        assert self._session(memory_s).memory_s == memory_s

    def test_where_nothing_is_lost_the_usual_memory_holds(self) -> None:
        n = 4000
        calm = look_elsewhere(np.full(n, 5000.0), np.ones(n), np.ones(n, dtype=np.bool_), np.ones(n), np.zeros(n), 0.02)
        assert calm.memory_s == 0.7

    def test_twelve_samples_are_enough_to_rest_a_statement_on(self) -> None:
        seen = self._session(0.7)
        for n in (11, 12):
            few = replace(
                seen,
                rpm=np.full(n, 5000.0),
                held_rpm=np.full(n, 5000.0),
                share=np.full(n, 0.5),
                held_lateral_g=np.zeros(n),
                held_longitudinal_g=np.zeros(n),
                level=np.ones(n, dtype=np.bool_),
            )
            counted = few.low_share_at_rpm_without_g(5000.0)
            assert (counted.samples, counted.fraction_low, counted.enough) == (n, 1.0, n == 12)

    def test_high_rpm_needs_three_in_ten_low_without_g(self, expected: ExpectedPressure) -> None:
        n = 100
        for low, name in ((29, "unknown"), (32, "high_rpm")):
            share = np.where(np.arange(n) < low, 0.8, 1.0)
            elsewhere = Elsewhere(
                rpm=np.full(n, 5000.0),
                held_rpm=np.full(n, 5000.0),
                share=share,
                held_lateral_g=np.zeros(n),
                held_longitudinal_g=np.zeros(n),
                level=np.ones(n, dtype=np.bool_),
                memory_s=0.7,
            )
            assert cause_of(evidence(expected, share=0.7, floor_over_normal=0.9, elsewhere=elsewhere)).name == name
