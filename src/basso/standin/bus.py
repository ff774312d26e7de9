"""The stand-in's bus: the same drive as frames on a wire, and the database that says what is in them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from basso.standin.car import STEP_S
from basso.standin.engine import lagged
from basso.standin.simulate import Simulated
from basso.units import FloatArray

_START = 1_778_576_400.0  # 2026-05-12 09:00 UTC
_ENGINE, _HEAT, _MOTION, _ROAD = 0x640, 0x641, 0x650, 0x651

DATABASE = f"""VERSION ""

NS_ :

BS_:

BU_: Engine Logger

BO_ {_ENGINE} ENGINE_1: 8 Engine
 SG_ EngineSpeed : 0|16@1+ (0.25,0) [0|16000] "rpm" Logger
 SG_ OilPressure : 16|16@1+ (0.1,-100) [-100|1400] "kPa" Logger
 SG_ Throttle : 32|8@1+ (0.5,0) [0|100] "%" Logger

BO_ {_HEAT} ENGINE_2: 2 Engine
 SG_ OilTemp : 7|8@0+ (1,-40) [-40|215] "degC" Logger

BO_ {_MOTION} MOTION: 4 Logger
 SG_ LateralAcc : 7|16@0- (0.001,0) [-32|32] "g" Logger
 SG_ LongitudinalAcc : 23|16@0- (0.001,0) [-32|32] "g" Logger

BO_ {_ROAD} ROAD: 3 Logger
 SG_ VehicleSpeed : 0|16@1+ (0.01,0) [0|400] "km/h" Logger
 SG_ LapNumber : 16|8@1+ (1,0) [0|255] "" Logger

CM_ "Invented car 31 at the invented Harrowfell circuit; made by Basso's simulated car.";
"""
"""The database, as text: little- and big-endian signals, signed and not, with scale and offset."""


@dataclass(frozen=True, slots=True)
class BusFrame:
    """One frame: when, s from the start of the drive, its identifier and what is in it."""

    at_s: float
    identifier: int
    data: bytes


def write_candump(simulated: Simulated, rng: np.random.Generator) -> bytes:
    """The session as frames in candump's log format."""
    lines = (
        f"({_START + f.at_s:.6f}) can0 {f.identifier:03X}#{f.data.hex().upper()}" for f in frames_of(simulated, rng)
    )
    return ("\n".join(lines) + "\n").encode()


def frames_of(simulated: Simulated, rng: np.random.Generator) -> list[BusFrame]:
    """The session as frames, in the order they come: engine and motion at 25 Hz, road at 20 Hz, oil temperature at 2
    Hz."""
    d = simulated.drive
    heat = lagged(simulated.temperature_c, 3.0, float(simulated.temperature_c[0]))

    def seen(values: FloatArray, every: int, sigma: float) -> FloatArray:
        rows = values[::every]
        return rows + rng.normal(0.0, sigma, rows.size)

    rpm = np.maximum(seen(d.rpm, 4, 6.0), 0.0) * (d.rpm[::4] > 0)
    frames: list[BusFrame] = []
    frames += _frames(
        _ENGINE,
        4,
        [
            _little(rpm / 0.25),
            _little((seen(simulated.pressure_kpa, 4, 2.2) + 100.0) / 0.1),
            _byte(200.0 * d.throttle[::4]),
            np.zeros((rpm.size, 3), np.uint8),
        ],
    )
    frames += _frames(_HEAT, 50, [_byte(seen(heat, 50, 0.1) + 40.0), np.zeros((heat[::50].size, 1), np.uint8)])
    frames += _frames(
        _MOTION, 4, [_big(seen(d.lateral_g, 4, 0.018) / 0.001), _big(seen(d.longitudinal_g, 4, 0.018) / 0.001)]
    )
    frames += _frames(_ROAD, 5, [_little(np.maximum(seen(d.speed_mps, 5, 0.06), 0.0) * 360.0), _byte(d.lap[::5])])
    return sorted(frames, key=lambda f: f.at_s)


def _frames(identifier: int, every: int, parts: list[NDArray[np.uint8]]) -> list[BusFrame]:
    payload = np.hstack(parts)
    # Each message has its own place within a step, as frames on one wire follow one another.
    stamps = np.arange(payload.shape[0]) * every * STEP_S + (identifier & 0xFF) * 1e-5
    return [BusFrame(at, identifier, row.tobytes()) for at, row in zip(stamps.tolist(), payload, strict=True)]


def _little(values: FloatArray) -> NDArray[np.uint8]:
    return np.clip(np.round(values), 0, 65535).astype("<u2").view(np.uint8).reshape(-1, 2)


def _big(values: FloatArray) -> NDArray[np.uint8]:
    return np.clip(np.round(values), -32768, 32767).astype(">i2").view(np.uint8).reshape(-1, 2)


def _byte(values: FloatArray) -> NDArray[np.uint8]:
    return np.clip(np.round(values), 0, 255).astype(np.uint8).reshape(-1, 1)
