"""Builds in time, what differs, finding sessions, and job sheets."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest

from basso.car import jobs
from basso.car.build_line import find, sampled, stages
from basso.car.cards import differences, trial_cards
from basso.car.history import CarHistory
from basso.car.jobs import (
    Sheet,
    SheetStep,
    begun,
    in_units,
    ledger_of,
    limits,
    outside,
    reasons_wanted,
    sheet_of,
    sheets,
    state,
)
from basso.car.oils import oil_of
from basso.formats.fingerprint import content_hash
from basso.garage.records import Build, Car, Engine, Job, LevelPoint, OilEntry, OilSample, OilSheet, Session
from basso.garage.store import Garage
from basso.oil.level_book import Reading, fit_level
from basso.units import UNITS, DisplayUnits
from basso.workflow import demo_folder

FIRST = Build(car="c", name="Build 1", since="2026-04-01", pan="stock", oil_grade="5W-40", level_l=3.6)
SECOND = replace(
    FIRST, id="second", name="Build 2", since="2026-05-10", level_l=4.0, baffle="gated", reason="left turns"
)


SI = DisplayUnits()
IMPERIAL = DisplayUnits(UNITS["psi"], UNITS["°F"], UNITS["mph"], UNITS["US qt"], UNITS["in"])


def history(
    builds: list[Build], sessions: list[Session] | None = None, engines: list[Engine] | None = None
) -> CarHistory:
    return CarHistory(Car(id="c", name="Car"), tuple(engines or ()), tuple(builds), tuple(sessions or ()))


def session(title: str, began: str, build: Build, **more: Any) -> Session:
    return Session(car="c", build=build.id, title=title, began=began, **more)


def test_the_build_line_has_each_session_under_its_build_in_order() -> None:
    drives = [
        session("b", "2026-05-12T11:00", SECOND),
        session("x", "2026-04-03", FIRST),
        session("a", "2026-05-12T10:00", SECOND),
    ]
    first, second = stages(history([SECOND, FIRST], drives), SI)
    assert (first.build.name, first.until, [s.title for s in first.sessions]) == ("Build 1", "2026-05-10", ["x"])
    assert [s.title for s in second.sessions] == ["a", "b"] and second.until == ""
    assert second.changed == ("baffle: gated", "oil in the pan: 4 L")


def test_only_what_differs() -> None:
    assert [(d.what, d.a, d.b) for d in differences(FIRST, SECOND, SI)] == [
        ("baffle", "", "gated"),
        ("oil in the pan", "3.6 L", "4 L"),
    ]
    assert differences(FIRST, replace(FIRST, id="x", name="other", since="2027-01-01", note="n"), SI) == []
    pints = differences(FIRST, SECOND, IMPERIAL)[1]
    assert (pints.a, pints.b) == ("3.804 US qt", "4.227 US qt")


def test_a_rebuilt_engine_leaves_the_cards_of_earlier_sessions_alone() -> None:
    first = Engine(car="c", engine="e", name="Two litre", clearance="loose", rod_mm=0.052)
    rebuilt = replace(first, id="r", since="2026-05-12", clearance="race", rod_mm=0.070, reason="rod bearings renewed")
    build = replace(FIRST, engine="e")
    drives = [session("before", "2026-05-11T16:00", build), session("after", "2026-05-12T10:00", build)]
    car = history([build], drives, [rebuilt, first])
    assert [car.card_of(s) for s in drives] == [first, rebuilt]
    assert car.engine == rebuilt and car.names.engine == {"e": "Two litre"}
    apart = differences(first, rebuilt, IMPERIAL)
    assert [(d.what, d.a, d.b) for d in apart] == [
        ("clearances", "loose", "race"),
        ("rod clearance", "0.002047 in", "0.002756 in"),
    ]
    (stage,) = stages(car, SI)
    assert stage.cards == (first, rebuilt)


def test_a_build_of_another_engine_has_that_ones_card() -> None:
    race, spare = (
        Engine(car="c", engine="e", name="Engine"),
        Engine(car="c", engine="s", name="Engine", clearance="race"),
    )
    builds = [replace(FIRST, engine="e"), replace(SECOND, engine="s")]
    drives = [session("a", "2026-04-03", builds[0]), session("b", "2026-05-12", builds[1])]
    car = history(builds, drives, [race, spare])
    assert [car.card_of(s) for s in drives] == [race, spare]
    assert sorted(car.names.engine.values()) == ["Engine", "Engine (2)"]
    assert ("engine", "Engine", "Engine (2)") in [(d.what, d.a, d.b) for d in differences(*builds, SI, car.names)]
    # Which of two it had was not written down: then it is not known.
    assert history([FIRST], drives, [race, spare]).card_on(FIRST, "2026-04-03") is None


def test_the_cards_of_a_trial_are_listed_with_what_they_make_doubtful() -> None:
    first = Engine(car="c", engine="e", name="Two litre", clearance="loose")
    rebuilt = replace(first, id="r", since="2026-05-12", clearance="race")
    build = replace(FIRST, engine="e", map="A")
    drives = [
        session("before", "2026-05-11", build, log_hash="1", tyres="slick", accumulator="none"),
        session("after", "2026-05-12", build, log_hash="2", tyres="wet", map="B", accumulator="armed"),
    ]
    car = history([build], drives, [first, rebuilt])
    cards = trial_cards([car], {"1"}, {"2"}, SI)
    assert cards is not None
    assert cards.listed == (
        "Build sheet, A → B: clearances loose → race; tyres slick → wet; accumulator state none → armed; "
        "engine map, if another none → B."
    )
    said = " ".join(cards.cautions)
    assert (
        "clearances were of another class" in said and "armed on one side only" in said and "engine map was not" in said
    )
    same = trial_cards([car], {"1"}, {"1"}, SI)
    assert same is not None and same.listed == "Build sheet: no difference." and not same.cautions
    assert trial_cards([car], {"1"}, {"unknown"}, SI) is None
    other = CarHistory(Car(id="d", name="Other"), sessions=(replace(drives[1], car="d"),))
    only_first = history([build], drives[:1], [first])
    apart = trial_cards([only_first, other], {"1"}, {"2"}, SI)
    assert apart is not None and apart.listed == "Build sheet, A → B: car Car → Other."


def test_every_word_has_to_occur() -> None:
    drives = [
        session("Stint 1", "2026-05-12", FIRST, circuit="Harrowfell", weather="wet"),
        session("Stint 2", "2026-05-12", SECOND, circuit="Harrowfell"),
    ]
    assert [s.title for s in find(drives, [FIRST, SECOND], "harrow wet")] == ["Stint 1"]
    assert [s.title for s in find(drives, [FIRST, replace(SECOND, name="Gated doors")], "gated 05-12")] == ["Stint 2"]
    assert len(find(drives, [FIRST, SECOND], "")) == 2


def test_a_sample_drawn_on_the_day_of_a_change_is_of_the_oil_that_came_out() -> None:
    entries = [OilEntry(car="c", day="2026-04-01", kind="fill"), OilEntry(car="c", day="2026-06-01", kind="change")]
    drives = [session("a", "2026-05-01", FIRST, running_s=7200.0)]
    (found,) = sampled([OilSample(car="c", day="2026-06-01", values={"Fe": 20.0})], entries, drives)
    assert found.hours == pytest.approx(2.0)


@pytest.fixture
def change() -> Sheet:
    return sheets()["oil-change"]


def as_begun(key: str) -> Sheet:
    """A sheet with its rows, as a job on an engine of four cylinders keeps it."""
    sheet = sheet_of(Job(car="c", sheet=key, opened="2026-05-01", begun_on=begun(key)))
    assert sheet is not None
    return sheet


def done(sheet: Sheet) -> dict[str, Any]:
    """Every step done and everything found good; the pickup's gap by clay as its sums make it."""
    made: dict[str, Any] = {
        s.key: {
            "done": True,
            "value": 0.5 * ((s.low or 0) + (s.high or 0)) if s.measure else None,
            "words": "seen" if s.words or s.choices or s.hold else "",
            "rows": {row: {c.name: c.good[0] if c.good else "" for c in s.columns} for row in s.rows},
        }
        for s in sheet.steps
    }
    if "clay" in made:
        made["clay"]["value"] = made["depth"]["value"] + made["gasket"]["value"] - made["length"]["value"]
    return made


@pytest.mark.parametrize("key", list(sheets()))
def test_every_sheet_can_be_signed_when_it_is_done_and_not_before(key: str) -> None:
    sheet = as_begun(key)
    entries = done(sheet)
    assert state(sheet, entries).may_be_signed
    for step in sheet.steps:
        without = {k: v for k, v in entries.items() if k != step.key}
        assert not state(sheet, without).may_be_signed


@pytest.mark.parametrize(
    ("key", "step", "value", "safe"),
    [
        ("accumulator", "vent", 250.0, "never above 5 kPa"),
        ("oil-change", "accumulator", 250.0, "never above 5 kPa"),
        ("pickup-height", "clay", 0.0, "never below 1 mm"),
        ("pan-off", "gap", 0.0, "never below 1 mm"),
        ("verification-drive", "full", 50.0, "never below 70 %"),
        ("verification-drive", "easy", 80.0, "never below 85 %"),
        ("oil-change", "start", 10.0, "never below 35 kPa"),
        ("baffle", "clear", 0.5, "never below 1 mm"),
    ],
)
def test_no_reason_signs_off_what_is_not_safe(key: str, step: str, value: float, safe: str) -> None:
    sheet = as_begun(key)
    entries = done(sheet)
    entries[step] = {**entries[step], "value": value, "reason": "It has always been like that."}
    at = state(sheet, entries)
    assert not at.may_be_signed and any("no reason makes it so" in w and safe in w for w in at.wrong)
    assert step not in reasons_wanted(sheet, entries) or key == "pickup-height"


def test_a_measurement_that_does_not_apply_may_be_left_empty_and_others_may_not() -> None:
    sheet = as_begun("oil-change")
    entries = done(sheet)
    for key in ("stick", "recharge"):
        entries[key]["value"] = None
    assert state(sheet, entries).may_be_signed
    entries["topup"]["value"] = None
    assert not state(sheet, entries).may_be_signed


def test_the_stick_is_held_against_what_came_out() -> None:
    sheet = as_begun("oil-change")
    entries = done(sheet)
    entries["stick"]["value"], entries["drain"]["value"] = 4.2, 3.4
    (wrong,) = state(sheet, entries).wrong
    assert "the stick said 4.2 L, 3.4 L came out" in wrong
    entries["drain"]["reason"] = "Half a litre stayed in the cooler."
    assert state(sheet, entries).may_be_signed


def test_the_sheet_shows_the_volume_of_this_engine_with_its_accumulator() -> None:
    engine = Engine(car="c", name="E", full_l=3.6, filter_l=0.35)
    build = Build(car="c", name="B", since="2026-05-01", accumulator="2 L", accumulator_l=0.9)
    with_it, without = (
        next(s for s in begun("oil-change", engine, b)["steps"] if s["key"] == "fill")["text"] for b in (build, None)
    )
    assert "Computed: {4.85 L} (pan {3.6 L}, filter {0.35 L}, accumulator {0.9 L})" in with_it
    assert "Computed: {3.95 L} (pan {3.6 L}, filter {0.35 L})" in without
    assert "5.12 US qt" in in_units(with_it, DisplayUnits(volume=UNITS["US qt"]))
    assert "not known" in next(s for s in begun("oil-change")["steps"] if s["key"] == "fill")["text"]


def test_the_ledger_gets_what_was_entered_and_nothing_else() -> None:
    entries = done(as_begun("oil-change"))
    entries["fill"]["value"], entries["topup"]["value"], entries["oil"]["words"] = 3.6, 0.3, "5w-40, lot 17"
    job = Job(car="c", sheet="oil-change", opened="2026-06-01", closed="2026-06-01", entries=entries)
    before = [OilEntry(car="c", day="2026-05-01", kind="fill", grade="10W-40", lot="old", volume_l=4.0)]
    made = {e.kind: e for e in ledger_of(job, before)}
    assert (made["change"].volume_l, made["change"].grade, made["change"].lot) == (3.9, "5W-40", "5w-40, lot 17")
    entries["oil"]["words"] = ""
    made = {e.kind: e for e in ledger_of(job, before)}
    assert (made["change"].grade, made["change"].lot) == ("", "")


def test_a_measurement_outside_its_limits_needs_a_reason(change: Sheet) -> None:
    entries = done(change)
    entries["prime"]["value"] = 44.0
    (wrong,) = state(change, entries).wrong
    assert wrong == "Step 10: cranking until pressure 44 s is outside 0 to 30 s; say why it may stay so."
    entries["prime"]["reason"] = "Pickup had drained; pressure came after the second fill."
    assert state(change, entries).may_be_signed


def test_damaged_entries_count_as_nothing_entered(change: Sheet) -> None:
    entries = {**done(change), "prime": "lots", "drain": {"done": True, "value": True}}
    assert len(state(change, entries).wrong) == 2


def test_what_can_hurt_has_its_caution_beside_the_step() -> None:
    for sheet in sheets().values():
        for step in sheet.steps:
            if any(w in step.text.lower() for w in ("vent,", "crank in", "crank without", "weld or", "on stands")):
                assert step.caution, (sheet.key, step.key)
        assert all(not s.measure or (s.unit and s.why) for s in sheet.steps)
        assert all(s.low is None or s.high is None or s.low < s.high for s in sheet.steps)
    assert outside(sheets()["pickup-height"].steps[-1], 2.0)


def test_the_demo_garage_is_whole_and_its_logs_are_those_that_ship(tmp_path: Path) -> None:
    from basso.car.demo import make_demo_garage

    make_demo_garage(demo_folder(), tmp_path / "garage")
    with Garage(tmp_path / "garage") as garage:
        (car,) = garage.all(Car)
        builds, drives = garage.all(Build, car.id), garage.all(Session, car.id)
        assert len(builds) == 5 and len(garage.all(OilSample)) == 2
        logged = {s.log_name: s for s in drives if s.log_name}
        for path in demo_folder().glob("*.csv"):
            assert content_hash(path) == logged[path.name].log_hash, path.name
        jobs = garage.all(Job)
        assert any(j.closed for j in jobs) and any(not j.closed for j in jobs)
        assert all(state(sheet_of(j), j.entries).may_be_signed == bool(j.closed) for j in jobs)
        levels = [Reading(p.pan_l, p.depth_mm) for p in garage.all(LevelPoint) if p.pan_l and p.depth_mm]
        fit = fit_level(levels)
        assert fit is not None and fit.litres(54.0)[0] == pytest.approx(3.55, abs=0.1)


def test_an_armed_accumulator_is_allowed_for_in_a_level_reading() -> None:
    from basso.ui.stations.garage.picture import level_page

    car = Car(id="c", name="Car")
    fitted = replace(FIRST, accumulator="2 L", accumulator_l=1.0)
    points = tuple(
        LevelPoint(
            car="c", series="s", day="2026-04-02", pan_l=3.0 + 0.5 * i, depth_mm=30.0 + 10.0 * i, accumulator=state
        )
        for state in ("armed",)
        for i in range(4)
    )
    page = level_page(CarHistory(car, builds=(fitted,), levels=points), "s", DisplayUnits())
    assert page.fit is not None and page.fit.litres(30.0)[0] == pytest.approx(2.0)


def test_a_road_map_on_a_track_is_marked() -> None:
    from basso.ui.stations.garage.picture import line_rows

    car = Car(id="c", name="Car")
    build = replace(FIRST, map="road")
    drives = (
        session("a", "2026-04-02", build),
        session("b", "2026-04-03", build, kind="road"),
        session("c", "2026-04-04", build, map="track"),
    )
    marks = {
        r.title: r.mark
        for r in line_rows(CarHistory(car, builds=(build,), sessions=drives), DisplayUnits())
        if r.kind == "session"
    }
    assert "road map" in marks["a"] and "road map" not in marks["b"] and "road map" not in marks["c"]


def test_a_follow_up_stands_until_the_job_was_done_again() -> None:
    from basso.ui.stations.garage.picture import follow_up_words

    first = Job(car="c", sheet="bearing-check", opened="2026-05-01", closed="2026-05-02", follow_up="2026-06-01")
    assert follow_up_words([first]) == "Bearing inspection: look again on 2026-06-01."
    early = Job(car="c", sheet="bearing-check", opened="2026-05-20", closed="2026-05-20")
    assert follow_up_words([first, early]) != ""
    assert follow_up_words([first, replace(early, closed="2026-06-02")]) == ""


def test_pan_and_pickup_belong_together() -> None:
    deep = replace(FIRST, id="deep", since="2026-06-01", pan="deep")
    assert stages(history([FIRST, deep]), SI)[1].caution == "pan changed alone: measure the gap"
    assert stages(history([FIRST, replace(deep, pickup="long")]), SI)[1].caution == ""
    assert stages(history([FIRST, replace(deep, pickup_gap_mm=6.0)]), SI)[1].caution == ""
    assert stages(history([FIRST, replace(FIRST, id="x", since="2026-06-01", pickup="long")]), SI)[
        1
    ].caution.startswith("pickup")


def test_the_clay_has_to_agree_with_the_sums() -> None:
    sheet = sheets()["pickup-height"]
    entries = done(sheet)
    for key, value in (("depth", 118.0), ("length", 113.5), ("free", 2.5), ("gasket", 1.5), ("clay", 6.0)):
        entries[key]["value"] = value
    assert state(sheet, entries).may_be_signed
    entries["clay"]["value"] = 8.5
    (wrong,) = state(sheet, entries).wrong
    assert "the clay says 8.5 mm, depth, gasket and length make 6 mm" in wrong
    entries["clay"]["reason"] = "Rim bent up by 2.5 mm."
    assert state(sheet, entries).may_be_signed


def test_every_shell_is_written_down_and_a_bad_one_needs_a_reason() -> None:
    sheet = as_begun("bearing-check")
    rods = next(s for s in sheet.steps if s.key == "rods")
    assert len(rods.rows) == 8 and len(next(s for s in sheet.steps if s.key == "mains").rows) == 10
    six = begun("bearing-check", Engine(car="c", name="Six", cylinders=6, main_bearings=7))
    assert [len(s["rows"]) for s in six["steps"] if s["rows"]] == [14, 12]
    entries = done(sheet)
    entries["verdict"]["words"] = "reassemble"
    assert state(sheet, entries).may_be_signed
    del entries["rods"]["rows"]["Rod 3 lower"]
    (missing,) = state(sheet, entries).wrong
    assert missing == "Step 4: surface of Rod 3 lower was not written down."
    entries["rods"]["rows"]["Rod 3 lower"] = {"surface": "copper showing"}
    shell, verdict = state(sheet, entries).wrong
    assert shell == "Step 4: Rod 3 lower: copper showing; say why it may stay so."
    assert verdict == "Step 8: reassemble, though Rod 3 lower: copper showing; say why, or investigate."
    assert reasons_wanted(sheet, entries) == {"rods", "verdict"}
    entries["rods"]["reason"] = "New shells."
    entries["verdict"]["words"] = "investigate"
    assert state(sheet, entries).may_be_signed


def test_nothing_is_done_past_a_hold_point_that_nobody_looked_at() -> None:
    sheet = as_begun("pan-off")
    entries = done(sheet)
    assert state(sheet, entries).may_be_signed
    entries["closing"]["words"] = ""
    wrong = state(sheet, entries).wrong
    assert "Step 7: who looked? It is a hold point." in wrong
    assert "Step 8 is done before the hold point at step 7 was passed." in wrong
    entries["closing"]["words"] = "C."
    entries["leaks"]["rows"]["the next day"] = {"found": "weeping", "where": "rear corner"}
    assert state(sheet, entries).wrong == ("Step 13: the next day: weeping; say why it may stay so.",)


def test_a_job_keeps_the_sheet_it_was_begun_on(monkeypatch: pytest.MonkeyPatch) -> None:
    job = Job(car="c", sheet="baffle", opened="2026-05-01", begun_on=begun("baffle"))
    before = Job(car="c", sheet="baffle", opened="2025-05-01", closed="2025-05-02", entries=done(as_begun("baffle")))
    later = dict(sheets())
    later["baffle"] = replace(
        later["baffle"], steps=(*later["baffle"].steps, SheetStep("later", "Asked by a later Basso."))
    )
    monkeypatch.setattr(jobs, "sheets", lambda: later)
    for kept in (sheet_of(job), sheet_of(before)):
        assert kept is not None and "later" not in [s.key for s in kept.steps] and len(kept.steps) == 5
    fresh = sheet_of(replace(job, begun_on={}))
    assert fresh is not None and fresh.steps[-1].key == "later"
    assert sheet_of(replace(job, begun_on={"steps": 5})) == fresh  # edited by hand into something else
    assert sheet_of(replace(job, sheet="unknown", begun_on={})) is None


def test_limits_and_words_are_read_in_the_units_shown() -> None:
    hold = next(s for s in sheets()["accumulator"].steps if s.key == "hold")
    assert (limits(hold, SI), limits(hold, IMPERIAL)) == ("0 to 35 kPa", "0 to 5.08 psi")
    assert in_units("Warm to {60 °C} or so, {3 to 10 mm}.", SI) == "Warm to 60 °C or so, 3 to 10 mm."
    assert in_units("Warm to {60 °C} or so, {3 to 10 mm}.", IMPERIAL) == "Warm to 140 °F or so, 0.118 to 0.394 in."
    for sheet in sheets().values():
        for step in sheet.steps:
            assert "{" not in in_units(step.text + step.why, IMPERIAL)
    sheet = as_begun("accumulator")
    entries = done(sheet)
    entries["hold"]["value"] = 70.0
    assert state(sheet, entries, IMPERIAL).wrong == (
        "Step 10: pressure lost 10.2 psi is outside 0 to 5.08 psi; say why it may stay so.",
    )


def test_a_changed_family_and_a_doubled_bottle_are_said() -> None:
    from basso.ui.stations.garage.picture import oil_page

    oil = (
        OilEntry(car="c", day="2026-04-01", kind="fill", family="mineral"),
        OilEntry(car="c", day="2026-05-01", kind="change", family="ester"),
    )
    samples = (OilSample(car="c", day="2026-05-01", bottle="A"), OilSample(car="c", day="2026-05-02", bottle="A"))
    words = oil_page(CarHistory(Car(id="c", name="Car"), oil=oil, samples=samples), DisplayUnits()).pour
    assert "changed on 2026-05-01 (mineral to ester): keep to one" in words and "carry the bottle A" in words


def test_the_oil_of_a_session_is_the_label_when_fresh_and_what_was_measured_near_a_sample() -> None:
    entries = [
        OilEntry(car="c", day="2026-05-01", kind="change", grade="10W-40"),
        OilEntry(car="c", day="2026-08-01", kind="change", grade="15W-50"),
    ]
    samples = [
        OilSample(car="c", day="2026-06-30", values={"v40": 84.0, "v100": 12.2}),
        OilSample(car="c", day="2026-08-01", values={"v40": 80.0, "v100": 11.9}),  # what came out at the change
        OilSample(car="c", day="2026-06-20", values={"v40": 10.0, "v100": 12.0}),  # no oil
        OilSample(car="c", day="2026-06-21", values={"Fe": 10.0}),
    ]

    history = CarHistory(Car(id="c", name="Car"), builds=(FIRST,), oil=tuple(entries), samples=tuple(samples))

    def oil(day: str) -> tuple[str, float]:
        driven = session("s", day, FIRST)
        found = oil_of(replace(history, sessions=(driven,)), driven)
        assert found is not None
        return found.name, found.at_100_mm2ps

    assert oil("2026-05-03") == ("10W-40", 14.5)
    assert oil("2026-06-25") == ("10W-40 as measured on 2026-06-30", 12.2)
    assert oil("2026-07-30") == ("10W-40 as measured on 2026-08-01", 11.9)
    assert oil("2026-08-05") == ("15W-50", 18.5)
    assert oil("2026-04-01")[0] == "5W-40"  # before any fill: what the build says
    # A label stands for its data sheet; the oil's own sheet goes before its grade's.
    sheets = (
        OilSheet(car="c", name="15W-50", v40=120.0, v100=17.2),
        OilSheet(car="c", name="10W-40", v40=5.0, v100=50.0),
    )
    history = replace(history, oil_sheets=sheets)
    assert oil("2026-08-05") == ("15W-50", 17.2)
    assert oil("2026-05-03") == ("10W-40", 14.5)  # figures that belong to no oil are passed over
    history = replace(
        history,
        oil=(*entries[:1], replace(entries[1], lot="lot 7")),
        oil_sheets=(*sheets, OilSheet(car="c", name="lot 7", v40=126.0, v100=18.0)),
    )
    assert oil("2026-08-05") == ("lot 7", 18.0)


def _levels(*extra: LevelPoint) -> tuple[LevelPoint, ...]:
    made = [
        LevelPoint(
            car="c", series="s", day="2026-04-01", pan_l=litres, depth_mm=10.0 + 12.0 * (litres - 3.0), stance="level"
        )
        for litres in (3.0, 3.2, 3.4, 3.6, 3.8, 4.0)
    ]
    return (*made, *extra)


@pytest.mark.parametrize(
    ("odd", "why"),
    [
        ({"stance": "nose up", "depth_mm": 30.0}, "stance and seat 'nose up', where most have 'level'"),
        ({"wait_min": 1.0, "depth_mm": 12.0}, "read 1 min after pouring"),
        ({"depth_mm": 21.0, "pan_l": 3.3}, "under the line of the others"),
        ({"accumulator": "unknown", "depth_mm": 16.0}, "whether the accumulator was charged was not written down"),
    ],
)
def test_one_odd_reading_does_not_bend_the_line_and_is_named(odd: dict[str, Any], why: str) -> None:
    from basso.ui.stations.garage.picture import level_page

    point = LevelPoint(**{"car": "c", "series": "s", "day": "2026-04-02", "pan_l": 3.5, **odd})
    fitted = Build(car="c", name="B", since="2026-01-01", accumulator="2 L", accumulator_l=0.9)
    pages = [
        level_page(CarHistory(Car(name="C"), builds=(fitted,), levels=levels), "s", DisplayUnits())
        for levels in (_levels(), _levels(point))
    ]
    assert pages[0].fit is not None and pages[1].fit is not None
    assert pages[1].fit.litres(16.0)[0] == pytest.approx(pages[0].fit.litres(16.0)[0], abs=1e-6)
    assert not any("Left out" in line for line in pages[0].lines)
    assert any(line.startswith("Left out") and why in line for line in pages[1].lines)


def test_readings_that_all_stand_nose_up_are_a_line_of_their_own() -> None:
    from basso.car.level_readings import sort_readings

    nose_up = [replace(p, stance="Nose up ") for p in _levels()]
    found = sort_readings(nose_up, lambda _: 0.0)
    assert len(found.used) == 6 and found.left_out == ()


def test_a_level_is_told_for_a_charged_and_for_an_empty_accumulator() -> None:
    from basso.ui.stations.garage.picture import level_page, reading_words

    fitted = Build(car="c", name="B", since="2026-01-01", accumulator="2 L", accumulator_l=0.9)
    page = level_page(CarHistory(Car(name="C"), builds=(fitted,), levels=_levels()), "s", DisplayUnits())
    words = reading_words(page, 16.0, DisplayUnits())
    assert (
        "3.50 L in the pan" in words and "4.40 L once it has emptied" in words and "2.60 L once it is charged" in words
    )
