"""The ten stations in the order of the work: name, what each is for, where it lives. (No Qt.)"""

from __future__ import annotations

from dataclasses import dataclass
from importlib import import_module
from typing import TYPE_CHECKING, Any, cast

if TYPE_CHECKING:
    from basso.ui.bench import Bench
    from basso.ui.stations.station import Station


@dataclass(frozen=True, slots=True)
class Row:
    """A station of the path.

    Attributes:
        key: stable name, used in settings and commands; its folder is called so.
        title: on screen.
        purpose: one line: what it is for.
        home: its class, in its folder's ``station`` module.
    """

    key: str
    title: str
    purpose: str
    home: str

    def make(self, bench: Bench) -> Station[Any]:
        """The station, at this bench."""
        module = import_module(f"basso.ui.stations.{self.key}.station")
        return cast("Station[Any]", getattr(module, self.home)(bench))


STATIONS: tuple[Row, ...] = (
    Row(
        "garage",
        "Garage",
        "The car, its engine and oil system, and everything ever done to them, so that every run knows its build.",
        "GarageStation",
    ),
    Row("sensors", "Sensors", "Whether the readings can be believed, and what was corrected.", "SensorsStation"),
    Row("recordings", "Logs", "Every log you have: brought in, recognised, mapped and kept.", "RecordingsStation"),
    Row(
        "normal",
        "Normal",
        "What this engine's pressure should be at each rpm and oil temperature, and which oil it wants.",
        "NormalStation",
    ),
    Row("dips", "Dips", "Where the pressure lay below the floor, how badly, and why.", "DipsStation"),
    Row("corners", "Corners", "Where on the circuit it happens, lap after lap, and from which g on.", "CornersStation"),
    Row(
        "sump",
        "Sump",
        "Where the oil stands in your pan under any g, and what level, baffle or pickup would change.",
        "SumpStation",
    ),
    Row(
        "accumulator",
        "Accumulator",
        "How long an accumulator holds the floor through a lap, and how to set and arm it.",
        "AccumulatorStation",
    ),
    Row("trial", "Trial", "Whether a change helped: before against after, like with like.", "TrialStation"),
    Row(
        "alarm",
        "Alarm",
        "A warning that catches the real dips and stays quiet otherwise, proved on your own logs.",
        "AlarmStation",
    ),
)
BY_KEY = {s.key: s for s in STATIONS}
