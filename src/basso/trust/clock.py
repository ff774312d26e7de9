"""Do two devices keep the same time? The g sensor against speed and path, minute by minute.

A logger that gathers from several boxes may lag one of them, and a box that restarts or drops data slips: from then on
everything it says is late. The lag is where its g agrees best with the change of speed or the path's curvature.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace

import numpy as np

from basso.recording.corrections import Correction
from basso.recording.recording import Frame, Recording
from basso.recording.roles import Role
from basso.trust.axes import correlations, references, smooth, thinned_on_g
from basso.trust.calm import BOTH_WAYS
from basso.trust.delay import GRID_S, changes_of, delays_over_time
from basso.trust.spikes import impossible_samples
from basso.trust.verdict import Check
from basso.units import FloatArray

_REACH_S = 2.0
_WINDOW_S = 40.0
_AGREES = 0.7
_SLIPPED_S = 0.12
_ALIKE_S, _MOSTLY = 0.10, 0.75
_LATE_S = 0.40
"""A receiver of satellites is itself up to about 0.3 s late; a g sensor is called late only beyond that."""


@dataclass(frozen=True, slots=True)
class Lags:
    """Lag of one signal behind another, shape (k,): at the middle of each window, seconds; positive: it comes late.

    ``seen``, ``reference``: what was held against each other, shape (n,), the sign turned so that they agree.
    """

    time_s: FloatArray
    lag_s: FloatArray
    seen: FloatArray = field(default_factory=lambda: np.empty(0))
    reference: FloatArray = field(default_factory=lambda: np.empty(0))


def check_clocks(recording: Recording) -> list[Check]:
    """A slip, or a lag throughout, of the g sensor; one check for each of its channels with what puts it right."""
    frame = thinned_on_g(recording)
    if frame is None:
        return []
    found = lags_of_g(frame)
    if found is None:
        message = (
            "Whether the g sensor keeps the same time as the rest cannot be told: too little speed or path to go by."
        )
        return [Check("clock", "note", message)]
    at = slip_at(found)
    if at is None:
        late = float(np.median(found.lag_s))
        if abs(late) < _LATE_S:
            return [
                Check(
                    "clock",
                    "ok",
                    f"The g sensor keeps the time of speed and path within {abs(late):.2f} s.",
                    measured=0.0,
                )
            ]
        reason = f"The g comes {abs(late):.2f} s {'after' if late > 0 else 'before'} the speed it belongs to."
        return _for_each(recording, reason, lambda name: Correction(name, "delay", round(late, 3), "s", reason), 0.0)
    before, after = (float(np.median(part)) for part in (found.lag_s[:at], found.lag_s[at:]))
    slip, step = after - before, frame.step_s
    first, last = np.searchsorted(frame.time_s, found.time_s[slice(max(0, at - 2), at + 2)][[0, -1]])
    seen, reference = (v / (float(np.std(v)) or 1.0) for v in (found.seen, found.reference))
    moment = moment_of_slip(reference, seen, int(first), int(last), round(before / step), round(after / step))
    when = float(frame.time_s[moment])
    reason = (
        f"The g sensor's clock slips by {abs(slip):.2f} s about {when / 60:.1f} min into the log: "
        "before, its g came with the "
        f"speed, after it {'later' if slip > 0 else 'earlier'}. What follows is moved back."
    )

    def moved(name: str) -> Correction:
        channel = next(c for c in recording.channels if c.name == name)
        return Correction(name, "slip", round(slip, 3), "s", reason, np.flatnonzero(channel.time_s >= when)[:1])

    return _for_each(recording, reason, moved, slip)


def moment_of_slip(reference: FloatArray, seen: FloatArray, first: int, last: int, before: int, after: int) -> int:
    """The sample from which on a signal that came ``before`` samples late comes ``after`` samples late.

    Args:
        reference, seen: shape (n,), of like scale; it is sought from ``first`` to ``last``.

    Where what is left is least, by one lag up to it and by the other from it on; absolute, so that dips do not decide
    it, and only at moments at which the two lags say different things.
    """
    at = np.arange(max(first, before, after, 0), min(last, seen.size + min(before, after, 0)))
    early, late = reference[at - before], reference[at - after]
    apart = np.abs(early - late)
    telling = apart > max(float(np.percentile(apart, 95)), 1e-9)
    at, early, late = at[telling], early[telling], late[telling]
    if at.size == 0:
        return (first + last) // 2
    scale = max(
        float(np.median(np.abs(seen[at]))) / max(float(np.median(np.abs(np.concatenate([early, late])))), 1e-9), 1e-9
    )
    by_early, by_late = (np.abs(seen[at] / scale - v) for v in (early, late))
    cost = np.concatenate([[0.0], np.cumsum(by_early)]) + np.concatenate([np.cumsum(by_late[::-1])[::-1], [0.0]])
    best = int(np.argmin(cost))
    # Between the last moment that speaks for the one and the first that speaks for the other.
    return int(at[max(best - 1, 0)] + at[min(best, at.size - 1)]) // 2


def check_pressure_clock(recording: Recording) -> list[Check]:
    """A slip of the pressure's box against the engine speed; nothing where none is seen (its delay is told by
    itself)."""
    channel = recording.channel(Role.OIL_PRESSURE)
    if channel is None or not recording.has(Role.RPM) or channel.values.size < 200:
        return []
    # An open connector moves the pressure more than any gear change does.
    known = np.isfinite(channel.values) & ~impossible_samples(channel.values, channel.time_s)
    if known.sum() < 200:
        return []
    sound = replace(channel, values=np.interp(channel.time_s, channel.time_s[known], channel.values[known]))
    recording = recording.with_channels(tuple(sound if c is channel else c for c in recording.channels))
    found = Lags(*delays_over_time(recording))
    at = slip_at(found, least=3) if found.lag_s.size >= 6 else None
    if at is not None and not (
        _settled(found.lag_s[:at], found.lag_s[:3]) and _settled(found.lag_s[at:], found.lag_s[-3:])
    ):
        # Oil thrown by braking sinks the pressure most of a second after the engine speed fell. A clock is late all the
        # time, in the out-lap and the in-lap too.
        at = None
    changes = changes_of(recording, longest_s=np.inf) if at is not None else None
    if at is None or changes is None:
        return []
    before, after = (float(np.median(part)) for part in (found.lag_s[:at], found.lag_s[at:]))
    slip = after - before
    first, last = (round((t - changes.first_s) / GRID_S) for t in found.time_s[slice(max(0, at - 2), at + 2)][[0, -1]])
    moment = moment_of_slip(changes.rpm, changes.pressure, first, last, round(before / GRID_S), round(after / GRID_S))
    when = changes.first_s + moment * GRID_S
    reason = (
        f"The pressure's clock slips by {abs(slip):.2f} s about {when / 60:.1f} min into the log: after "
        "it the pressure follows the engine "
        f"speed {'later' if slip > 0 else 'sooner'} than before. What follows is moved back."
    )
    samples = np.flatnonzero(channel.time_s >= when)[:1]
    correction = Correction(channel.name, "slip", round(slip, 3), "s", reason, samples)
    return [Check("pressure_clock", "warn", reason, channel.name, correction, slip)]


def _settled(lag_s: FloatArray, edge_s: FloatArray) -> bool:
    """Most lags, and those at the log's edge, lie within a tenth of a second of their median."""
    middle = float(np.median(lag_s))
    alike = float(np.mean(np.abs(lag_s - middle) < _ALIKE_S)) >= _MOSTLY
    return alike and abs(float(np.median(edge_s)) - middle) < _ALIKE_S


def _for_each(recording: Recording, reason: str, made: Callable[[str], Correction], measured: float) -> list[Check]:
    names = [c.name for r in (Role.LONGITUDINAL_G, Role.LATERAL_G) if (c := recording.channel(r)) is not None]
    return [Check("clock", "warn", reason, name, made(name), measured) for name in names]


def lags_of_g(frame: Frame) -> Lags | None:
    """Lag window by window of whichever g agrees best with whichever reference, its sign and axis whatever they are."""
    known = references(frame)
    step = frame.step_s
    if step <= 0:
        return None
    reach, size = round(_REACH_S / step), round(_WINDOW_S / step)
    best: tuple[float, FloatArray, FloatArray] | None = None
    every = range(-reach, reach + 1, max(1, reach // 20))
    g = {role: smooth(v, step) for role in BOTH_WAYS if (v := frame.get(role)) is not None}
    # Each axis by itself first; the other way about only where neither keeps to its own beyond doubt.
    for least, pairs in (
        (_SURE_AT_LEAST, [(r, r) for r in BOTH_WAYS]),
        (_SWAPPED, [(r, o) for r in BOTH_WAYS for o in BOTH_WAYS if r is not o]),
    ):
        for role, other in pairs:
            reference = known.of(other)
            if role not in g or reference is None or reference.size < 4 * reach:
                continue
            agreement = float(np.max(np.abs(correlations(g[role], reference, every))))
            # Cars brake and then turn: that one axis follows the other after a while is no lag of a sensor.
            if agreement >= least and (best is None or agreement > best[0]):
                best = agreement, g[role], reference
        if best is not None and best[0] >= _SWAPPED:
            break
    if best is None:
        return None
    _, seen, reference = best
    middles, lags = [], []
    for start in range(0, seen.size - size + 1, size // 2):
        part = slice(start, start + size)
        around = slice(max(0, start - reach), min(seen.size, start + size + reach))
        lag = _lag(seen[around], reference[part], start - around.start, reach)
        if lag is not None:
            middles.append(float(frame.time_s[start + size // 2]))
            lags.append(lag * step)
    if len(lags) < 4:
        return None
    turned = float(np.sign(np.sum((seen - seen.mean()) * reference))) or 1.0
    return Lags(np.array(middles), np.array(lags), turned * seen, reference)


_SURE_AT_LEAST = 0.5
_SWAPPED = 0.9
"""A column that follows the other axis so closely stands in its place."""


def _lag(seen: FloatArray, reference: FloatArray, offset: int, reach: int) -> float | None:
    """Samples by which ``seen`` (which begins ``offset`` samples before ``reference``) is late; None without a clear
    peak."""
    n = reference.size
    centred = reference - reference.mean()
    spread = float(centred.std())
    if spread < 0.05:
        return None
    lags = np.arange(max(-reach, -offset), min(reach, seen.size - offset - n) + 1)
    parts = np.lib.stride_tricks.sliding_window_view(seen, n)[offset + lags[0] : offset + lags[-1] + 1]
    sums, squares = (np.concatenate([[0.0], np.cumsum(v)]) for v in (seen, seen * seen))
    first = offset + lags
    mean = (sums[first + n] - sums[first]) / n
    own = np.sqrt(np.maximum((squares[first + n] - squares[first]) / n - mean * mean, 1e-12))
    agreement = np.abs(parts @ centred) / (n * own * spread)
    top = int(np.argmax(agreement))
    if agreement[top] < _AGREES or top in (0, lags.size - 1):
        return None
    before, here, after = agreement[top - 1 : top + 2]
    bend = before - 2 * here + after
    return float(lags[top]) + (0.5 * float(before - after) / bend if bend < 0 else 0.0)


def slip_at(found: Lags, least: int = 2) -> int | None:
    """The window from which on the lag is another, or None; ``least`` windows must stand on either side.

    Where two parts differ by more than 0.12 s and by more than four times what the windows scatter within them.
    """
    lag = found.lag_s
    best, at = 0.0, None
    if float(np.ptp(np.percentile(lag, (2, 98)))) < _SLIPPED_S:
        return None
    for k in range(least, lag.size - least + 1):
        first, second = lag[:k], lag[k:]
        step = abs(float(np.median(second) - np.median(first)))
        scatter = float(np.median(np.abs(first - np.median(first))) + np.median(np.abs(second - np.median(second))))
        cost = float(np.abs(first - np.median(first)).sum() + np.abs(second - np.median(second)).sum())
        gain = float(np.abs(lag - np.median(lag)).sum()) - cost
        if step > _SLIPPED_S and step > 4.0 * scatter and gain > best:
            best, at = gain, k
    return at
