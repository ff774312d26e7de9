"""What the Trial station says and draws, worked out without Qt."""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache

import numpy as np
import pytest

from basso import workflow
from basso.trial.verdict import Comparison
from basso.ui.stations.trial.picture import before_after, exceedance, rows, settle, side_words
from basso.units import UNITS, DisplayUnits
from basso.words.trial import opening, places_words

KPA = DisplayUnits()
PSI = DisplayUnits(pressure=UNITS["psi"], temperature=UNITS["°F"])


@lru_cache(maxsize=8)
def _compare(a: tuple[str, ...], b: tuple[str, ...]) -> Comparison:
    folder = workflow.demo_folder()
    sides = [[workflow.open_recording(folder / f"{n}.csv") for n in side] for side in (a, b)]
    return workflow.run_trial("full mark", sides[0], "+0.4 L", sides[1])


@pytest.fixture
def helps() -> Comparison:
    return _compare(("baseline-1", "baseline-2"), ("plus-0.4",))


@pytest.fixture
def nothing() -> Comparison:
    return _compare(("baseline-1",), ("baseline-2",))


@pytest.fixture
def apart() -> Comparison:
    return _compare(("baseline-1",), ("hill-climb",))


def test_a_verdict_is_a_sentence_with_numbers_conditions_and_laps(helps: Comparison) -> None:
    words = opening(helps, KPA)
    assert words.title.startswith("Helps: lowest pressure up ")
    assert "kPa (+" in words.title and "+0.4 L" in words.title
    for part in ("°C", "rpm", " g;", "13 against 8 laps", "95 % interval, laps as repetitions"):
        assert part in words.detail


def test_the_sentence_follows_the_units(helps: Comparison) -> None:
    words = opening(helps, PSI)
    assert "psi" in words.title and "kPa" not in words.title + words.detail
    assert "°F" in words.detail


def test_no_clear_change_asks_for_more_laps_and_shows_the_interval(nothing: Comparison) -> None:
    words = opening(nothing, KPA)
    assert words.title.startswith("No clear change")
    assert "More laps a side" in words.detail
    assert nothing.effect_kpa is not None
    assert nothing.effect_kpa.low < 0 < nothing.effect_kpa.high


def test_not_comparable_gives_its_reason_and_no_figure(apart: Comparison) -> None:
    words = opening(apart, KPA)
    assert words.title == "Not comparable"
    assert words.detail
    assert all(r.effect in ("–", "too few") and r.interval is None for r in rows(apart, KPA))
    assert before_after(apart, KPA) is None or before_after(apart, KPA).lines == ()  # type: ignore[union-attr]


def test_a_naive_look_that_says_the_opposite_is_mentioned(helps: Comparison) -> None:
    assert helps.effect_kpa is not None
    turned = replace(
        helps, effect_kpa=replace(helps.effect_kpa, estimate=-20.0, low=-30.0, high=-10.0), verdict="worse"
    )
    assert "Lap against lap it would look like" in opening(turned, KPA).detail


def test_rows_are_the_dip_prone_places_then_the_rest_together(helps: Comparison) -> None:
    made = rows(helps, KPA)
    assert [r.place for r in made[:-1]] == [p.label for p in helps.over]
    assert "other places" in made[-1].place
    for r in made[:-1]:
        assert r.interval is not None
        estimate, low, high = r.interval
        assert low < estimate < high
        assert r.passes == "13 · 8"
        assert r.clear == (low > 0 or high < 0)


def test_every_pass_is_a_dot_at_its_own_oil_temperature(helps: Comparison) -> None:
    plot = before_after(helps, KPA)
    assert plot is not None
    assert len(plot.dots) == len(helps.passes_in_question)
    assert {d.side for d in plot.dots} == {0, 1}
    assert all(
        plot.x_range[0] <= d.x <= plot.x_range[1] and plot.y_range[0] <= d.y <= plot.y_range[1] for d in plot.dots
    )


def test_the_gap_drawn_is_the_effect_told(helps: Comparison) -> None:
    plot = before_after(helps, KPA)
    assert plot is not None and helps.effect_kpa is not None
    assert plot.gap_y[1] - plot.gap_y[0] == pytest.approx(helps.effect_kpa.estimate)
    assert plot.gap_words == f"{helps.effect_kpa.estimate:+.0f}"
    for line in plot.lines:
        slope = (line.y[1] - line.y[0]) / (line.x[1] - line.x[0])
        assert slope == pytest.approx(helps.effect_kpa.per_degree)


def test_the_plot_in_psi_is_the_plot_in_kpa_scaled(helps: Comparison) -> None:
    kpa, psi = before_after(helps, KPA), before_after(helps, PSI)
    assert kpa is not None and psi is not None
    np.testing.assert_allclose([d.y * 6.894757293168361 for d in psi.dots], [d.y for d in kpa.dots])
    np.testing.assert_allclose([(d.x - 32) / 1.8 for d in psi.dots], [d.x for d in kpa.dots])


def test_exceedance_leaves_zeros_out_and_rises_with_the_share(helps: Comparison) -> None:
    for curve in exceedance(helps):
        assert all(v > 0 for _, v in curve)
        assert [s for s, _ in curve] == sorted(s for s, _ in curve)
        assert [v for _, v in curve] == sorted(v for _, v in curve)
    a, b = (dict(c) for c in exceedance(helps))
    assert b[80] < a[80]


def test_what_would_settle_the_rest(helps: Comparison, apart: Comparison) -> None:
    assert any("froth" in line for line in settle(helps, KPA)), "a raised level has its own caution"
    assert any("A B B A" in line for line in settle(helps, KPA))
    assert any("same circuit" in line for line in settle(apart, KPA))
    assert not any("safe" in line.lower() for line in settle(helps, KPA))


def test_sides_are_told_by_laps_and_temperatures(helps: Comparison) -> None:
    assert side_words(helps.a, KPA).startswith("13 laps · ")
    assert side_words(helps.b, PSI).endswith("°F")


def test_naive_difference_is_the_plain_one(nothing: Comparison) -> None:
    passes = nothing.passes_in_question
    a, b = (np.mean([p.min_pressure_kpa for p in passes if p.side == s]) for s in (0, 1))
    assert nothing.naive_kpa == pytest.approx(float(b - a))


@pytest.mark.parametrize(
    ("labels", "words"),
    [(["a"], "a"), (["a", "b"], "a and b"), (["a", "b", "c"], "a, b and c"), (list("abcde"), "a, b, c and 2 more")],
)
def test_places_in_words(labels: list[str], words: str) -> None:
    assert places_words(labels) == words
