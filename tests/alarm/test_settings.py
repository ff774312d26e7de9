"""What a setting draws, and what a device that somebody set does: against lines worked out by hand."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from basso.alarm.backtest import prove
from basso.alarm.findings import AlarmFindings, find_alarm, set_alarm
from basso.alarm.proposals import blind_to
from basso.alarm.rules import AlarmRule, showings
from basso.alarm.settings import Setting, basis_of, curve_of, strangers, under_floor_kpa
from basso.analysis import Analysis
from basso.errors import InputError
from basso.words.alarm import drivers_card, idle_words, lead_words, missed_words, opening, setting_words
from basso.workflow import demo_folder, judge, open_recording

LAMP = AlarmRule("fixed", 0.0, ((0.0, 40.0),), 0.5)


@pytest.fixture(scope="module")
def judged() -> Analysis:
    return judge(open_recording(demo_folder() / "baseline-1.csv"))


@pytest.fixture(scope="module")
def found(judged: Analysis) -> AlarmFindings:
    return find_alarm(judged, [])


def test_a_table_lies_so_far_under_normal_at_the_oil_that_was_said(found: AlarmFindings) -> None:
    rule = found.basis.rule(Setting("table", 30.0, 3500.0, 100.0))
    assert [rpm for rpm, _ in rule.points][:3] == [3500.0, 4000.0, 4500.0]
    for rpm, kpa in rule.points:
        normal = float(found.basis.normal.at(np.array([rpm]), np.array([100.0]))[0])
        assert kpa == pytest.approx(normal - 30.0, abs=0.06)
    hotter = found.basis.rule(Setting("table", 30.0, 3500.0, 110.0))
    assert all(h < k for (_, h), (_, k) in zip(hotter.points, rule.points, strict=True)), "hot oil lowers the line"


@pytest.mark.parametrize(("amount", "under"), [(10.0, 5.0), (99.0, 49.5), (100.0, 50.0), (120.0, 50.0)])
def test_the_floor_holds_the_line_up(found: AlarmFindings, amount: float, under: float) -> None:
    assert under_floor_kpa(amount) == under
    setting = Setting("table", amount, 3000.0, 160.0)  # far too hot: normal is under the floor
    assert found.basis.held_by_floor(setting) == 1.0
    for rpm, kpa in found.basis.rule(setting).points:
        assert kpa == pytest.approx(max(0.0483 * rpm - under, 20.0), abs=0.5)
    title, detail = opening(found, set_alarm(found.basis, setting))
    assert title.startswith("A lamp ") and "under the floor" in title and "under normal" not in title
    assert "the line stays" in detail


def test_two_stages_blink_first_and_stay_on_deeper(found: AlarmFindings) -> None:
    setting = Setting("two_stage", 40.0, 3000.0, 110.0)
    rule, table = found.basis.rule(setting), found.basis.rule(replace(setting, kind="table"))
    assert rule.caution_points == table.points == rule.first_shown.points
    assert all(act <= blinks for (_, act), (_, blinks) in zip(rule.points, table.points, strict=True))
    chosen = set_alarm(found.basis, setting)
    assert chosen.proof == prove(table, found.basis.drives)
    assert chosen.act is not None and chosen.act.caught < chosen.proof.caught
    assert [part.heading for part in drivers_card(chosen)] == ["Blinks", "Stays on", ""]


def test_a_point_drawn_elsewhere_is_proved_as_it_is_drawn(found: AlarmFindings) -> None:
    setting = Setting("table", 40.0, 3000.0, 110.0)
    plain = set_alarm(found.basis, setting)
    raised = set_alarm(found.basis, setting, {rpm: 1000.0 for rpm, _ in plain.rule.points})
    assert raised.proof.caught == raised.proof.dips and raised.proof.shown_s > 10.0 * plain.proof.shown_s
    one = set_alarm(found.basis, setting, {4500.0: 300.0, 9999.0: 1.0})
    assert one.moved == {4500.0: 300.0}, "a point that is not there moves nothing"
    assert dict(one.rule.points)[4500.0] == 300.0 and dict(one.rule.points)[5000.0] == dict(plain.rule.points)[5000.0]
    assert "as drawn" in setting_words(setting, bool(one.moved))


def test_curves_go_from_many_false_alarms_to_none(found: AlarmFindings) -> None:
    curve = curve_of(found.basis, Setting("table", 40.0, 3000.0, found.basis.worst_c))
    shown = [p.shown_s for p in curve.proofs]
    assert shown == sorted(shown, reverse=True), "a lower line is lit less"
    assert curve.proofs[curve.amounts.index(40.0)] == set_alarm(found.basis, found.proposal("table").setting).proof


def test_a_gate_over_all_that_was_driven_is_refused_where_normal_is_not_known(found: AlarmFindings) -> None:
    nowhere = replace(found.basis, normal=replace(found.basis.normal, valid=False))
    with pytest.raises(InputError, match="lower the gate"):
        nowhere.rule(Setting("table", 30.0, 3000.0, None))


def test_a_lamp_lit_with_the_engine_stopped_is_told_apart(found: AlarmFindings, judged: Analysis) -> None:
    p = found.factory
    lamp = AlarmRule("fixed", 0.0, ((0.0, 40.0),), 0.5)
    lit = showings(lamp, judged.time_s, judged.rpm, judged.pressure_kpa)
    assert p.false == len(lit) and p.false_stopped == sum(judged.rpm[s] < 300.0 for s, _ in lit)
    assert p.false_per_hour == pytest.approx(p.false / p.running_h)
    assert p.cries_per_hour == pytest.approx((p.false - p.false_stopped) / p.running_h)


def test_what_is_missed_is_counted_with_its_reasons(found: AlarmFindings) -> None:
    chosen = set_alarm(found.basis, Setting("table", 40.0, 3000.0, 113.0))
    title, why = missed_words(chosen)
    assert title == f"Missed: {len(chosen.missed)} of {chosen.proof.dips}, none severe"
    assert len(chosen.missed) == chosen.proof.dips - chosen.proof.caught > 0
    shallow = sum(x.dip.dip.told_margin_kpa > -15.0 for x in chosen.missed)
    assert f"{shallow} are less than 15 kPa deep" in why and "the oil was cooler there" in why
    gated = set_alarm(found.basis, Setting("table", 40.0, 6000.0, 113.0))
    below = sum(x.dip.rpm < 6000.0 for x in gated.missed)
    assert below > 5 and "under the 6000 rpm gate" in missed_words(gated)[1]
    slow = set_alarm(found.basis, Setting("table", 10.0, 3000.0, 113.0, delay_s=4.0))
    assert slow.proof.caught < chosen.proof.caught and "for less than the 4 s it waits" in missed_words(slow)[1]


def test_at_idle(found: AlarmFindings) -> None:
    gated = set_alarm(found.basis, Setting("table", 40.0, 3000.0, 113.0))
    assert gated.idle_shown == 0.0 and idle_words(gated) == "Silent under 3000 rpm, so at idle too."
    middle = float(np.median(found.basis.idle_kpa))
    lamp = set_alarm(found.basis, Setting("fixed", middle, 0.0, None))
    assert lamp.idle_shown == pytest.approx(0.5, abs=0.1) and "normal if it goes out with revs" in idle_words(lamp)
    dark = set_alarm(found.basis, Setting("fixed", float(found.basis.idle_kpa.min()) - 1.0, 0.0, None))
    assert idle_words(dark) == "Dark at hot idle on this log."
    never = replace(found.basis, idle_kpa=np.empty(0))
    assert "is not known" in idle_words(set_alarm(never, Setting("fixed", 50.0, 0.0, None)))


@pytest.mark.parametrize(
    ("lead", "words"), [(0.2, "200 ms before"), (-0.05, "50 ms after"), (0.999, "999 ms before"), (1.0, "1.0 s before")]
)
def test_leads_in_words(lead: float, words: str) -> None:
    assert lead_words(lead) == words


@pytest.mark.parametrize(("ratio", "is_strange"), [(1.14, False), (1.16, True), (0.86, False), (0.84, True)])
def test_a_session_of_another_engine_is_told(ratio: float, is_strange: bool, judged: Analysis) -> None:
    e = judged.expected
    shifted = replace(e, log_k=e.log_k + float(np.log(ratio)), relief_kpa=e.relief_kpa * ratio, departure=None)
    plain = replace(judged, expected=replace(e, departure=None))
    basis = basis_of([plain, replace(judged, expected=shifted)])
    told = strangers(basis)
    assert bool(told) == is_strange
    if is_strange:
        assert told[0][1] == pytest.approx(ratio, abs=0.01)
        words = " ".join(blind_to(basis, basis.rule(Setting("table", 40.0, 3000.0, 110.0)), prove(LAMP, basis.drives)))
        assert f"{abs(100 * ratio - 100):.0f} % {'over' if ratio > 1 else 'under'}" in words
