"""Oil moving in a pan under g: the head over the pickup in time, the air that is drawn in, and the pressure it costs.

Each compartment's surface stays flat and follows the car's acceleration as a damped oscillator (the first sloshing
mode: Ibrahim, *Liquid Sloshing Dynamics*, ch. 1). Compartments exchange oil through openings by the orifice equation,
Q = Cd·A·√(2·g·Δz) (White, *Fluid Mechanics*, ch. 6), taken implicitly so that a step never carries more than evens the
two levels out. Part of the fill is up in the engine, in proportion to engine speed, and takes its time to go up and
come back. Where the head over the mouth falls short the pump draws air, the more the shorter it is; the air reaches the
gallery late, clears with a lag, and takes from what pump and bearings make, not from what the relief valve lets stand.

What differs from car to car is one vector of :data:`PARAMETERS`, fitted to the car's own logs
(:mod:`basso.sump.calibration`). Arrays of shape (p, n): p sets of parameters side by side, n moments.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from basso.sump.compartments import Compartments, Way
from basso.units import STANDARD_GRAVITY_MPS2, FloatArray

STEP_S = 0.04
PARAMETERS = (
    "slosh_hz",
    "damping",
    "held_l",
    "held_s",
    "cover_m",
    "mouth_m",
    "loss",
    "delay_s",
    "clearing_s",
    "openings",
    "film_m",
    "tilt",
    "lean_x_g",
    "lean_y_g",
)
"""In order: how fast and how damped the surface follows; oil up in the engine at 6000 rpm, and how slowly it goes and
comes; the head at which half of the mouth draws air, and over how much head it goes from little to most; the natural
log by which the pump's delivery falls when all of it is uncovered; how late and how slowly that shows; how the openings
pass oil, against an orifice of coefficient :data:`DISCHARGE`; how thick a film stays on a floor that the surface has
left, 0 where the surface is taken to go on below the floor; how far the surface tilts of what the g asks for (oil that
streams from where it comes back to where it is drawn stands against it), and by how much it is tilted at rest."""
DISCHARGE = 0.62
"""Of a sharp-edged orifice (White, *Fluid Mechanics*, ch. 6)."""
HELD_AT_RPM = 6000.0
USUAL_PUMP_M3_PER_REV = 10e-6
"""Of an engine of two to three litres (default)."""
AIR_LAWS = ("delivery", "pressure")
_MOVES_THE_SURFACE = ("slosh_hz", "damping", "held_l", "held_s", "tilt", "lean_x_g", "lean_y_g")
_MOVES_IT_BETWEEN_COMPARTMENTS = ("cover_m", "mouth_m", "openings")


@dataclass(frozen=True, slots=True, eq=False)
class Run:
    """What a car did, every :data:`STEP_S`; arrays of shape (n,).

    Attributes:
        ax_g, ay_g: its acceleration, forward and to the left.
        rpm: engine speed.
        free_kpa, capped_kpa: what pump and bearings alone make at that engine speed and oil temperature, and what the
            relief valve lets stand.
        sharpness: m of the softmin of both (:mod:`basso.normal.form`).
        factor: by which the engine departs from it.
    """

    ax_g: FloatArray
    ay_g: FloatArray
    rpm: FloatArray
    free_kpa: FloatArray
    capped_kpa: FloatArray
    sharpness: float
    factor: FloatArray

    @property
    def normal_kpa(self) -> FloatArray:
        """The pressure with the pickup covered."""
        normal: FloatArray = with_air(self, np.zeros((1, self.rpm.size)), "delivery")[0]
        return normal

    def only(self, moments: NDArray[np.intp]) -> Run:
        """What it did at some moments: enough for what depends on no other moment (:func:`with_air`)."""
        series = ("ax_g", "ay_g", "rpm", "free_kpa", "capped_kpa", "factor")
        return replace(self, **{name: getattr(self, name)[moments] for name in series})


def at(sets: FloatArray, name: str) -> FloatArray:
    """One parameter of every set, as a column (p, 1)."""
    column: FloatArray = sets[:, PARAMETERS.index(name)][:, None]
    return column


def slosh(g: FloatArray, hz: FloatArray, damping: FloatArray, step_s: float = STEP_S) -> FloatArray:
    """What a g (n,) is to the oil's surface, shape (p, n): ẍ + 2ζω·ẋ + ω²·x = ω²·g for each frequency and damping."""
    from scipy.signal import lfilter

    made = np.empty((hz.size, g.size))
    k = 2.0 / step_s
    for n, (f, d) in enumerate(zip(hz.ravel().tolist(), damping.ravel().tolist(), strict=True)):
        # The bilinear transform of ω² ÷ (s² + 2ζω·s + ω²), begun at rest under the first g.
        w = 2.0 * np.pi * f
        over = k * k + 2.0 * d * w * k + w * w
        b0, a1, a2 = w * w / over, 2.0 * (w * w - k * k) / over, (k * k - 2.0 * d * w * k + w * w) / over
        start = np.array([1.0 - b0, b0 - a2]) * g[0]
        made[n], _ = lfilter([b0, 2.0 * b0, b0], [1.0, a1, a2], g, zi=start)
    return made


def lagged(values: FloatArray, lag_s: FloatArray, step_s: float = STEP_S) -> FloatArray:
    """A first-order lag of each row (p, n), each with its own time."""
    from scipy.signal import lfilter

    made = np.empty(values.shape)
    for k, lag in enumerate(lag_s.ravel().tolist()):
        share = 1.0 - np.exp(-step_s / max(lag, 1e-4))
        made[k], _ = lfilter([share], [1.0, share - 1.0], values[k], zi=[values[k, 0] * (1.0 - share)])
    return made


def delayed(values: FloatArray, delay_s: FloatArray, step_s: float = STEP_S) -> FloatArray:
    """Each row (p, n) later by its own time, s, from 0 on; before it what was first."""
    n = values.shape[1]
    made = np.empty(values.shape)
    for row, came, delay in zip(values, made, delay_s.ravel().tolist(), strict=True):
        late = min(delay / step_s, n - 1.0)
        whole = int(late)
        part = late - whole
        came[: whole + 1] = row[0]
        came[whole + 1 :] = (1.0 - part) * row[1 : n - whole] + part * row[: n - whole - 1]
    return made


def up_in_engine_m3(run: Run, sets: FloatArray) -> FloatArray:
    """Oil that is up in the engine, shape (p, n)."""
    share = np.broadcast_to(run.rpm / HELD_AT_RPM, (sets.shape[0], run.rpm.size))
    up: FloatArray = at(sets, "held_l") / 1000.0 * lagged(share, at(sets, "held_s"))
    return up


def heads_m(
    c: Compartments, run: Run, volume_m3: float, sets: FloatArray, pump_m3_per_rev: float = USUAL_PUMP_M3_PER_REV
) -> FloatArray:
    """Oil over the middle of the mouth along the effective gravity, metres, shape (p, n); below 0: uncovered.

    Args:
        volume_m3: in the pan at rest, engine stopped.
    """
    # Sets that differ only in what comes after (how air is drawn and what it costs) have one surface.
    moving = _MOVES_THE_SURFACE + (_MOVES_IT_BETWEEN_COMPARTMENTS if len(c.tables) > 1 else ())
    columns = [PARAMETERS.index(name) for name in moving]
    _, first, of = np.unique(sets[:, columns], axis=0, return_index=True, return_inverse=True)
    own = sets[first]
    ax, ay = surface_g(run, own)
    if len(c.tables) == 1:
        held = np.maximum(volume_m3 - up_in_engine_m3(run, own), 0.0)
        z0 = c.tables[0].at(ax, ay, held)
    else:
        z0 = volumes_m3(c, run, volume_m3, own, pump_m3_per_rev, (ax, ay))[1]
    of = of.ravel()
    return head_under(c, sets, ax[of], ay[of], z0[of])


def head_under(c: Compartments, sets: FloatArray, ax: FloatArray, ay: FloatArray, z0: FloatArray) -> FloatArray:
    """Oil over the middle of the mouth under a surface z0 − ax·x − ay·y of its compartment, metres; all (p, n)."""
    x, y, z = c.pickup_m
    over_floor = z0 - ax * x - ay * y - c.floor_m
    over_floor = with_film(over_floor, at(sets, "film_m"))
    head: FloatArray = (over_floor - (z - c.floor_m)) / np.sqrt(1.0 + ax * ax + ay * ay)
    return head


def surface_g(run: Run, sets: FloatArray) -> tuple[FloatArray, FloatArray]:
    """The g the oil's surface stands square to, forward and to the left, shape (p, n) each."""
    hz, damping, tilt = at(sets, "slosh_hz"), at(sets, "damping"), at(sets, "tilt")
    ax = tilt * slosh(run.ax_g, hz, damping) + at(sets, "lean_x_g")
    ay = tilt * slosh(run.ay_g, hz, damping) + at(sets, "lean_y_g")
    return ax, ay


def standing(
    c: Compartments, run: Run, volume_m3: float, sets: FloatArray, pump_m3_per_rev: float = USUAL_PUMP_M3_PER_REV
) -> tuple[FloatArray, FloatArray, FloatArray]:
    """The surface's g (p, n) forward and to the left, and what each compartment holds, m³, (compartments, p, n)."""
    ax, ay = surface_g(run, sets)
    if len(c.tables) == 1:
        return ax, ay, np.maximum(volume_m3 - up_in_engine_m3(run, sets), 0.0)[None]
    held, _ = volumes_m3(c, run, volume_m3, sets, pump_m3_per_rev, (ax, ay), keep=True)
    assert held is not None
    return ax, ay, held


def with_film(over_floor_m: FloatArray, film_m: FloatArray) -> FloatArray:
    """Oil over a floor, where the flat surface stands so high over it (below 0: has left it): a film of about that
    thickness stays and thins as the surface goes further; (p, n)."""
    if not np.any(film_m > 0.0):
        return over_floor_m
    scale = np.maximum(film_m, 1e-6)
    kept = np.maximum(over_floor_m, 0.0) + scale * np.log1p(np.exp(-np.abs(over_floor_m) / scale))
    made: FloatArray = np.where(film_m > 0.0, kept, over_floor_m)
    return made


_WARM_UP_S = 12.0
_CHUNK_S = 60.0
_EVERY = 2
"""Compartments are marched in steps of so many of the run's."""
_MARCH_S = _EVERY * STEP_S


def volumes_m3(
    c: Compartments,
    run: Run,
    volume_m3: float,
    sets: FloatArray,
    pump_m3_per_rev: float,
    surface_g: tuple[FloatArray, FloatArray],
    keep: bool = False,
) -> tuple[FloatArray | None, FloatArray]:
    """March the compartments: what each holds, shape (compartments, p, n) where ``keep``, and the surface (z0, (p, n))
    of the one the pickup is in.

    A long run is cut into stretches that are marched side by side, each warmed up on what was driven before it: the
    ways let every compartment forget its beginning within seconds.
    """
    p, n = surface_g[0].shape
    moments = np.arange(0, n, _EVERY)
    warm, chunk = round(_WARM_UP_S / _MARCH_S), round(_CHUNK_S / _MARCH_S)
    starts = np.arange(0, moments.size, chunk)
    index = np.clip(np.arange(-warm, chunk)[None, :] + starts[:, None], 0, moments.size - 1)
    up = up_in_engine_m3(run, sets)[:, moments]
    drop = np.diff(up, axis=1, prepend=up[:, :1])

    def laid(values: FloatArray) -> FloatArray:
        """(p, moments) as (steps, p · stretches)."""
        return np.ascontiguousarray(values[:, index].reshape(-1, index.shape[1]).T)

    def back(values: FloatArray) -> FloatArray:
        """(steps, p · stretches) as (p, n)."""
        marched = values[warm:].T.reshape(p, -1)[:, : moments.size]
        return np.array([np.interp(np.arange(n), moments, row) for row in marched])

    pumped = np.broadcast_to(run.rpm[moments] * pump_m3_per_rev / 60.0 * _MARCH_S, up.shape)
    step = _Step(c, sets, len(starts))
    first = c.at_rest_each(np.maximum(volume_m3 - (up - drop)[:, index[:, 0]].ravel(), 0.0))
    g = [laid(v[:, moments]) for v in surface_g]
    z0, kept = step.march(g[0], g[1], laid(pumped), laid(drop), first, keep)
    return (np.array([back(k) for k in kept]) if kept is not None else None), back(z0)


class _Step:
    """One march through time of all compartments, many lanes side by side."""

    def __init__(self, c: Compartments, sets: FloatArray, stretches: int) -> None:
        self._c = c

        def each(name: str) -> FloatArray:
            return np.repeat(at(sets, name)[:, 0], stretches)

        self._openings = each("openings") * DISCHARGE
        self._cover, self._mouth = each("cover_m"), each("mouth_m")

    def march(
        self, ax: FloatArray, ay: FloatArray, pumped: FloatArray, drop: FloatArray, volumes: FloatArray, keep: bool
    ) -> tuple[FloatArray, list[FloatArray] | None]:
        """z0 of the pickup's compartment (steps, lanes), and what each compartment held where ``keep``.

        Args:
            pumped: drawn in each step, m³; ``drop``: of it, what goes up into the engine and stays.
            volumes: what each compartment holds at first, (compartments, lanes).
        """
        c, steps, lanes = self._c, ax.shape[0], ax.shape[1]
        rows = [t.by_volume(ax, ay) for t in c.tables]
        places = [w.at_m[0] * ax + w.at_m[1] * ay for w in c.ways]
        lane, levels = np.arange(lanes), c.tables[0].z0_m.shape[2]
        scale = [(levels - 1) / t.capacity_m3 for t in c.tables]
        found = np.empty((steps, lanes))
        kept = [np.empty((steps, lanes)) for _ in c.tables] if keep else None
        held = [v.copy() for v in volumes]
        z0, per_m3 = [np.empty(lanes) for _ in held], [np.empty(lanes) for _ in held]

        def look(k: int, s: int) -> None:
            position = np.clip(held[k] * scale[k], 0.0, levels - 1.0)
            below = np.minimum(position.astype(np.intp), levels - 2)
            low, high = rows[k][s, lane, below], rows[k][s, lane, below + 1]
            z0[k] = low + (position - below) * (high - low)
            per_m3[k] = np.maximum((high - low) * scale[k], 1e-3)

        mine = c.pickup_in
        x, y, z = c.pickup_m
        mouth_m = x * ax + y * ay + z
        for k in range(len(held)):
            look(k, 0)
        for s in range(steps):
            # What goes up into the engine comes out of what is drawn; the rest falls where the pan is open to above.
            # With the mouth uncovered the pump draws air instead.
            wet = 0.5 + 0.5 * np.tanh((z0[mine] - mouth_m[s] - self._cover) / self._mouth)
            drawn = np.minimum(np.maximum(pumped[s] * wet, drop[s]), held[mine])
            held[mine] = held[mine] - drawn
            left = drawn - drop[s]
            for k, share in enumerate(c.drains.tolist()):
                self._pour(held, k, share * np.maximum(drawn - drop[s], 0.0), left)
            for k in range(len(held)):
                self._pour(held, k, left, left)
            for k in range(len(held)):
                look(k, s)
            for way, place in zip(c.ways, places, strict=True):
                moved = self._through(way, z0[way.a] - place[s], z0[way.b] - place[s], per_m3[way.a] + per_m3[way.b])
                moved = np.clip(moved, -held[way.b], held[way.a])
                moved = np.clip(
                    moved, held[way.a] - c.tables[way.a].capacity_m3, c.tables[way.b].capacity_m3 - held[way.b]
                )
                held[way.a], held[way.b] = held[way.a] - moved, held[way.b] + moved
                look(way.a, s)
                look(way.b, s)
            found[s] = z0[mine]
            if kept is not None:
                for k, values in enumerate(held):
                    kept[k][s] = values
        return found, kept

    def _pour(self, held: list[FloatArray], k: int, wanted: FloatArray, left: FloatArray) -> None:
        """Pour oil into a compartment as far as it fits (below 0: take it as far as there is any), out of ``left``."""
        fits = np.clip(wanted, -held[k], self._c.tables[k].capacity_m3 - held[k])
        held[k] = held[k] + fits
        left -= fits

    def _through(self, way: Way, a_m: FloatArray, b_m: FloatArray, per_m3: FloatArray) -> FloatArray:
        """What passes a way in one step from its first compartment to its second, m³.

        Args:
            a_m, b_m: heights of both surfaces at its place; ``per_m3``: by how much they approach for each m³.
        """
        from_a = a_m > b_m
        higher = np.maximum(a_m, b_m)
        lower = np.maximum(np.minimum(a_m, b_m), way.low_m)
        fall = np.maximum(higher - lower, 0.0)
        wet_m = np.clip(higher - way.low_m, 0.0, way.high_m - way.low_m)
        area = way.area_m2 if way.area_m2 > 0.0 else way.width_m * wet_m
        k = (self._openings * area * _MARCH_S) ** 2 * 2.0 * STANDARD_GRAVITY_MPS2
        half = 0.5 * k * per_m3
        moved = np.sqrt(half * half + k * fall) - half
        if way.only_to is not None:
            moved = np.where(from_a == (way.only_to == way.b), moved, 0.0)
        passed: FloatArray = np.where(from_a, moved, -moved)
        return passed


def drawn_air(head_m: FloatArray, sets: FloatArray) -> FloatArray:
    """The share of the mouth that draws air, as it shows at the gallery, shape (p, n), 0 to 1."""
    return air_of(delayed(head_m, at(sets, "delay_s")), sets)


def air_of(late_head_m: FloatArray, sets: FloatArray, offset_m: float = 0.0) -> FloatArray:
    """The same from the head as it was before the delay (:func:`delayed`).

    ``offset_m``: what the head is taken to be more, for passes that were not quite as the model has them.
    """
    short = (at(sets, "cover_m") - late_head_m - offset_m) / at(sets, "mouth_m")
    return lagged(0.5 + 0.5 * np.tanh(short), at(sets, "clearing_s"))


def with_air(run: Run, loss: FloatArray, law: str) -> FloatArray:
    """Gallery pressure with part of the delivery lost to air, kPa, shape (p, n).

    Args:
        loss: natural log of the loss, 0 where there is none.
        law: "delivery": what pump and bearings make falls, and the relief valve still caps it; "pressure": all falls.
    """
    m = run.sharpness
    if law == "pressure":
        return with_air(run, np.zeros((1, run.rpm.size)), "delivery") * np.exp(-loss)
    free = np.log(run.free_kpa) - loss
    both = np.logaddexp(-m * free, -m * np.log(run.capped_kpa)[None, :])
    made: FloatArray = run.factor * np.exp(-both / m)
    return made
