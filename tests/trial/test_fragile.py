"""What would overturn a verdict: nothing plausible where it stands clear, and what is named does when it is run."""

from __future__ import annotations

import json
from dataclasses import replace
from functools import lru_cache

import numpy as np
import pytest

from basso.cli.main import main
from basso.trial.control import Control, control_of
from basso.trial.effect import Effect
from basso.trial.fragile import Fragile, fragile_of
from basso.trial.guards import Verdict
from basso.trial.verdict import Comparison
from basso.words.trial import fragile_words
from basso.workflow import demo_folder, open_recording, run_trial

ORDER = ["zero_a", "zero_b", "temperature_slope", "floor", "extreme_lap"]


@lru_cache(maxsize=1)
def clear() -> Comparison:
    a, b = (open_recording(demo_folder() / f"{n}.csv") for n in ("baseline-1", "plus-0.4"))
    return run_trial("A", [a], "B", [b])


def by_name(rows: tuple[Fragile, ...]) -> dict[str, Fragile]:
    assert [r.assumption for r in rows] == ORDER
    return {r.assumption: r for r in rows}


def never(_side: int, _by_kpa: float) -> Verdict:
    raise AssertionError("nothing flips, so nothing is run anew")


def scaled(c: Comparison, share: float) -> Comparison:
    """The same trial with the effect made smaller: side B's passes brought nearer to side A's."""
    assert c.effect_kpa is not None
    less = (1.0 - share) * c.effect_kpa.estimate
    passes = tuple(
        replace(p, min_pressure_kpa=p.min_pressure_kpa - less, min_share=p.min_share - less / p.expected_kpa)
        for p in c.b.passes
    )
    return replace(c, b=replace(c.b, passes=passes))


def test_a_large_effect_stands_and_says_so() -> None:
    rows = by_name(fragile_of(clear(), never))
    assert all(r.flips_at is None for r in rows.values())
    assert rows["temperature_slope"].now == pytest.approx(-5.6, abs=0.5)
    assert rows["temperature_slope"].unit == "kPa/degC" and rows["zero_a"].unit == "kPa"
    (said,) = fragile_words(tuple(rows.values()))
    assert said.startswith("It holds for any plausible zero")


def test_a_small_effect_hangs_on_single_laps_and_on_the_temperature_slope() -> None:
    near = scaled(clear(), 0.13)
    assert near.effect_kpa is not None
    found = by_name(fragile_of(near, lambda *_: "better"))
    assert found["extreme_lap"].flips_at in (1.0, 2.0)
    assert found["zero_a"].flips_at is None, "judged anew it did not flip, so it is not said"


def test_a_zero_is_said_only_where_judging_anew_confirms_it(monkeypatch: pytest.MonkeyPatch) -> None:
    from basso.trial import fragile

    c = clear()

    def compared(_la: str, a: list[object], _lb: str, b: list[object], control: Control | None) -> Comparison:
        moved = float(np.median(a[0].pressure_kpa - c.a.analyses[0].pressure_kpa))  # type: ignore[attr-defined]
        return replace(c, verdict="no_clear_change") if moved >= 15.0 else c

    monkeypatch.setattr(fragile, "compare", compared)
    runs: list[tuple[int, float]] = []

    def rerun(side: int, by_kpa: float) -> Verdict:
        runs.append((side, by_kpa))
        return "no_clear_change" if by_kpa >= 30.0 else "better"

    rows = by_name(fragile_of(c, rerun))
    assert runs == [(0, 15.0), (0, 30.0)], "what the quick look found does not hold there, but does at the end"
    assert rows["zero_a"].flips_at == 30.0 and rows["zero_b"].flips_at is None
    assert "the zero of A were off by +30 kPa" in " ".join(map(str, fragile_words(tuple(rows.values()))))


@pytest.mark.parametrize(("side", "by_kpa"), [(0, 15.0), (1, 15.0), (0, -30.0), (1, -30.0)])
def test_moved_readings_move_what_calm_running_reads_as_fitting_anew_would(side: int, by_kpa: float) -> None:
    c = clear()
    assert c.control is not None
    sides = [list(c.a.analyses), list(c.b.analyses)]
    sides[side] = [replace(x, told_kpa=x.told_kpa + by_kpa) for x in sides[side]]
    anew = control_of(*sides)
    moved = c.control.moved(by_kpa if side == 1 else -by_kpa)
    assert moved.shift_kpa == pytest.approx(anew.shift_kpa, abs=1.0)


def test_what_is_not_comparable_is_not_overturned() -> None:
    none = replace(clear(), verdict="not_comparable", effect_kpa=None)
    assert all(r.flips_at is None for r in fragile_of(none, never))


def test_each_is_said_in_its_words() -> None:
    rows = (
        Fragile("zero_b", 2.0, -19.0, "kPa"),
        Fragile("temperature_slope", -5.6, -3.0, "kPa/degC"),
        Fragile("floor", 0.0, 15.0, "kPa"),
        Fragile("extreme_lap", 0.0, 1.0, "laps left out"),
    )
    told = [str(w) for w in fragile_words(rows)]
    assert told[0] == "It would not hold if the zero of B were off by −21 kPa."
    assert told[1] == "It would not hold if 1 °C of oil made −3.0 kPa instead of −5.6 kPa."
    assert told[2] == "It would not hold with every floor +15 kPa."
    assert told[3] == "It hangs on 1 lap: without, it is another."


def test_the_contracts_rows(capsys: pytest.CaptureFixture[str]) -> None:
    logs = [str(demo_folder() / f"{n}.csv") for n in ("baseline-1", "plus-0.4")]
    assert main(["compare", "--a", logs[0], "--b", logs[1], "--json"]) == 0
    rows = json.loads(capsys.readouterr().out)["fragile"]
    assert [r["assumption"] for r in rows] == ORDER
    assert all(set(r) == {"assumption", "now", "flips_at", "unit"} for r in rows)
    assert isinstance(clear().effect_kpa, Effect)
