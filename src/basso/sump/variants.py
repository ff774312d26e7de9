"""Changes to a pan, and what each would do to the pressure on the drive that was logged.

A change is tried with the flow model as it was calibrated. Passes are not all as the model has them: for each, the head
that the model is short or long by is taken from its own measured pressure, and kept with the change made. What comes
out is an effect with a band: over sets of parameters that agree with the logs, over the structures that were tried, and
over what such a model was seen to miss.
"""

from __future__ import annotations

import itertools
import math
import re
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from basso.errors import InputError
from basso.progress import Progress, silent
from basso.sump.calibration import Calibration, Fit
from basso.sump.compartments import Compartments
from basso.sump.flow import Run, air_of, at, delayed, heads_m, with_air
from basso.sump.solid import holds
from basso.units import FloatArray

LEVEL = 0.8
"""Probability of the bands."""
_Z = 1.2816
_MIDDLE, _MISS_LESS, _MISS_MORE, _MISS_KPA = 1.15, 0.4, 1.1, 9.0
"""What was seen of predicted changes on cars whose oil moves by other laws (``benchmarks.sump_cures``): they come out
larger rather than smaller. The middle as a multiple of what the model says, and what it is off by towards less and
towards more, one standard deviation as a share of it, beside so many kPa."""
_OFFSETS = 9
_CASES = 4
_REACH = 2.5
_LEAD_STEPS = 40
_KEYS = ("volume", "pickup_x", "pickup_y", "pickup_z")
_PATTERN = re.compile(r"^\s*([a-z_]+)\s*=\s*([+-]?)\s*(\d+(?:\.\d*)?|\.\d+)\s*$")


@dataclass(frozen=True, slots=True, eq=False)
class Variant:
    """A pan as it would be.

    Attributes:
        text: the change as it was asked for.
        compartments: the pan with the change made.
        volume_m3: oil in it at rest.
    """

    text: str
    compartments: Compartments
    volume_m3: float


@dataclass(frozen=True, slots=True)
class PlacePrediction:
    """What a change does in one place: means over its flying passes, kPa; ``low``, ``high`` of the lowest after."""

    place: str
    lowest_before_kpa: float
    lowest_after_kpa: float
    low_kpa: float
    high_kpa: float
    dips_before: int
    dips_after: float
    passes: int


@dataclass(frozen=True, slots=True)
class Prediction:
    """What a change would have done on the same drive.

    Attributes:
        effect_kpa: change of the mean lowest pressure over all flying passes of the places that dip, with
            ``low_kpa`` to ``high_kpa`` at :data:`LEVEL`.
        dips_before: passes that dipped; ``dips_after``: how many would.
        places: those that dip, and those where the change makes passes dip.
    """

    text: str
    effect_kpa: float
    low_kpa: float
    high_kpa: float
    dips_before: int
    dips_after: float
    places: tuple[PlacePrediction, ...]


@dataclass(frozen=True, slots=True)
class Change:
    """A change in numbers: of the fill, or of where the pickup is.

    Attributes:
        key: one of ``volume``, ``pickup_x``, ``pickup_y``, ``pickup_z``.
        value: in L or mm; ``is_relative``: whether it is added to what is.
    """

    key: str
    value: float
    is_relative: bool


def parse_change(text: str) -> Change:
    """``volume=4.0``, ``pickup_z=-5``: with a sign it changes the present value, without it is the value.

    Raises:
        InputError: it is none of these.
    """
    found = _PATTERN.match(text)
    if found is None or found[1] not in _KEYS:
        raise InputError(
            f"--variant '{text}': write {', '.join(f'{k}=' for k in _KEYS)} with a number (+ or − changes the present "
            "value), or name a pan's .toml file."
        )
    value = float(found[3])
    return Change(found[1], -value if found[2] == "-" else value, bool(found[2]))


def changed(text: str, c: Compartments, volume_m3: float, change: Change) -> Variant:
    """A pan with its fill or its pickup changed.

    Raises:
        InputError: the pan cannot hold it.
    """
    if change.key == "volume":
        volume = change.value / 1000.0 + (volume_m3 if change.is_relative else 0.0)
        if not 0.0 < volume <= c.capacity_m3 * (1.0 + 1e-9):
            raise InputError(
                f"--variant '{text}': makes {1000.0 * volume:.2f} L; the pan holds {1000.0 * c.capacity_m3:.2f} L."
            )
        return Variant(text, c, volume)
    axis = "xyz".index(change.key[-1])
    moved = c.pickup_m.copy()
    moved[axis] = change.value / 1000.0 + (moved[axis] if change.is_relative else 0.0)
    if not holds(c.around_pickup, moved):
        x, y, z = (1000.0 * float(v) for v in moved)
        raise InputError(
            f"--variant '{text}': puts the pickup at x {x:.0f}, y {y:.0f}, z {z:.0f} mm, not inside its part of "
            "the pan; name another pan's .toml for that."
        )
    return Variant(text, c.with_pickup(moved), volume_m3)


def predict(
    calibration: Calibration, variants: Sequence[Variant], progress: Progress = silent
) -> tuple[Prediction, ...]:
    """What each change would have done; () where the calibration is not usable."""
    if not calibration.usable:
        return ()
    passes = [q for x in calibration.logged for q in x.passes]
    dipping = {q.place for q in passes if q.dips}
    measured = np.array([q.lowest_kpa for q in passes])
    before = [_Before(calibration, fit) for fit in calibration.fits]
    each = np.concatenate([np.full(b.sets, w / b.sets) for b, w in zip(before, _say(calibration.fits), strict=True)])
    made = []
    for n, variant in enumerate(variants):
        progress(n / len(variants), f"trying {variant.text}")
        effects = np.concatenate([b.effects(variant) for b in before])
        made.append(_prediction(variant, effects, each, measured, dipping, calibration))
    progress(1.0, "predicted")
    return tuple(made)


def _say(fits: Sequence[Fit]) -> list[float]:
    """The say of each fit: by how well it met what it had not seen."""
    error = np.array([f.missed_kpa for f in fits])
    raw = (error.min() / error) ** 4
    return [float(v) for v in raw / raw.sum()]


class _Before:
    """The logged drive under one fit: heads, and the offset of each pass with its probability."""

    def __init__(self, calibration: Calibration, fit: Fit) -> None:
        self._c, self._fit = calibration, fit
        self._logged = [x.mirrored() for x in calibration.logged] if fit.mirrored else list(calibration.logged)
        self._parameters = np.concatenate([fit.best[None], fit.sets])
        self.sets = len(self._parameters) * _CASES
        spread = calibration.offset_m
        self._offsets = np.linspace(-_REACH, _REACH, _OFFSETS) * spread
        self._heads = self._of(calibration.compartments, calibration.volume_m3)
        self._lowest = self._lowest_of(self._heads)
        measured = np.array([q.lowest_kpa for x in calibration.logged for q in x.passes])
        off = (self._lowest - measured[None, :, None]) / (0.5 * calibration.sigma_kpa)
        log_say = -0.5 * off**2 - 0.5 * (self._offsets / spread) ** 2
        say = np.exp(log_say - log_say.max(axis=2, keepdims=True))
        say /= say.sum(axis=2, keepdims=True)
        # What the model misses, it misses in the same way in all passes: each share of their probability is one case.
        upper = np.cumsum(say, axis=2)
        edges = np.linspace(0.0, 1.0, _CASES + 1)
        self._say = [
            _CASES * np.clip(np.minimum(upper, b) - np.maximum(upper - say, a), 0.0, None)
            for a, b in itertools.pairwise(edges)
        ]

    def _of(self, c: Compartments, volume_m3: float) -> list[FloatArray]:
        return [heads_m(c, x.run, volume_m3, self._parameters, self._c.pump_m3_per_rev) for x in self._logged]

    def _lowest_of(self, heads: list[FloatArray]) -> FloatArray:
        """Lowest pressure of each pass for each offset, shape (sets, passes, offsets)."""
        found = []
        for x, head in zip(self._logged, heads, strict=True):
            spans = [np.arange(max(q.first - _LEAD_STEPS, 0), q.last + 1) for q in x.passes]
            if not spans:
                continue
            index = np.concatenate(spans).astype(np.intp)
            ends = np.cumsum([s.size for s in spans])
            begin = ends - np.array([q.last - q.first + 1 for q in x.passes])
            part = _part(x.run, index)
            late = delayed(head, at(self._parameters, "delay_s"))[:, index]
            log = np.empty((len(self._parameters), len(spans), self._offsets.size))
            for k, offset in enumerate(self._offsets):
                loss = at(self._parameters, "loss") * air_of(late, self._parameters, float(offset))
                pressure = with_air(part, loss, self._fit.law)
                cuts = np.sort(np.concatenate([begin, ends[:-1]]))
                lowest = np.minimum.reduceat(pressure, np.concatenate([[0], cuts]), axis=1)
                # Leads and passes take turns: 0 is the first lead, 1 the first pass, and so on.
                log[:, :, k] = lowest[:, 1::2]
            found.append(log)
        return np.concatenate(found, axis=1)

    def effects(self, variant: Variant) -> FloatArray:
        """Change of the lowest pressure of each pass, shape (sets · cases, passes)."""
        after = self._lowest_of(self._of(variant.compartments, variant.volume_m3))
        return np.concatenate([np.sum(say * (after - self._lowest), axis=2) for say in self._say])


def _part(run: Run, i: NDArray[np.intp]) -> Run:
    return Run(run.ax_g[i], run.ay_g[i], run.rpm[i], run.free_kpa[i], run.capped_kpa[i], run.sharpness, run.factor[i])


def _prediction(
    variant: Variant,
    effects: FloatArray,
    say: FloatArray,
    measured: FloatArray,
    dipping: set[str],
    calibration: Calibration,
) -> Prediction:
    passes = [q for x in calibration.logged for q in x.passes]
    place = np.array([q.place for q in passes])
    floor = np.array([q.floor_kpa for q in passes])
    dips = np.array([q.dips for q in passes])
    over = np.isin(place, sorted(dipping))
    room = _normal_of(calibration) - measured
    middle, low, high = _band(effects[:, over].mean(axis=1), say, float(room[over].mean()))
    mean = np.minimum(_MIDDLE * (say @ effects), np.maximum(room, 0.0))
    after = measured + mean
    # A pass dips after the change as likely as its lowest pressure then lies under the floor.
    sure = np.maximum(0.5 * calibration.sigma_kpa, 3.0)
    chance = np.array([_normal_cdf((f - a) / sure) for f, a in zip(floor, after, strict=True)])
    # What dips, or does not, and is not changed stays as it was measured.
    still = np.clip(np.abs(mean) / 5.0, 0.0, 1.0)
    chance = still * chance + (1.0 - still) * dips
    rows = []
    for name in dict.fromkeys(place.tolist()):
        mine = place == name
        if name not in dipping and float(chance[mine].sum()) < 0.5:
            continue
        effect, lowest, highest = _band(effects[:, mine].mean(axis=1), say, float(room[mine].mean()))
        base = float(measured[mine].mean())
        rows.append(
            PlacePrediction(
                name,
                base,
                base + effect,
                base + lowest,
                base + highest,
                int(dips[mine].sum()),
                float(chance[mine].sum()),
                int(mine.sum()),
            )
        )
    return Prediction(variant.text, middle, low, high, int(dips.sum()), float(chance.sum()), tuple(rows))


def _normal_of(calibration: Calibration) -> FloatArray:
    """The lowest normal pressure in each pass: no change brings more."""
    return np.array([x.run.normal_kpa[q.first : q.last + 1].min() for x in calibration.logged for q in x.passes])


def _band(values: FloatArray, say: FloatArray, most: float) -> tuple[float, float, float]:
    """A change of pressure with from where to where it lies at :data:`LEVEL`: spread over sets and structures, and what
    such models were seen to miss; no more than ``most``, which would be normal pressure."""
    mean = float(say @ values)
    spread = float(say @ (values - mean) ** 2) + _MISS_KPA**2
    toward = _Z * math.sqrt(spread + (_MISS_MORE * mean) ** 2)
    back = _Z * math.sqrt(spread + (_MISS_LESS * mean) ** 2)
    low, high = (back, toward) if mean >= 0.0 else (toward, back)
    middle = min(_MIDDLE * mean, max(most, 0.0))
    return middle, middle - low, min(middle + high, max(most, middle) + _MISS_KPA)


def _normal_cdf(z: float) -> float:
    return 0.5 * (1.0 + math.erf(z / math.sqrt(2.0)))
