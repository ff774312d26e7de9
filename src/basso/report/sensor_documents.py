"""The register of sensors as a JSON document, as text, and its wiring to print."""

from __future__ import annotations

import html
from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from basso.car.history import car_history
from basso.car.sensors import calibrations_of, fitted_on, ground_of, life, line_of, mates
from basso.errors import InputError
from basso.fitting.calibration import calibration_words
from basso.fitting.planner import COLD_LINE_C, line_delay_s, line_viscosity_pas
from basso.fitting.wiring import LEAST_TOLD_KPA
from basso.garage.records import Calibration, Car, Sensor
from basso.units import DisplayUnits, Quantity, digits_of

if TYPE_CHECKING:
    from basso.garage.store import Garage

UNPLUG_TEST = (
    "Prove it: engine stopped, logger on, unplug each other sensor and switch each consumer on in turn. "
    "The pressure must not move; "
    "what moves it shares the return or the supply."
)


def sensor_words(card: Sensor, units: DisplayUnits) -> str:
    """A sensor's card in a sentence: what it measures, where, how it is held; what is not known is left out."""
    parts = [card.measures, f"at the {card.place}" if card.place else "place not written down"]
    if card.measures == "pressure" and card.reference != "unknown":
        parts.append(card.reference)
    reach = range_words(card, units)
    if reach:
        parts.append(reach)
    if card.thread:
        parts.append(card.thread)
    if card.mount != "unknown":
        parts.append(card.mount + line_words(card, units))
    return ", ".join(parts)


def range_words(card: Sensor, units: DisplayUnits) -> str:
    """Range and output: "0 to 1000 kPa over 0.5 to 4.5 V"."""
    pressure = card.measures == "pressure"
    low, high = (card.low_kpa, card.high_kpa) if pressure else (card.low_c, card.high_c)
    quantity = Quantity.PRESSURE if pressure else Quantity.TEMPERATURE
    if low is None or high is None:
        return ""
    said = f"{units.number(low, quantity)} to {units.text(high, quantity)}"
    return said if card.low_v is None or card.high_v is None else f"{said} over {card.low_v:g} to {card.high_v:g} V"


def line_words(card: Sensor, units: DisplayUnits) -> str:
    """The line a sensor hangs on, with what it delays cold; "" without one."""
    if card.line_m is None or card.mount == "on the block":
        return ""
    if card.bore_mm is None or card.bore_mm <= 0:
        return f" of {card.line_m:g} m"
    cold = line_delay_s(card.line_m, card.bore_mm, line_viscosity_pas(COLD_LINE_C))
    return (
        f" of {card.line_m:g} m, {card.bore_mm:g} mm bore (about {cold:.2f} s late with oil at "
        f"{units.text(COLD_LINE_C, Quantity.TEMPERATURE)} in it)"
    )


@dataclass(frozen=True, slots=True)
class WiringRow:
    """One sensor's wiring, in words."""

    name: str
    channel: str
    supply: str
    signal: str
    back: str
    error: str
    wrong: bool


def wiring_rows(fitted: Sequence[Sensor], units: DisplayUnits) -> list[WiringRow]:
    """The wiring of every sensor that is on the car."""
    rows = []
    for c in fitted:
        supply = ", ".join(
            x
            for x in (
                f"{c.supply_v:g} V" if c.supply_v is not None else "",
                c.supply_pin and f"pin {c.supply_pin}",
                c.fuse and f"fuse {c.fuse}",
            )
            if x
        )
        back = ", ".join(
            x
            for x in (
                c.return_pin and f"pin {c.return_pin}",
                c.return_with and f"shared with {c.return_with}",
                f"{c.return_ma:g} mA" if c.return_ma is not None else "",
                f"{c.return_ohm:g} Ω" if c.return_ohm is not None else "",
            )
            if x
        )
        kpa = ground_of(c)
        error = error_words(kpa, units) if c.measures == "pressure" else ""
        rows.append(
            WiringRow(
                c.name,
                c.channel or "not said",
                supply or "not said",
                f"pin {c.signal_pin}" if c.signal_pin else "not said",
                back or "not said",
                error,
                kpa is not None and abs(kpa) > LEAST_TOLD_KPA,
            )
        )
    return rows


def error_words(kpa: float | None, units: DisplayUnits) -> str:
    """What current in the return adds, in the units shown."""
    if kpa is None:
        return "not known: current, resistance, range or output is missing"
    unit = units.unit(Quantity.PRESSURE)
    amount = f"{unit.difference_from_base(kpa):.{digits_of(unit) + 1}f} {unit.symbol}"
    return f"reads {amount} too much" + (": give it a return of its own" if abs(kpa) > LEAST_TOLD_KPA else "")


def wiring_html(car: Car, fitted: Sequence[Sensor], units: DisplayUnits) -> str:
    """The wiring to print."""
    e = html.escape
    rows = "".join(
        f"<tr><td><b>{e(r.name)}</b></td><td>{e(r.channel)}</td><td>{e(r.supply)}</td><td>{e(r.signal)}</td><td>{e(r.back)}</td><td>{e(r.error)}</td></tr>"
        for r in wiring_rows(fitted, units)
    )
    said = "".join(f"<p>{e(x)}</p>" for x in mates(fitted))
    return (
        f"<h2>Sensor wiring, {e(car.name)}</h2><table border='1' cellspacing='0' cellpadding='4' width='100%'>"
        "<tr><th>Sensor</th><th>Column of the "
        "log</th><th>Supply</th><th>Signal</th><th>Return</th><th>Current in the "
        f"return</th></tr>{rows}</table>"
        f"{said}<p>Current × resistance of the return, through the sensor's scale, is read as "
        f"pressure.</p><p>{e(UNPLUG_TEST)}</p>"
        "<p>Ignition off before a plug is pulled or pushed. A short to the supply can burn: every "
        "supply has its fuse.</p>"
    )


def wiring_text(garage: Garage, car: Car, day: str = "9999") -> str:
    """The wiring for a terminal."""
    fitted = fitted_on(car_history(garage, car).sensors, day)
    units = DisplayUnits()
    lines = [f"Sensor wiring, {car.name}"]
    for r in wiring_rows(fitted, units):
        lines += [
            "",
            r.name,
            f"  column of the log  {r.channel}",
            f"  supply             {r.supply}",
            f"  signal             {r.signal}",
            f"  return             {r.back}",
        ]
        if r.error:
            lines.append(f"  return current     {r.error}")
    return "\n".join([*lines, "", *mates(fitted), UNPLUG_TEST])


def _calibrated(
    card: Sensor, calibrations: Sequence[Calibration], units: DisplayUnits
) -> list[tuple[Calibration, str]]:
    found = []
    for calibration in calibrations_of(calibrations, card.sensor):
        try:
            found.append((calibration, calibration_words(line_of(card, calibration), units)))
        except InputError as error:
            found.append((calibration, str(error)))
    return found


def sensors_text(garage: Garage, car: Car, day: str = "9999") -> str:
    """The register of a car for a terminal."""
    history, units = car_history(garage, car), DisplayUnits()
    every, calibrations = garage.all(Sensor), garage.all(Calibration)
    cars = {c.id: c.name for c in garage.all(Car)}
    fitted = fitted_on(history.sensors, day)
    lines = [f"{car.name}: {len(fitted)} sensors" if fitted else f"{car.name}: no sensor is in the register."]
    for card in fitted:
        lines += ["", f"{card.name}: {sensor_words(card, units)}"]
        stays = life(every, card.sensor, cars)
        if len(stays) > 1:
            lines += [f"  {s.card.since or 'at first'} to {s.until or 'now'}: {s.car}, {s.card.place}" for s in stays]
        for calibration, words in _calibrated(card, calibrations, units):
            lines.append(f"  calibrated {calibration.day} by {calibration.against}: {words}")
    said = mates(fitted)
    return "\n".join([*lines, *(["", *said] if said else [])])


def sensors_document(garage: Garage, car: Car, day: str = "9999") -> dict[str, Any]:
    """Schema ``basso.sensors/1``: every sensor on the car with its line of calibration, and what does not go
    together."""
    history = car_history(garage, car)
    every, calibrations = garage.all(Sensor), garage.all(Calibration)
    cars = {c.id: c.name for c in garage.all(Car)}
    fitted = fitted_on(history.sensors, day)
    rows = []
    for card in fitted:
        made = []
        for calibration in calibrations_of(calibrations, card.sensor):
            try:
                line = line_of(card, calibration)
            except InputError as error:
                made.append({**calibration.as_plain(), "line": None, "why": str(error)})
                continue
            fitted_line = {
                "gain": line.gain,
                "gain_error": line.gain_error,
                "zero_kpa": line.zero_kpa,
                "zero_error": line.zero_error,
                "residual_kpa": line.residual_kpa.tolist(),
                "bent": line.bent,
                "sticks_kpa": line.sticks_kpa,
                "off": line.is_off,
            }
            made.append({**calibration.as_plain(), "line": fitted_line, "why": ""})
        stays = [
            {"car": s.car, "place": s.card.place, "since": s.card.since, "until": s.until}
            for s in life(every, card.sensor, cars)
        ]
        rows.append({"card": card.as_plain(), "life": stays, "calibrations": made, "ground_error_kpa": ground_of(card)})
    return {"schema": "basso.sensors/1", "car": car.name, "sensors": rows, "cautions": mates(fitted)}
