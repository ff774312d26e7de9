"""Channels beside the oil pressure that stand on one exact value while the car moves: a frozen bus, a wire off, a
sensor gone.

What stands still is left out; it would be judged as if it were driven so. The pressure's own flat lines are told with
its spikes, those of the oil temperature with the temperature.
"""

from __future__ import annotations

from types import MappingProxyType

import numpy as np
from numpy.typing import NDArray

from basso.recording.corrections import Correction
from basso.recording.recording import Frame, Recording, frame_on
from basso.recording.roles import Role
from basso.recording.spans import runs_of
from basso.trust.verdict import Check
from basso.units import FloatArray

_LONG_S = 5.0
_AT_NOTHING_S = 30.0
"""On exactly nothing it must stand longer: a straight in a log without noise."""
_MOVED: MappingProxyType[Role, float] = MappingProxyType(
    {Role.RPM: 600.0, Role.SPEED: 5.0, Role.LATERAL_G: 0.5, Role.LONGITUDINAL_G: 0.5, Role.OIL_PRESSURE: 90.0}
)
"""By this much another channel must have moved meanwhile, in its own unit (default): two of those that are logged, so
that one that is faulty itself proves nothing."""
_WITNESS: MappingProxyType[Role, tuple[Role, ...]] = MappingProxyType(
    {
        Role.LATERAL_G: (Role.LONGITUDINAL_G,),
        Role.LONGITUDINAL_G: (Role.LATERAL_G, Role.SPEED),
        Role.SPEED: (Role.LONGITUDINAL_G,),
        Role.RPM: (Role.SPEED,),
    }
)
"""All of these must be among them, since they cannot move alone: on a dyno the rollers turn and the g is truly nothing,
through a steady corner speed and engine speed may stand."""
_LOOKED_AT = (
    Role.RPM,
    Role.LATERAL_G,
    Role.LONGITUDINAL_G,
    Role.SPEED,
    Role.PRESSURE_PUMP_OUT,
    Role.PRESSURE_COOLER_OUT,
    Role.PRESSURE_FILTER_OUT,
)
_LOST = 0.25
_REST_S, _OFTEN, _MOST_RUNS = 0.5, 0.03, 6


def check_stuck(recording: Recording) -> list[Check]:
    """One check for each channel that stood still while two others moved; none where nothing did."""
    checks = []
    for role in _LOOKED_AT:
        channel = recording.channel(role)
        if channel is None or channel.values.size < 50:
            continue
        still = np.concatenate([[False], np.diff(channel.values) == 0.0, [False]])
        edges = np.flatnonzero(still[1:] != still[:-1])
        starts, ends = edges[::2], edges[1::2]
        lengths = channel.time_s[ends] - channel.time_s[starts]
        long = lengths >= np.where(channel.values[starts] == 0.0, _AT_NOTHING_S, _LONG_S)
        if not long.any():
            continue
        held = list(zip(starts[long].tolist(), ends[long].tolist(), strict=True))
        # A channel that often rests on one value (coarse, or without noise) may do so once more.
        resting = float(lengths[(lengths >= _REST_S) & (lengths < _LONG_S)].sum())
        if resting > _OFTEN * float(channel.time_s[-1] - channel.time_s[0]) or len(held) > _MOST_RUNS:
            continue
        frame = frame_on(recording, role)
        stuck = np.zeros(channel.values.size, dtype=bool)
        for start, end in held:
            if _others_moved(frame, role, slice(start, end + 1)):
                stuck[start : end + 1] = True
        if stuck.any():
            checks.append(_told(channel.name, channel.time_s, stuck, role))
    return checks


def _others_moved(frame: Frame, role: Role, part: slice) -> bool:
    moved: set[Role] = set()
    for other, least in _MOVED.items():
        values = frame.get(other) if other is not role else None
        if values is None:
            continue
        known = values[part][np.isfinite(values[part])]
        if known.size > 10 and float(np.percentile(known, 95) - np.percentile(known, 5)) > least:
            moved.add(other)
    return len(moved) >= 2 and moved.issuperset(_WITNESS.get(role, (Role.RPM,)))


def _told(name: str, time_s: FloatArray, stuck: NDArray[np.bool_], role: Role) -> Check:
    runs = runs_of(stuck)
    seconds = sum(float(time_s[end - 1] - time_s[start]) for start, end in runs)
    share = float(stuck.mean())
    reason = (
        f"'{name}' does not move at all for {seconds:.0f} s while the car does, in {len(runs)} "
        f"place{'' if len(runs) == 1 else 's'}."
    )
    at = np.flatnonzero(stuck)
    correction = Correction(name, "spikes", float(at.size), "samples", reason, at)
    message = f"{reason} What was read then is left out" + (
        ": nothing can be judged there." if role is Role.RPM else ", and causes there are not known."
    )
    return Check(
        f"{role}_stuck", "fail" if share > _LOST and role is Role.RPM else "warn", message, name, correction, seconds
    )
