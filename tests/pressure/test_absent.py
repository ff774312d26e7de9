"""What is not logged is not nothing: no cause, run or corner may appear that the full log contradicts."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from functools import lru_cache

import numpy as np
import pytest

from basso.analysis import Analysis, JudgedDip
from basso.findings.corners.findings import find_corners
from basso.recording.recording import Recording
from basso.recording.roles import Role
from basso.report.documents import analysis_document
from basso.standin.scenarios import run
from basso.ui.stations.corners.picture import opening as corners_opening
from basso.units import DisplayUnits
from basso.words.headline import opening
from basso.workflow import demo_folder, judge, open_recording
from support import recording_of, side_said

pytestmark = pytest.mark.usefixtures("shared_cache")

R = Role
REMOVED = (
    (R.LATERAL_G,),
    (R.LONGITUDINAL_G,),
    (R.LATERAL_G, R.LONGITUDINAL_G),
    (R.SPEED,),
    (R.OIL_TEMP,),
    (R.LATERAL_G, R.OIL_TEMP),
    (R.LONGITUDINAL_G, R.SPEED),
    (R.LATERAL_G, R.LONGITUDINAL_G, R.SPEED, R.LATITUDE, R.LONGITUDE),
    (R.LATERAL_G, R.LONGITUDINAL_G, R.SPEED, R.OIL_TEMP, R.LATITUDE),
    (R.LAP,),
    (R.THROTTLE,),
)
LOGS = ("baseline-1", "hot-day", "hill-climb", "dyno", "gated")
MORE_DEMO = ("accumulator", "baseline-2", "loose-connector", "plus-0.4", "shakedown")
STAND_IN = ("truth-left", "truth-right", "truth-braking", "truth-launch", "truth-high-rpm", "truth-hot-oil")
ONE_BY_ONE = ((R.LATERAL_G,), (R.LONGITUDINAL_G,), (R.OIL_TEMP,), (R.SPEED,), (R.LATERAL_G, R.LONGITUDINAL_G, R.SPEED))


@lru_cache(maxsize=2)
def _stand_in(name: str) -> Recording:
    return recording_of(run(name, 431, 4)[1])


def without(log: str, roles: tuple[Role, ...]) -> Analysis:
    recording = _stand_in(log) if log in STAND_IN else open_recording(demo_folder() / f"{log}.csv")
    rest = recording.with_channels(tuple(c for c in recording.channels if c.role not in roles))
    return judge(rest, side_said(rest))


@pytest.mark.parametrize("log", LOGS)
def test_nothing_is_said_that_the_full_log_contradicts(log: str) -> None:
    _held_against_the_full_log(log, REMOVED)


@pytest.mark.parametrize("log", [*MORE_DEMO, *STAND_IN])
def test_nor_of_any_other_log_that_ships_or_is_made(log: str) -> None:
    _held_against_the_full_log(log, ONE_BY_ONE)


def _grazes(full: Analysis, d: JudgedDip) -> bool:
    """A dip that the full log comes within a twentieth of: without a channel what is normal is known a little less
    well."""
    inside = (full.time_s >= d.dip.start_s) & (full.time_s <= d.dip.end_s)
    return bool(np.nanmin(full.margin_kpa[inside] / full.floor.kpa[inside]) < 0.05)


def _held_against_the_full_log(log: str, removed: Sequence[tuple[Role, ...]]) -> None:
    full = without(log, ())
    kinds = Counter(r.kind for r in full.runs)
    ways = Counter(p.kind for p in full.track.places) if full.track is not None else Counter()
    for roles in removed:
        a = without(log, roles)
        for d in a.dips:
            same = [f.cause.name for f in full.dips if f.dip.start_s < d.dip.end_s and f.dip.end_s > d.dip.start_s]
            assert d.cause.name == "unknown" or d.cause.name in same or _grazes(full, d), (roles, d.cause)
            needs = set(d.cause.needs)
            assert needs <= set(roles) and (needs or d.cause.name != "unknown" or "unknown" in same)
            for rival in a.rivals(d):
                words = " ".join((*rival.speaks_for, *rival.speaks_against))
                assert (
                    "without g" not in words
                    or not {R.LATERAL_G, R.LONGITUDINAL_G} & set(roles)
                    or a.lateral_g is not None
                )
        assert not Counter(r.kind for r in a.runs) - kinds, roles
        if a.track is not None and roles != (R.LAP,):
            assert not Counter(p.kind for p in a.track.places) - ways, roles
        words = opening(a, DisplayUnits())
        assert "without g" not in words.title or (full.dips and "without g" in opening(full, DisplayUnits()).title)


@pytest.mark.parametrize(
    ("log", "roles", "title"),
    [
        ("baseline-1", (R.LATERAL_G,), "the cause cannot be told without lateral g"),
        (
            "baseline-1",
            (R.LATERAL_G, R.LONGITUDINAL_G, R.SPEED),
            "the cause cannot be told without lateral g and longitudinal g",
        ),
        ("hot-day", (R.OIL_TEMP,), "the cause cannot be told without oil temperature"),
    ],
)
def test_the_headline_says_what_would_tell(log: str, roles: tuple[Role, ...], title: str) -> None:
    a = without(log, roles)
    words = opening(a, DisplayUnits())
    assert title in words.title and "Next: log " in words.detail
    events = analysis_document(a)["events"]
    assert all(set(e["needs"]) <= {r.value for r in roles} for e in events if e["cause"] == "unknown")
    assert any(e["cause"] == "unknown" and e["needs"] for e in events)


def test_columns_that_may_be_the_missing_ones_are_named() -> None:
    recording = open_recording(demo_folder() / "baseline-1.csv")
    from dataclasses import replace

    nameless = tuple(
        replace(c, name="a_quer [m/s²]", role=None) if c.role is R.LATERAL_G else c for c in recording.channels
    )
    words = opening(judge(recording.with_channels(nameless)), DisplayUnits())
    assert words.title == "Lateral g not recognised: a_quer [m/s²] looks like it. Confirm."
    still = tuple(replace(c, values=np.abs(c.values)) if c.name == "a_quer [m/s²]" else c for c in nameless)
    words = opening(judge(recording.with_channels(still)), DisplayUnits())
    assert "'a_quer [m/s²]'" in words.detail and "say which" in words.detail


def test_a_turn_is_not_named_without_longitudinal_g_however_hard_it_was() -> None:
    a = without("baseline-1", (R.LONGITUDINAL_G, R.SPEED))
    assert a.dips and all(d.cause.name == "unknown" and d.cause.needs == (R.LONGITUDINAL_G,) for d in a.dips)
    assert any("turn" in d.cause.reason for d in a.dips), "what was seen is still told"


@pytest.mark.parametrize(
    "roles", [(R.LATERAL_G,), (R.LONGITUDINAL_G, R.SPEED), (R.LATERAL_G, R.LONGITUDINAL_G, R.SPEED)]
)
def test_without_one_g_no_threshold_and_no_rose_is_drawn_from_the_other(roles: tuple[Role, ...]) -> None:
    told = find_corners(without("baseline-1", roles))
    assert told is not None and told.thresholds == () and told.rose is None
    words = corners_opening(told, DisplayUnits())
    assert "cannot be told without" in words.detail and "keep" not in words.detail
    assert "nothing in braking" not in words.title and "or in braking" not in words.title


def test_with_both_g_they_are_there() -> None:
    told = find_corners(without("baseline-1", ()))
    assert told is not None and told.thresholds and told.rose is not None
    assert "cannot be told" not in corners_opening(told, DisplayUnits()).detail
