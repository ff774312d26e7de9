"""A trial planned: the scatter is found, more laps see more, and what is planned is what then happens."""

from __future__ import annotations

import json
from dataclasses import replace
from functools import lru_cache

import numpy as np
import pytest

from basso.analysis import Analysis
from basso.cli.main import main
from basso.errors import InputError
from basso.findings.corners.passes import Pass
from basso.trial import plan
from basso.trial.effect import estimate_effect
from basso.trial.guards import change_of
from basso.trial.plan import LAPS_TRIED, TrialPlan, _fewest, _Model, _runs, plan_trial
from basso.words.plan import plan_reasons, stop_when
from basso.workflow import demo_folder, judge, open_recording

DEMO = [str(demo_folder() / f"baseline-{n}.csv") for n in (1, 2)]
LEVELS = {"2": 260.0, "4": 240.0, "6": 190.0}


def passes(laps: int, lap_kpa: float, pass_kpa: float, seed: int, side: int = 0, effect: float = 0.0) -> list[Pass]:
    """Laps of a made-up car: 1 °C is 1.5 kPa, and each lap and each pass departs by its own."""
    rng = np.random.default_rng(seed)
    made = []
    for lap in range(laps):
        heat, apart = 100.0 + rng.normal(0.0, 2.0), rng.normal(0.0, lap_kpa)
        for place, level in LEVELS.items():
            lowest = level - 1.5 * (heat - 100.0) + apart + rng.normal(0.0, pass_kpa) + effect
            made.append(
                Pass(
                    side=side,
                    lap_key=(side, 0, lap),
                    place=place,
                    min_pressure_kpa=lowest,
                    min_share=lowest / 350.0,
                    expected_kpa=350.0,
                    temperature_c=heat,
                    rpm=4500.0 + rng.normal(0.0, 30.0),
                    peak_g=1.15 + rng.normal(0.0, 0.01),
                    below_s=0.5,
                    time_s=0.0,
                    start_s=0.0,
                    end_s=1.0,
                    log=0,
                )
            )
    return made


@lru_cache(maxsize=1)
def demo() -> list[Analysis]:
    return [judge(open_recording(demo_folder() / f"baseline-{n}.csv")) for n in (1, 2)]


@pytest.fixture(autouse=True)
def fewer_draws(monkeypatch: pytest.MonkeyPatch) -> None:
    """A power within a few points is enough to see it by."""
    monkeypatch.setattr(plan, "_DRAWS", 150)


def planned(effect: float) -> TrialPlan:
    return plan_trial(demo(), effect)


def test_the_scatter_between_laps_and_between_passes_is_found() -> None:
    found = [_Model(passes(60, 8.0, 5.0, seed), None).scatter for seed in range(4)]
    assert np.mean([s.lap_kpa for s in found]) == pytest.approx(8.0, rel=0.2)
    assert np.mean([s.pass_kpa for s in found]) == pytest.approx(5.0, rel=0.15)
    alike = _Model(passes(60, 0.0, 5.0, 9), None).scatter
    assert alike.lap_kpa < 2.0 and (alike.laps, alike.passes) == (60, 180)


@pytest.mark.parametrize("laps", [5, 10])
def test_of_few_laps_the_scatter_is_not_made_small_by_what_was_fitted(laps: int) -> None:
    found = [_Model(passes(laps, 6.0, 5.0, seed), -2.0).scatter for seed in range(40)]
    assert np.sqrt(np.mean([s.lap_kpa**2 for s in found])) == pytest.approx(6.0, rel=0.25)
    assert np.sqrt(np.mean([s.pass_kpa**2 for s in found])) == pytest.approx(5.0, rel=0.15)


@pytest.mark.parametrize("laps", [6, 10])
def test_what_is_planned_is_what_then_happens(laps: int) -> None:
    model = _Model(passes(40, 8.0, 5.0, 1), None)
    told = 0
    for seed in range(200):
        a = passes(laps, 8.0, 5.0, 1000 + seed)
        b = passes(laps, 8.0, 5.0, 5000 + seed, side=1, effect=16.0)
        found = estimate_effect([*a, *b], np.array([p.min_pressure_kpa for p in (*a, *b)]))
        told += found is not None and change_of(found) == "better"
    assert model.power(laps, 16.0) == pytest.approx(told / 200, abs=0.10)


def test_more_laps_and_larger_effects_are_seen_more_often_and_down_as_well_as_up() -> None:
    model = _Model(passes(30, 8.0, 5.0, 2), None)
    assert model.power(16, 12.0) > model.power(6, 12.0) and model.power(8, 25.0) > model.power(8, 10.0)
    assert model.power(10, -15.0) == pytest.approx(model.power(10, 15.0), abs=0.08)
    assert model.power(10, 1.0) < 0.06, "what is within what sensors disagree by is not told"


def test_the_fewest_laps_between_those_tried_and_never_fewer_than_a_trial_needs() -> None:
    assert _fewest([(2, 0.95), (3, 0.97)], 0.9) == 2
    assert _fewest([(2, 0.2), (4, 0.6), (8, 1.0)], 0.9) == 7
    assert _fewest([(2, 0.2), (4, 0.6)], 0.9) is None
    assert _runs(6) == (("A", "B", "B", "A"), (3, 3, 3, 3)) and _runs(12)[1] == (6, 6, 6, 6)
    order, each = _runs(13)
    assert order == ("A", "B", "B", "A") * 2 and sum(n for s, n in zip(order, each, strict=True) if s == "A") >= 13


def test_the_demo_car_is_planned_for() -> None:
    found = planned(20.0)
    assert found.laps_per_side is not None and 3 <= found.laps_per_side <= 12
    assert found.reached is not None and found.reached >= 0.9
    assert {p.id for p in found.places} >= {"6", "7"} and found.scatter.laps == 13
    assert sum(n for s, n in zip(found.order, found.laps_per_run, strict=True) if s == "B") >= found.laps_per_side
    low, high = found.hold["oil_temp_c"]
    assert 95.0 < low < high < 115.0 and set(found.hold) == {"oil_temp_c", "peak_g", "lap_time_s"}
    told = " ".join(map(str, plan_reasons(found)))
    assert "scatters by" in told and "of 13 laps" in told and "A-B-B-A" in told
    assert any("Oil over " in str(w) for w in stop_when(found))
    assert "real low-pressure warning" in str(stop_when(found)[0])


def test_an_effect_too_small_to_see_is_said_to_be(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(plan, "_DRAWS", 40)
    found = planned(2.0)
    assert found.laps_per_side is None and found.order == () and found.power_at[-1][0] == LAPS_TRIED[-1]
    assert "short of the 90 % wanted" in " ".join(map(str, plan_reasons(found)))


def test_the_contracts_document(capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["plan", *DEMO, "--effect", "25", "--power", "0.8", "--json"]) == 0
    d = json.loads(capsys.readouterr().out)
    assert d["schema"] == "basso.plan/1" and (d["measure"], d["effect"]) == ("min_pressure_kpa", 25.0)
    assert d["order"] == ["A", "B", "B", "A"] and len(d["laps_per_run"]) == 4 and d["power"] >= 0.8
    assert all(set(x) == {"laps", "power"} for x in d["power_at"]) and d["stop_when"] and d["reasons"]
    assert all(low < high for low, high in d["hold"].values())


@pytest.mark.parametrize(
    ("words", "problem"),
    [
        ((DEMO[0], "--effect", "0"), "1 to 1000 kPa"),
        ((DEMO[0], "--effect", "nan"), "1 to 1000 kPa"),
        ((DEMO[0], "--effect", "20", "--power", "1"), "between 0.5 and 0.99"),
        ((str(demo_folder() / "dyno.csv"), "--effect", "20"), "dyno.csv"),
        (("missing.csv", "--effect", "20"), "missing.csv"),
    ],
)
def test_what_is_wrong_is_one_sentence(
    words: tuple[str, ...], problem: str, capsys: pytest.CaptureFixture[str]
) -> None:
    assert main(["plan", *words]) == 2
    told = capsys.readouterr()
    assert problem in told.err and told.err.count("\n") == 1


def test_too_few_laps_to_know_the_scatter_are_refused() -> None:
    (a, _) = demo()
    bare = replace(a, laps=tuple(replace(lap, complete=lap.complete and lap.number < 3) for lap in a.laps))
    with pytest.raises(InputError, match="it takes 3 to know how far"):
        plan_trial([bare], 20.0)
