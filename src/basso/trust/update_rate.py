"""How often a channel really changes: a logger may write a slow sensor's last value over and over.

The lowest pressure can only be as low as the samples that were taken: where they are few, what is shown is "at or
below".
"""

from __future__ import annotations

import numpy as np

from basso.recording.channel import Channel
from basso.recording.recording import Recording
from basso.recording.roles import Role
from basso.trust.verdict import Check

_LEAST_CHANGES = 40
_FEW_SINGLES = 0.03
_SLOW_HZ = 10.0


def true_rate_hz(channel: Channel) -> float | None:
    """New values a second, counted from repeats; None when there are too few changes to tell.

    A value that is written anew changes at its own beat: between two changes there is then never a single row. Where
    single rows are common, repeats come from a coarse reading that happens to stay, and the logged rate is the true
    one.
    """
    rate = channel.rate_hz
    known = channel.values[np.isfinite(channel.values)]
    if rate is None or known.size < 10 * _LEAST_CHANGES:
        return None
    changes = np.flatnonzero(np.diff(known)) + 1
    if changes.size < _LEAST_CHANGES:
        return None
    held = np.diff(changes)
    if np.mean(held == 1) >= _FEW_SINGLES:
        return rate
    # Longer holds are beats at which the reading stayed the same: the lower half shows the beat itself.
    beat = float(np.mean(held[held <= np.median(held)]))
    return rate / beat


def check_update_rate(recording: Recording) -> Check | None:
    """Say when the oil pressure is renewed more slowly than it is logged, or too slowly to see short dips."""
    channel = recording.channel(Role.OIL_PRESSURE)
    if channel is None or (true := true_rate_hz(channel)) is None:
        return None
    logged = channel.rate_hz or true
    slow, repeated = true < _SLOW_HZ, true < 0.7 * logged
    if not slow and not repeated:
        return None
    words = (
        f"'{channel.name}' is logged {logged:.3g} times a second but changes only {true:.2g} times"
        if repeated
        else f"'{channel.name}' is logged only {true:.2g} times a second"
    )
    cost = (
        f": a lowest pressure means at or below, and dips shorter than {1.5 / true:.1f} s can be missed."
        if slow
        else "; what counts is the slower rate."
    )
    return Check("update_rate", "warn" if slow else "note", words + cost, channel.name, measured=true)
