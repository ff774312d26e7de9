"""From which g on, and held for how long, the pressure begins to fall: found from every pass, dips or not.

The oil follows the g late, as a body that sloshes does (second order). What it feels, x, is the logged g through that
motion; frequency and damping are found with the threshold. Of each pass through a direction two numbers are taken: the
highest x, and the most that was lost of normal. Over all passes the loss is flat up to a threshold and rises from
there: a change-point model, chosen over survival analysis because how much is lost tells more of where it began than
whether a line was crossed, and because passes that lost nothing count in it as they are.

    loss = L0 + s · max(0, x − g0) + scatter,   scatter² = σ0² + (q · s · max(0, x − g0))²

The interval of g0 is where the profile likelihood lies within 1.92 of its top (χ², one degree of freedom, 95 %), over
every frequency; a pass counts once, for samples within a pass are not independent. A g held steady feels like itself, a
shorter one
like less: how long a g may be held follows from the step response.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from basso.pressure.slosh import USUAL_SLOSH, felt
from basso.recording.rolling import any_lately, rolling_mean
from basso.recording.spans import runs_of
from basso.units import FloatArray

DIRECTIONS = ("left", "right", "braking", "acceleration")
"""What the car does; the oil goes the other way."""
_SLOSHES = (
    (0.35, 0.55),
    (0.35, 0.85),
    (0.45, 0.55),
    (0.45, 0.85),
    (0.6, 0.55),
    (0.6, 0.7),
    (0.6, 0.85),
    (0.85, 0.55),
    (0.85, 0.85),
    (1.3, 0.7),
    (2.5, 0.7),
)
"""(frequency in Hz, damping) of the oil's motion that are tried."""
_LEAST_G = 0.25
_DELAY_S = 0.15
"""Air drawn at the pickup reaches the gallery so much later, about (default)."""
_ASIDE = 0.75
"""Across the direction no more than this share of what is felt along it: else it is another direction."""
_PARTS = (-0.6, -0.3, 0.0, 0.3, 0.6)
"""How much of the g across counts as g along: found with the threshold, for oil is rarely thrown along one axis
alone."""
_PARTS_SD = 0.35
_WORST_OF_A_PASS = 1.5
_LEAST_PASSES = 6
_LEAST_FALLS = 3
_LEAST_LOSS = 0.02
_LEAST_SCATTER = 0.006
_SPREADS = 0.25
_MOST_MISFIT = 9.0
_DROP = 1.92
_FALLS = 3.0
_STEP_G = 0.015
_SLOPES = np.geomspace(0.15, 8.0, 16)
"""Share of normal lost for each g beyond."""
_MODEL = 0.10
"""As far may a threshold be off for what the slosh of one body does not tell (default)."""
_CLEAR = 0.95
_CLEARS_S = 0.6
_AROUND_S = 0.5


@dataclass(frozen=True, slots=True)
class Threshold:
    """Where the pressure begins to fall in one direction.

    Attributes:
        direction: one of :data:`DIRECTIONS`.
        g: held steady; ``low_g``, ``high_g``: its 95 % interval. ``g`` None where no pass shows a fall: then ``high_g``
            is None and ``low_g`` is up to where nothing fell. ``high_g`` None: no upper end can be told.
        slope: share of normal lost per g beyond; ``slosh``: frequency (Hz) and damping by which the oil follows.
        passes: how many; ``fell``: how many of them lost more than their scatter.
        rpm: median engine speed of the passes.
        felt_g, lost: of each pass, shape (passes,): the highest g felt, and the most that was lost of normal.
        at: of each pass, shape (passes,), index of the sample at which the most was lost.
        reason: why there is no threshold, or "".
    """

    direction: str
    g: float | None
    low_g: float | None
    high_g: float | None
    slope: float
    slosh: tuple[float, float]
    passes: int
    fell: int
    rpm: float
    felt_g: FloatArray
    lost: FloatArray
    at: NDArray[np.intp]
    reason: str = ""

    def held_s(self, g: float) -> float | None:
        """How long a g may be held from rest before the pressure begins to fall; None where it may be held for good."""
        if self.g is None or g <= self.g:
            return None
        return float(np.interp(self.g / g, *_step_response(*self.slosh)))


def find_thresholds(
    time_s: FloatArray,
    share: FloatArray,
    rpm: FloatArray,
    lateral_g: FloatArray | None,
    longitudinal_g: FloatArray | None,
    judged: NDArray[np.bool_],
) -> tuple[Threshold, ...]:
    """The threshold of each direction that the g tells of; arrays of shape (n,), evenly sampled, g without gaps.

    Args:
        share: share of normal, NaN where nothing is expected.
        judged: engine above the gate and warm.
    """
    if time_s.size < 50 or not np.isfinite(share[judged]).any():
        return ()
    step = float(np.median(np.diff(time_s)))
    side = lateral_g if lateral_g is not None else np.zeros(time_s.size)
    along = longitudinal_g if longitudinal_g is not None else np.zeros(time_s.size)
    # The oil is slow: 25 samples a second show all it does.
    every = max(1, round(0.04 / step))
    loss = 1.0 - rolling_mean(np.where(np.isfinite(share), share, 1.0), max(every, round(0.15 / step), 1))
    known = judged & np.isfinite(share)
    few = slice(None, None, every)
    side, along = (rolling_mean(v, every)[few] for v in (side, along))
    thin = _Thin.of(side, along, loss[few], known[few], step * every)
    wanted = [d for d in DIRECTIONS if (lateral_g if d in ("left", "right") else longitudinal_g) is not None]
    found: dict[str, _Found] = {}
    barred = np.zeros(thin.loss.size, dtype=np.bool_)
    fitted: dict[tuple[str, bytes], _Found] = {}

    def fit(direction: str) -> _Found:
        passes = _passes(direction, thin, barred)
        key = (direction, passes.at.tobytes())
        if key not in fitted:
            fitted[key] = _fit(direction, passes, rpm[few])
        return fitted[key]

    # What one direction explains best is not held against the others: the surest first, then what is left.
    while len(found) < len(wanted):
        open_ones = [fit(d) for d in wanted if d not in found]
        surest = max(open_ones, key=lambda f: f.gain)
        found[surest.threshold.direction] = surest
        if surest.threshold.g is None:
            found.update({f.threshold.direction: f for f in open_ones})
            break
        main, across = thin.felt_in(surest.threshold.direction, surest.threshold.slosh)
        over = main + surest.part * across
        barred |= any_lately(over > _CLEAR * (surest.threshold.low_g or _LEAST_G), round(_CLEARS_S / thin.step))
    return tuple(replace(found[d].threshold, at=found[d].threshold.at * every) for d in wanted)


@dataclass(frozen=True, slots=True)
class _Found:
    """A threshold, how much likelier it makes what was seen, and how much of the g across counts in it."""

    threshold: Threshold
    gain: float = 0.0
    part: float = 0.0


@dataclass(frozen=True, slots=True, eq=False)
class _Thin:
    """The signals at 25 samples a second or fewer, shape (n,).

    Attributes:
        felt: by slosh, what the oil feels sideways and fore and aft.
    """

    felt: dict[tuple[float, float], tuple[FloatArray, FloatArray]]
    loss: FloatArray
    known: NDArray[np.bool_]
    step: float

    @classmethod
    def of(cls, side: FloatArray, along: FloatArray, loss: FloatArray, known: NDArray[np.bool_], step: float) -> _Thin:
        """From g sideways and fore and aft: every direction asks for what is felt of both, so it is worked out once."""
        return cls({s: (felt(side, step, s), felt(along, step, s)) for s in _SLOSHES}, loss, known, step)

    def felt_in(self, direction: str, slosh: tuple[float, float] = USUAL_SLOSH) -> tuple[FloatArray, FloatArray]:
        """What is felt in a direction, and across it."""
        side, along = self.felt[slosh]
        sign = 1.0 if direction in ("left", "acceleration") else -1.0
        return (sign * side, along) if direction in ("left", "right") else (sign * along, side)

    def flat(self) -> tuple[float, float]:
        """What the worst moment of a pass loses where nothing falls, and its scatter: from calm running."""
        side, along = self.felt[USUAL_SLOSH]
        calm = self.known & (np.abs(side) < _LEAST_G) & (np.abs(along) < _LEAST_G)
        lost = self.loss[calm] if calm.sum() >= 30 else self.loss[self.known]
        middle = float(np.median(lost))
        # From what lies over normal: nothing but noise lifts the pressure.
        over = middle - float(np.percentile(lost, 16))
        scatter = max(over, _LEAST_SCATTER)
        return middle + _WORST_OF_A_PASS * scatter, scatter


@dataclass(frozen=True, slots=True, eq=False)
class _Passes:
    """Passes through one direction.

    ``felt``: the highest g felt by each pair of frequency and part of the other axis, shape (frequencies, parts,
    passes). Of each pass the most that was lost, and where, shape (passes,). ``flat``, ``scatter``: of a pass that
    loses nothing.
    """

    felt: FloatArray
    lost: FloatArray
    at: NDArray[np.intp]
    flat: float
    scatter: float

    @property
    def most(self) -> float:
        """What a pass loses at most: a pickup that is all bare draws air and no more; infinite where no plateau is
        seen."""
        if self.lost.size < 8:
            return np.inf
        top = float(np.sort(self.lost)[-3])
        return top - self.flat if top > 0.5 and float(np.mean(self.lost > 0.93 * top)) > 0.1 else np.inf


def _passes(direction: str, s: _Thin, barred: NDArray[np.bool_]) -> _Passes:
    """``barred``: where another direction may have bared the pickup."""
    usual, other = s.felt_in(direction)
    flat, scatter = s.flat()
    late, around = round(_DELAY_S / s.step), round(_AROUND_S / s.step)
    lost, at, edges = [], [], []
    for start, end in runs_of(usual > _LEAST_G, max(1, round(0.2 / s.step))):
        top = start + int(np.argmax(usual[start:end]))
        if (end - start) * s.step < 0.3:
            continue
        # What is lost belongs to this pass while the oil lies where it threw it.
        strong = start + np.flatnonzero(usual[start:end] >= 0.5 * usual[top])
        first, last = int(strong[0]), min(int(strong[-1]) + late + 1, s.loss.size)
        use = s.known[first:last]
        # What was lost before belongs to the pass before.
        if use.mean() < 0.8 or barred[first:last].any() or s.loss[first] > flat + 3.0 * scatter + _LEAST_LOSS:
            continue
        where = first + int(np.argmax(np.where(use, s.loss[first:last], -np.inf)))
        if float(np.abs(other[first : where + 1]).max()) > _ASIDE * usual[top]:
            continue
        lost.append(float(s.loss[where]))
        at.append(where)
        edges += [max(first - around, 0), last]
    tops = np.empty((len(_SLOSHES), len(_PARTS), len(lost)))
    if lost:
        inside = np.array(edges[1::2])
        starts = np.array(edges[::2])
        index = np.concatenate([np.arange(a, b) for a, b in zip(starts, inside, strict=True)])
        at_start = np.concatenate([[0], np.cumsum(inside - starts)[:-1]])
        for i, slosh in enumerate(_SLOSHES):
            x, y = (v[index] for v in s.felt_in(direction, slosh))
            for k, part in enumerate(_PARTS):
                tops[i, k] = np.maximum.reduceat(x + part * y, at_start)
    return _Passes(tops, np.array(lost), np.array(at, dtype=np.intp), flat, scatter)


def _fit(direction: str, p: _Passes, rpm: FloatArray) -> _Found:
    if p.lost.size < _LEAST_PASSES:
        return _none(direction, p, rpm, f"only {p.lost.size} passes in that direction")
    fell = int(np.sum(p.lost > p.flat + max(_LEAST_LOSS, 3.0 * p.scatter)))
    if fell < _LEAST_FALLS:
        few = f"only {fell} of {p.lost.size} passes fell: too few to tell from which g on"
        return _none(direction, p, rpm, few if fell else "no pass shows a fall that its scatter does not")
    grid = np.arange(_LEAST_G, float(p.felt.max()) + _STEP_G, _STEP_G)
    shape = (*p.felt.shape[:2], grid.size, _SLOPES.size)
    likely, misfit = np.empty(shape), np.empty(shape)
    for i, k in np.ndindex(*shape[:2]):
        likely[i, k], misfit[i, k] = _likelihood(p.felt[i, k], p, grid)
    likely -= 0.5 * (np.array(_PARTS) / _PARTS_SD)[None, :, None, None] ** 2
    best = tuple(int(v) for v in np.unravel_index(int(np.argmax(likely)), shape))
    top, slope = float(likely[best]), float(_SLOPES[best[3]])
    # Where even the best curve leaves more than the scatter promises, every likelihood was too sure.
    too_sure = max(1.0, float(misfit[best]))
    # With the threshold at the highest g felt nothing falls: so much likelier has a fall to be.
    gain = (top - float(likely[:, :, -1].max())) / too_sure
    # Where much should be lost, most passes lose: two odd ones among seventy are no threshold.
    much = slope * (p.felt[best[0], best[1]] - grid[best[2]]) > 4.0 * p.scatter
    if gain < _FALLS or not much.any() or float(np.mean(p.lost[much] > p.flat + 2.0 * p.scatter)) < 0.5:
        return _none(direction, p, rpm, "no pass shows a fall that its scatter does not")
    inside = grid[(likely >= top - _DROP * too_sure).any(axis=(0, 1, 3))]
    low, high = (1.0 - _MODEL) * float(inside[0]), (1.0 + _MODEL) * float(inside[-1])
    threshold = Threshold(
        direction=direction,
        g=float(grid[best[2]]),
        low_g=low if inside[0] > grid[0] else None,
        high_g=high,
        slope=slope,
        slosh=_SLOSHES[best[0]],
        passes=p.lost.size,
        fell=fell,
        rpm=float(np.median(rpm[p.at])),
        felt_g=p.felt[best[0], best[1]],
        lost=p.lost,
        at=p.at,
    )
    return _Found(threshold, gain, _PARTS[best[1]])


def _likelihood(x: FloatArray, p: _Passes, grid: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Log likelihood and misfit a pass at each threshold of the grid and each slope, shape (grid, slopes)."""
    # Half as wide as elsewhere and in place: there are a few million of these numbers, and four digits of each are
    # enough.
    beyond = np.maximum(0.0, x[None, :] - grid[:, None]).astype(np.float32)
    model = _SLOPES.astype(np.float32)[None, :, None] * beyond[:, None, :]
    if np.isfinite(p.most):
        np.minimum(model, np.float32(p.most), out=model)
    misfit = (p.lost - p.flat).astype(np.float32) - model
    variance = np.multiply(model, np.float32(_SPREADS), out=model)
    variance *= variance
    variance += np.float32(p.scatter**2)
    misfit *= misfit
    misfit /= variance
    # One pass that went otherwise (a kerb, a spin) does not decide.
    np.minimum(misfit, np.float32(_MOST_MISFIT), out=misfit)
    far = misfit.sum(axis=2, dtype=np.float64)
    likely = -0.5 * (far + np.log(variance, out=variance).sum(axis=2, dtype=np.float64))
    return likely, far / max(p.lost.size, 1)


def _none(direction: str, p: _Passes, rpm: FloatArray, reason: str) -> _Found:
    felt_g = p.felt[_SLOSHES.index(USUAL_SLOSH), _PARTS.index(0.0)]
    top = float(np.sort(felt_g)[-2]) if p.lost.size >= _LEAST_PASSES else None
    speed = float(np.median(rpm[p.at])) if p.at.size else float("nan")
    nothing = Threshold(
        direction=direction,
        g=None,
        low_g=top,
        high_g=None,
        slope=0.0,
        slosh=USUAL_SLOSH,
        passes=p.lost.size,
        fell=0,
        rpm=speed,
        felt_g=felt_g,
        lost=p.lost,
        at=p.at,
        reason=reason,
    )
    return _Found(nothing)


def _step_response(slosh_hz: float, damping: float) -> tuple[FloatArray, FloatArray]:
    """(share of a step that is felt, after how long in s), rising, up to its first top."""
    w = 2.0 * np.pi * slosh_hz
    t = np.linspace(0.0, 3.0 / slosh_hz, 600)
    damped = w * np.sqrt(1.0 - damping**2)
    y = 1.0 - np.exp(-damping * w * t) * (np.cos(damped * t) + damping * w / damped * np.sin(damped * t))
    end = int(np.argmax(y)) + 1
    return y[:end], t[:end]
