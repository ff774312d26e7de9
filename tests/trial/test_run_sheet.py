"""May it go out again: the gravest rule that holds decides, a limit is stated, and nothing is promised."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from basso.analysis import Analysis
from basso.pressure.causes import Cause
from basso.pressure.floors import Fixed, Share, parse_floor
from basso.pressure.options import JudgeOptions
from basso.report.run_sheet_page import run_sheet_page
from basso.trial.run_sheet import run_sheet, verdict_of
from basso.trust.verdict import Check
from basso.units import UNITS, DisplayUnits
from basso.workflow import demo_folder, judge, open_recording, run_trial

FAR_BELOW = Fixed(1.0)


@pytest.fixture(scope="module")
def a() -> Analysis:
    return judge(open_recording(demo_folder() / "baseline-1.csv"))


@pytest.fixture(scope="module")
def clean() -> Analysis:
    return judge(open_recording(demo_folder() / "baseline-1.csv"), JudgeOptions(floors=(parse_floor("fixed:60"),)))


def lowest(a: Analysis) -> float:
    return min(float(a.told_kpa[d.dip.lowest]) for d in a.dips)


def test_a_clean_run_may_go_and_says_by_which_rule(clean: Analysis) -> None:
    v = verdict_of(clean, FAR_BELOW)
    assert (v.call, v.limit) == ("go", "") and v.rule == "No dip in 15 min of judged running, above every floor."


def test_under_the_act_now_line_it_does_not_go(a: Analysis) -> None:
    least = lowest(a)
    at = verdict_of(a, Fixed(least + 0.5))
    assert at.call == "stop" and "turn 6, under the act-now line" in at.rule
    over = verdict_of(a, Fixed(least - 0.5))
    assert over.call == "limit"
    assert verdict_of(a, Share(0.99)).call == "stop" and verdict_of(a, Share(0.01)).call == "limit"


def test_the_limit_is_what_came_before_the_dips(a: Analysis) -> None:
    v = verdict_of(a, FAR_BELOW)
    held = [d.cause.held_g for d in a.dips if d.cause.key == "one_side" and d.cause.held_g is not None]
    assert f"turns under {np.percentile(held, 10):.2f} g" in v.limit and "braking under" in v.limit
    assert "27 dips" in v.rule and "over the act-now line" in v.rule


@pytest.mark.parametrize(
    ("change", "call", "says"),
    [
        (
            lambda a: replace(a, checks=(Check("oil_pressure", "fail", "No oil pressure."),)),
            "cannot tell",
            "No oil pressure",
        ),
        (lambda a: replace(a, checks=(Check("wiring", "fail", "The plug is loose."),)), "stop", "The plug is loose"),
        (lambda a: replace(a, checks=(Check("doubt", "warn", "It reads like a boost gauge."),)), "stop", "boost gauge"),
        (lambda a: replace(a, checks=()), "cannot tell", "zero is assumed"),
        (lambda a: replace(a, judged=np.zeros_like(a.judged)), "cannot tell", "only 0.0 of"),
    ],
)
def test_what_is_not_known_is_no_leave_to_go(change: object, call: str, says: str, clean: Analysis) -> None:
    v = verdict_of(change(clean), FAR_BELOW)  # type: ignore[operator]
    assert v.call == call and says in v.rule


def test_four_fifths_of_the_running_must_be_judged(clean: Analysis) -> None:
    running = np.flatnonzero(clean.judged)
    for share, call in ((0.79, "cannot tell"), (0.83, "go")):
        judged = np.zeros_like(clean.judged)
        judged[running[: round(share * running.size)]] = True
        assert verdict_of(replace(clean, judged=judged), FAR_BELOW).call == call


def test_graver_rules_go_before_the_act_now_line(a: Analysis) -> None:
    first = a.dips[0]

    def with_cause(name: str, **more: object) -> Analysis:
        cause = Cause(name, 0.9, "", 0.0, 0.0, None, **more)  # type: ignore[arg-type]
        return replace(a, dips=(replace(first, cause=cause), *a.dips[1:]))

    assert "low everywhere" in verdict_of(with_cause("low_everywhere"), FAR_BELOW).rule
    severe = replace(a, dips=(replace(first, severity="severe"),))
    assert verdict_of(severe, FAR_BELOW).call == "stop"
    nobody_knows = replace(a, dips=(replace(first, cause=Cause("unknown", 0.0, "", 0.0, 0.0, None)),))
    v = verdict_of(nobody_knows, FAR_BELOW)
    assert v.call == "stop" and "no limit can be stated" in v.rule


def test_against_the_run_before(a: Analysis) -> None:
    after = open_recording(demo_folder() / "gated.csv")
    c = run_trial("before", [a.recording], "this run", [after])
    sheet = run_sheet(judge(after), FAR_BELOW, c)
    changes = {r.place.id: r.change for r in sheet.places}
    assert set(changes.values()) <= {"better", "gone", "no clear change"} and "gone" in changes.values()
    assert all(r.before is not None and 0 <= r.before <= r.laps_before for r in sheet.places)
    assert not sheet.is_indication
    page = run_sheet_page(sheet, "Car 31", "stint 1", ["Oil 10W-40."], "x", DisplayUnits(pressure=UNITS["psi"]))
    words = repr(page)
    assert "Helps: lowest pressure up" in words and "kPa" not in words and "Against the run before: stint 1" in words
    assert "not a promise" in words and "stop the engine" in words


def test_without_a_run_before_nothing_is_compared(a: Analysis) -> None:
    sheet = run_sheet(a, FAR_BELOW)
    assert {r.change for r in sheet.places} == {"not compared"}
    page = repr(run_sheet_page(sheet, "Car 31", "", [], "x", DisplayUnits()))
    assert "Against the run before" not in page
    margins = [min(r.marks) for r in sheet.places]
    assert margins == sorted(margins) and sheet.places[0].low == sum(m < 0.0 for m in sheet.places[0].marks)
