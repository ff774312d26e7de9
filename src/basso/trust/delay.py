"""Does the pressure come late? Measured against the engine speed, which the pressure must follow at once.

At a gear change or a blip the pressure follows the rpm within the gallery's own few hundredths of a second. A long
thin line or a filter in the logger adds to that. The delay is where the rate of change of log pressure matches that
of log rpm best.
"""

from __future__ import annotations

import numpy as np

from basso.recording.corrections import Correction
from basso.recording.recording import Recording, frame_on
from basso.recording.roles import Role
from basso.recording.rolling import rolling_mean
from basso.trust.verdict import Check

GALLERY_S = 0.035
"""What a short, stiff line and the gallery need by themselves (default); not taken off."""
_NOTICED_S = 0.10
_LONGEST_S = 1.00
_GRID_S = 0.02
_ENOUGH_S = 1500.0


def check_delay(recording: Recording) -> Check | None:
    """Measure the delay of pressure against rpm; None when the log shows too few changes of rpm to tell."""
    channel = recording.channel(Role.OIL_PRESSURE)
    if channel is None or not recording.has(Role.RPM) or channel.values.size < 200:
        return None
    found = measure_delay_s(recording)
    if found is None:
        return None
    delay, agreement = found
    extra = delay - GALLERY_S
    words = f"The pressure follows the engine speed after {delay:.2f} s (agreement {agreement:.2f})"
    if extra < _NOTICED_S:
        return Check("delay", "ok", f"{words}: no delay to speak of.", channel.name, measured=delay)
    reason = f"{words}; a gallery needs about {GALLERY_S:.2f} s. A long thin line or a filter in the logger delays it."
    correction = Correction(channel.name, "delay", round(extra, 3), "s", reason)
    return Check("delay", "warn", f"{reason} It is moved {extra:.2f} s earlier.", channel.name, correction, delay)


def measure_delay_s(recording: Recording) -> tuple[float, float] | None:
    """Delay in seconds and the correlation at it; None with too few transitions or no clear peak."""
    frame = frame_on(recording, Role.OIL_PRESSURE)
    if frame.step_s <= 0 or frame.step_s > 0.11:
        return None
    first = float(frame.time_s[0])
    grid = np.arange(first, min(float(frame.time_s[-1]), first + _ENOUGH_S), _GRID_S)
    pressure, rpm = (np.nan_to_num(frame.filled(r)) for r in (Role.OIL_PRESSURE, Role.RPM))
    smooth = max(1, round(max(0.1, 2.0 * frame.step_s) / _GRID_S))
    rates = []
    for values, least in ((pressure, 40.0), (rpm, 900.0)):
        log = np.log(np.maximum(np.interp(grid, frame.time_s, values), least))
        rates.append(np.gradient(rolling_mean(log, smooth), _GRID_S))
    by_pressure, by_rpm = rates
    quick = np.flatnonzero(np.abs(by_rpm) > 0.35)
    reach = round(_LONGEST_S / _GRID_S)
    quick = quick[(quick > reach) & (quick < grid.size - reach - 1)]
    if quick.size < 100:
        return None
    quick = quick[:: max(1, quick.size // 8_000)]
    lags = np.arange(-5, reach)
    # Starved moments change the pressure without the rpm: hold single changes to a sane size.
    changes = np.clip(by_pressure, -6.0, 6.0)
    reference = np.clip(by_rpm[quick], -6.0, 6.0)
    agreement = np.array([_correlation(reference, changes[quick + lag]) for lag in lags])
    best = int(np.argmax(agreement))
    if agreement[best] < 0.5 or best in (0, lags.size - 1):
        return None
    before, here, after = agreement[best - 1 : best + 2]
    bend = before - 2 * here + after
    shift = 0.5 * (before - after) / bend if bend < 0 else 0.0
    return float((lags[best] + shift) * _GRID_S), float(here)


def _correlation(a: np.ndarray, b: np.ndarray) -> float:
    spread = float(a.std() * b.std())
    return float(np.mean((a - a.mean()) * (b - b.mean()))) / spread if spread > 1e-12 else 0.0
