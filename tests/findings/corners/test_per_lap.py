"""What a lap costs, with intervals over laps; and slides, put into the record."""

from __future__ import annotations

import numpy as np
import pytest

from basso.findings.corners.findings import find_corners
from basso.findings.corners.per_lap import per_lap
from basso.recording.recording import frame_on
from basso.recording.roles import Role
from basso.track.slides import find_slides
from basso.words.corners import per_lap_words, slides_words
from support import judged_scenario


def test_seconds_below_the_floor_a_lap_add_up_and_their_interval_is_students() -> None:
    a = judged_scenario("baseline-1", 3).analysis
    found = {m.measure: m for m in per_lap(a)}
    laps = [x for x in a.laps if x.complete]
    each = np.array([sum(d.dip.duration_s for d in a.dips if x.start_s <= d.dip.start_s < x.end_s) for x in laps])
    below = found["below_floor_s"]
    assert below.laps == 7 and below.mean == pytest.approx(each.mean())
    # Student's t with six degrees of freedom: 2.447.
    assert below.high is not None and below.high - below.mean == pytest.approx(
        2.447 * each.std(ddof=1) / 7**0.5, rel=1e-3
    )
    assert below.low is not None and 0.0 <= below.low < below.mean
    assert found["below_share_0.90"].mean > found["below_share_0.70"].mean > found["below_share_0.40"].mean
    assert found["recovery_s"].laps == len(a.dips)
    assert "s (0.9 to 18.4) below the floor" in per_lap_words(per_lap(a)) and "Per lap (7 laps)" in per_lap_words(
        per_lap(a)
    )


def test_without_laps_nothing_is_told_of_a_lap() -> None:
    assert per_lap(judged_scenario("dyno", 1).analysis) == () and per_lap_words(()) == ""


def test_a_drive_without_slides_has_none_and_one_that_is_put_in_is_found() -> None:
    a = judged_scenario("truth-left", 5).analysis
    assert a.track is not None and a.lateral_g is not None
    speed = frame_on(a.corrected, Role.OIL_PRESSURE).filled(Role.SPEED)
    clean = np.nan_to_num(a.lateral_g)
    assert find_slides(a.time_s, clean, speed, a.track) == []
    told = find_corners(a)
    assert told is not None and told.slides == () and slides_words(told) == ""
    step = float(a.time_s[1] - a.time_s[0])
    # In the middle of the longest stretch of cornering the g breaks away by half for 0.6 s, and comes back.
    held = (np.abs(clean) > 0.9) & np.isfinite(a.track.lap_distance_m)
    edges = np.flatnonzero(np.diff(np.concatenate([[0], held.astype(int), [0]])))
    first, last = max(zip(edges[::2], edges[1::2], strict=True), key=lambda e: e[1] - e[0])
    at = int((first + last) // 2)
    size = round(0.6 / step)
    slid = clean.copy()
    slid[at : at + size] *= 1.0 - 0.5 * np.sin(np.pi * np.arange(size) / size)
    (found,) = find_slides(a.time_s, slid, speed, a.track)
    assert a.time_s[at] - 0.1 < found[0] < found[1] < a.time_s[at] + 0.7
