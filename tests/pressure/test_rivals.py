"""Two directions told together, and what speaks for and against every cause."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from scipy.optimize import minimize
from scipy.special import expit

from basso.analysis import analyse
from basso.pressure.pull import EQUAL, find_pull
from basso.standin.car import Outing
from basso.standin.circuit import harrowfell
from basso.standin.engine import lagged
from basso.standin.faults import Logger
from basso.standin.pan import Pan
from basso.standin.scenarios import generator, run_setup
from basso.standin.simulate import Setup, Simulated
from basso.sump.shape import BoxPan
from basso.sump.surface import pickup_head_m
from basso.units import FloatArray
from support import judged_scenario, recording_of, side_said


def test_pull_is_found_from_what_lies_low_when() -> None:
    """Made truth: bare where 1.0 x left + 0.5 x braking is over 0.9; right and acceleration do nothing."""
    rng = np.random.default_rng(4)
    side, fore = rng.uniform(-1.4, 1.4, 6000), rng.uniform(-1.2, 0.6, 6000)
    low = np.maximum(side, 0.0) + 0.5 * np.maximum(-fore, 0.0) + rng.normal(0.0, 0.05, side.size) > 0.9
    pull = find_pull(low, side, fore, np.zeros(side.size))
    assert pull["left_turn"] == 1.0 and pull["braking"] == pytest.approx(0.5, abs=0.12)
    assert pull["right_turn"] < 0.25 and pull["acceleration"] < pull["braking"]


def test_where_nothing_lies_low_a_g_counts_the_same_any_way() -> None:
    rng = np.random.default_rng(4)
    side, fore = rng.uniform(-1.4, 1.4, 500), rng.uniform(-1.2, 0.6, 500)
    assert find_pull(np.zeros(500, dtype=bool), side, fore, np.zeros(500)) == EQUAL


def test_churning_at_high_speed_is_not_put_down_to_the_pan() -> None:
    rng = np.random.default_rng(5)
    side, fore, fast = rng.uniform(-1.4, 1.4, 6000), rng.uniform(-1.2, 0.6, 6000), rng.uniform(0.0, 2.0, 6000)
    assert find_pull(fast > 1.2, side, fore, fast) == EQUAL


@pytest.mark.parametrize("sharp", [1.0, 4.0, 1e6], ids=["spread", "clear", "no overlap"])
@pytest.mark.parametrize("seed", range(4))
def test_pull_is_the_likeliest_there_is(seed: int, sharp: float) -> None:
    """Against a general minimiser on the same likelihood, to a hundredth; some directions do nothing, so bounds are
    met."""
    rng = np.random.default_rng(seed)
    side, fore = rng.normal(0.0, 0.6, 2500), rng.normal(0.0, 0.4, 2500)
    truth = np.maximum(rng.normal(1.5, 2.5, 4), 0.0)
    columns = np.column_stack([np.maximum(v, 0.0) for v in (side, -side, -fore, fore)])
    low = rng.random(side.size) < expit(np.clip(sharp * (columns @ truth - 1.2), -500.0, 500.0))
    whole = np.column_stack([columns, np.zeros(side.size), np.ones(side.size)])

    def unlikely(c: FloatArray) -> float:
        spread = c[:4] - c[:4].mean()
        return float(np.sum(np.logaddexp(0.0, -np.where(low, 1.0, -1.0) * (whole @ c)))) / 8.0 + float(spread @ spread)

    bounds = [(0.0, 60.0)] * 5 + [(None, None)]
    best = minimize(unlikely, [1.0] * 4 + [0.0, -3.0], method="L-BFGS-B", bounds=bounds, options={"maxfun": 10**5}).x[
        :4
    ]
    pull = find_pull(low, side, fore, np.zeros(side.size))
    assert list(pull.values()) == pytest.approx(best / best.max(), abs=0.01)


def _lesser(setup: Setup, simulated: Simulated, start_s: float) -> float:
    """By the exact surface: the lesser direction's share of what took the oil from over the pickup, as the dip
    began."""
    pan, oil = setup.pan, simulated.oil
    at = int(start_s * 100) - 20
    held = lagged(pan.held_up_l * simulated.drive.rpm / 7000.0, pan.held_up_s)[at]
    level = float(pickup_head_m(pan.shape, np.array([pan.fill_l - held]), np.zeros(1), np.zeros(1))[0])
    part = slice(at - 5, at + 5)
    taken = [max(level - float(h[part].mean()), 0.0) for h in (oil.head_lateral_only_m, oil.head_longitudinal_only_m)]
    return min(taken) / max(sum(taken), 1e-9)


@pytest.mark.parametrize("seed", [7, 11])
def test_what_is_told_together_took_both_by_the_true_surface(seed: int) -> None:
    """The pickup lies behind and to the left: braking takes the oil forward, a left turn to the right."""
    shape = BoxPan(0.26, 0.22, 0.16, (-0.03, 0.055, 0.008))
    setup = Setup(harrowfell(), pan=Pan(shape=shape, fill_l=4.6), session=Outing(laps=6))
    simulated, csv = run_setup(setup, Logger(50), generator("together", seed))
    recording = recording_of(csv)
    a = analyse(recording, side_said(recording))
    both = [_lesser(setup, simulated, d.dip.start_s) for d in a.dips if d.cause.together_with]
    alone = [_lesser(setup, simulated, d.dip.start_s) for d in a.dips if not d.cause.together_with and d.cause.held_g]
    assert len(both) >= 4 and len(alone) >= 8
    assert np.median(both) > 0.18 and np.median(alone) < 0.12
    assert all("together with" in d.cause.reason for d in a.dips if d.cause.together_with)


def test_one_direction_that_does_it_alone_is_told_alone() -> None:
    for name in ("truth-left", "truth-braking", "truth-launch"):
        dips = judged_scenario(name, 3).analysis.dips
        assert dips and np.mean([not d.cause.together_with for d in dips]) > 0.9


def test_every_rival_has_figures_for_or_against_it_and_the_judged_one_stands_first() -> None:
    a = judged_scenario("baseline-1", 3).analysis
    for d in a.dips:
        rivals = a.rivals(d)
        assert rivals[0].name == d.cause.name and rivals[0].speaks_for
        names = [r.name for r in rivals]
        assert len(names) == len(set(names)) and {"high_rpm", "hot_oil", "low_everywhere", "sensor"} <= set(names)
        assert all(r.speaks_for or r.speaks_against for r in rivals)
        others = {r.name: r for r in rivals[1:]}
        assert any("of normal" in w for w in others["low_everywhere"].speaks_against)
        assert any("as oil does" in w for w in others["sensor"].speaks_against)


def test_hot_oil_has_its_floor_for_it_and_its_share() -> None:
    a = judged_scenario("hot-day", 8).analysis
    d = next(d for d in a.dips if d.cause.name == "hot_oil")
    hot = a.rivals(d)[0]
    assert any("over the floor" in w for w in hot.speaks_for) and any("stays at" in w for w in hot.speaks_for)


def test_an_analysis_that_judged_nothing_has_no_rivals() -> None:
    a = judged_scenario("baseline-1", 3).analysis
    assert replace(a, signals=None).rivals(a.dips[0]) == ()
