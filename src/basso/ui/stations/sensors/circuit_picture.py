"""The oil's way as a sketch: parts in order, ports on them, and the sensors that hang there. Worked out without Qt.

Coordinates run from 0 to 1, x with the oil from pan to bearings, y downwards.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from basso.fitting.places import places
from basso.garage.records import Sensor

WAY_Y = 0.56
"""Where the main way runs."""
_AT = {
    "pan": (0.055, 0.80),
    "pump outlet": (0.165, WAY_Y),
    "cooler outlet": (0.335, WAY_Y),
    "filter outlet": (0.475, WAY_Y),
    "warning switch's port": (0.585, WAY_Y),
    "main gallery": (0.70, WAY_Y),
    "far end of the gallery": (0.93, WAY_Y),
    "head": (0.965, 0.40),
    "turbocharger feed": (0.86, 0.40),
    "accumulator": (0.535, 0.83),
}
FILTER_X = 0.435
_LABEL_WIDTH, _LOW_WIDTH = 0.215, 0.185
_ROWS = (0.09, 0.30)
_GAP = 0.01


@dataclass(frozen=True, slots=True)
class Label:
    """A sensor's label.

    Attributes:
        x, y, width: left and upper edge, and how wide; ``port_x``, ``port_y``: of the port it hangs on.
        lines: name, column of the log, type and mount; ``wrong``: something about it is to be minded.
    """

    sensor: str
    x: float
    y: float
    port_x: float
    port_y: float
    width: float
    lines: tuple[str, ...]
    wrong: bool


@dataclass(frozen=True, slots=True)
class CircuitPicture:
    """What the sketch shows. ``ports``: places without a sensor, with their names."""

    labels: tuple[Label, ...]
    ports: tuple[tuple[str, float, float], ...]
    cooler: bool
    accumulator: bool
    lamp: str


def circuit_picture(fitted: Sequence[Sensor], cooler: bool, accumulator: bool) -> CircuitPicture:
    """Lay the sketch out.

    Args:
        fitted: the sensors on the car.
        cooler, accumulator: whether the build has one.
    """
    accumulator = accumulator or any(c.place == "accumulator" for c in fitted)
    cooler = cooler or any(c.place == "cooler outlet" for c in fitted)
    above = sorted((c for c in fitted if _at(c)[1] < 0.7), key=lambda c: _at(c)[0])
    below = sorted((c for c in fitted if _at(c)[1] >= 0.7), key=lambda c: _at(c)[0])
    # Labels of what lies low stand beside it: of the pan to its right, of the accumulator to its left.
    pan, bottle = [c for c in below if c.place == "pan"], [c for c in below if c.place != "pan"]
    labels = [
        *_placed(above, _ROWS),
        *_placed(pan, (0.74,), 0.04, _LOW_WIDTH),
        *_placed(bottle, (0.74,), -_LOW_WIDTH - 0.03, _LOW_WIDTH),
    ]
    taken = {c.place for c in fitted}
    ports = tuple(
        (name, x, y)
        for name, (x, y) in _AT.items()
        if name not in taken
        and (accumulator or name != "accumulator")
        and (cooler or name != "cooler outlet")
        and name in ("pump outlet", "cooler outlet", "filter outlet", "main gallery", "far end of the gallery")
    )
    lamps = [c.lamp for c in fitted if c.measures == "pressure" and c.lamp != "not looked at"]
    lamp = next((x for x in lamps if x == "gone"), lamps[0] if lamps else "not looked at")
    return CircuitPicture(tuple(labels), ports, cooler, accumulator, lamp)


def _at(card: Sensor) -> tuple[float, float]:
    """Where a card's place is drawn; a place of the user's own between filter and gallery."""
    return _AT.get(card.place, (0.64, WAY_Y))


def _placed(
    cards: Sequence[Sensor], rows: Sequence[float], right_of: float = -_LABEL_WIDTH / 2, width: float = _LABEL_WIDTH
) -> list[Label]:
    """Labels from left to right, none over another, each as near to its port as it can be.

    Into the first row where its place is free, else into the one with the fewest; then each row is pushed apart to the
    right and back from the edge.
    """
    step = width + _GAP
    by_row: list[list[tuple[float, Sensor]]] = [[] for _ in rows]
    for card in cards:
        wanted = min(max(_at(card)[0] + right_of, 0.0), 1.0 - width)
        free = [r for r, own in enumerate(by_row) if not own or own[-1][0] + step <= wanted]
        row = free[0] if free else min(range(len(rows)), key=lambda r: len(by_row[r]))
        by_row[row].append((wanted, card))
    made = []
    for y, own in zip(rows, by_row, strict=True):
        lefts: list[float] = []
        for wanted, _ in own:
            lefts.append(max(wanted, lefts[-1] + step) if lefts else wanted)
        limit = 1.0 - width
        for i in reversed(range(len(lefts))):
            lefts[i] = max(min(lefts[i], limit), 0.0)
            limit = lefts[i] - step
        for left, (_, card) in zip(lefts, own, strict=True):
            made.append(Label(card.id, left, y, *_at(card), width, _lines(card), is_wrong(card)))
    return made


def _lines(card: Sensor) -> tuple[str, ...]:
    kind = "" if card.measures != "pressure" else card.reference if card.reference != "unknown" else "type unknown"
    mount = "" if card.measures != "pressure" else card.mount if card.mount != "unknown" else "mount unknown"
    second = ", ".join(x for x in (card.channel and f"“{card.channel}”", kind, mount) if x)
    return (card.name, second or "column not said")


def is_wrong(card: Sensor) -> bool:
    """True where something on the card takes trust from what it reads."""
    place = places().get(card.place)
    held = card.measures == "pressure" and (card.mount == "on the block" or card.lamp == "gone")
    return held or (card.measures == "pressure" and place is not None and not place.pressure)
