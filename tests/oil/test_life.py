"""Oil volumes, use and what is due, against sums worked by hand."""

from __future__ import annotations

from dataclasses import replace

import pytest

from basso.garage.records import OilEntry, Session
from basso.oil.life import Holding, drained_short_l, gone_l, needed, oil_state

HOLDING = Holding(pan_l=3.6, filter_l=0.3, cooler_l=0.25, lines_l=0.1, galleries_l=0.35)


def entry(day: str, kind: str, litres: float | None = None, grade: str = "5W-40") -> OilEntry:
    return OilEntry(car="c", day=day, kind=kind, grade=grade, volume_l=litres)


def drive(day: str, hours: float | None, km: float = 50.0, kind: str = "track", peak: float = 110.0) -> Session:
    running = None if hours is None else 3600.0 * hours
    return Session(
        car="c",
        build="b",
        title="",
        began=day,
        kind=kind,
        running_s=running,
        hot_s=600.0,
        distance_km=km,
        peak_oil_c=peak,
    )


@pytest.mark.parametrize(
    ("options", "litres", "drop"),
    [
        ({"filter_new": False}, 3.6, 0.0),
        ({}, 3.9, 0.3),
        ({"cooler_empty": True}, 4.25, 0.65),
        ({"dry": True}, 4.6, 1.0),
    ],
)
def test_what_to_pour(options: dict[str, bool], litres: float, drop: float) -> None:
    found = needed(HOLDING, **options)
    assert found.litres == pytest.approx(litres) and found.drop_l == pytest.approx(drop) and found.unknown == ()


def test_a_part_that_was_never_measured_is_named_not_guessed() -> None:
    found = needed(Holding(pan_l=3.6), dry=True)
    assert found.litres == pytest.approx(3.6)
    assert found.unknown == ("filter", "cooler", "lines", "galleries")


def test_use_since_the_last_fill_and_what_is_due_first() -> None:
    entries = [entry("2026-04-01", "fill", 4.6), entry("2026-05-01", "change", 3.9), entry("2026-05-10", "top-up", 0.4)]
    sessions = [
        drive("2026-04-20", 3.0),
        drive("2026-05-01T14:00", 1.5),
        drive("2026-05-12", 2.0, kind="dyno", km=0.0, peak=45.0),
    ]
    state = oil_state(entries, sessions, hours=10.0, km=400.0, events=5.0)
    assert state is not None
    assert (state.since, state.sessions, state.heat_cycles, state.unknown) == ("2026-05-01", 2, 1, 0)
    assert state.running_h == pytest.approx(3.5) and state.distance_km == pytest.approx(50.0)
    assert dict(state.by_kind) == pytest.approx({"dyno": 2.0, "track": 1.5})
    assert state.added_l == pytest.approx(0.4) and state.per_hour_l == pytest.approx(0.4 / 3.5)
    assert state.per_1000_km_l == pytest.approx(8.0)
    # 3.5 h and half of two times 600 s over 100 °C
    assert state.weighted_h == pytest.approx(3.5 + 0.5 * 1200 / 3600)
    assert [(d.unit, round(d.share, 3)) for d in state.due] == [("sessions", 0.4), ("h", 0.367), ("km", 0.125)]


def test_the_state_on_a_past_day_knows_nothing_of_later() -> None:
    entries = [entry("2026-04-01", "fill", 4.6), entry("2026-05-01", "change", 3.9)]
    state = oil_state(entries, [drive("2026-04-20", 3.0), drive("2026-05-12", 2.0)], until="2026-04-30")
    assert state is not None and state.since == "2026-04-01" and state.running_h == pytest.approx(3.0)


def test_sessions_without_a_running_time_are_counted_as_unknown() -> None:
    state = oil_state([entry("2026-04-01", "fill")], [drive("2026-04-02", None), drive("2026-04-03", 1.0)])
    assert state is not None and state.unknown == 1 and state.running_h == pytest.approx(1.0)


def test_no_fill_no_state() -> None:
    assert oil_state([entry("2026-04-01", "top-up", 0.3)], [drive("2026-04-02", 1.0)]) is None


def test_what_is_gone_at_a_drain() -> None:
    assert drained_short_l(drained_l=3.2, poured_l=3.9, added_l=0.4, left_l=0.7) == pytest.approx(0.4)


def test_what_was_used_up_by_what_came_out() -> None:
    entries = [
        entry("2026-04-01", "fill", 4.6),
        entry("2026-04-20", "top-up", 0.3),
        entry("2026-04-25", "level change", -0.2),
        entry("2026-05-10", "drain", 3.4),
        entry("2026-05-10", "change", 3.9),
        entry("2026-06-10", "top-up", 0.5),
    ]
    # 4.6 + 0.3 − 0.2 in; 3.4 out; filter, cooler, lines and galleries keep 1.0.
    assert gone_l(entries, HOLDING) == pytest.approx(0.3)
    later = [*entries, entry("2026-07-10", "drain", 3.5), entry("2026-07-10", "change", 3.9)]
    assert gone_l(later, HOLDING) == pytest.approx(3.9 + 0.5 - 3.5 - 0.3)
    assert gone_l(entries, Holding(pan_l=3.6)) is None
    assert gone_l([e for e in entries if e.kind != "drain"], HOLDING) is None


def test_a_level_changed_on_purpose_is_no_consumption() -> None:
    state = oil_state(
        [entry("2026-05-01", "change", 3.9), entry("2026-05-02", "level change", 0.4)], [drive("2026-05-03", 1.0)]
    )
    assert state is not None and state.added_l == 0.0


def test_a_road_hour_counts_half_and_hot_time_half_again() -> None:
    cool = replace(drive("2026-05-02", 2.0, kind="road"), hot_s=0.0)
    hot = replace(drive("2026-05-03", 2.0), hot_s=3600.0)
    state = oil_state([entry("2026-05-01", "change")], [cool, hot], hours=10.0)
    assert state is not None and state.running_h == pytest.approx(4.0)
    assert state.weighted_h == pytest.approx(1.0 + 2.0 + 0.5) and state.due[0].used == pytest.approx(3.5)


def test_an_accumulator_drinks_on_a_dry_fill_only() -> None:
    fitted = replace(HOLDING, accumulator_l=1.3)
    assert needed(fitted).litres == pytest.approx(3.9) and needed(fitted, dry=True).litres == pytest.approx(5.9)
    assert needed(replace(HOLDING, accumulator_l=None), dry=True).unknown == ("accumulator",)
