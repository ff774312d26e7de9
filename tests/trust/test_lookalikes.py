"""Columns that no name gave a role: what they look like is said, asked, and never taken unasked."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from basso.recording.channel import Channel
from basso.recording.recording import Recording
from basso.recording.roles import Role
from basso.trust.lookalikes import find_lookalikes, lookalike_words
from basso.units import STANDARD_GRAVITY_MPS2, UNITS, DisplayUnits
from basso.words.headline import opening
from basso.workflow import demo_folder, judge, open_recording

R = Role


def nameless(log: str, *roles: Role, states_units: bool = True) -> Recording:
    """A demo log of which some columns carry a name that says nothing, and perhaps no unit either."""
    recording = open_recording(demo_folder() / f"{log}.csv")
    made = []
    for i, c in enumerate(recording.channels):
        if c.role in roles and c.unit is not None:
            c = replace(c, name=f"CH{i}", role=None)
            c = c if states_units else replace(c, unit=None, values=c.unit.from_base(c.values))  # type: ignore[union-attr]
        made.append(c)
    return recording.with_channels(tuple(made))


@pytest.mark.parametrize("log", ["baseline-1", "hot-day", "hill-climb", "shakedown"])
@pytest.mark.parametrize("states_units", [True, False])
def test_the_lateral_g_is_found_by_how_it_moves(log: str, states_units: bool) -> None:
    found = find_lookalikes(nameless(log, R.LATERAL_G, states_units=states_units))
    assert [(x.role, x.alone) for x in found] == [(R.LATERAL_G, "CH4")]


@pytest.mark.parametrize("log", ["baseline-1", "hot-day", "hill-climb", "gated"])
def test_speed_and_both_g_are_told_apart_by_each_other(log: str) -> None:
    found = {
        x.role: x.alone for x in find_lookalikes(nameless(log, R.LATERAL_G, R.LONGITUDINAL_G, R.SPEED, R.OIL_TEMP))
    }
    wanted = {R.SPEED: "CH6", R.LONGITUDINAL_G: "CH5", R.LATERAL_G: "CH4", R.OIL_TEMP: "CH3"}
    if log == "gated":  # its path gives the lateral g
        del wanted[R.LATERAL_G]
    assert found == wanted


def test_two_g_that_nothing_tells_apart_are_both_named_and_neither_is_offered() -> None:
    recording = nameless("baseline-1", R.LATERAL_G, R.LONGITUDINAL_G)
    recording = recording.with_channels(tuple(c for c in recording.channels if c.role is not R.SPEED))
    found = find_lookalikes(recording)
    assert found and all(x.alone is None for x in found)
    assert "it may be CH4 [g] or CH5 [g]; say which" in lookalike_words(found)


def test_a_rate_of_turn_proves_the_lateral_g() -> None:
    recording = nameless("baseline-1", R.LATERAL_G)
    g, speed = (next(c for c in recording.channels if c.name == "CH4"), recording.channel(R.SPEED))
    assert speed is not None
    rate = np.degrees(g.values * STANDARD_GRAVITY_MPS2 / np.maximum(speed.values, 3.0))
    yaw = Channel("Gierrate [°/s]", None, None, False, g.time_s, rate)
    twin = replace(g, name="CH9", values=np.roll(g.values, 400))
    found = find_lookalikes(recording.with_channels((*recording.channels, yaw, twin)))
    assert found[0].alone == "CH4" and "rate of turn" in found[0].why


def test_what_only_resembles_is_not_offered() -> None:
    """Steering, damper travel and a drifting count are no g; another fluid is no oil."""
    recording = open_recording(demo_folder() / "baseline-1.csv")
    g, oil = recording.channel(R.LATERAL_G), recording.channel(R.OIL_TEMP)
    assert g is not None and oil is not None
    rng = np.random.default_rng(8)
    others = (
        Channel("Steering [rad]", None, None, False, g.time_s, 0.4 * g.values),
        Channel("Damper FL", None, None, False, g.time_s, rng.normal(0, 1, g.time_s.size)),
        Channel("Aux", None, None, False, g.time_s, np.cumsum(rng.normal(0, 0.05, g.time_s.size)) + 10.0),
        replace(oil, name="Water [°C]", role=None),
        replace(oil, name="Gearbox oil [°C]", role=None),
    )
    rest = tuple(c for c in recording.channels if c.role not in (R.LATERAL_G, R.OIL_TEMP))
    assert find_lookalikes(recording.with_channels((*rest, *others))) == ()


def test_a_full_log_is_not_asked_about() -> None:
    recording = open_recording(demo_folder() / "baseline-1.csv")
    extra = replace(recording.channels[4], name="CH4", role=None)
    assert find_lookalikes(recording.with_channels((*recording.channels, extra))) == ()


def test_the_headline_asks_and_what_is_said_does_not_rest_on_the_guess() -> None:
    a = judge(nameless("baseline-1", R.LATERAL_G))
    words = opening(a, DisplayUnits())
    assert words.title == "Lateral g not recognised: CH4 [g] looks like it. Confirm."
    assert "cannot be told without lateral g" in words.detail and "27 dips" in words.detail
    assert not any(d.cause.name in ("left_turn", "right_turn") for d in a.dips) and a.lateral_g is None
    check = next(c for c in a.checks if c.id == "lookalike")
    assert '--role lateral_g="CH4"' in check.message


def test_a_log_without_its_pressure_asks_for_the_column_that_rises_with_rpm() -> None:
    recording = nameless("baseline-1", R.OIL_PRESSURE)
    other = replace(next(c for c in recording.channels if c.name == "CH2"), name="Fuel rail", unit=UNITS["psi"])
    a = judge(recording.with_channels((*recording.channels, other)))
    assert opening(a, DisplayUnits()).title == "Oil pressure not recognised: CH2 [psi] looks like it. Confirm."
