"""Circuits and routes as curvature and banking over distance."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from basso.units import FloatArray


@dataclass(frozen=True, slots=True)
class Straight:
    """A straight of a nominal length in metres (closing a circuit may stretch it)."""

    length_m: float


@dataclass(frozen=True, slots=True)
class Turn:
    """A turn of constant radius: ``angle_deg`` > 0 to the left; banked inward by ``bank_deg``."""

    radius_m: float
    angle_deg: float
    bank_deg: float = 0.0


@dataclass(frozen=True, slots=True, eq=False)
class Circuit:
    """A circuit on a 1 m grid.

    Attributes:
        name: invented, always.
        closed: laps when True, runs from start to finish when False.
        curvature_per_m: shape (n,), positive to the left.
        bank_rad: inward banking, shape (n,).
        x_m, y_m: the path, shape (n,).
    """

    name: str
    closed: bool
    curvature_per_m: FloatArray
    bank_rad: FloatArray
    x_m: FloatArray
    y_m: FloatArray

    @property
    def length_m(self) -> float:
        """Length in metres."""
        return float(self.curvature_per_m.size)


def lay_out(name: str, pieces: list[Straight | Turn], closed: bool = True, easing_m: int = 25) -> Circuit:
    """Lay pieces on a 1 m grid with eased transitions; a closed circuit's straights are stretched to close."""
    if closed:
        pieces = _closed(pieces)
    curvature: list[float] = []
    bank: list[float] = []
    for piece in pieces:
        if isinstance(piece, Straight):
            curvature += [0.0] * round(piece.length_m)
            bank += [0.0] * round(piece.length_m)
        else:
            angle = math.radians(piece.angle_deg)
            count = max(2, round(abs(angle) * piece.radius_m))
            curvature += [angle / count] * count
            bank += [math.radians(piece.bank_deg)] * count
    window = np.hanning(easing_m + 2)[1:-1]
    window /= window.sum()
    eased = [_ease(np.array(v), window, closed) for v in (curvature, bank)]
    heading = np.cumsum(eased[0])
    x, y = np.cumsum(np.cos(heading)), np.cumsum(np.sin(heading))
    if closed:  # what easing leaves open (a metre or two) is spread along the lap
        share = np.arange(1, x.size + 1) / x.size
        x, y = x - share * x[-1], y - share * y[-1]
    return Circuit(name, closed, eased[0], eased[1], x, y)


def _ease(values: FloatArray, window: FloatArray, closed: bool) -> FloatArray:
    pad = window.size
    padded = np.pad(values, pad, mode="wrap" if closed else "edge")
    return np.convolve(padded, window, mode="same")[pad:-pad]


def _closed(pieces: list[Straight | Turn]) -> list[Straight | Turn]:
    """Choose the straights' lengths nearest to the nominal ones for which the path meets its start."""
    turned = 0.0
    arcs = np.zeros(2)
    directions, lengths = [], []
    for piece in pieces:
        if isinstance(piece, Straight):
            directions.append((math.cos(turned), math.sin(turned)))
            lengths.append(piece.length_m)
            continue
        angle = math.radians(piece.angle_deg)
        signed = math.copysign(piece.radius_m, angle)
        arcs += (
            signed * (math.sin(turned + angle) - math.sin(turned)),
            signed * (math.cos(turned) - math.cos(turned + angle)),
        )
        turned += angle
    steer = np.array(directions).T
    wanted = np.array(lengths)
    fixed = wanted.copy()
    for _ in range(60):  # alternate between closing and keeping every straight at least 25 m
        gap = steer @ fixed + arcs
        fixed = np.maximum(fixed - np.linalg.lstsq(steer, gap, rcond=None)[0], 25.0)
    iterator = iter(fixed)
    return [Straight(float(next(iterator))) if isinstance(p, Straight) else p for p in pieces]


def harrowfell() -> Circuit:
    """The invented 3.4 km circuit: anticlockwise, two long left turns, a hairpin, a banked turn; a bridge leads it over
    itself."""
    return lay_out(
        "Harrowfell",
        [
            Straight(504),
            Turn(48, -62),
            Straight(180),
            Turn(96, 172),
            Straight(168),
            Turn(42, -70),
            Straight(228),
            Turn(112, 182),
            Straight(260),
            Turn(320, 26),
            Straight(685),
            Turn(21, 172),
            Straight(276),
            Turn(58, 34),
            Straight(240),
            Turn(85, -94, bank_deg=9.0),
            Straight(144),
        ],
    )


def quarrymoss() -> Circuit:
    """The invented hill climb: 1.1 km uphill, from a standing start."""
    return lay_out(
        "Quarrymoss",
        [
            Straight(130),
            Turn(38, 75),
            Straight(90),
            Turn(30, -110),
            Straight(120),
            Turn(60, 55),
            Straight(60),
            Turn(26, 120),
            Straight(150),
            Turn(45, -80),
            Straight(80),
            Turn(33, -60),
            Straight(150),
        ],
        closed=False,
    )


def straight_strip() -> Circuit:
    """A straight strip for standing starts: 400 m and room to stop."""
    return lay_out("Strip", [Straight(700)], closed=False)


def random_circuit(rng: np.random.Generator) -> Circuit:
    """A circuit nobody tuned anything on: 6 to 11 turns of random radius and direction, closed."""
    count = int(rng.integers(6, 12))
    way = 1.0 if rng.random() < 0.5 else -1.0
    weights = rng.uniform(0.5, 1.5, count)
    against = rng.permutation(count) < count // 4
    angles = np.where(against, -rng.uniform(35, 85, count), 0.0)
    rest = 360.0 - angles.sum()
    angles[~against] = weights[~against] / weights[~against].sum() * rest
    pieces: list[Straight | Turn] = []
    for angle in angles:
        radius = float(rng.uniform(25, 120)) if abs(angle) > 30 else float(rng.uniform(80, 200))
        pieces += [Straight(float(rng.uniform(60, 420))), Turn(radius, float(way * angle))]
    return lay_out("Random", pieces)
