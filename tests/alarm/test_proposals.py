"""Proposed alarms on drives they were not set by, and their proof counted over again from the log."""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache

import numpy as np
import pytest

from basso.alarm.backtest import drive_of, prove
from basso.alarm.proposals import AlarmPlan, propose
from basso.alarm.rules import KINDS, AlarmRule, showings
from basso.analysis import Analysis, analyse
from basso.errors import InputError
from basso.pressure.options import JudgeOptions
from basso.standin.scenarios import SCENARIOS, generator
from basso.workflow import demo_folder, judge, open_recording
from support import driven_and_logged, recording_of, side_said

SEVERE = ("truth-left", "truth-braking", "truth-high-rpm")


@lru_cache(maxsize=16)
def two_drives(name: str, seed: int) -> tuple[Analysis, Analysis]:
    """One car driven twice."""
    setup, logger = SCENARIOS[name].setup(generator(name, seed))
    made = []
    for drive in ("first", "second"):
        recording = recording_of(driven_and_logged(setup, logger, generator(name + drive, seed))[1])
        made.append(analyse(recording, side_said(recording)))
    return made[0], made[1]


@lru_cache(maxsize=16)
def planned(name: str, seed: int) -> AlarmPlan:
    first, second = two_drives(name, seed)
    return propose([first], [second])


def test_the_best_catches_severe_dips_of_other_drives_and_seldom_cries(shared_cache: None) -> None:
    caught = severe = false = 0
    running_h = 0.0
    for name in (*SEVERE, "baseline-1", "truth-healthy"):
        plan = planned(name, 101)
        proof = next(p.held_out for p in plan.proposed if p.rule.kind == plan.best)
        assert proof is not None
        caught, severe, false = caught + proof.caught_severe, severe + proof.severe, false + proof.false
        running_h += proof.running_h
    assert severe > 30
    assert caught / severe >= 0.95
    assert false / running_h <= 0.5


def test_every_kind_is_proposed_and_the_factory_lamp_is_not_the_best(shared_cache: None) -> None:
    for name in SEVERE:
        plan = planned(name, 101)
        assert [p.rule.kind for p in plan.proposed] == list(KINDS)
        assert plan.best != "fixed"


def test_the_proof_is_what_the_device_does_on_the_log(shared_cache: None) -> None:
    _, second = two_drives("truth-braking", 101)
    for p in planned("truth-braking", 101).proposed:
        assert p.held_out is not None
        lit = np.zeros(second.time_s.shape, dtype=np.bool_)
        for start, end in showings(p.rule, second.time_s, second.rpm, second.pressure_kpa):
            lit[start:end] = True
        assert p.held_out.shown_s == pytest.approx(lit.sum() * np.median(np.diff(second.time_s)), abs=0.05)
        caught = sum(bool(lit[d.dip.first : d.dip.last].any()) for d in second.dips)
        assert p.held_out.caught == pytest.approx(caught, abs=1)
        assert p.held_out.dips == len(second.dips)
        assert p.held_out.caught_severe <= p.held_out.severe <= p.held_out.dips


def test_a_higher_line_catches_no_fewer_and_cries_no_less(shared_cache: None) -> None:
    first, _ = two_drives("truth-braking", 101)
    proofs = [prove(AlarmRule("gated", 3000.0, ((3000.0, kpa),)), [drive_of(first)]) for kpa in (60.0, 150.0, 250.0)]
    assert [p.caught for p in proofs] == sorted(p.caught for p in proofs)
    assert [p.shown_s for p in proofs] == sorted(p.shown_s for p in proofs)


def test_a_line_stays_under_normal_at_the_hottest_oil(shared_cache: None) -> None:
    first, _ = two_drives("truth-left", 101)
    plan = planned("truth-left", 101)
    assert plan.at_c is not None and first.temperature_c is not None
    assert plan.at_c > np.nanmax(first.temperature_c)
    table = next(p.rule for p in plan.proposed if p.rule.kind == "table")
    speeds = np.array([rpm for rpm, _ in table.points])
    normal = first.expected.at(speeds, np.full(speeds.shape, plan.at_c))
    assert np.all([kpa for _, kpa in table.points] < normal)


def test_what_a_drive_without_dips_cannot_show_is_said(shared_cache: None) -> None:
    for p in planned("truth-healthy", 101).proposed:
        assert any("do not hold: any dip" in words for words in p.blind_to)


def test_a_cool_drive_sets_no_alarm(shared_cache: None) -> None:
    a = judge(open_recording(demo_folder() / "baseline-1.csv"))
    cold = np.full(a.time_s.shape, 60.0)
    with pytest.raises(InputError, match="never got hotter than 60 °C"):
        propose([replace(a, temperature_c=cold)])


def test_what_is_missed_is_named_as_on_the_screen() -> None:
    plan = propose([judge(open_recording(demo_folder() / "baseline-1.csv"))])
    missed = next(words for words in plan.proposed[0].blind_to if " of 27 dips in " in words)
    assert "turn 6" in missed and "braking B3" in missed


def test_a_corrected_zero_is_said_for_the_device_reads_the_bare_sensor() -> None:
    plan = propose([judge(open_recording(demo_folder() / "shakedown.csv"))])
    for p in plan.proposed:
        assert any("−100.8 kPa was taken into these pressures" in words for words in p.blind_to)


def test_a_zero_that_is_off_sets_no_alarm() -> None:
    a = judge(
        open_recording(demo_folder() / "shakedown.csv"), JudgeOptions(refused=frozenset({("Oil pressure", "offset")}))
    )
    with pytest.raises(InputError, match="zero is off"):
        propose([a])
