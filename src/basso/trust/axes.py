"""Do the g axes point where they say? Checked against the change of speed and, with GPS, the path."""

from __future__ import annotations

from types import MappingProxyType

import numpy as np

from basso.recording.corrections import Correction
from basso.recording.recording import Frame, Recording, frame_on
from basso.recording.roles import Role
from basso.recording.rolling import rolling_mean
from basso.trust.verdict import Check
from basso.units import DEGREE_OF_ARC_M, STANDARD_GRAVITY_MPS2, FloatArray

_SURE = 0.5


def check_axes(recording: Recording) -> list[Check]:
    """Compare longitudinal g with the change of speed, lateral g with the path's curvature."""
    checks = []
    for role, what in ((Role.LONGITUDINAL_G, "change of speed"), (Role.LATERAL_G, "path's curvature")):
        channel = recording.channel(role)
        if channel is None:
            continue
        frame = _thinned(frame_on(recording, role))
        reference = longitudinal_from_speed_g(frame) if role is Role.LONGITUDINAL_G else lateral_from_path_g(frame)
        if reference is None:
            continue
        agreement = _correlation(_smooth(frame.filled(role), frame.step_s), reference)
        if not np.isfinite(agreement):
            continue
        if agreement < -_SURE:
            reason = f"Runs against the {what} (correlation {agreement:.2f}): its sign is turned over."
            correction = Correction(channel.name, "sign", -1.0, "", reason)
            checks.append(Check(f"{role}_sign", "warn", reason, channel.name, correction))
        elif agreement > _SURE:
            checks.append(
                Check(f"{role}_sign", "ok", f"Agrees with the {what} (correlation {agreement:.2f}).", channel.name)
            )
        else:
            checks.append(
                Check(
                    f"{role}_sign",
                    "note",
                    f"Agrees poorly with the {what} (correlation {agreement:.2f}).",
                    channel.name,
                )
            )
    return checks


def _thinned(frame: Frame) -> Frame:
    """The frame at 20 Hz or so: cornering and braking need no more."""
    every = max(1, round(0.05 / frame.step_s)) if frame.step_s > 0 else 1
    roles = MappingProxyType({role: values[::every] for role, values in frame.roles.items()})
    return Frame(frame.time_s[::every], frame.step_s * every, roles)


def longitudinal_from_speed_g(frame: Frame) -> FloatArray | None:
    """Longitudinal g from the logged speed's change, smoothed over 0.5 s; None without speed."""
    speed = frame.get(Role.SPEED)
    if speed is None or np.isfinite(speed).sum() < 10 or frame.step_s <= 0:
        return None
    known = np.nan_to_num(speed)
    change: FloatArray = np.gradient(_smooth(known, frame.step_s), frame.time_s) / STANDARD_GRAVITY_MPS2
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
    x, y = _smooth(x, frame.step_s), _smooth(y, frame.step_s)
    vx, vy = np.gradient(x, frame.time_s), np.gradient(y, frame.time_s)
    ax, ay = np.gradient(_smooth(vx, frame.step_s), frame.time_s), np.gradient(_smooth(vy, frame.step_s), frame.time_s)
    speed = np.hypot(vx, vy)
    lateral = np.where(speed > 5.0, (vx * ay - vy * ax) / np.maximum(speed, 5.0), 0.0)
    return np.asarray(lateral / STANDARD_GRAVITY_MPS2, dtype=np.float64)


def _smooth(values: FloatArray, step_s: float) -> FloatArray:
    return rolling_mean(np.nan_to_num(values), max(1, round(0.5 / step_s)))


def _correlation(a: FloatArray, b: FloatArray) -> float:
    moving = np.abs(b) > 0.1
    if moving.sum() < 50 or np.std(a[moving]) < 0.02 or np.std(b[moving]) < 0.02:
        return float("nan")
    return float(np.corrcoef(a[moving], b[moving])[0, 1])
