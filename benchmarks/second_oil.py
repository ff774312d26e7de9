"""Cars whose oil moves by another physics than the model's: what :mod:`basso.sump` has to predict without knowing it.

The model in ``basso.sump.flow`` tilts flat surfaces. Here the oil has no flat surface: the pan is cut into columns that
exchange oil with inertia and drag through their faces (depth-averaged flow on a staggered grid; Stelling and
Duinmeijer, 2003), many cars side by side in one array. Air is drawn in before the mouth is bare (a dip of the surface
over it that grows with the flow), travels with the flow in the pickup's pipe, and mixes in the filter. What is up in
the engine fills and drains by laws of its own and comes back at one end of the pan. Nothing here imports
``basso.sump``.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from basso.standin.car import STEP_S, Car, Drive, Outing, drive_session
from basso.standin.circuit import random_circuit
from basso.standin.engine import Heat, TrueEngine, balance_kpa, lagged, oil_temperature, pump_flow
from basso.standin.faults import Logger, write_csv
from basso.standin.pan import OilMotion
from basso.standin.simulate import Simulated
from basso.units import FloatArray

_G = 9.80665
_CELLS = 10
_STEP_S = 0.005


@dataclass(frozen=True, slots=True)
class Kind:
    """How the oil of one car behaves: hidden from the model.

    Attributes:
        drag_per_s, drag_per_m: linear and quadratic drag on oil that moves.
        vortex_m: cover under which air is drawn in at 60 L/min; ``mouth_m``: from there to all air.
        most_air: share of the intake when the mouth is bare; ``power``: of (1 − air) on the delivery.
        pipe_l, mixing_l: what the air has to pass with the flow.
        up_per_krpm2_l: oil up in the engine for each (1000 rpm)²; ``up_s``: how slowly it goes up; ``down_s``: down.
        back: where it comes back, −1 at the back to 1 at the front.
        in_left_l: more of it up for each g of a left turn.
    """

    drag_per_s: float
    drag_per_m: float
    vortex_m: float
    mouth_m: float
    most_air: float
    power: float
    pipe_l: float
    mixing_l: float
    up_per_krpm2_l: float
    up_s: float
    down_s: float
    back: float
    in_left_l: float


@dataclass(frozen=True, slots=True)
class CarAndPan:
    """One car: its pan (metres; x forward, y left), its oil and its drive.

    Attributes:
        length_m, width_m, depth_m: of a box about the origin.
        step: (share of the length from the back that is shallow, height of its floor); None for a plain box.
        wall: x of a wall across the box with an opening (low, high, width) that opens to the pickup's side only;
            None for none.
        pickup_m: the mouth.
    """

    length_m: float
    width_m: float
    depth_m: float
    step: tuple[float, float] | None
    wall: tuple[float, float, float, float] | None
    pickup_m: tuple[float, float, float]
    fill_l: float
    kind: Kind
    engine: TrueEngine
    heat: Heat
    car: Car
    seed: int
    laps: int = 6

    def toml(self) -> str:
        """What a tape would measure, as ``basso sump`` reads it."""
        x0, x1, y = -self.length_m / 2, self.length_m / 2, self.width_m / 2
        bays = [("pan", x0, x1, 0.0)]
        if self.step is not None:
            at = x0 + self.step[0] * self.length_m
            bays = [("shelf", x0, at, self.step[1]), ("box", at, x1, 0.0)]
        elif self.wall is not None:
            bays = [("back", x0, self.wall[0], 0.0), ("front", self.wall[0], x1, 0.0)]
        lines = ['schema = "basso.pan/1"', "[fill]", f"volume = {self.fill_l:.3f}", "[pickup]"]
        lines += [f"{k} = {1000 * v:.2f}" for k, v in zip("xyz", self.pickup_m, strict=True)]
        for name, a, b, floor in bays:
            outline = [[1000 * a, -1000 * y], [1000 * b, -1000 * y], [1000 * b, 1000 * y], [1000 * a, 1000 * y]]
            lines += ["[[bay]]", f'name = "{name}"', f"outline = {outline}", f"floor = {1000 * floor:.2f}"]
            lines += [f"roof = {1000 * self.depth_m:.2f}"]
        if self.wall is not None:
            at, low, high, width = self.wall
            to = "front" if self.pickup_m[0] > at else "back"
            lines += ["[[wall]]", 'between = ["back", "front"]', "[[wall.opening]]", f"low = {1000 * low:.2f}"]
            lines += [f"high = {1000 * high:.2f}", f"width = {1000 * width:.2f}", f'to = "{to}"']
        return "\n".join(lines) + "\n"


def random_car(seed: int, kind: str = "") -> CarAndPan:
    """A car by its seed; ``kind``: "box", "step" or "door" (default: the seed says which)."""
    rng = np.random.default_rng([77, seed])
    kind = kind or ("box", "box", "step", "door")[seed % 4]
    length, width, depth = rng.uniform(0.22, 0.36), rng.uniform(0.17, 0.26), rng.uniform(0.12, 0.18)
    x, y = rng.uniform(-0.3, 0.3) * length, rng.uniform(-0.3, 0.3) * width
    step, wall = None, None
    cell = length / _CELLS
    if kind == "step":
        step = (0.4, rng.uniform(0.3, 0.5) * depth)
        x = rng.uniform(-0.02, 0.3) * length
    if kind == "door":
        wall = (-length / 2 + 4 * cell, 0.0, rng.uniform(0.02, 0.04), rng.uniform(0.05, 0.12))
        x = rng.uniform(0.05, 0.3) * length
    z = rng.uniform(0.006, 0.016)
    area = length * width
    room = area * depth - (step[0] * step[1] * area if step is not None else 0.0)
    fill = 1000.0 * room * rng.uniform(0.32, 0.5)
    oil = Kind(
        drag_per_s=rng.uniform(1.0, 6.0),
        drag_per_m=rng.uniform(1.0, 15.0),
        vortex_m=(vortex := rng.uniform(0.0, 0.012)),
        # With no oil under it the mouth draws nothing but air, however gradually it comes to that.
        mouth_m=min(rng.uniform(0.006, 0.022), 0.9 * (z + 0.8 * vortex)),
        most_air=rng.uniform(0.5, 0.95),
        power=rng.uniform(0.9, 1.6),
        pipe_l=rng.uniform(0.06, 0.2),
        mixing_l=rng.uniform(0.05, 0.3),
        up_per_krpm2_l=rng.uniform(0.004, 0.02),
        up_s=rng.uniform(1.0, 4.0),
        down_s=rng.uniform(2.0, 8.0),
        back=rng.uniform(-1.0, 1.0),
        in_left_l=rng.choice([0.0, 0.0, rng.uniform(0.0, 0.25)]),
    )
    engine = TrueEngine(
        pump_l_per_rev=rng.uniform(0.009, 0.013), bearing=rng.uniform(0.9, 1.3), relief_kpa=rng.uniform(400.0, 560.0)
    )
    heat = Heat(start_c=rng.uniform(78.0, 95.0))
    car = Car(grip_g=rng.uniform(1.05, 1.45), brake_g=rng.uniform(0.95, 1.3))
    return CarAndPan(length, width, depth, step, wall, (x, y, z), fill, oil, engine, heat, car, seed)


def drive_of(c: CarAndPan) -> Drive:
    """What the car does, the same whatever is changed on it."""
    rng = np.random.default_rng([78, c.seed])
    return drive_session(c.car, random_circuit(rng), Outing(laps=c.laps, idle_after_s=4.0), rng)


def head_m(cars: list[CarAndPan], drives: list[Drive]) -> tuple[FloatArray, FloatArray, FloatArray]:
    """Oil over the mouth along the effective gravity, every 10 ms, shape (steps, cars); and the g where the oil is:
    what its slope over the pan says, for the truth's cause."""
    n, steps = len(cars), max(d.time_s.size for d in drives)

    def of(name: str) -> FloatArray:
        made = np.zeros((steps, n))
        for k, d in enumerate(drives):
            values = getattr(d, name)
            made[: values.size, k] = values
        return made

    ax, ay, rpm = of("longitudinal_g"), of("lateral_g"), of("rpm")

    def each(values: list[float]) -> FloatArray:
        return np.array(values)[:, None, None]

    dx, dy = each([c.length_m / _CELLS for c in cars]), each([c.width_m / _CELLS for c in cars])
    floor = np.zeros((n, _CELLS, _CELLS))
    open_x = np.ones((n, _CELLS + 1, _CELLS))
    low_x, high_x = np.zeros(open_x.shape), np.full(open_x.shape, 9.0)
    only = np.zeros((n, _CELLS + 1, _CELLS))
    open_x[:, 0], open_x[:, -1] = 0.0, 0.0
    for k, c in enumerate(cars):
        if c.step is not None:
            floor[k, : round(c.step[0] * _CELLS)] = c.step[1]
        if c.wall is not None:
            i = round((c.wall[0] / c.length_m + 0.5) * _CELLS)
            share = c.wall[3] / c.width_m
            middle = np.abs(np.arange(_CELLS) - 4.5) < 2.0
            open_x[k, i] = np.where(middle, share * _CELLS / middle.sum(), 0.0).clip(0.0, 1.0)
            low_x[k, i], high_x[k, i] = c.wall[1], c.wall[2]
            only[k, i] = 1.0 if c.pickup_m[0] > c.wall[0] else -1.0
    open_y = np.ones((n, _CELLS, _CELLS + 1))
    open_y[:, :, 0], open_y[:, :, -1] = 0.0, 0.0
    roof = each([c.depth_m for c in cars])
    kinds = [c.kind for c in cars]
    linear, square = each([k.drag_per_s for k in kinds]), each([k.drag_per_m for k in kinds])
    fill = np.array([c.fill_l for c in cars]) / 1000.0
    depth = _level(floor, fill, dx, dy)
    u, v = np.zeros(open_x.shape), np.zeros(open_y.shape)
    up = np.zeros(n)
    back = 0.5 + 0.5 * np.array([k.back for k in kinds])
    end = np.zeros((n, _CELLS, 1))
    end[:, :3, 0], end[:, -3:, 0] = (1.0 - back)[:, None] / 3.0, back[:, None] / 3.0
    end = end / _CELLS * np.ones((1, 1, _CELLS))
    per = np.array([k.up_per_krpm2_l for k in kinds]) / 1000.0
    aside = np.array([k.in_left_l for k in kinds]) / 1000.0
    up_s, down_s = np.array([k.up_s for k in kinds]), np.array([k.down_s for k in kinds])
    px = np.array([(c.pickup_m[0] / c.length_m + 0.5) * _CELLS - 0.5 for c in cars])
    py = np.array([(c.pickup_m[1] / c.width_m + 0.5) * _CELLS - 0.5 for c in cars])
    pz = np.array([c.pickup_m[2] for c in cars])
    at = np.arange(n)
    i0, j0 = np.clip(px.astype(int), 0, _CELLS - 2), np.clip(py.astype(int), 0, _CELLS - 2)
    fx, fy = px - i0, py - j0
    # The surface over the mouth is that of the columns about it whose floor lies below it: not of a shelf beside it.
    around = [
        (wx * wy * (floor[at, i0 + a, j0 + b] <= pz), i0 + a, j0 + b)
        for a, wx in ((0, 1 - fx), (1, fx))
        for b, wy in ((0, 1 - fy), (1, fy))
    ]
    total_weight = np.maximum(sum(w for w, _, _ in around), 1e-9)
    # The oil is drawn from all columns on the pickup's side as far as they hold any, the nearest most.
    side = np.ones((n, _CELLS, _CELLS))
    for k, c in enumerate(cars):
        if c.wall is not None:
            i = round((c.wall[0] / c.length_m + 0.5) * _CELLS)
            side[k, :i] = 0.0
    gx, gy = np.meshgrid(np.arange(_CELLS), np.arange(_CELLS), indexing="ij")
    close = side / (1.0 + ((gx - px[:, None, None]) ** 2 + (gy - py[:, None, None]) ** 2) / 4.0)
    heads = np.empty((steps, n))
    sub = round(STEP_S / _STEP_S)
    flow = np.array([c.engine.pump_l_per_rev for c in cars]) / 1000.0 / 60.0
    for s in range(steps):
        a_x, a_y = ax[s][:, None, None], ay[s][:, None, None]
        for _ in range(sub):
            surface = floor + depth
            over = np.maximum(surface - roof, 0.0)
            surface = surface + 6.0 * over
            push = -_G * ((surface[:, 1:] - surface[:, :-1]) / dx + a_x)
            inner = u[:, 1:-1]
            inner = (inner + _STEP_S * push) / (1.0 + _STEP_S * (linear + square * np.abs(inner)))
            u[:, 1:-1] = inner
            u *= open_x > 0.0
            np.copyto(u, np.where(only * u < 0.0, 0.0, u))
            push = -_G * ((surface[:, :, 1:] - surface[:, :, :-1]) / dy + a_y)
            inner = v[:, :, 1:-1]
            v[:, :, 1:-1] = (inner + _STEP_S * push) / (1.0 + _STEP_S * (linear + square * np.abs(inner)))
            # Oil passes a face as deep as it stands on the side it comes from, over the higher floor.
            sill = np.maximum(floor[:, 1:], floor[:, :-1])
            sill = np.maximum(sill, low_x[:, 1:-1])
            from_x = np.where(u[:, 1:-1] > 0.0, surface[:, :-1], surface[:, 1:])
            wet = np.minimum(np.maximum(from_x - sill, 0.0), high_x[:, 1:-1] - low_x[:, 1:-1])
            flux_x = np.zeros(u.shape)
            flux_x[:, 1:-1] = u[:, 1:-1] * wet * open_x[:, 1:-1] / dx
            sill = np.maximum(floor[:, :, 1:], floor[:, :, :-1])
            from_y = np.where(v[:, :, 1:-1] > 0.0, surface[:, :, :-1], surface[:, :, 1:])
            flux_y = np.zeros(v.shape)
            flux_y[:, :, 1:-1] = v[:, :, 1:-1] * np.maximum(from_y - sill, 0.0) / dy
            leaving = (
                np.maximum(flux_x[:, 1:], 0.0)
                - np.minimum(flux_x[:, :-1], 0.0)
                + np.maximum(flux_y[:, :, 1:], 0.0)
                - np.minimum(flux_y[:, :, :-1], 0.0)
            ) * _STEP_S
            scale = np.minimum(1.0, depth / np.maximum(leaving, 1e-12))
            flux_x[:, 1:-1] *= np.where(flux_x[:, 1:-1] > 0.0, scale[:, :-1], scale[:, 1:])
            flux_y[:, :, 1:-1] *= np.where(flux_y[:, :, 1:-1] > 0.0, scale[:, :, :-1], scale[:, :, 1:])
            depth = depth + _STEP_S * (flux_x[:, :-1] - flux_x[:, 1:] + flux_y[:, :, :-1] - flux_y[:, :, 1:])
        target = per * (rpm[s] / 1000.0) ** 2 + aside * np.maximum(ay[s], 0.0)
        rise = (target - up) * STEP_S / np.where(target > up, up_s, down_s)
        pumped = flow * rpm[s] * STEP_S
        drawn, come_back = pumped, pumped - rise
        wet = depth * close
        room = wet.sum(axis=(1, 2)) * (dx * dy)[:, 0, 0]
        drawn = np.minimum(drawn, 0.5 * room)
        come_back = np.maximum(drawn - rise, 0.0)
        up = up + drawn - come_back
        depth = depth - wet * (drawn / np.maximum(wet.sum(axis=(1, 2)), 1e-9))[:, None, None] / (dx * dy)
        depth = depth + end * come_back[:, None, None] / (dx * dy)
        surface = floor + depth
        level = sum(w * surface[at, i, j] for w, i, j in around) / total_weight
        heads[s] = (level - pz) / np.sqrt(1.0 + ax[s] ** 2 + ay[s] ** 2)
    total = (depth * dx * dy).sum(axis=(1, 2)) + up
    assert np.allclose(total, fill, rtol=1e-6), "the second simulator loses oil"
    return heads, ax, ay


def _level(floor: FloatArray, fill_m3: FloatArray, dx: FloatArray, dy: FloatArray) -> FloatArray:
    """Depths at rest that hold a volume."""
    low, high = np.zeros(fill_m3.shape), np.ones(fill_m3.shape)
    for _ in range(50):
        middle = 0.5 * (low + high)
        held = (np.maximum(middle[:, None, None] - floor, 0.0) * dx * dy).sum(axis=(1, 2))
        low, high = np.where(held < fill_m3, middle, low), np.where(held < fill_m3, high, middle)
    return np.maximum(low[:, None, None] - floor, 0.0)


def pressures(cars: list[CarAndPan], drives: list[Drive]) -> list[Simulated]:
    """The sessions of cars, each on its drive."""
    heads, _, _ = head_m(cars, drives)
    return [_session(c, d, heads[: d.time_s.size, k]) for k, (c, d) in enumerate(zip(cars, drives, strict=True))]


def _session(c: CarAndPan, d: Drive, head: FloatArray) -> Simulated:
    k = c.kind
    flow = pump_flow(c.engine, d.rpm)
    draws_at = k.vortex_m * np.sqrt(np.maximum(flow, 1.0) / 60.0)
    uncovered = np.clip((draws_at - head) / k.mouth_m, 0.0, 1.0)
    drawn = k.most_air * uncovered**1.4
    # With the flow: what leaves the pipe now came in when the pump had moved the pipe's content less.
    moved = np.cumsum(np.maximum(flow, 0.5)) * STEP_S / 60.0
    arriving = np.interp(moved - k.pipe_l, moved, drawn, left=0.0)
    share = np.maximum(flow, 0.5) / 60.0 * STEP_S / k.mixing_l
    air = _mixed(arriving, share)
    temperature = oil_temperature(c.heat, d)
    pressure = balance_kpa(c.engine, d.rpm, temperature, flow * (1.0 - air) ** k.power)
    normal = balance_kpa(c.engine, d.rpm, temperature, flow)
    zero = np.zeros(d.time_s.size)
    motion = OilMotion(zero, zero, head, head, head, air)
    return Simulated(
        d, motion, temperature, lagged(pressure, c.engine.lag_s), lagged(normal, c.engine.lag_s), zero, None
    )


def _mixed(arriving: FloatArray, share: FloatArray) -> FloatArray:
    held, out = 0.0, []
    for a, s in zip(arriving.tolist(), share.tolist(), strict=True):
        held += (a - held) * min(s, 1.0)
        out.append(held)
    return np.array(out)


def changed(c: CarAndPan, **by: float) -> CarAndPan:
    """The same car with its level or pickup changed: ``volume``, ``pickup_x``, ``_y``, ``_z`` in L and mm."""
    x, y, z = c.pickup_m
    moved = (
        x + by.get("pickup_x", 0.0) / 1000.0,
        y + by.get("pickup_y", 0.0) / 1000.0,
        z + by.get("pickup_z", 0.0) / 1000.0,
    )
    return replace(c, pickup_m=moved, fill_l=c.fill_l + by.get("volume", 0.0))


def log_of(simulated: Simulated, seed: int, rate_hz: int = 25) -> bytes:
    """What the logger writes of it, with the path that tells left from right."""
    return write_csv(simulated, Logger(rate_hz, gps=True), np.random.default_rng([79, seed]))


def is_below(simulated: Simulated) -> NDArray[np.bool_]:
    """Where the true pressure lies under 70 % of the healthy."""
    return np.asarray(simulated.pressure_kpa < 0.7 * simulated.healthy_kpa)
