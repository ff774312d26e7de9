"""Documents hold what the core found, in plain values, whatever a log lacks: scripts rest on them."""

from __future__ import annotations

import json
import math
from collections.abc import Iterator
from functools import cache
from typing import Any

import pytest

from basso.analysis import Analysis
from basso.findings.corners.findings import find_corners
from basso.recording.roles import Role
from basso.report.corners_documents import corners_document
from basso.report.documents import analysis_document, comparison_document, dump, rounded
from basso.report.several import judged_log, on_shared_maps
from basso.workflow import demo_folder, judge, open_recording, run_trial
from support import side_said

pytestmark = pytest.mark.usefixtures("shared_cache")

R = Role


@cache
def judged(log: str, lacking: tuple[Role, ...] = ()) -> Analysis:
    recording = open_recording(demo_folder() / f"{log}.csv")
    rest = recording.with_channels(tuple(c for c in recording.channels if c.role not in lacking))
    return judge(rest, side_said(rest))


def values_of(document: Any) -> Iterator[Any]:
    if isinstance(document, dict):
        for key, value in document.items():
            yield key
            yield from values_of(value)
    elif isinstance(document, list):
        for value in document:
            yield from values_of(value)
    else:
        yield document


LACKING = ((), (R.OIL_TEMP,), (R.LATERAL_G,), (R.LATERAL_G, R.LONGITUDINAL_G, R.SPEED), (R.OIL_PRESSURE,), (R.RPM,))


@pytest.mark.parametrize("lacking", LACKING, ids=lambda r: "-".join(r) or "everything")
def test_an_analysis_is_plain_values_whatever_the_log_lacks(lacking: tuple[Role, ...]) -> None:
    document = analysis_document(judged("hot-day", lacking))
    for value in values_of(document):
        assert value is None or isinstance(value, str) or type(value) in (int, float, bool), (type(value), value)
        assert not isinstance(value, float) or math.isfinite(value)
    assert json.loads(dump(document)) == document, "what is read back is what was written"


def test_every_event_is_its_dip() -> None:
    a = judged("baseline-1")
    document = analysis_document(a)
    events = document["events"]
    assert len(events) == len(a.dips) == len(document["more"]["events"]) > 10
    for event, more, d in zip(events, document["more"]["events"], a.dips, strict=True):
        assert event["start_s"] == pytest.approx(d.dip.start_s, abs=6e-4)
        assert event["duration_s"] == pytest.approx(d.dip.end_s - d.dip.start_s, abs=6e-4)
        assert event["min_pressure_kpa"] == pytest.approx(float(a.pressure_kpa[d.dip.lowest]), abs=6e-3)
        assert event["min_margin_kpa"] == pytest.approx(
            float(a.pressure_kpa[d.dip.lowest_margin] - a.floor.kpa[d.dip.lowest_margin]), abs=6e-3
        )
        assert event["rpm"] == pytest.approx(float(a.rpm[d.dip.lowest_margin]), abs=0.6)
        assert (event["cause"], event["confidence"]) == (d.cause.name, round(d.cause.confidence, 2))
        assert event["lap"] == (d.lap.number if d.lap is not None else None)
        assert more["causes"][0]["cause"] == d.cause.name, "the cause that was named comes first"
        in_corner = d.place is not None and d.place.is_corner
        assert event["corner"] == (d.place.id if in_corner and d.place is not None else None)
    assert {e["corner"] for e in events} - {None} <= {c["id"] for c in document["corners"]}


def test_exposure_and_judged_time_add_up() -> None:
    document = analysis_document(judged("baseline-1"))
    assert document["exposure"]["below_floor_s"] == pytest.approx(
        sum(e["duration_s"] for e in document["events"]), abs=0.05
    )
    minutes = document["judged"]["minutes"] + sum(n["minutes"] for n in document["judged"]["not_judged"])
    assert minutes == pytest.approx(document["exposure"]["running_s"] / 60.0, abs=0.3)
    shares = document["exposure"]["share_of_time_below"]
    levels, fractions = [s["share"] for s in shares], [s["fraction"] for s in shares]
    assert levels == sorted(levels, reverse=True) and fractions == sorted(fractions, reverse=True), (
        "the lower the level, the less lay below it"
    )


def test_a_log_without_temperature_says_null_not_zero() -> None:
    document = analysis_document(judged("hot-day", (R.OIL_TEMP,)))
    assert document["events"]
    assert {e["oil_temp_c"] for e in document["events"]} == {None}
    assert document["expected"]["range"]["oil_temp_c"] == [None, None]


def test_what_cannot_be_judged_has_no_events_and_says_so() -> None:
    for lacking in ((R.OIL_PRESSURE,), (R.RPM,)):
        document = analysis_document(judged("baseline-1", lacking))
        assert document["events"] == [] and document["judged"]["minutes"] == 0.0
        assert any(c["level"] == "fail" for c in document["checks"])
        assert document["expected"]["valid"] is False and document["expected"]["parameters"] == {}


def test_a_correction_is_told_as_it_was_made() -> None:
    a = judged("shakedown")
    made = analysis_document(a)["corrections"]
    assert made and [(c["channel"], c["kind"], c["unit"]) for c in made] == [
        (c.channel, c.kind, c.unit) for c in a.corrections if c.kind in ("offset", "scale", "sign", "lag", "delay")
    ]
    assert all(c["reason"] for c in made)


def test_logs_of_one_circuit_have_one_map() -> None:
    first, second, elsewhere = (judged_log(judged(n)) for n in ("baseline-1", "plus-0.4", "hill-climb"))
    one, two, three = on_shared_maps([first, second, elsewhere])
    assert one["corners"] == first.document["corners"]
    assert two["corners"] == one["corners"] != second.document["corners"]
    assert three["corners"] == elsewhere.document["corners"]
    ids = {c["id"] for c in one["corners"]}
    assert {e["corner"] for e in two["events"]} - {None} <= ids
    for event, own in zip(two["events"], second.document["events"], strict=True):
        assert {k: v for k, v in event.items() if k != "corner"} == {k: v for k, v in own.items() if k != "corner"}


def test_alone_or_with_others_a_log_is_the_same() -> None:
    log = judged_log(judged("baseline-1"))
    assert on_shared_maps([log]) == [log.document]
    assert on_shared_maps([]) == []


def test_corners_are_their_passes() -> None:
    a = judged("baseline-1")
    told = find_corners(a)
    assert told is not None
    document = corners_document(told)
    assert json.loads(dump(document)) == document
    places = {p["id"]: p for p in document["places"]}
    assert document["worst_first"][0] in places and document["test_place"] in places
    exposures = [places[i]["exposure_s"] for i in document["worst_first"]]
    assert exposures == sorted(exposures, reverse=True)
    for p in places.values():
        assert p["passes"] == len(p["laps"])
        assert p["below"] == sum(x["below_s"] > 0 for x in p["laps"])
        lowest = [x["min_share"] for x in p["laps"] if x["min_share"] is not None]
        assert p["worst_share"] == min(lowest)
        assert p["start_m"] <= p["apex_m"] <= p["end_m"]
    for t in document["thresholds"]:
        if t["g"] is not None:
            assert (t["low_g"] or 0.0) <= t["g"] <= t["high_g"]
            times = [h["s"] for h in t["held"]]
            assert times == sorted(times, reverse=True), "the more g, the shorter it may be held"
        else:
            assert t["reason"]


def test_a_trial_is_its_comparison() -> None:
    before, after = (open_recording(demo_folder() / f"{n}.csv") for n in ("baseline-1", "plus-0.4"))
    c = run_trial("full", [before], "+0.4 L", [after], side_said(before))
    document = comparison_document(c)
    assert json.loads(dump(document)) == document
    assert (document["verdict"], document["reasons"]) == (c.verdict, list(c.reasons))
    assert (document["a"]["label"], document["b"]["label"]) == ("full", "+0.4 L")
    assert document["matched"]["passes_a"] == len(c.a.passes) and document["matched"]["passes_b"] == len(c.b.passes)
    by_measure = {e["measure"]: e for e in document["effects"]}
    assert c.effect_kpa is not None
    lowest = by_measure["min_pressure_kpa"]
    assert (lowest["low"], lowest["estimate"], lowest["high"]) == tuple(
        rounded(v) for v in (c.effect_kpa.low, c.effect_kpa.estimate, c.effect_kpa.high)
    )
    assert lowest["low"] < lowest["estimate"] < lowest["high"] and lowest["level"] == 0.95
    assert len(document["exceedance"]["share"]) == len(document["exceedance"]["a"]) == len(document["exceedance"]["b"])


@pytest.mark.parametrize(
    ("value", "digits", "told"),
    [(None, 3, None), (math.nan, 3, None), (math.inf, 3, None), (1.23456, 3, 1.235), (1.5, 0, 2.0), (-0.0004, 3, 0.0)],
)
def test_a_missing_number_is_null(value: float | None, digits: int, told: float | None) -> None:
    assert rounded(value, digits) == told


def test_a_number_that_is_none_never_leaves_as_text() -> None:
    with pytest.raises(ValueError, match="not JSON compliant"):
        dump({"a": math.nan})
