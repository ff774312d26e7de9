"""Readings that cannot be what their columns say stop an all-clear and qualify every other verdict."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest

from basso.report.documents import analysis_document
from basso.units import DisplayUnits
from basso.words.coverage import coverage_of
from basso.words.headline import opening
from basso.workflow import demo_folder, judge, open_recording
from support import write_temporary

ROWS = (demo_folder() / "baseline-1.csv").read_text().splitlines()
UNITS = DisplayUnits()


def changed(head: Callable[[str], str], row: Callable[[list[str]], list[str]]) -> Path:
    lines = [head(ROWS[0]), *(",".join(row(r.split(","))) for r in ROWS[1:])]
    return write_temporary("\n".join(lines).encode(), "drive.csv")


CASES: dict[str, tuple[Callable[[str], str], Callable[[list[str]], list[str]], str, str]] = {
    "degrees Celsius labelled Fahrenheit": (
        lambda h: h.replace("°C", "°F"),
        lambda r: r,
        "Nothing could be judged",
        "as °C it would be a warm engine",
    ),
    "a pressure that never changes": (
        lambda h: h,
        lambda r: [*r[:2], "42.0", *r[3:]],
        "Nothing could be judged",
        "no usable reading of the oil pressure",
    ),
    "minutes labelled seconds": (
        lambda h: h,
        lambda r: [f"{float(r[0]) / 60:.5f}", *r[1:]],
        "No verdict",
        "check the unit of the time column",
    ),
}


@pytest.mark.parametrize("case", CASES)
def test_no_all_clear_from_what_cannot_be(case: str) -> None:
    head, row, title, detail = CASES[case]
    a = judge(open_recording(changed(head, row)))
    words = opening(a, UNITS)
    assert words.title.startswith(title) and detail in words.detail, words
    assert "stayed above" not in words.title
    document = analysis_document(a)
    assert document["sentence"].startswith(title)
    if title.startswith("Nothing"):
        assert document["judged"]["minutes"] == 0 and sum(n["minutes"] for n in document["judged"]["not_judged"]) > 15


def test_a_doubt_stands_before_the_dips_too() -> None:
    """Pressure in bar labelled psi: dips everywhere, and the reason first."""
    path = changed(lambda h: h, lambda r: [*r[:2], f"{float(r[2]) / 14.5:.3f}", *r[3:]])
    a = judge(open_recording(path))
    assert a.dips and opening(a, UNITS).detail.startswith("'Oil pressure [psi]' never goes over")


def test_a_sound_log_is_judged_whole_and_says_so() -> None:
    a = judge(open_recording(demo_folder() / "baseline-1.csv"))
    seen = coverage_of(a)
    assert not any(c.id == "doubt" for c in a.checks) and seen.is_most
    assert seen.judged_min == pytest.approx(15.3, abs=0.1)
    assert [why for _, why in seen.not_judged] == ["engine speed under 1500 rpm"]
    assert seen.running_min == pytest.approx(a.exposure.running_s / 60, abs=0.05)


def test_what_was_cold_is_told_beside_what_was_judged() -> None:
    """Cold for two thirds of the drive: no dips in the rest is said of the rest only."""
    last = float(ROWS[-1].split(",")[0])
    quiet = changed(
        lambda h: h,
        lambda r: [*r[:2], f"{float(r[1]) / 60:.1f}", "30.0" if float(r[0]) < 0.67 * last else r[3], *r[4:]],
    )
    a = judge(open_recording(quiet))
    words = opening(a, UNITS)
    assert not a.dips and words.title.startswith("No dips in the ") and "that could be judged" in words.title
    assert "oil under 60 °C" in words.detail


def test_time_in_a_pause_belongs_to_nothing() -> None:
    added, count = 0.0, 0

    def row(r: list[str]) -> list[str]:
        nonlocal added, count
        count += 1
        added += 40.0 * (count % 400 == 0)
        return [f"{float(r[0]) + added:.2f}", *r[1:]]

    with_pauses, whole = (
        judge(open_recording(changed(lambda h: h, row))),
        judge(open_recording(demo_folder() / "baseline-1.csv")),
    )
    assert added > 1500
    assert with_pauses.exposure.running_s == pytest.approx(whole.exposure.running_s, rel=0.01)
    assert with_pauses.exposure.below_floor_s == pytest.approx(whole.exposure.below_floor_s, abs=1.0)
    assert max(d.dip.duration_s for d in with_pauses.dips) <= max(d.dip.duration_s for d in whole.dips) + 0.1
    steps = np.diff(with_pauses.time_s)
    for d in with_pauses.dips:
        assert steps[d.dip.first : d.dip.last - 1].max(initial=0.0) < 1.0
