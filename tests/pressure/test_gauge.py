"""Gauge readings are judged one by one and never for more than they say."""

from __future__ import annotations

import pytest

from basso.errors import InputError
from basso.formats.gauge import Triple, gauge_csv
from basso.pressure.floors import Fixed, Share, Slope
from basso.pressure.gauge import judge_readings
from basso.report.documents import analysis_document
from basso.units import UNITS
from basso.workflow import judge
from support import recording_of

TRIPLES = [Triple(1000, 20, 100), Triple(4500, 29, 109, "long left"), Triple(6000, 55, None)]


def test_each_against_the_floor_that_applies_worked_by_hand() -> None:
    recording = recording_of(gauge_csv(TRIPLES, UNITS["psi"], UNITS["°C"], [("Vehicle", "Car 31")]))
    assert recording.manual and recording.facts["Vehicle"] == "Car 31"
    readings = judge_readings(recording, (Slope(0.0, 48.3), Share(0.7)))
    assert [r.floor_kpa for r in readings] == pytest.approx([48.3, 217.35, 289.8])
    assert [r.margin_kpa for r in readings] == pytest.approx([89.6, -17.4, 89.4], abs=0.1)
    assert [r.temperature_c for r in readings] == [100.0, 109.0, None]
    assert judge_readings(recording, (Fixed(400.0),))[0].margin_kpa == pytest.approx(-262.1, abs=0.1)


def test_without_a_floor_that_speaks_there_is_no_margin() -> None:
    recording = recording_of(gauge_csv(TRIPLES, UNITS["psi"], UNITS["°F"]))
    assert {r.margin_kpa for r in judge_readings(recording, (Share(0.7),))} == {None}


def test_the_analysis_finds_no_dips_and_says_why() -> None:
    analysis = judge(recording_of(gauge_csv(TRIPLES, UNITS["psi"], UNITS["°C"])))
    assert analysis.dips == ()
    (check,) = analysis.checks
    assert check.level == "warn" and "1 below the floor" in check.message and "4500 rpm" in check.message
    document = analysis_document(analysis)
    assert document["events"] == [] and document["exposure"]["below_floor_s"] in (None, 0.0)


def test_slips_of_the_pen_are_refused_by_line() -> None:
    for triple, words in (
        (Triple(95000, 30, 90), "95000 rpm"),
        (Triple(3000, 900, 90), "900 psi"),
        (Triple(3000, 40, 900), "900 °C"),
    ):
        with pytest.raises(InputError, match=f"Reading 2: {words}"):
            gauge_csv([TRIPLES[0], triple], UNITS["psi"], UNITS["°C"])
    with pytest.raises(InputError, match="at least two"):
        gauge_csv(TRIPLES[:1], UNITS["psi"], UNITS["°C"])
