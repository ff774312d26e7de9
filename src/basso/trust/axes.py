"""Do the g axes point where they say? Proved by the change of speed and, with a path, by its curvature.

The true accelerations follow from speed and path; what the two columns show is a turned, turned-over, swapped, scaled
or shifted copy of them. The 2 × 2 map between both, and its constant, are fitted by least squares on half-second means,
and each part of it is told and put right by itself.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from types import MappingProxyType

import numpy as np

from basso.recording.channel import Channel
from basso.recording.corrections import Correction, apply
from basso.recording.gaps import or_zero
from basso.recording.recording import Frame, Recording, frame_on
from basso.recording.roles import Role
from basso.recording.rolling import rolling_mean
from basso.sentence import phrase
from basso.trust.side import SIDE_CHECK, first_turn, turning_columns
from basso.trust.verdict import Check
from basso.units import DEGREE_OF_ARC_M, STANDARD_GRAVITY_MPS2, FloatArray

_SURE = 0.5
_MOVING_G = 0.1
_STILL_G, _LEAST_MOVING = 0.02, 50
_NOTICED_DEG = 6.0
"""A speed that comes 0.2 s late looks like 5° of turn."""
_NOTICED_G = 0.05
_UNIT_SPAN = (7.0, 13.0)
"""Between these many times the true g a column holds m/s² (9.81 times, with room for what is wrong besides)."""
_NO_CAR_G = 6.0
_WHAT = MappingProxyType({Role.LONGITUDINAL_G: "change of speed", Role.LATERAL_G: "path's curvature"})


@dataclass(frozen=True, slots=True)
class References:
    """The accelerations that speed and path prove, in g, forward and to the left; None where nothing proves them."""

    longitudinal_g: FloatArray | None
    lateral_g: FloatArray | None

    def of(self, role: Role) -> FloatArray | None:
        """The reference of one axis."""
        return self.longitudinal_g if role is Role.LONGITUDINAL_G else self.lateral_g


def thinned_on_g(recording: Recording) -> Frame | None:
    """The recording at the g sensor's times, 20 a second or so: cornering and braking need no more; None without any
    g."""
    role = next((r for r in (Role.LONGITUDINAL_G, Role.LATERAL_G) if recording.has(r)), None)
    if role is None:
        return None
    frame = frame_on(recording, role)
    every = max(1, round(0.05 / frame.step_s)) if frame.step_s > 0 else 1
    roles = MappingProxyType({r: values[::every] for r, values in frame.roles.items()})
    return Frame(frame.time_s[::every], frame.step_s * every, roles)


def references(frame: Frame) -> References:
    """What speed and path prove."""
    return References(longitudinal_from_speed_g(frame), lateral_from_path_g(frame))


def check_axes(recording: Recording) -> list[Check]:
    """Swapped, turned over, in m/s², turned about the vertical, shifted: a check for each, with what puts it right.

    Each correction rests on those before it, so they are to be applied in order.
    """
    checks: list[Check] = []
    for look in (_unit, _swapped, _signs, _turned, _offsets):
        frame = thinned_on_g(recording)
        if frame is None:
            return []
        found = look(recording, frame, references(frame))
        checks += found
        recording = apply(recording, [c.correction for c in found if c.correction is not None and not c.offered])
    return checks


def _seen(frame: Frame, role: Role) -> FloatArray | None:
    values = frame.get(role)
    return smooth(values, frame.step_s) if values is not None and np.isfinite(values).sum() >= 50 else None


def _unit(recording: Recording, frame: Frame, known: References) -> list[Check]:
    """g written in m/s² under another name."""
    checks = []
    for role in (Role.LONGITUDINAL_G, Role.LATERAL_G):
        channel, seen = recording.channel(role), _seen(frame, role)
        if channel is None or seen is None:
            continue
        reference = known.of(role)
        times, proof = float("nan"), ""
        if reference is not None and abs(correlation(seen, reference)) > _SURE:
            moving = np.abs(reference) > _MOVING_G
            times = float(np.std(seen[moving]) / np.std(reference[moving]))
            proof = f"It is {times:.1f} times what the {_WHAT[role]} shows"
        elif (most := float(np.percentile(np.abs(seen), 99.5))) > _NO_CAR_G:
            times, proof = STANDARD_GRAVITY_MPS2, f"It holds {most:.0f} for half a second, which no car does in g"
        if _UNIT_SPAN[0] < times < _UNIT_SPAN[1]:
            reason = f"{proof}: it is written in m/s²."
            correction = Correction(channel.name, "scale", 1.0 / STANDARD_GRAVITY_MPS2, "g per m/s²", reason)
            checks.append(Check(f"{role}_unit", "warn", reason, channel.name, correction, times))
    return checks


def _swapped(recording: Recording, frame: Frame, known: References) -> list[Check]:
    """Each column follows the other axis."""
    along, across = (recording.channel(r) for r in (Role.LONGITUDINAL_G, Role.LATERAL_G))
    seen = [_seen(frame, r) for r in (Role.LONGITUDINAL_G, Role.LATERAL_G)]
    if along is None or across is None or seen[0] is None or seen[1] is None:
        return []
    own, other = [], []
    for i, role in enumerate((Role.LONGITUDINAL_G, Role.LATERAL_G)):
        reference, (mine, theirs) = known.of(role), (seen[i], seen[1 - i])
        if reference is not None and mine is not None and theirs is not None:
            own.append(abs(correlation(mine, reference)))
            other.append(abs(correlation(theirs, reference)))
    own, other = ([0.0 if not np.isfinite(x) else x for x in side] for side in (own, other))
    if not own or min(other) < _SURE or np.mean(other) < np.mean(own) + 0.25:
        return []
    proof = (
        "speed and path" if len(own) == 2 else "the change of speed" if known.longitudinal_g is not None else "the path"
    )
    reason = (
        f"'{along.name}' and '{across.name}' stand in each other's place: by {proof} each agrees with the other axis "
        f"(correlation {np.mean(other):.2f}, with its own {np.mean(own):.2f}). They are exchanged."
    )
    correction = Correction(across.name, "swap", 1.0, "", reason, other=along.name)
    return [Check("g_swapped", "warn", reason, across.name, correction)]


def _signs(recording: Recording, frame: Frame, known: References) -> list[Check]:
    checks = []
    for role, what in _WHAT.items():
        channel, seen, reference = recording.channel(role), _seen(frame, role), known.of(role)
        if channel is None or seen is None:
            continue
        agreement = correlation(seen, reference) if reference is not None else float("nan")
        if not np.isfinite(agreement) and role is Role.LATERAL_G:
            checks.append(_side(recording, frame, channel, seen))
        elif not np.isfinite(agreement):
            message = (
                f"'{channel.name}' cannot be proved: there is no change of speed to prove its sign. Do a "
                "stop at the start."
            )
            checks.append(Check(f"{role}_sign", "note", message, channel.name))
        elif agreement < -_SURE:
            reason = phrase("Runs against the {} (correlation {:.2f}): its sign is turned over.", what, agreement)
            correction = Correction(channel.name, "sign", -1.0, "", reason)
            checks.append(Check(f"{role}_sign", "warn", reason, channel.name, correction, agreement))
        else:
            words, level = ("Agrees", "ok") if agreement > _SURE else ("Agrees poorly", "note")
            message = phrase("{} with the {} (correlation {:.2f}).", words, what, agreement)
            checks.append(
                Check(f"{role}_sign", "ok" if level == "ok" else "note", message, channel.name, measured=agreement)
            )
    return checks


def _side(recording: Recording, frame: Frame, channel: Channel, seen: FloatArray) -> Check:
    """Which side the lateral g is positive to, where no path tells: by rate of turn or steering, else not known."""
    for kind, name, turning in turning_columns(recording, frame):
        reference = smooth(turning, frame.step_s)
        if float(np.std(reference)) < 1e-9 or float(np.std(seen)) < 0.02:
            continue
        agreement = float(np.corrcoef(seen, reference)[0, 1])
        if agreement > _SURE:
            words = f"Agrees with the {kind} in '{name}', taken as positive to the left (correlation {agreement:.2f})."
            return Check(SIDE_CHECK, "ok", words, channel.name, measured=agreement)
        if agreement < -_SURE and kind == "rate of turn":
            reason = (
                f"Runs against the {kind} in '{name}', which is positive to the left (correlation "
                f"{agreement:.2f}): its sign is turned over."
            )
            correction = Correction(channel.name, "sign", -1.0, "", reason)
            return Check(SIDE_CHECK, "warn", reason, channel.name, correction, agreement)
    turn = first_turn(frame.time_s, seen, frame.get(Role.SPEED))
    reads = f"{turn[1]:+.1f}".replace("-", "−") if turn is not None else ""
    asks = (
        f" The first turn after the start, at {int(turn[0] // 60)}:{turn[0] % 60:02.0f}, reads {reads} "
        "g: say which way it went "
        f'(Sensors, or --correct "{channel.name}=sign:{1 if turn[1] > 0 else -1}" if it was a left, '
        f"sign:{-1 if turn[1] > 0 else 1} if a right)."
        if turn is not None
        else " Do a known turn at the start."
    )
    message = (
        f"Which side '{channel.name}' is positive to cannot be proved: there is no path, rate of turn or "
        f"steering.{asks}"
    )
    flip = Correction(channel.name, "sign", -1.0, "", "positive to the right, as you said")
    return Check(SIDE_CHECK, "note", message, channel.name, flip, turn[1] if turn is not None else None, offered=True)


@dataclass(frozen=True, slots=True)
class _Map:
    """The true accelerations by what is seen: ``[along, across] = matrix · seen + constant``; rows may be NaN."""

    matrix: FloatArray
    constant: FloatArray
    spread: FloatArray


def _fitted(frame: Frame, known: References) -> _Map | None:
    """Fit the map on half-second means while the car moves; outliers beyond three spreads do not count."""
    along, across = _seen(frame, Role.LONGITUDINAL_G), _seen(frame, Role.LATERAL_G)
    if along is None or across is None:
        return None
    design = np.column_stack([along, across, np.ones_like(along)])
    rows = np.full((2, 3), np.nan)
    spread = np.full(2, np.nan)
    for i, reference in enumerate((known.longitudinal_g, known.lateral_g)):
        if reference is None:
            continue
        use = np.isfinite(reference) & _driving(frame)
        for _ in range(3):
            if use.sum() < 200:
                break
            rows[i] = np.linalg.lstsq(design[use], reference[use], rcond=None)[0]
            off = reference - design @ rows[i]
            spread[i] = float(np.std(off[use]))
            use = use & (np.abs(off) < 3.0 * spread[i])
    return _Map(rows[:, :2], rows[:, 2], spread)


def _driving(frame: Frame) -> np.ndarray:
    speed = frame.get(Role.SPEED)
    return or_zero(speed) > 5.0 if speed is not None else np.ones(frame.time_s.shape, dtype=bool)


def _turned(recording: Recording, frame: Frame, known: References) -> list[Check]:
    """The sensor's box turned about the vertical."""
    along, across = (recording.channel(r) for r in (Role.LONGITUDINAL_G, Role.LATERAL_G))
    fit = _fitted(frame, known)
    if fit is None or along is None or across is None:
        return []
    m = fit.matrix
    # seen along = cos·true along + sin·true across, seen across = cos·across − sin·along, by the angle it is turned.
    sine = np.nanmean([-m[0, 1], m[1, 0]]) if np.isfinite(m).any() else np.nan
    cosine = np.nanmean([m[0, 0], m[1, 1]]) if np.isfinite(m).any() else np.nan
    if not (np.isfinite(sine) and cosine > 0.3):
        return []
    degrees = float(np.degrees(np.arctan2(sine, cosine)))
    if abs(degrees) < _NOTICED_DEG or not _mixes(frame, degrees):
        return []
    way = "left" if degrees > 0 else "right"
    reason = (
        f"By speed{' and path' if known.lateral_g is not None else ''} the g sensor is turned "
        f"{abs(degrees):.0f}° to the {way}: "
        "braking shows as cornering and the other way about. It is turned back."
    )
    return [
        Check(
            "g_turned",
            "warn",
            reason,
            across.name,
            Correction(across.name, "turn", degrees, "°", reason, other=along.name),
            degrees,
        )
    ]


def _mixes(frame: Frame, degrees: float) -> bool:
    """Whether each column moves by as much as a box turned so far takes over from the other: one that rests proves no
    turn."""
    along, across = _seen(frame, Role.LONGITUDINAL_G), _seen(frame, Role.LATERAL_G)
    if along is None or across is None:
        return False
    use = _driving(frame)
    sine, moves = abs(np.sin(np.radians(degrees))), sorted(float(np.std(g[use])) for g in (along, across))
    return bool(moves[0] >= 0.7 * sine * moves[1])


def _offsets(recording: Recording, frame: Frame, known: References) -> list[Check]:
    """A constant that speed and path do not show: a box that is not level, or a zero that was never set."""
    checks = []
    standing = _standing(frame)
    for role in (Role.LONGITUDINAL_G, Role.LATERAL_G):
        channel, seen, reference = recording.channel(role), _seen(frame, role), known.of(role)
        if channel is None or seen is None:
            continue
        use = _driving(frame)
        if reference is not None and use.sum() > 400 and correlation(seen, reference) > _SURE:
            shift, proof = float(np.median((seen - reference)[use])), f"against the {_WHAT[role]}"
        elif standing.sum() * frame.step_s > 3.0:
            shift, proof = float(np.median(seen[standing])), "with the car standing"
        else:
            continue
        if abs(shift) < _NOTICED_G:
            continue
        reason = (
            f"'{channel.name}' reads {shift:+.2f} g too much {proof}: the box is not level, or its zero was never set."
        )
        correction = Correction(channel.name, "offset", -shift, "g", reason)
        level = "warn" if abs(shift) >= 2 * _NOTICED_G else "note"
        checks.append(
            Check(f"{role}_offset", "warn" if level == "warn" else "note", reason, channel.name, correction, shift)
        )
    return checks


def _standing(frame: Frame) -> np.ndarray:
    speed = frame.get(Role.SPEED)
    return np.nan_to_num(speed, nan=9.0) < 0.3 if speed is not None else np.zeros(frame.time_s.shape, dtype=bool)


def longitudinal_from_speed_g(frame: Frame) -> FloatArray | None:
    """Longitudinal g from the logged speed's change, smoothed over 0.5 s; None without speed."""
    speed = frame.get(Role.SPEED)
    if speed is None or np.isfinite(speed).sum() < 10 or frame.step_s <= 0:
        return None
    known = or_zero(speed)
    change: FloatArray = np.gradient(smooth(known, frame.step_s), frame.time_s) / STANDARD_GRAVITY_MPS2
    return change


def lateral_from_path_g(frame: Frame) -> FloatArray | None:
    """Lateral g (left positive) from latitude and longitude, or from plain x and y in metres; None without either.

    Speed times the rate of turn of the path's heading, smoothed over half a second.
    """
    north, east = frame.get(Role.LATITUDE), frame.get(Role.LONGITUDE)
    scale_y = DEGREE_OF_ARC_M
    if north is None or east is None:
        north, east, scale_y = frame.get(Role.POSITION_Y), frame.get(Role.POSITION_X), 1.0
    if north is None or east is None or np.isfinite(north).sum() < 50 or frame.step_s <= 0:
        return None
    keep = np.isfinite(north) & np.isfinite(east)
    if keep.mean() < 0.9:
        return None
    scale_x = scale_y * np.cos(np.radians(np.nanmean(north))) if scale_y > 1.0 else 1.0
    x = scale_x * np.where(keep, east - np.nanmean(east), 0.0)
    y = scale_y * np.where(keep, north - np.nanmean(north), 0.0)
    x, y = smooth(x, frame.step_s), smooth(y, frame.step_s)
    vx, vy = np.gradient(x, frame.time_s), np.gradient(y, frame.time_s)
    ax, ay = np.gradient(smooth(vx, frame.step_s), frame.time_s), np.gradient(smooth(vy, frame.step_s), frame.time_s)
    speed = np.hypot(vx, vy)
    lateral = np.where(speed > 5.0, (vx * ay - vy * ax) / np.maximum(speed, 5.0), 0.0)
    return np.asarray(lateral / STANDARD_GRAVITY_MPS2, dtype=np.float64)


def smooth(values: FloatArray, step_s: float) -> FloatArray:
    """Half-second means; gaps count as 0."""
    return rolling_mean(or_zero(values), max(1, round(0.5 / step_s)))


def correlation(a: FloatArray, b: FloatArray) -> float:
    """Correlation while the reference ``b`` shows more than 0.1 g; NaN with too little to go by."""
    moving = np.abs(b) > _MOVING_G
    if moving.sum() < _LEAST_MOVING or np.std(a[moving]) < _STILL_G or np.std(b[moving]) < _STILL_G:
        return float("nan")
    return float(np.corrcoef(a[moving], b[moving])[0, 1])


def correlations(seen: FloatArray, reference: FloatArray, lags: Sequence[int]) -> FloatArray:
    """:func:`correlation` of ``seen`` with what ``reference`` was ``lag`` samples before, for each lag; shape (k,), 0
    with too little to go by.

    Of all lags together: what each needs are sums over the moments that count, and most of them are differences of
    running sums.
    """
    counts = np.abs(reference) > _MOVING_G
    moving, held = counts.astype(np.float64), np.where(counts, reference, 0.0)
    seen = seen - seen.mean()  # so that squares do not drown what they differ by
    squared, n = seen * seen, seen.size
    running = np.cumsum(np.vstack([moving, held, held * held]), axis=1, dtype=np.float64)
    running = np.column_stack([np.zeros(3), running])
    found = np.zeros(len(lags))
    for i, lag in enumerate(lags):
        first, last = max(0, -lag), min(n, n - lag)  # of the reference
        count, b, bb = running[:, last] - running[:, first]
        if count < _LEAST_MOVING:
            continue
        here, there = slice(first, last), slice(first + lag, last + lag)
        a, aa, ab = moving[here] @ seen[there], moving[here] @ squared[there], held[here] @ seen[there]
        spread_a, spread_b = (np.sqrt(max(xx / count - (x / count) ** 2, 0.0)) for x, xx in ((a, aa), (b, bb)))
        if spread_a >= _STILL_G and spread_b >= _STILL_G:
            found[i] = (ab / count - a / count * b / count) / (spread_a * spread_b)
    return found
