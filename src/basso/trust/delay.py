"""Does the pressure come late? Measured against the engine speed, which the pressure must follow at once.

At a gear change or a blip the pressure follows the rpm within the gallery's own few hundredths of a second. A long
thin line or a filter in the logger adds to that. The delay is where the rate of change of log pressure matches that
of log rpm best.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from basso.recording.corrections import Correction
from basso.recording.gaps import or_zero
from basso.recording.recording import Recording, frame_on
from basso.recording.roles import Role
from basso.recording.rolling import rolling_mean
from basso.sentence import phrase
from basso.trust.response import GALLERY_S, Response, measure_response
from basso.trust.verdict import Check
from basso.units import FloatArray

_NOTICED_S = 0.05
"""Over what a gallery needs; those of healthy logs differ from it by up to 0.02 s (default)."""
_LONGEST_S = 1.00
GRID_S = 0.02
_ENOUGH_S = 1500.0
_LEAST_QUICK, _MOST_STRETCHES = 45, 60
_CLEAR = 0.7
_SANE = 6.0
_SUSPECT_S = 0.03
_FILTERED, _LEAST_FILTER_S = 0.05, 0.07
"""By so much does a filter explain the pressure better than a delay alone, and of so much, where there is one
(default).

Where there is none one may too, by up to 0.10, but it is of no more than 0.05 s; filters of 0.1 s were told as 0.086 s
and more.
"""


def check_delay(recording: Recording) -> Check | None:
    """Measure the delay of pressure against rpm; None when the log shows too few changes of rpm to tell."""
    channel = recording.channel(Role.OIL_PRESSURE)
    if channel is None or not recording.has(Role.RPM) or channel.values.size < 200:
        return None
    found = measure_delay_s(recording)
    if found is None or found[0] - GALLERY_S > _SUSPECT_S:
        response = measure_response(recording)
        if response is not None and response.better >= _FILTERED and response.constant_s >= _LEAST_FILTER_S:
            return _filtered(response, channel.name)
    if found is None:
        return None
    delay, agreement = found
    extra = delay - GALLERY_S
    words = f"The pressure follows the engine speed after {delay:.2f} s (agreement {agreement:.2f})"
    if extra < _NOTICED_S:
        return Check("delay", "ok", phrase("{}: no delay to speak of.", words), channel.name, measured=delay)
    reason = phrase("{}; a gallery needs about {:.2f} s. A long thin line or the logger delays it.", words, GALLERY_S)
    correction = Correction(channel.name, "delay", round(extra, 3), "s", reason)
    return Check(
        "delay", "warn", phrase("{} It is moved {:.2f} s earlier.", reason, extra), channel.name, correction, delay
    )


def _filtered(response: Response, channel: str) -> Check:
    """A filter rounds the pressure off: short dips are shallower than they were."""
    extra = response.constant_s + response.late_s
    total = extra + GALLERY_S
    reason = (
        f"The pressure answers the engine speed as one that passed a filter of {response.constant_s:.2f} "
        "s (which explains it better by "
        f"{response.better:.0%} than a delay alone) and comes {total:.2f} s late in all; a gallery needs "
        f"about {GALLERY_S:.2f} s. A filter in the logger "
        "or the sensor, or air in the line, rounds it off: short dips are shallower in it than they were."
    )
    correction = Correction(
        channel, "delay", round(extra, 3), "s", reason, filter_s=round(min(response.constant_s, extra), 3)
    )
    return Check(
        "delay",
        "warn",
        phrase("{} The filter is undone; what it smoothed away for good is not there.", reason),
        channel,
        correction,
        total,
    )


def measure_delay_s(recording: Recording) -> tuple[float, float] | None:
    """Delay in seconds and the correlation at it; None with too few transitions or no clear peak."""
    changes = changes_of(recording)
    if changes is None or changes.quick.size < 100:
        return None
    quick = changes.quick[:: max(1, changes.quick.size // 8_000)]
    return _delay_at(changes, quick)


def delays_over_time(recording: Recording) -> tuple[FloatArray, FloatArray]:
    """Delay along the log: (middle of each stretch in s, delay in s), shape (k,); stretches that show none are left
    out.

    A stretch is as long as it takes for enough quick changes of engine speed; each shares half of them with the next.
    """
    changes = changes_of(recording, longest_s=np.inf)
    if changes is None:
        return np.empty(0), np.empty(0)
    size = max(_LEAST_QUICK, changes.quick.size // _MOST_STRETCHES)
    middles, delays = [], []
    for start in range(0, changes.quick.size - size + 1, size // 2):
        own = changes.quick[start : start + size]
        found = _delay_at(changes, own)
        if found is not None and found[1] >= _CLEAR:
            middles.append(changes.first_s + float(np.median(own)) * GRID_S)
            delays.append(found[0])
    return np.array(middles), np.array(delays)


@dataclass(frozen=True, slots=True, eq=False)
class Changes:
    """Rates of change of log pressure and log engine speed on a grid of 20 ms from ``first_s``, and where the engine
    speed is quick. Starved moments change the pressure without the engine speed: single changes are held to a sane
    size."""

    first_s: float
    pressure: FloatArray
    rpm: FloatArray
    quick: NDArray[np.intp]


def changes_of(recording: Recording, longest_s: float = _ENOUGH_S) -> Changes | None:
    """What a delay is measured on; None for a log too slow to show one."""
    frame = frame_on(recording, Role.OIL_PRESSURE)
    if frame.step_s <= 0 or frame.step_s > 0.11:
        return None
    first = float(frame.time_s[0])
    grid = np.arange(first, min(float(frame.time_s[-1]), first + longest_s), GRID_S)
    if grid.size < 3:
        return None
    pressure, rpm = (or_zero(frame.filled(r)) for r in (Role.OIL_PRESSURE, Role.RPM))
    smooth = max(1, round(max(0.1, 2.0 * frame.step_s) / GRID_S))
    rates = []
    for values, least in ((pressure, 40.0), (rpm, 900.0)):
        log = np.log(np.maximum(np.interp(grid, frame.time_s, values), least))
        rates.append(np.clip(np.gradient(rolling_mean(log, smooth), GRID_S), -_SANE, _SANE))
    read = np.interp(grid, frame.time_s, np.isfinite(frame.filled(Role.OIL_PRESSURE, np.nan))) > 0.99
    quick = np.flatnonzero((np.abs(rates[1]) > 0.35) & read)
    reach = round(_LONGEST_S / GRID_S)
    return Changes(first, rates[0], rates[1], quick[(quick > reach) & (quick < grid.size - reach - 1)])


def _delay_at(changes: Changes, quick: NDArray[np.intp]) -> tuple[float, float] | None:
    """Delay and agreement from the moments ``quick``."""
    lags = np.arange(-5, round(_LONGEST_S / GRID_S))
    agreement = _correlations(changes.rpm[quick], changes.pressure[quick[:, None] + lags])
    best = int(np.argmax(agreement))
    if agreement[best] < 0.5 or best in (0, lags.size - 1):
        return None
    before, here, after = agreement[best - 1 : best + 2]
    bend = before - 2 * here + after
    shift = 0.5 * (before - after) / bend if bend < 0 else 0.0
    return float((lags[best] + shift) * GRID_S), float(here)


def _correlations(a: FloatArray, b: FloatArray) -> FloatArray:
    """Of ``a``, shape (n,), with each column of ``b``, shape (n, k); 0 where either does not change."""
    centred = a - a.mean()
    spread = a.std() * b.std(axis=0)
    together: FloatArray = (centred @ b) / a.size
    return np.where(spread > 1e-12, together / np.maximum(spread, 1e-12), 0.0)
