"""The ten stations in the order of the work: name, what each is for. (No Qt.)"""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Station:
    """A station of the path.

    Attributes:
        key: stable name, used in settings and shortcuts.
        title: on screen.
        purpose: one line: what it is for.
        built: False while it only says what it is for.
    """

    key: str
    title: str
    purpose: str
    built: bool = False


STATIONS: tuple[Station, ...] = (
    Station(
        "garage",
        "Garage",
        "The car, its engine and oil system, and everything ever done to them, so that every run knows its build.",
        built=True,
    ),
    Station("sensors", "Sensors", "Whether the readings can be believed, and what was put right.", built=True),
    Station("recordings", "Recordings", "Every log you have: brought in, recognised, mapped and kept.", built=True),
    Station(
        "normal",
        "Normal",
        "What this engine's pressure should be at each rpm and oil temperature, and which oil it wants.",
        built=True,
    ),
    Station("dips", "Dips", "Where the pressure lay below the floor, how badly, and why.", built=True),
    Station("corners", "Corners", "Where on the circuit it happens, lap after lap, and from which g on.", built=True),
    Station(
        "sump", "Sump", "Where the oil stands in your pan under any g, and what level, baffle or pickup would change."
    ),
    Station(
        "accumulator",
        "Accumulator",
        "How long an accumulator holds the floor through a lap, and how to set and arm it.",
    ),
    Station("trial", "Trial", "Whether a change helped: before against after, like with like.", built=True),
    Station(
        "alarm", "Alarm", "A warning that catches the real dips and stays quiet otherwise, proved on your own logs."
    ),
)
BY_KEY = {s.key: s for s in STATIONS}
