"""Do the pressures along the oil's way agree? At rest all read the same; running, none is higher than the one before
it."""

from __future__ import annotations

from itertools import pairwise

import numpy as np

from basso.recording.recording import Recording, frame_on
from basso.recording.roles import Role
from basso.sentence import in_kpa, phrase
from basso.trust.verdict import Check

ORDER = (Role.PRESSURE_PUMP_OUT, Role.PRESSURE_COOLER_OUT, Role.PRESSURE_FILTER_OUT, Role.OIL_PRESSURE)
"""Places along the oil's way."""
_AT_REST_KPA = 6.0
_UPHILL_KPA = 8.0


def check_circuit(recording: Recording) -> list[Check]:
    """One check of what they read at rest, one of their order while running; none with a single place."""
    places = [r for r in ORDER if recording.has(r)]
    if len(places) < 2 or not recording.has(Role.RPM):
        return []
    return [_at_rest(recording, places), _order(recording, places)]


def _medians(recording: Recording, places: list[Role], running: bool) -> dict[Role, float]:
    found = {}
    for role in places:
        frame = frame_on(recording, role)
        rpm, kpa = frame.filled(Role.RPM, np.nan), frame.filled(role, np.nan)
        use = np.isfinite(kpa) & ((rpm > 1500.0) if running else (rpm < 60.0))
        if use.sum() >= (100 if running else 5):
            found[role] = float(np.median(kpa[use]))
    return found


def _at_rest(recording: Recording, places: list[Role]) -> Check:
    rest = _medians(recording, places, running=False)
    if len(rest) < len(places):
        message = (
            "Cannot be checked: the log has no stretch with the engine stopped, where all oil pressures "
            "must read the same."
        )
        return Check("references", "note", message)
    low, high = min(rest, key=lambda r: rest[r]), max(rest, key=lambda r: rest[r])
    apart = rest[high] - rest[low]
    if apart <= _AT_REST_KPA:
        return Check(
            "references",
            "ok",
            phrase("With the engine stopped all oil pressures agree within {}.", in_kpa(apart)),
            measured=apart,
        )
    message = phrase(
        "With the engine stopped the {} reads {} more than the {}: one counts from vacuum, or its "
        "zero is off. No drop between them can be believed before that is settled.",
        high.words,
        in_kpa(apart),
        low.words,
    )
    return Check("references", "warn" if apart < 60.0 else "fail", message, measured=apart)


def _order(recording: Recording, places: list[Role]) -> Check:
    level = _medians(recording, places, running=True)
    rest = _medians(recording, places, running=False)
    for up, down in pairwise([r for r in places if r in level]):
        # Of what both read at rest nothing says which is higher.
        uphill = level[down] - level[up] - (rest[down] - rest[up] if up in rest and down in rest else 0.0)
        if uphill > _UPHILL_KPA:
            message = phrase(
                "The {} lies {} above the {} while the engine runs, which no oil does: the two are "
                "exchanged, or a scale is wrong.",
                down.words,
                in_kpa(uphill),
                up.words,
            )
            return Check("order", "fail", message, measured=uphill)
    return Check("order", "ok", "Along the oil's way no pressure is higher than the one before it.")
