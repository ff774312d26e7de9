"""What the register of sensors says, worked out without Qt: the list, a sensor's life, its calibrations with what is
left over."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np

from basso.car.history import CarHistory
from basso.car.sensors import calibrations_of, fitted_on, ground_of, life, line_of, mates, taken_off
from basso.errors import InputError
from basso.fitting.calibration import calibration_words
from basso.fitting.places import places
from basso.garage.records import Calibration, Sensor
from basso.report.sensor_documents import error_words, line_words
from basso.ui.stations.sensors.circuit_picture import CircuitPicture, circuit_picture
from basso.ui.stations.sensors.evidence_picture import Evidence, Series
from basso.units import DisplayUnits


@dataclass(frozen=True, slots=True, eq=False)
class Register:
    """A car's sensors, and what every car's cards say of each.

    Attributes:
        history: of the car that is shown.
        every, calibrations: the cards and calibrations of all cars; ``cars``: what they are called, by id.
    """

    history: CarHistory
    every: tuple[Sensor, ...] = ()
    calibrations: tuple[Calibration, ...] = ()
    cars: Mapping[str, str] = field(default_factory=dict)

    def fitted(self, day: str = "9999") -> list[Sensor]:
        """The sensors on the car on a day."""
        return fitted_on(self.history.sensors, day)

    def off(self) -> list[Sensor]:
        """Those that were on it; each by its last card."""
        return taken_off(self.history.sensors)

    def card(self, record_id: str) -> Sensor | None:
        """A card by its id."""
        return next((c for c in self.history.sensors if c.id == record_id), None)

    def calibrations_of(self, card: Sensor) -> list[Calibration]:
        """A sensor's calibrations, newest first."""
        return calibrations_of(self.calibrations, card.sensor)[::-1]

    def other_cars(self) -> list[tuple[str, str]]:
        """(id, name) of the cars a sensor can be moved to."""
        return [(i, name) for i, name in sorted(self.cars.items(), key=lambda c: c[1]) if i != self.history.car.id]

    def sketch(self, day: str = "9999") -> CircuitPicture:
        """The oil's way with the sensors of a day."""
        build = max((b for b in self.history.builds if b.since[:10] <= day[:10]), key=lambda b: b.since, default=None)
        return circuit_picture(self.fitted(day), bool(build and build.cooler), bool(build and build.accumulator))

    def cautions(self, day: str = "9999") -> str:
        """What does not go together, in sentences; "" where everything does."""
        return " ".join(mates(self.fitted(day)))


def about(register: Register, card: Sensor, units: DisplayUnits) -> str:
    """What its card means: what the place tells, what the line delays, what its return adds, where it has been."""
    said = []
    place = places().get(card.place)
    if card.measures == "pressure":
        if place is not None:
            said.append(place.tells)
        if line := line_words(card, units):
            said.append(f"It hangs on a line{line}.")
        if (kpa := ground_of(card)) is not None:
            said.append(
                f"With {card.return_ma:g} mA through {card.return_ohm:g} Ω in its return it {error_words(kpa, units)}."
            )
    stays = life(register.every, card.sensor, register.cars)
    if len(stays) > 1:
        said.append(
            "Where it was: "
            + "; ".join(
                f"{s.card.since[:10] or 'at first'} to {s.until[:10] or 'now'} {s.car}, {s.card.place}" for s in stays
            )
            + "."
        )
    return "\n".join(said)


def calibration_said(card: Sensor, calibration: Calibration | None, units: DisplayUnits) -> str:
    """What a calibration found; what to do where there is none."""
    if card.measures != "pressure":
        return ""
    if calibration is None:
        return (
            "Never read against a known pressure. A hand pump and a good gauge do: five pressures, up and down again."
        )
    try:
        return f"{calibration.day[:10]}, {calibration.against}. {calibration_words(line_of(card, calibration), units)}"
    except InputError as error:
        return f"{calibration.day[:10]}, {calibration.against}. {error}"


def residuals(card: Sensor, calibration: Calibration | None, units: DisplayUnits) -> Evidence | None:
    """What is left over at each point of a calibration, going up and coming down; None where there is no line."""
    if calibration is None or card.measures != "pressure":
        return None
    try:
        line = line_of(card, calibration)
    except InputError:
        return None
    pressure = units.pressure
    applied, off = line.applied_kpa / pressure.factor, line.residual_kpa / pressure.factor
    top = int(np.argmax(applied)) + 1
    series = [
        Series("going up", applied[:top], off[:top], True, "ink"),
        Series("", applied[:top], off[:top], False, "ink"),
    ]
    if top < applied.size:
        series += [
            Series("coming down", applied[top - 1 :], off[top - 1 :], False, "soft"),
            Series("", applied[top - 1 :], off[top - 1 :], True, "soft"),
        ]
    return Evidence(
        "Error from straight line",
        f"applied, {pressure.symbol}",
        f"read less the line, {pressure.symbol}",
        tuple(series),
        0.0,
    )
