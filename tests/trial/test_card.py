"""The runs of a trial day against their card: what is off, what cannot be told, what is still to drive."""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache
from typing import Any

import numpy as np
import pytest

from basso.analysis import Analysis
from basso.errors import InputError
from basso.report.plan_document import runs_document
from basso.trial.card import CheckedRun, RunCard, card_from, check_runs
from basso.words.run_card import card_words, facts, run_words
from basso.workflow import demo_folder, judge, open_recording

HOLD = {"oil_temp_c": (80.0, 115.0), "lap_time_s": (90.0, 96.0), "peak_g": (1.1, 1.3)}
CARD = RunCard("+0.4 L", ("A", "B", "B", "A"), (2, 2, 2, 2), HOLD)


@lru_cache(maxsize=2)
def demo(name: str = "baseline-1") -> Analysis:
    return judge(open_recording(demo_folder() / f"{name}.csv"))


def begun(x: Analysis, at: str) -> Analysis:
    return replace(x, recording=replace(x.recording, started=at))


def only(card: RunCard, x: Analysis | None = None) -> CheckedRun:
    (run,) = check_runs(card, [("A", demo() if x is None else x)]).runs
    return run


def holding(**ends: tuple[float, float]) -> RunCard:
    return replace(CARD, hold={**HOLD, **ends})


def test_a_run_that_kept_to_the_card_is_said_to() -> None:
    run = only(CARD)
    assert run_words(run) == ["As the card has it."] and not run.off and not run.unknown
    assert run.in_range == run.laps == sum(lap.complete for lap in demo().laps)
    assert facts(run).startswith(f"{run.laps} flying laps, oil 8") and " °C, " in facts(run)


@pytest.mark.parametrize(
    ("ends", "said"),
    [
        ({"oil_temp_c": (60.0, 92.0)}, "°C hotter than the card: repeat it cooler"),
        ({"oil_temp_c": (120.0, 130.0)}, "°C cooler than the card: repeat it warmer"),
        ({"lap_time_s": (80.0, 90.0)}, "% slower than the card allows"),
        ({"lap_time_s": (100.0, 110.0)}, "% quicker than the card allows"),
        ({"peak_g": (0.8, 1.0)}, "g over the card"),
        ({"peak_g": (1.4, 1.5)}, "g under the card"),
    ],
)
def test_what_is_off_is_said_by_how_much_and_what_to_do(ends: dict[str, tuple[float, float]], said: str) -> None:
    run = only(holding(**ends))
    assert said in run_words(run)[0] and len(run.off) == 1
    (name, value), ((low, high),) = next(iter(run.off.items())), ends.values()
    middle = {"oil": run.oil_c[1] if run.oil_c else 0.0, "pace": run.lap_time_s, "g": run.peak_g}[name]
    assert middle is not None and value == pytest.approx(middle - (high if middle > high else low))


def test_slower_laps_are_told_in_g_as_well() -> None:
    assert demo().laps
    median = only(CARD).lap_time_s
    assert median is not None
    words = run_words(only(holding(lap_time_s=(80.0, median / 1.02))))[0]
    assert words.startswith("Laps 2.0 % slower than the card allows: about 4 % less g")


def test_only_laps_with_the_oil_in_range_count() -> None:
    run = only(CARD)
    assert run.oil_c is not None
    checked = check_runs(
        replace(holding(oil_temp_c=(run.oil_c[2] - 0.2, 130.0)), laps_per_run=(3,) * 4), [("A", demo())]
    )
    (some,) = checked.runs
    assert 1 <= some.in_range < 3 < some.laps
    assert checked.to_drive == {"A": 6 - some.in_range, "B": 6}
    lap = "lap" if some.in_range == 1 else "laps"
    assert any(f"{some.in_range} flying {lap} with the oil in range ({some.laps} driven)" in w for w in run_words(some))
    assert f"{6 - some.in_range} flying laps of A and 6 flying laps of B." in card_words(checked)[-1]


def test_what_is_not_logged_is_not_taken_for_held() -> None:
    blind = only(CARD, replace(demo(), temperature_c=None))
    assert blind.unknown == ("oil",) and blind.oil_c is None
    assert run_words(blind) == ["The log does not tell, so not checked: oil temperature."]
    counted = card_words(check_runs(CARD, [("A", replace(demo(), temperature_c=None))]))
    assert counted[-1] == "Laps whose oil temperature was not logged count as in range here."
    lost = only(CARD, replace(demo(), expected=replace(demo().expected, valid=False)))
    assert lost.low is None and "the line at which to stop" in run_words(lost)[0]
    assert not card_words(check_runs(CARD, [("A", replace(demo(), temperature_c=None))]))[0].startswith("The run is as")
    standing = only(CARD, demo("dyno"))
    assert run_words(standing) == ["No flying laps, so there is nothing to hold against the card."]


def test_a_run_that_crossed_the_stop_line_comes_before_all_else() -> None:
    x = demo()
    dip = x.dips[0]
    told = x.told_kpa.copy()
    inside = (x.time_s >= dip.dip.start_s) & (x.time_s <= dip.dip.start_s + 0.6)
    told[inside] = 0.4 * x.expected_kpa[inside]
    low = replace(x, told_kpa=told, judged=x.judged | inside)
    run = only(holding(oil_temp_c=(60.0, 92.0)), low)
    assert run.low is not None and 0.3 <= run.low.seconds < 1.5 and dip.place is not None
    first = run_words(run)[0]
    assert first.startswith("Under half of normal for 0.") and dip.place.label in first and "lap " in first
    checked = check_runs(CARD, [("A", low)])
    assert card_words(checked)[0].startswith("Run 1 (A) crossed the line at which to stop")
    told = x.told_kpa.copy()
    told[inside] = np.where(x.time_s[inside] < dip.dip.start_s + 0.15, 0.4, 0.9) * x.expected_kpa[inside]
    assert only(CARD, replace(x, told_kpa=told)).low is None


def test_the_order_is_that_of_the_clocks_and_said_where_it_is_not_the_cards() -> None:
    times = ("2026-05-12T10:20:00", "2026-05-12T09:00:00", "2026-05-12T11:30:00", "2026-05-12T12:10:00")
    a1, b1, b2, a2 = (begun(demo(), t) for t in (times[1], times[0], times[2], times[3]))
    checked = check_runs(CARD, [("A", a1), ("A", a2), ("B", b1), ("B", b2)])
    assert checked.in_order and [r.side for r in checked.runs] == ["A", "B", "B", "A"]
    assert checked.runs[3].asked == 2 and "Nothing left to drive." in card_words(checked)
    swapped = check_runs(CARD, [("A", a1), ("A", b1), ("B", b2), ("B", a2)])
    assert swapped.in_order is False
    assert any("Driven A A B B, not A B B A" in w for w in card_words(swapped))
    day = [("A", begun(demo(), "2026-05-12")), ("B", begun(demo(), "2026-05-13"))]
    assert check_runs(CARD, day).in_order is None  # type: ignore[arg-type]


def test_a_run_that_is_repeated_at_once_is_no_change_of_order() -> None:
    runs = [(s, begun(demo(), f"2026-05-12T1{n}:00:00")) for n, s in enumerate("ABBBA")]
    checked = check_runs(CARD, runs)  # type: ignore[arg-type]
    assert checked.in_order is True
    assert [r.asked for r in checked.runs] == [2, 2, 2, None, 2]
    assert "The card has no further run of B" in " ".join(run_words(checked.runs[3]))


PLAN: dict[str, Any] = {
    "schema": "basso.plan/1",
    "order": ["A", "B", "B", "A"],
    "laps_per_run": [2, 2, 2, 2],
    "hold": {"oil_temp_c": [80, 115]},
}


def test_a_plan_that_was_written_is_read_as_its_card() -> None:
    card = card_from({**PLAN, "change": "+0.4 L"}, "plan.json")
    assert (card.change, card.order, card.laps("A")) == ("+0.4 L", ("A", "B", "B", "A"), 4)
    assert card.hold == {"oil_temp_c": (80.0, 115.0)}


@pytest.mark.parametrize(
    "spoilt",
    [
        None,
        [],
        {**PLAN, "schema": "basso.alarm/1"},
        {**PLAN, "order": ["A", "C", "B", "A"]},
        {**PLAN, "laps_per_run": [2, 2]},
        {**PLAN, "laps_per_run": [2, 0, 2, 2]},
        {**PLAN, "hold": {"oil_temp_c": [115, 80]}},
        {**PLAN, "hold": {"oil_temp_c": None}},
        {**PLAN, "order": [], "laps_per_run": []},
    ],
)
def test_what_is_no_plan_is_refused_by_its_name(spoilt: Any) -> None:
    with pytest.raises(InputError, match=r"^plan\.json: (is no plan|plans no runs)"):
        card_from(spoilt, "plan.json")


def test_the_document_says_what_the_words_say() -> None:
    made = runs_document(check_runs(CARD, [("A", demo())]))
    assert made["schema"] == "basso.runs/1" and made["to_drive"] == {"A": 0, "B": 4}
    assert made["runs"][0]["findings"] == ["As the card has it."] and made["runs"][0]["oil_temp_c"][1] > 90
