"""The tilted surface against brute force, closed form and common sense."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from basso.sump.shape import BoxPan
from basso.sump.surface import pickup_head_m, surface_offset_m, volume_under_l

PAN = BoxPan(0.26, 0.20, 0.16, (-0.03, 0.042, 0.008))
slopes = st.floats(-2.5, 2.5)
fills = st.floats(0.2, 8.0)


@given(fills, slopes, slopes)
def test_the_surface_holds_the_volume(volume: float, ax: float, ay: float) -> None:
    offset = surface_offset_m(PAN, np.array(volume), np.array(ax), np.array(ay))
    assert volume_under_l(PAN, offset, np.array(ax), np.array(ay)) == pytest.approx(volume, abs=2e-4)


@settings(max_examples=25)
@given(fills, slopes, slopes)
def test_against_counting_columns(volume: float, ax: float, ay: float) -> None:
    """Fill a fine grid of columns up to the plane and add them up."""
    offset = float(surface_offset_m(PAN, np.array(volume), np.array(ax), np.array(ay)))
    n = 200
    x = (np.arange(n) + 0.5) / n * PAN.length_m - PAN.length_m / 2
    y = (np.arange(n) + 0.5) / n * PAN.width_m - PAN.width_m / 2
    height = np.clip(offset - ax * x[:, None] - ay * y[None, :], 0.0, PAN.depth_m)
    counted = float(height.mean()) * PAN.length_m * PAN.width_m * 1000.0
    assert counted == pytest.approx(volume, abs=0.02)


def test_level_oil_stands_at_volume_over_area() -> None:
    offset = surface_offset_m(PAN, np.array(4.0), np.array(0.0), np.array(0.0))
    assert offset == pytest.approx(0.004 / (0.26 * 0.20), abs=1e-5)


def test_closed_form_of_a_wedge() -> None:
    """1 g to the left, little oil: a wedge against the right wall with a 45° face; area = h²/2."""
    volume = 1.0
    h = np.sqrt(2 * volume / 1000.0 / PAN.length_m)
    offset = float(surface_offset_m(PAN, np.array(volume), np.array(0.0), np.array(1.0)))
    height_at_right_wall = offset - 1.0 * (-PAN.width_m / 2)
    assert height_at_right_wall == pytest.approx(h, abs=2e-4)


@given(fills, slopes, slopes)
def test_mirrored_g_gives_the_mirrored_surface(volume: float, ax: float, ay: float) -> None:
    centred = BoxPan(0.26, 0.20, 0.16, (0.0, 0.0, 0.008))
    one = pickup_head_m(centred, np.array(volume), np.array(ax), np.array(ay))
    other = pickup_head_m(centred, np.array(volume), np.array(-ax), np.array(-ay))
    assert one == pytest.approx(float(other), abs=1e-6)


@given(st.floats(0.5, 6.0), st.floats(0.1, 2.0), slopes, slopes)
def test_more_oil_never_uncovers(volume: float, more: float, ax: float, ay: float) -> None:
    less = pickup_head_m(PAN, np.array(volume), np.array(ax), np.array(ay))
    full = pickup_head_m(PAN, np.array(volume + more), np.array(ax), np.array(ay))
    assert full >= less - 1e-6


def test_a_left_turn_bares_a_pickup_on_the_left() -> None:
    assert pickup_head_m(PAN, np.array(3.4), np.array(0.0), np.array(1.4)) < 0
    assert pickup_head_m(PAN, np.array(3.4), np.array(0.0), np.array(-1.4)) > 0


def test_braking_throws_the_oil_forward() -> None:
    """Decelerating (ax < 0) the oil runs to the front: a pickup at the back goes bare, one in front does not."""
    back, front = (BoxPan(0.26, 0.20, 0.16, (x, 0.0, 0.008)) for x in (-0.1, 0.1))
    heads = [float(pickup_head_m(p, np.array(3.0), np.array(-1.3), np.array(0.0))) for p in (back, front)]
    assert heads[0] < 0 < heads[1]
