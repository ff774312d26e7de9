"""A warning device's settings leave as a table, as messages on a bus, as a document and on paper: the same numbers."""

from __future__ import annotations

import csv
import io
import json
from dataclasses import replace

import cantools.database
import pytest

from basso.alarm.findings import AlarmFindings, SetAlarm, find_alarm, set_alarm
from basso.alarm.rules import KINDS, AlarmRule
from basso.alarm.settings import Setting
from basso.report.alarm_bus import DBC, POINT_ID, SETTINGS_ID, frames_of, frames_text
from basso.report.alarm_card import card_html
from basso.report.alarm_document import alarm_document, best_rule, kept_plan
from basso.report.alarm_table import alarm_csv
from basso.report.documents import dump
from basso.units import UNITS, DisplayUnits
from basso.workflow import demo_folder, judge, open_recording

TWO = AlarmRule(
    "two_stage",
    3000.0,
    ((3000.0, 101.5), (3500.0, 120.0)),
    0.15,
    15.0,
    caution_points=((3000.0, 139.3), (3500.0, 164.0)),
)


@pytest.fixture(scope="module")
def found() -> AlarmFindings:
    return find_alarm(judge(open_recording(demo_folder() / "baseline-1.csv")), [])


@pytest.fixture(scope="module")
def chosen(found: AlarmFindings) -> SetAlarm:
    return set_alarm(found.basis, Setting("two_stage", 40.0, 3000.0, 113.0), {4000.0: 199.9})


def test_another_decoder_reads_the_frames_by_the_database() -> None:
    database = cantools.database.load_string(DBC, "dbc")
    (first, data), *points = frames_of(TWO)
    assert first == SETTINGS_ID and {i for i, _ in points} == {POINT_ID}
    settings = database.decode_message(SETTINGS_ID, data)
    assert str(settings["Alarm_kind"]) == "two_stage" and settings["Alarm_points"] == 2
    assert (settings["Alarm_gate"], settings["Alarm_delay"], settings["Alarm_hysteresis"]) == (3000, 150, 15.0)
    read = [database.decode_message(POINT_ID, d) for _, d in points]
    assert [(p["Alarm_index"], p["Alarm_rpm"]) for p in read] == [(0, 3000), (1, 3500)]
    assert [p["Alarm_shows_under"] for p in read] == pytest.approx([139.3, 164.0])
    assert [p["Alarm_stays_on_under"] for p in read] == pytest.approx([101.5, 120.0])
    kinds = database.get_message_by_name("Alarm_settings").get_signal_by_name("Alarm_kind").choices
    assert [str(kinds[n]) for n in range(len(KINDS))] == list(KINDS)


def test_one_stage_says_that_there_is_no_second() -> None:
    rule = replace(TWO, kind="table", caution_points=None)
    assert [d[6:8] for _, d in frames_of(rule)[1:]] == [b"\xff\xff", b"\xff\xff"]
    lines = frames_text(rule).splitlines()
    assert len(lines) == 3 and lines[0].startswith("(0.000000) can0 6F0#02") and "can0 6F1#" in lines[1]


def test_a_gauge_takes_plain_numbers_in_the_readers_units() -> None:
    rows = list(csv.reader(io.StringIO(alarm_csv(TWO, DisplayUnits(pressure=UNITS["psi"])))))
    assert rows[0] == ["silent under [rpm]", "3000"] and rows[1] == ["shows after [s]", "0.15"]
    assert rows[3] == ["rpm", "shows under [psi]", "stays on under [psi]"]
    assert rows[4] == ["3000", "20", "15"]
    one = list(csv.reader(io.StringIO(alarm_csv(replace(TWO, kind="table", caution_points=None), DisplayUnits()))))
    assert one[3] == ["rpm", "shows under [kPa]"] and one[4] == ["3000", "102"]


def test_the_document_brings_the_device_back_as_it_was_drawn(found: AlarmFindings, chosen: SetAlarm) -> None:
    document = json.loads(dump(alarm_document(kept_plan(found, chosen))))
    assert document["best"] == "two_stage" and len(document["proposed"]) == 5
    rule = best_rule(document)
    assert rule == chosen.rule and dict(rule.caution_points or ())[4000.0] == 199.9
    others = [p for p in document["proposed"] if p["kind"] != "two_stage"]
    assert others == [p for p in json.loads(dump(alarm_document(found.plan)))["proposed"] if p["kind"] != "two_stage"]


def test_the_card_has_orders_numbers_proof_and_checks(found: AlarmFindings, chosen: SetAlarm) -> None:
    words = card_html(found, chosen, "Car <31>", "Full mark, stint 1", DisplayUnits(pressure=UNITS["bar"]))
    assert "Car &lt;31&gt;" in words and "kPa" not in words
    for order in ("Blinks", "Stays on", "Lift.", "Clutch.", "Stop the engine.", "No restart until the cause is found."):
        assert order in words
    assert "shows under, bar" in words and "<td align='right'>2.00</td>" in words, "the point drawn at 199.9 kPa"
    assert "Missed: " in words and "Blind to" in words and "Oil level" in words and "closed course" in words


def test_a_drawn_line_that_is_one_unit_of_the_bus_out_is_kept_to_it() -> None:
    far = replace(TWO, points=((3000.0, 9000.0), (3500.0, -3.0)))
    assert [d[6:8] for _, d in frames_of(far)[1:]] == [b"\xfe\xff", b"\x00\x00"], "never the mark for no second stage"
