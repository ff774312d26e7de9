"""What a second below the floor weighs."""

from __future__ import annotations

import pytest

from basso.pressure.exposure import exposure_weight


def test_faster_and_deeper_weighs_more_and_what_is_not_known_counts_as_normal() -> None:
    assert exposure_weight(6000.0, 1.0) == 1.0 and exposure_weight(6000.0, 0.0) == 2.0
    assert exposure_weight(3000.0, 0.5) == pytest.approx(0.75)
    assert exposure_weight(6000.0, None) == exposure_weight(6000.0, float("nan")) == 1.0
    assert exposure_weight(6000.0, 1.2) == 1.0 and exposure_weight(6000.0, -0.1) == 2.0, (
        "a zero that is off weighs no more"
    )
