"""Readings that cannot be oil pressure: spikes, open connectors, flat lines.

Oil needs time: a pickup that draws air lets the gallery fall by a few thousand kPa/s at most, over several
samples, and a real signal keeps its noise. A reading that jumps there and back within a sample or two, or
jumps to one constant value and stays on it exactly, is electrical. Only such readings are taken out; a
smooth fall, however deep, is never touched.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from basso.recording.corrections import Correction
from basso.recording.gaps import or_zero
from basso.recording.recording import Recording, frame_on
from basso.recording.roles import Role
from basso.recording.spans import runs_of
from basso.sentence import begun, in_kpa, joined, phrase
from basso.trust.steps import NOTED_STEP_KPA, step_kpa
from basso.trust.surface import fitted, hats, surface
from basso.trust.verdict import Check, Level
from basso.units import FloatArray

FASTEST_KPA_PER_S = 6000.0
"""Faster falls and rises than this are not oil. A bared pickup empties a gallery at up to about 3000 kPa/s."""
_MOST_KPA = 1600.0
_RARE = 0.01
_JUMP_KPA = 60.0
_STUCK_S = 2.0
_NO_PART_OF_DRIVING_S = 60.0
"""No engine is asked for one pressure for longer while its speed moves."""
_STEPS_ASKED = 1.5
_EPOCH_S = 90.0
_EMPTIES_KPA_PER_S, _SMALL_JUMP_KPA = 3500.0, 40.0
"""No bared pickup empties a gallery quicker than this."""


def noise_kpa(values: FloatArray) -> float:
    """Standard deviation of the sample-to-sample noise, from second differences (robust to what is real)."""
    middle = np.arange(1, values.size - 1, max(1, values.size // 30000))
    second = values[middle + 1] - 2.0 * values[middle] + values[middle - 1]
    second = second[np.isfinite(second)]
    if second.size < 8:
        return 0.0
    return float(np.median(np.abs(second)) / 0.6745 / np.sqrt(6.0))


def check_spikes(recording: Recording) -> Check:
    """Find readings that no oil could make, and the correction that makes them missing."""
    channel = recording.channel(Role.OIL_PRESSURE)
    if channel is None or channel.values.size < 5:
        return Check("spikes", "note", "Too few pressure samples to look for spikes.")
    wrong = impossible_samples(channel.values, channel.time_s)
    stuck = _stuck(recording, channel.values, channel.time_s)
    count, held = int(wrong.sum()), float(stuck.sum()) / (channel.rate_hz or 1.0)
    if not count and not stuck.any():
        return Check("spikes", "ok", "No reading jumps in a way oil cannot.", channel.name)
    runs = len(runs_of(wrong))
    parts: list[str] = []
    if count:
        parts.append(
            phrase(
                "{} readings in {} places jump faster than oil can move (over {}/s there and back, or onto "
                "one exact value)",
                count,
                runs,
                in_kpa(FASTEST_KPA_PER_S),
            )
        )
    if stuck.any():
        parts.append(f"the reading does not move at all for {held:.1f} s while the engine speed does")
    reason = begun(joined(" and ", parts)) + "."
    share = float((wrong | stuck).mean())
    level: Level = "fail" if share > 0.25 else "warn" if count > 3 or stuck.any() else "note"
    indices = np.flatnonzero(wrong | stuck)
    correction = Correction(channel.name, "spikes", float(indices.size), "samples", reason, indices)
    advice = " Look at the connector and its wiring." if level != "note" else ""
    return Check("spikes", level, phrase("{} They are left out.{}", reason, advice), channel.name, correction)


def impossible_samples(values: FloatArray, time_s: FloatArray) -> NDArray[np.bool_]:
    """Mark samples that cannot be oil pressure; shape (n,). NaN is not marked."""
    known = np.flatnonzero(np.isfinite(values))
    marked = np.zeros(values.shape, dtype=bool)
    if known.size < 5:
        return marked
    p, t = values[known], time_s[known]
    noise = noise_kpa(p)
    jump = max(_JUMP_KPA, 8.0 * noise)
    bad = p > _MOST_KPA
    if bad.mean() > _RARE:  # so much of it is a wrong scale, which has its own check
        bad[:] = False
    if float(np.abs(np.diff(p)).max()) > jump:
        bad |= _there_and_back(p, t, jump, float(np.median(np.diff(t))))
        bad |= _onto_one_value(p, t, jump, noise)
    marked[known] = bad
    return marked


def _there_and_back(p: FloatArray, t: FloatArray, jump: float, step: float) -> NDArray[np.bool_]:
    """One to four samples, within 45 ms, that leave both neighbours by more than oil can in that time."""
    bad = np.zeros(p.shape, dtype=bool)
    widest = min(4, max(1, int(0.045 / step))) if step > 0 else 1
    limit = np.maximum(jump, FASTEST_KPA_PER_S * np.minimum(np.diff(t), 0.05))
    change = np.diff(p)
    for i in np.flatnonzero(np.abs(change) > limit).tolist():
        sign = 1.0 if change[i] > 0 else -1.0
        # Slowly sampled, a short real dip can look the same downwards; upwards nothing real does.
        if sign < 0 and t[i + 1] - t[i] >= 0.06 and p[i + 1] > -8.0:
            continue
        for width in range(1, widest + 1):
            back = i + width
            if back >= change.size:
                break
            if -sign * change[back] > limit[back]:
                inside = slice(i + 1, back + 1)
                outer = (p[i], p[back + 1])
                clear = sign * p[inside] - max(sign * outer[0], sign * outer[1])
                if np.all(clear > jump):
                    bad[inside] = True
                break
    return bad


def _onto_one_value(p: FloatArray, t: FloatArray, jump: float, noise: float) -> NDArray[np.bool_]:
    """Runs of one exact value entered and left by a jump: a rail, an open connector."""
    change = np.abs(np.diff(p))
    fast = change > np.maximum(jump, FASTEST_KPA_PER_S * np.minimum(np.diff(t), 0.02))
    breaks = np.flatnonzero(change > 1e-6) + 1
    starts = np.concatenate([[0], breaks])
    ends = np.append(breaks, p.size)
    level = p[starts]
    jumps_in = np.concatenate([[True], fast[starts[1:] - 1]])
    jumps_out = np.append(fast[ends[:-1] - 1], True)
    on_rail = (level == 0.0) | _landed_on_often(level, jumps_in)
    # Three equal readings from a noisy sensor are no coincidence; on a rail one is enough.
    held = ((ends - starts) >= 3) & (noise > 0.2)
    wrong = jumps_in & jumps_out & (on_rail | held) & (ends - starts < p.size)
    # From idle the fall to the rail is a small one: quicker than a gallery empties is enough where the other side is a
    # jump, and the value stands on the rail, exactly, for as long as noise never would.
    step = np.diff(t)
    quick = (change > np.maximum(_SMALL_JUMP_KPA, _EMPTIES_KPA_PER_S * step)) & (step <= 0.05)
    quick_in, quick_out = np.append(False, quick[starts[1:] - 1]), np.append(quick[ends[:-1] - 1], False)
    long_on_rail = on_rail & held & (ends - starts >= 5) & (t[ends - 1] - t[starts] >= 0.1)
    wrong |= long_on_rail & ((jumps_in & quick_out) | (quick_in & jumps_out))
    return np.repeat(wrong, ends - starts)


def _landed_on_often(level: FloatArray, jumped: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Runs whose exact level several jumps have landed on: the rail of an open or shorted connector.

    Real dips end at a different pressure each time.
    """
    landed = level[jumped]
    values, counts = np.unique(landed, return_counts=True)
    rails = values[(counts >= 3) & (counts >= 0.15 * landed.size)]
    return np.asarray(np.isin(level, rails))


def _stuck(recording: Recording, values: FloatArray, time_s: FloatArray) -> NDArray[np.bool_]:
    """A pressure that stays on one exact value for seconds while the engine speed moves by hundreds of rpm.

    What is read in coarse steps may do so in good health, above all while the relief valve holds it: there it must also
    be that the engine speed asked for more than a step and a half, and that the reading does not go on to the next step
    as if nothing were.
    """
    stuck = np.zeros(values.shape, dtype=bool)
    if not recording.has(Role.RPM):
        return stuck
    rpm = frame_on(recording, Role.OIL_PRESSURE).filled(Role.RPM, np.nan)
    held = []
    for start, end in runs_of(np.abs(np.diff(values)) <= 1e-6):
        last = min(end, values.size - 1)
        if last - start < 4 or time_s[last] - time_s[start] < _STUCK_S:
            continue
        part = rpm[start : last + 1]
        part = part[np.isfinite(part)]
        if part.size and float(part.max() - part.min()) > 600.0 and float(np.median(part)) > 400.0:
            held.append((start, last + 1))
    step = step_kpa(values)
    if held and step >= NOTED_STEP_KPA:
        held = [(start, end) for start, end in held if not _goes_on(values, end, step)]
        asked = _asked_kpa(values, rpm, held, time_s)
        held = [
            (start, end)
            for start, end in held
            if time_s[end - 1] - time_s[start] > _NO_PART_OF_DRIVING_S
            or float(np.ptp(np.percentile(asked[start:end], (5, 95)))) > _STEPS_ASKED * step
        ]
    for start, end in held:
        stuck[start:end] = True
    return stuck


def _goes_on(values: FloatArray, end: int, step: float) -> bool:
    """Whether a reading that was held until ``end`` goes on to the next step."""
    return end < values.size and abs(float(values[end] - values[end - 1])) <= 1.01 * step


def _asked_kpa(values: FloatArray, rpm: FloatArray, held: list[tuple[int, int]], time_s: FloatArray) -> FloatArray:
    """What the engine speed makes of the pressure outside the stretches ``held``, shape (n,)."""
    use = np.isfinite(values) & (rpm > 400.0)
    for start, end in held:
        use[start:end] = False
    at = np.flatnonzero(use)
    if at.size < 200:
        return np.where(use, np.inf, 0.0)
    # The oil warms as time goes by: cold, the valve holds the pressure from much lower engine speeds on.
    epochs = int(np.clip((time_s[-1] - time_s[0]) / _EPOCH_S, 2, 12))
    speed = hats(np.log(np.maximum(or_zero(rpm), 400.0)), 7, use)
    design = surface(speed, hats(time_s, epochs))
    at = at[:: max(1, at.size // 8000)]
    off, _ = fitted(values[at], design[at], np.ones(at.size, dtype=bool), 3.0, 3.0)
    weights = np.linalg.lstsq(design[at], values[at] - off, rcond=None)[0]
    return np.asarray(design @ weights)
