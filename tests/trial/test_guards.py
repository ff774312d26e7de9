"""Each guard of a trial's verdict, a boundary either side: a wrong "it works" costs an engine."""

from __future__ import annotations

from dataclasses import replace
from types import SimpleNamespace
from typing import Any, cast

import numpy as np
import pytest

from basso.findings.corners.passes import Pass
from basso.track.corners import Place
from basso.trial.control import Control, over_control
from basso.trial.effect import Effect
from basso.trial.guards import decide, unlike
from basso.trial.match import Conditions, Likeness, Side, apart_c, dip_prone, likeness_of, straights_of, with_control

PLACES = tuple(Place(str(i), "left", 100.0 * i, 100.0 * i + 40, 100.0 * i + 80, 1.2) for i in range(1, 6))
EFFECT = Effect(
    estimate=30.0,
    low=10.0,
    high=50.0,
    per_degree=-2.0,
    at_temperature_c=100.0,
    at_rpm=5000.0,
    at_peak_g=1.2,
    level_a=200.0,
    level_b=230.0,
    laps_a=6,
    laps_b=6,
)
SHARE = replace(EFFECT, estimate=0.10, low=0.02, high=0.18)


def passes(side: int, temperatures: list[float], place: str = "1", below: int = 0, share: float = 0.8) -> list[Pass]:
    """So many passes of one place, the first ``below`` of them under the floor."""
    return [
        Pass(
            side=side,
            lap_key=(side, 0, i),
            place=place,
            min_pressure_kpa=200.0,
            min_share=share,
            expected_kpa=250.0,
            temperature_c=t,
            rpm=5000.0,
            peak_g=1.2,
            below_s=0.5 if i < below else 0.0,
            time_s=10.0 * i,
            start_s=10.0 * i,
            end_s=10.0 * i,
            log=0,
        )
        for i, t in enumerate(temperatures)
    ]


def made_side(
    own: list[Pass],
    heat: tuple[float, float, float] | None = (95.0, 100.0, 105.0),
    g: float = 1.2,
    lap_s: float | None = 90.0,
    rpm: float = 5000.0,
    settled_share: float = 1.0,
) -> Side:
    n = 100
    analysis = SimpleNamespace(
        share=np.full(n, settled_share), settled=np.ones(n, dtype=bool), judged=np.ones(n, dtype=bool)
    )
    conditions = Conditions(heat, (rpm, rpm, rpm), (g, g, g), lap_s)
    return Side("x", cast(Any, (analysis,)), 6, tuple(own), conditions)


class TestVerdict:
    def test_a_clear_effect_is_a_verdict_either_way(self) -> None:
        assert decide(EFFECT, SHARE, PLACES[:1], None, 0.0)[0] == "better"
        worse = replace(EFFECT, estimate=-30.0, low=-50.0, high=-10.0)
        fallen = replace(SHARE, estimate=-0.1, low=-0.2, high=-0.02)
        assert decide(worse, fallen, PLACES[:1], None, 0.0)[0] == "worse"

    @pytest.mark.parametrize(("estimate", "verdict"), [(6.0, "better"), (5.9, "no_clear_change")])
    def test_less_than_six_kpa_is_no_effect_however_sure(self, estimate: float, verdict: str) -> None:
        small = replace(EFFECT, estimate=estimate, low=estimate - 1.0, high=estimate + 1.0)
        assert decide(small, SHARE, PLACES[:1], None, 0.0)[0] == verdict
        down = replace(EFFECT, estimate=-estimate, low=-estimate - 1.0, high=-estimate + 1.0)
        fallen = replace(SHARE, estimate=-0.1)
        assert decide(down, fallen, PLACES[:1], None, 0.0)[0] == verdict.replace("better", "worse")

    @pytest.mark.parametrize(("low", "verdict"), [(0.1, "better"), (0.0, "no_clear_change"), (-0.1, "no_clear_change")])
    def test_an_interval_that_takes_in_nothing_is_no_verdict(self, low: float, verdict: str) -> None:
        assert decide(replace(EFFECT, low=low), SHARE, PLACES[:1], None, 0.0)[0] == verdict

    @pytest.mark.parametrize(
        ("share", "verdict"), [(0.001, "better"), (0.0, "no_clear_change"), (-0.02, "no_clear_change")]
    )
    def test_pressure_up_and_percent_of_normal_down_is_no_cure(self, share: float, verdict: str) -> None:
        assert decide(EFFECT, replace(SHARE, estimate=share), PLACES[:1], None, 0.0)[0] == verdict

    @pytest.mark.parametrize(
        ("share", "verdict"), [(-0.001, "worse"), (0.0, "no_clear_change"), (0.02, "no_clear_change")]
    )
    def test_pressure_down_and_percent_of_normal_up_is_no_loss(self, share: float, verdict: str) -> None:
        down = replace(EFFECT, estimate=-30.0, low=-50.0, high=-10.0)
        assert decide(down, replace(SHARE, estimate=share), PLACES[:1], None, 0.0)[0] == verdict

    def test_without_a_normal_the_pressure_decides_alone(self) -> None:
        assert decide(EFFECT, None, PLACES[:1], None, 0.0)[0] == "better"

    @pytest.mark.parametrize(("laps", "verdict"), [(4, "no_clear_change"), (3, "not_comparable")])
    def test_few_laps_without_a_clear_effect_are_not_comparable(self, laps: int, verdict: str) -> None:
        vague = replace(EFFECT, low=-5.0, laps_b=laps)
        assert decide(vague, SHARE, PLACES[:1], None, 0.0)[0] == verdict
        assert decide(replace(vague, laps_a=laps, laps_b=6), SHARE, PLACES[:1], None, 0.0)[0] == verdict

    def test_few_laps_that_stand_clear_are_judged_and_it_is_said(self) -> None:
        verdict, reasons = decide(replace(EFFECT, laps_b=3), SHARE, PLACES[:1], None, 0.0)
        assert verdict == "better" and any("few laps" in r for r in reasons)
        assert not any("few laps" in r for r in decide(EFFECT, SHARE, PLACES[:1], None, 0.0)[1])

    def test_nothing_left_to_compare(self) -> None:
        assert decide(None, None, (), None, 0.0)[0] == "not_comparable"

    @pytest.mark.parametrize(("gap", "told"), [(0.0, False), (0.1, True)])
    def test_temperatures_that_are_not_shared_are_told(self, gap: float, told: bool) -> None:
        reasons = decide(EFFECT, SHARE, PLACES[:1], None, gap)[1]
        assert any("share no oil temperature" in r for r in reasons) is told

    @pytest.mark.parametrize(
        ("laps", "low", "verdict"), [(3, 10.0, "better"), (3, 9.0, "not_comparable"), (4, 9.0, "better")]
    )
    def test_two_or_three_laps_must_stand_well_clear(self, laps: int, low: float, verdict: str) -> None:
        """An effect of 30 kPa: with three laps a half-width of 20 is just clear of none, one of 21 is not."""
        few = replace(EFFECT, low=low, high=60.0 - low, laps_a=laps)
        assert decide(few, SHARE, PLACES[:1], None, 0.0)[0] == verdict

    def test_a_shift_of_calm_running_is_told(self) -> None:
        shifted = Control(12.0, 1.0, 300.0, 6, True)
        assert any("reads +12 kPa on side B" in r for r in decide(EFFECT, SHARE, PLACES[:1], shifted, 0.0)[1])
        unsure = replace(shifted, spread_kpa=7.0)
        assert not any("on side B" in r for r in decide(EFFECT, SHARE, PLACES[:1], unsure, 0.0)[1])
        unproven = replace(unsure, zeros_proven=False)
        assert any("zero is not proven" in r for r in decide(EFFECT, SHARE, PLACES[:1], unproven, 0.0)[1])


class TestLikeEnough:
    def test_two_like_sides_are_let_through(self) -> None:
        assert unlike(made_side(passes(0, [100.0])), made_side(passes(1, [100.0])), ()) == []

    def test_a_side_without_warm_passes(self) -> None:
        (why,) = unlike(made_side(passes(0, [100.0])), made_side([]), ())
        assert "no warm passes" in why

    @pytest.mark.parametrize("without", [0, 1])
    def test_one_side_without_oil_temperature(self, without: int) -> None:
        sides = [made_side(passes(i, [100.0]), heat=None if i == without else (95.0, 100.0, 105.0)) for i in (0, 1)]
        (why,) = unlike(sides[0], sides[1], ())
        assert "one side has no oil temperature" in why

    def test_neither_side_with_an_oil_temperature_is_no_hindrance(self) -> None:
        a, b = (made_side(passes(i, [float("nan")]), heat=None) for i in (0, 1))
        assert unlike(a, b, ()) == []

    @pytest.mark.parametrize(("hotter", "blocked"), [(3.0, False), (3.1, True), (-3.0, False), (-3.1, True)])
    def test_oil_temperatures_further_apart_than_three_degrees(self, hotter: float, blocked: bool) -> None:
        a = made_side(passes(0, [98.0, 100.0]))
        b = made_side(passes(1, [100.0 + hotter, 101.0 + hotter] if hotter > 0 else [97.0 + hotter, 98.0 + hotter]))
        assert apart_c(a, b) == pytest.approx(abs(hotter))
        assert bool(unlike(a, b, ())) is blocked

    def test_temperatures_that_overlap_are_not_apart(self) -> None:
        assert apart_c(made_side(passes(0, [90.0, 100.0])), made_side(passes(1, [95.0, 110.0]))) == 0.0

    @pytest.mark.parametrize(("g", "blocked"), [(1.37, False), (1.39, True), (1.03, False), (1.01, True)])
    def test_cornering_that_is_not_alike(self, g: float, blocked: bool) -> None:
        why = unlike(made_side(passes(0, [100.0]), g=g), made_side(passes(1, [100.0])), ())
        assert bool(why) is blocked and (not why or "not alike" in why[0])

    @pytest.mark.parametrize(("state", "blocked"), [("matched", False), ("fair", False), ("not matched", True)])
    def test_straights_that_disagree(self, state: str, blocked: bool) -> None:
        row = Likeness("Straights agree", "11.0%", cast(Any, state))
        why = unlike(made_side(passes(0, [100.0])), made_side(passes(1, [100.0])), (row,))
        assert bool(why) is blocked

    @pytest.mark.parametrize(
        ("share", "state"), [(0.961, "matched"), (0.959, "fair"), (0.901, "fair"), (0.899, "not matched")]
    )
    def test_how_straights_are_graded(self, share: float, state: str) -> None:
        row = straights_of(made_side([]), made_side([], settled_share=share))
        assert row.state == state
        assert straights_of(made_side([], settled_share=share), made_side([])).state == state

    @pytest.mark.parametrize(
        ("shift", "state"), [(5.9, "matched"), (6.1, "fair"), (29.9, "fair"), (30.1, "not matched")]
    )
    def test_how_calm_running_grades_them(self, shift: float, state: str) -> None:
        control = Control(shift, 0.5, 300.0, 6, False)
        rows = (Likeness("Straights agree", "?", "matched"), Likeness("Pace", "0.0 s", "matched"))
        graded = with_control(rows, control)
        assert [r.state for r in graded] == [state, "matched"]
        unknown = replace(control, shift_kpa=float("nan"))
        assert with_control(rows, unknown) == rows

    @pytest.mark.parametrize(
        ("b", "what", "state"),
        [
            (made_side([], heat=(92.9, 97.1, 102.9)), "Oil temperature", "matched"),
            (made_side([], heat=(92.0, 97.0, 102.0)), "Oil temperature", "adjusted"),
            (made_side([], heat=None), "Oil temperature", "not known"),
            (made_side([], rpm=5099.0), "Engine speed", "matched"),
            (made_side([], rpm=4900.0), "Engine speed", "adjusted"),
            (made_side([], g=1.229), "g held", "matched"),
            (made_side([], g=1.231), "g held", "adjusted"),
            (made_side([], lap_s=90.8), "Pace", "matched"),
            (made_side([], lap_s=89.0), "Pace", "fair"),
        ],
    )
    def test_how_like_the_sides_were(self, b: Side, what: str, state: str) -> None:
        rows = {r.what: r for r in likeness_of(made_side([]), b)}
        assert rows[what].state == state

    def test_which_way_the_pace_went(self) -> None:
        rows = [
            next(r for r in likeness_of(made_side([]), made_side([], lap_s=s)) if r.what == "Pace")
            for s in (92.0, 88.0)
        ]
        assert [r.finding for r in rows] == ["2.0 s slower", "2.0 s quicker"]


class TestDipProne:
    @pytest.mark.parametrize(("below", "prone"), [(1, True), (0, False)])
    def test_a_fifth_of_the_passes_of_either_side(self, below: int, prone: bool) -> None:
        heat = [100.0] * 5
        for dipping in (0, 1):
            sides = [
                made_side(
                    passes(i, heat, "1", below if i == dipping else 0) + passes(i, heat, "2", 2) + passes(i, heat, "3")
                )
                for i in (0, 1)
            ]
            found = [p.id for p in dip_prone(PLACES, *sides)]
            assert found == (["1", "2"] if prone else ["2"])

    def test_less_than_a_fifth_is_not_enough(self) -> None:
        heat = [100.0] * 6
        a, b = (made_side(passes(i, heat, "1", 1) + passes(i, heat, "2", 3)) for i in (0, 1))
        assert [p.id for p in dip_prone(PLACES, a, b)] == ["2"]

    def test_where_nothing_dips_the_three_lowest_are_looked_at_in_driving_order(self) -> None:
        heat = [100.0] * 3
        shares = {"1": 0.95, "2": 0.75, "3": 0.90, "4": 0.70, "5": 0.80}
        a, b = (made_side([p for k, s in shares.items() for p in passes(i, heat, k, share=s)]) for i in (0, 1))
        assert [p.id for p in dip_prone(PLACES, a, b)] == ["2", "4", "5"]

    def test_a_place_that_one_side_never_drove_is_left_out(self) -> None:
        heat = [100.0] * 3
        a = made_side(passes(0, heat, "1", 3) + passes(0, heat, "2", 3))
        b = made_side(passes(1, heat, "2", 3))
        assert [p.id for p in dip_prone(PLACES, a, b)] == ["2"]


@pytest.mark.parametrize(
    ("zero", "gain"), [(z, 1.0) for z in (-35.0, -20.0, 20.0, 35.0)] + [(0.0, g) for g in (0.92, 0.96, 1.04, 1.08)]
)
def test_a_sensor_further_off_than_is_usual_is_still_no_effect(zero: float, gain: float) -> None:
    level, calm = 200.0, 440.0
    seen = zero + (gain - 1.0) * level
    effect = replace(EFFECT, estimate=seen, low=seen - 0.5, high=seen + 0.5)
    found = over_control(effect, Control(zero + (gain - 1.0) * calm, 0.5, calm, 12, False), level)
    assert found.low < 0.0 < found.high
    # Of a small shift it is known what it may be; what was measured is not drowned.
    small = over_control(replace(EFFECT, low=29.0, high=31.0), Control(4.0, 0.5, calm, 12, False), level)
    assert small.high - small.low < 20.0
