"""Which side the lateral g is positive to: proved, or not known.

A lateral g that is positive to the right looks like one that is positive to the left, and every left turn like a right
one. Proof is a path, the rate of turn, steering, a map of the circuit that was made from a path, or somebody's word for
one turn.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from basso.recording.channel import Channel
from basso.recording.corrections import Correction
from basso.recording.gaps import or_zero
from basso.recording.recording import Frame, Recording
from basso.recording.roles import Role, take_apart
from basso.recording.rolling import rolling_mean
from basso.trust.verdict import Check
from basso.units import FloatArray

SIDE_CHECK = f"{Role.LATERAL_G}_sign"
YAW = re.compile(r"\byaw\b|\byawrate\b|\bgyro ?z\b|\brz\b")
_STEERING = re.compile(r"\bsteer(ing)?\b|\bsteerangle\b|\bswa\b")
_NOT_STEERING = re.compile(r"torque|moment|force|rate|speed|voltage|pressure|assist|pump|fluid")
_TURN_G, _TURN_S = 0.35, 1.0


@dataclass(frozen=True, slots=True)
class Side:
    """Whether it is known which side is left.

    Attributes:
        proven: False where left and right may stand in each other's place.
        by: what proves it ("the path"), or what would.
    """

    proven: bool
    by: str

    def turns(self, direction: str) -> str:
        """ "Left turns", or "Turns to one side" where nobody knows which."""
        if direction not in ("left", "right"):
            return direction[:1].upper() + direction[1:]
        return f"{direction[:1].upper()}{direction[1:]} turns" if self.proven else f"Turns to {_SIDES[direction]}"

    def way(self, direction: str) -> str:
        """ "left", or "one side"."""
        return direction if self.proven else _SIDES.get(direction, direction).removeprefix("the ")

    def to(self, direction: str) -> str:
        """ "to the left", or "to one side"."""
        return f"to the {direction}" if self.proven else f"to {_SIDES[direction]}"


_SIDES = {"left": "one side", "right": "the other side"}
NOT_PROVEN = "sign not proven"
KNOWN = Side(True, "")


def side_of(
    checks: Sequence[Check], corrections: Sequence[Correction], lateral_g: FloatArray | None, corrected: Recording
) -> Side:
    """What the checks say of the side, with what was put right; a g worked out from the path is proved by it, and
    without any there is nothing to prove."""
    if lateral_g is None or not corrected.has(Role.LATERAL_G):
        return Side(True, "the path") if lateral_g is not None else KNOWN
    check = next((c for c in checks if c.id == SIDE_CHECK), None)
    put_right = check is not None and not check.offered and any(c.key == (check.channel, "sign") for c in corrections)
    if check is not None and (check.level == "ok" or put_right):
        return Side(True, check.message)
    return Side(False, check.message if check is not None else "")


def by_word(check: Check) -> Check:
    """The check as it stands once somebody said which side it is."""
    words = f"Which side '{check.channel}' is positive to was said by you."
    return replace(check, level="ok", message=words)


def turning_columns(recording: Recording, frame: Frame) -> list[tuple[str, str, FloatArray]]:
    """Columns that show which way a car turns, as (kind, name, something that goes with the lateral g, left
    positive)."""
    speed = frame.get(Role.SPEED)
    fast = np.maximum(or_zero(speed), 0.0) if speed is not None else np.ones(frame.time_s.shape)
    found = []
    for channel in recording.channels:
        words = " ".join(take_apart(channel.name).words)
        if channel.role is not None or np.isfinite(channel.values).sum() < 50:
            continue
        if YAW.search(words) and "angle" not in words:
            found.append(("rate of turn", channel.name, _on(channel, frame) * fast))
        elif _STEERING.search(words) and not _NOT_STEERING.search(words):
            found.append(("steering", channel.name, _on(channel, frame) * fast**2))
    return found


def _on(channel: Channel, frame: Frame) -> FloatArray:
    known = np.isfinite(channel.values)
    return np.asarray(np.interp(frame.time_s, channel.time_s[known], channel.values[known]), dtype=np.float64)


def first_turn(time_s: FloatArray, lateral_g: FloatArray, speed_mps: FloatArray | None) -> tuple[float, float] | None:
    """(when it is hardest in s, the g there) of the first turn after the start; None where there is none.

    A turn is 0.35 g and more held for a second while the car drives.
    """
    if time_s.size < 10:
        return None
    step = float(np.median(np.diff(time_s)))
    held = rolling_mean(or_zero(lateral_g), max(1, round(0.5 / max(step, 1e-3))))
    turning = np.abs(held) > _TURN_G
    if speed_mps is not None:
        turning &= or_zero(speed_mps) > 3.0
    edges = np.flatnonzero(np.diff(np.concatenate([[0], turning.astype(np.int8), [0]])))
    for start, end in zip(edges[::2], edges[1::2], strict=True):
        if (end - start) * step >= _TURN_S:
            at = int(start + np.argmax(np.abs(held[start:end])))
            return float(time_s[at]), float(held[at])
    return None
