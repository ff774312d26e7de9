"""The stand-in car and its driver: speed, g, gears, rpm and throttle along a circuit, on a 10 ms grid."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter1d

from basso.standin.circuit import Circuit
from basso.units import STANDARD_GRAVITY_MPS2, FloatArray

STEP_S = 0.01
_G = STANDARD_GRAVITY_MPS2


@dataclass(frozen=True, slots=True)
class Car:
    """What the car can do. A transverse two-litre hatch by default."""

    grip_g: float = 1.18
    brake_g: float = 1.12
    drive_g: float = 0.55
    power_w: float = 128e3
    mass_kg: float = 1060.0
    drag_per_m: float = 5.5e-4
    ratios: tuple[float, ...] = (12.6, 8.7, 6.6, 5.3, 4.4, 3.8)
    """Overall ratios, engine to wheel."""
    wheel_m: float = 0.30
    shift_rpm: float = 6700.0
    down_rpm: float = 3900.0
    idle_rpm: float = 900.0


@dataclass(frozen=True, slots=True, eq=False)
class Drive:
    """What the car did, every 10 ms; all arrays of shape (n,).

    ``lateral_g`` and ``longitudinal_g`` are along the body's axes (so banking is in them), as the oil feels them.
    """

    time_s: FloatArray
    speed_mps: FloatArray
    distance_m: FloatArray
    lateral_g: FloatArray
    longitudinal_g: FloatArray
    rpm: FloatArray
    throttle: FloatArray
    lap: FloatArray
    x_m: FloatArray
    y_m: FloatArray


@dataclass(frozen=True, slots=True)
class Outing:
    """How long the driver is out and how: engine off, idle, laps or runs, idle, engine off."""

    laps: int = 9
    off_before_s: float = 6.0
    idle_before_s: float = 15.0
    idle_after_s: float = 12.0
    off_after_s: float = 8.0
    pace: float = 1.0
    spread: float = 0.012
    """Relative spread of speed from lap to lap and place to place."""
    in_and_out_laps: bool = True


def speed_profile(car: Car, circuit: Circuit, pace: float, start_mps: float | None = None) -> FloatArray:
    """The quickest speed over distance within grip, power and brakes, metre by metre; shape (n,).

    A closed circuit is flown (start and end meet); an open one starts at ``start_mps``.
    """
    curvature = np.abs(circuit.curvature_per_m)
    grip = car.grip_g * pace * pace
    side = (grip + np.tan(circuit.bank_rad)) / (1.0 - grip * np.tan(circuit.bank_rad) * 0.5)
    limit = np.minimum(np.sqrt(side * _G / np.maximum(curvature, 1e-5)), 75.0).tolist()
    kappa = curvature.tolist()
    n = len(limit)
    speed = list(limit)
    rounds = 2 if circuit.closed else 1
    if not circuit.closed:
        speed[0] = start_mps or 0.5
    for _ in range(rounds):
        for i in range(n if circuit.closed else n - 1):
            j = (i + 1) % n
            v = speed[i]
            used = min(1.0, v * v * kappa[i] / (grip * _G))
            drive = min(car.power_w / (car.mass_kg * max(v, 3.0)), car.drive_g * _G) * math.sqrt(1.0 - used * used)
            push = drive - car.drag_per_m * v * v
            speed[j] = min(speed[j], math.sqrt(max(v * v + 2.0 * push, 0.25)))
        for i in range(n - 1, -1 if circuit.closed else 0, -1):
            j = i - 1
            v = speed[i]
            used = min(1.0, v * v * kappa[i] / (grip * _G))
            stop = car.brake_g * pace * _G * math.sqrt(1.0 - used * used) + car.drag_per_m * v * v
            speed[j] = min(speed[j], math.sqrt(v * v + 2.0 * stop))
    return gaussian_filter1d(np.array(speed), 4.0, mode="wrap" if circuit.closed else "nearest")


def drive_session(car: Car, circuit: Circuit, plan: Outing, rng: np.random.Generator) -> Drive:
    """Drive a session: engine off, idle, out-lap, laps, in-lap, idle, off (or separate runs on an open route)."""
    length = int(circuit.length_m)
    if circuit.closed:
        profile = speed_profile(car, circuit, plan.pace)
        paces = [1.0] * plan.laps
        if plan.in_and_out_laps:
            paces = [0.80, *paces, 0.72]
        factors = [
            pace * (1.0 + plan.spread * (rng.standard_normal() + 9.0 * _slow_noise(rng, length))) for pace in paces
        ]
        # A driver changes pace over a straight, not within a metre of the line.
        speed = np.tile(profile, len(paces)) * gaussian_filter1d(np.concatenate(factors), 50.0, mode="nearest")
        if plan.in_and_out_laps:
            roll = np.sqrt(2.0 * 2.5 * np.arange(speed.size) + 4.0)
            speed = np.minimum(np.minimum(speed, roll), roll[::-1])
        first = 0 if plan.in_and_out_laps else 1
        lap = np.repeat(np.arange(len(paces)) + first, length)
        return _in_time(car, circuit, gaussian_filter1d(speed, 4.0), lap.astype(np.float64), plan)
    return _runs(car, circuit, plan, rng)


def _slow_noise(rng: np.random.Generator, length: int) -> FloatArray:
    return gaussian_filter1d(rng.standard_normal(length), 60.0, mode="wrap")


def _runs(car: Car, circuit: Circuit, plan: Outing, rng: np.random.Generator) -> Drive:
    pieces = []
    length = int(circuit.length_m)
    for i in range(plan.laps):
        profile = speed_profile(car, circuit, plan.pace * (1.0 + plan.spread * rng.standard_normal()))
        roll_out = np.sqrt(2 * 0.75 * _G * np.arange(length, 0, -1))
        speed = np.minimum(profile, np.maximum(roll_out, 0.6))
        idle = Outing(
            laps=1,
            off_before_s=plan.off_before_s if i == 0 else 0.0,
            idle_before_s=plan.idle_before_s,
            idle_after_s=plan.idle_after_s,
            off_after_s=plan.off_after_s if i == plan.laps - 1 else 0.0,
        )
        pieces.append(_in_time(car, circuit, speed, np.full(length, i + 1.0), idle))
    joined = {}
    for name in Drive.__dataclass_fields__:
        joined[name] = np.concatenate([getattr(p, name) for p in pieces])
    joined["time_s"] = _grid(joined["time_s"].size)
    return Drive(**joined)


def _in_time(car: Car, circuit: Circuit, speed: FloatArray, lap: FloatArray, plan: Outing) -> Drive:
    """Turn speed over distance into everything over time, with the standing parts before and after."""
    metres = np.arange(speed.size, dtype=np.float64)
    at = np.concatenate([[0.0], np.cumsum(2.0 / (speed[1:] + speed[:-1]))])
    t = np.arange(0.0, at[-1], STEP_S)
    s = np.interp(t, at, metres)
    v = np.interp(s, metres, speed)
    grid = circuit.curvature_per_m.size
    index = s.astype(np.int64) % grid
    kappa, bank = circuit.curvature_per_m[index], circuit.bank_rad[index]
    ax = gaussian_filter1d(np.gradient(v, STEP_S), 3.0) / _G
    flat = v * v * kappa / _G
    lean = np.sign(kappa) * bank
    ay = flat * np.cos(lean) - np.sin(lean)
    ay = gaussian_filter1d(ay, 4.0)
    before = round((plan.off_before_s + plan.idle_before_s) / STEP_S)
    after = round((plan.idle_after_s + plan.off_after_s) / STEP_S)

    def stand(values: FloatArray, first: float = 0.0, last: float = 0.0) -> FloatArray:
        return np.concatenate([np.full(before, first), values, np.full(after, last)])

    v, ax, ay, s = stand(v), stand(ax), stand(ay), stand(s, 0.0, float(s[-1]))
    lap_t = stand(lap[np.minimum(np.interp(t, at, metres).astype(np.int64), lap.size - 1)], lap[0], lap[-1])
    rpm, throttle = _engine_speed(car, v, ax)
    rpm = _with_starts(car, rpm, plan)
    place = s.astype(np.int64) % grid
    return Drive(
        time_s=_grid(v.size),
        speed_mps=v,
        distance_m=s,
        lateral_g=ay,
        longitudinal_g=ax,
        rpm=rpm,
        throttle=throttle,
        lap=lap_t.astype(np.float64),
        x_m=circuit.x_m[place],
        y_m=circuit.y_m[place],
    )


def _grid(count: int) -> FloatArray:
    """Times of the simulation's own grid."""
    return np.arange(count, dtype=np.float64) * STEP_S


def _engine_speed(car: Car, speed: FloatArray, ax: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Choose gears with hysteresis and let the rpm follow through the clutch; throttle 0 to 1."""
    per_mps = np.array([r * 60.0 / (2.0 * math.pi * car.wheel_m) for r in car.ratios])
    gear, hold = _gears(car, speed, ax, per_mps)
    pull = np.maximum(ax + 0.03 + car.drag_per_m * speed * speed / _G, 0.0)
    most = np.minimum(car.power_w / (car.mass_kg * np.maximum(speed, 3.0)) / _G, car.drive_g)
    demand = np.clip(pull / most, 0.0, 1.0)
    launching = (gear == 0) & (demand > 0.5) & (speed < 9.0)
    target = np.maximum(speed * per_mps[gear], np.where(launching, max(4200.0, car.idle_rpm), car.idle_rpm))
    quick = np.where((hold > 0) | launching, 0.07, 0.03)
    rpm_now, rpm = car.idle_rpm, []
    for wanted, follows in zip(target.tolist(), quick.tolist(), strict=True):
        rpm_now += (wanted - rpm_now) * STEP_S / follows
        rpm.append(rpm_now)
    return np.array(rpm), np.where((hold > 8) & (demand > 0.0), 0.0, demand)


_UP_FOR, _DOWN_FOR = 22, 30
"""Steps that a change of gear takes, in which no other begins."""


def _gears(
    car: Car, speed: FloatArray, ax: FloatArray, per_mps: FloatArray
) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
    """The gear at each step, and how many steps of a change are left; from one change to the next, for they are few."""
    gear, hold = np.zeros(speed.size, dtype=np.intp), np.zeros(speed.size, dtype=np.intp)
    rpm = per_mps[:, None] * speed
    up = rpm > car.shift_rpm
    up[-1] = False
    down = (rpm < car.down_rpm) & ((ax < -0.05) | (rpm < 2600.0))
    down[0] = False
    changes = [np.flatnonzero(either) for either in up | down]
    now = at = 0
    while (place := int(np.searchsorted(changes[now], at))) < changes[now].size:
        change = int(changes[now][place])
        now, takes = (now + 1, _UP_FOR) if up[now, change] else (now - 1, _DOWN_FOR)
        gear[change:] = now
        left = np.arange(takes, 0, -1)[: speed.size - change]
        hold[change : change + left.size] = left
        at = change + takes + 1
    return gear, hold


def _with_starts(car: Car, rpm: FloatArray, plan: Outing) -> FloatArray:
    """Engine stopped at both ends, cranked for 1.2 s, then running up to a quick idle."""
    rpm = rpm.copy()
    off = round(plan.off_before_s / STEP_S)
    if off:
        crank = min(120, rpm.size - off)
        rpm[:off] = 0.0
        rpm[off : off + crank] = 230.0
        flare = np.arange(min(300, rpm.size - off - crank)) * STEP_S
        rpm[off + crank : off + crank + flare.size] = car.idle_rpm * (1.0 + 0.5 * np.exp(-flare / 0.8))
    end = round(plan.off_after_s / STEP_S)
    if end:
        run_down = np.exp(-np.arange(end) * STEP_S / 0.25) * car.idle_rpm
        rpm[-end:] = np.where(run_down > 40.0, run_down, 0.0)
    return rpm


def dyno_session(car: Car, sweeps: int, rng: np.random.Generator) -> Drive:
    """A dyno day: the car stands, the engine is swept from 1800 rpm to redline and held at steps."""
    parts = [np.zeros(600), np.full(1500, car.idle_rpm)]
    for i in range(sweeps):
        top = car.shift_rpm + rng.uniform(-100, 100)
        up = np.linspace(1800.0, top, 1100)
        down = np.linspace(top, 1800.0, 500)
        hold = np.full(300, 2500.0 + 700.0 * (i % 5))
        parts += [up, down, hold, np.full(300, 1800.0)]
    parts += [np.full(1000, car.idle_rpm), np.zeros(800)]
    rpm = gaussian_filter1d(np.concatenate(parts), 8.0)
    rpm[:600], rpm[-780:] = 0.0, 0.0
    n = rpm.size
    zero = np.zeros(n)
    climbing = (np.gradient(rpm, STEP_S) > 100.0).astype(np.float64)
    return Drive(
        time_s=_grid(n),
        speed_mps=zero,
        distance_m=zero,
        lateral_g=rng.normal(0, 0.002, n),
        longitudinal_g=zero,
        rpm=rpm,
        throttle=climbing,
        lap=zero,
        x_m=zero,
        y_m=zero,
    )
