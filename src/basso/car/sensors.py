"""The register of sensors: what sat where on a day, a sensor's life over every car, its newest calibration, its
wiring."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace

from basso.errors import InputError
from basso.fitting.calibration import CalibrationLine, fit_line
from basso.fitting.places import places
from basso.fitting.planner import WARM_LINE_C, line_delay_s, line_viscosity_pas
from basso.fitting.wiring import ground_error_kpa
from basso.garage.records import Calibration, Sensor, new_id
from basso.recording.roles import take_apart
from basso.trust.known import KnownSensor


@dataclass(frozen=True, slots=True)
class Stay:
    """A card in a sensor's life: on which car, from when, until when ("" still)."""

    card: Sensor
    car: str
    until: str = ""


def fitted_on(cards: Iterable[Sensor], day: str = "9999") -> list[Sensor]:
    """The card that holds on a day of every sensor that is then on the car, along the oil's way."""
    holds: dict[str, Sensor] = {}
    for card in sorted(cards, key=lambda c: c.since):
        if card.since[:10] <= day[:10]:
            holds[card.sensor] = card
    order = list(places())
    return sorted(
        (c for c in holds.values() if c.fitted),
        key=lambda c: (order.index(c.place) if c.place in order else len(order), c.measures != "pressure", c.name),
    )


def taken_off(cards: Iterable[Sensor]) -> list[Sensor]:
    """The last card of every sensor that was on the car and is no longer."""
    last: dict[str, Sensor] = {}
    for card in sorted(cards, key=lambda c: c.since):
        last[card.sensor] = card
    return sorted((c for c in last.values() if not c.fitted), key=lambda c: c.name)


def life(cards: Iterable[Sensor], sensor: str, cars: Mapping[str, str]) -> list[Stay]:
    """Where one sensor has been, oldest first.

    Args:
        cards: of every car; ``cars``: what each car is called, by its id.
    """
    own = sorted((c for c in cards if c.sensor == sensor), key=lambda c: (c.since, c.fitted))
    return [
        Stay(card, cars.get(card.car, "a car that is gone"), own[i + 1].since if i + 1 < len(own) else "")
        for i, card in enumerate(own)
        if card.fitted
    ]


def moved(card: Sensor, car: str, day: str) -> tuple[Sensor, Sensor]:
    """The two cards that a move to another car makes: off here, on there; there it has still to be said how it is
    fitted."""
    off = replace(card, id=new_id(), since=day, fitted=False, reason="Moved to another car", note="")
    on = replace(
        card,
        id=new_id(),
        car=car,
        since=day,
        reason="Moved from another car",
        channel="",
        mount="unknown",
        line_m=None,
        rises=False,
        lamp="not looked at",
        tee_turns=None,
        belt_mm=None,
        supply_pin="",
        fuse="",
        signal_pin="",
        return_pin="",
        return_with="",
        return_ma=None,
        return_ohm=None,
        note="",
    )
    return off, on


def calibrations_of(every: Iterable[Calibration], sensor: str) -> list[Calibration]:
    """A sensor's calibrations, oldest first, on whichever car it was."""
    return sorted((c for c in every if c.sensor == sensor), key=lambda c: c.day)


def line_of(card: Sensor, calibration: Calibration) -> CalibrationLine:
    """The line through a calibration's points.

    Raises:
        InputError: there is none; the sentence says what is lacking.
    """
    return fit_line(
        calibration.points, calibration.reads == "V", (card.low_kpa, card.high_kpa), (card.low_v, card.high_v)
    )


def ground_of(card: Sensor) -> float | None:
    """What current in its return adds to what a sensor reads, kPa; None while its card does not say enough."""
    if card.return_ma is None or card.return_ohm is None or card.low_kpa is None or card.high_kpa is None:
        return None
    if card.low_v is None or card.high_v is None or card.high_v == card.low_v:
        return None
    return ground_error_kpa(card.return_ma, card.return_ohm, card.high_kpa - card.low_kpa, card.high_v - card.low_v)


def line_delay_of(card: Sensor) -> float | None:
    """What the line of a sensor delays with warm oil (0.02 Pa·s), s; None for one that hangs on none, or none that is
    known."""
    if card.mount != "on a flexible line" or card.line_m is None or not card.bore_mm:
        return None
    return line_delay_s(card.line_m, card.bore_mm, line_viscosity_pas(WARM_LINE_C))


def known_sensor(card: Sensor, calibrations: Sequence[Calibration], day: str = "9999") -> KnownSensor:
    """What a card says for the checks of a log of a day, with the newest calibration until then."""
    place = places().get(card.place)
    known = KnownSensor(
        name=card.name,
        reference=card.reference,
        mount=card.mount,
        place=card.place,
        place_tells=place.tells if place is not None else "",
        place_level=place.trust if place is not None else "note",
        lamp=card.lamp,
        high_kpa=card.high_kpa,
        ground_kpa=ground_of(card),
        line_s=line_delay_of(card),
        rises=card.rises,
    )
    for calibration in reversed(calibrations_of(calibrations, card.sensor)):
        if calibration.day[:10] > day[:10]:
            continue
        try:
            line = line_of(card, calibration)
        except InputError:
            continue
        return replace(
            known,
            calibrated_on=calibration.day[:10],
            gain=line.gain,
            gain_error=line.gain_error,
            gain_off=line.is_off,
            bent=line.bent,
        )
    return known


def sensor_of_channel(fitted: Sequence[Sensor], channel: str) -> Sensor | None:
    """The sensor that feeds the oil pressure's column: the one whose card names it, else the only one that can be
    meant."""
    pressures = [c for c in fitted if c.measures == "pressure"]
    named = [c for c in pressures if c.channel and _plain(c.channel) == _plain(channel)]
    if named:
        return named[0]
    free = [c for c in pressures if not c.channel]
    judged = [c for c in free if (p := places().get(c.place)) is not None and p.role == "oil_pressure"]
    only = judged or free
    return only[0] if len(only) == 1 else None


def read_differently(a: Sequence[Sequence[Sensor]], b: Sequence[Sequence[Sensor]]) -> list[str]:
    """What makes the same column mean another pressure on the two sides of a trial, a sentence each.

    Args:
        a, b: the sensors on the car at each session of a side.
    """

    def by_column(side: Sequence[Sequence[Sensor]]) -> dict[str, list[Sensor]]:
        found: dict[str, list[Sensor]] = {}
        for fitted in side:
            for card in fitted:
                if card.measures == "pressure":
                    found.setdefault(_plain(card.channel), []).append(card)
        return found

    on_a, on_b = by_column(a), by_column(b)
    said = []
    for column in on_a.keys() & on_b.keys():
        places_a, places_b = ({c.place for c in side[column]} for side in (on_a, on_b))
        sensors_a, sensors_b = ({c.sensor for c in side[column]} for side in (on_a, on_b))
        if places_a != places_b:
            said.append(
                f"The pressure was taken at the {' or '.join(sorted(places_a))} on A and at the "
                f"{' or '.join(sorted(places_b))} on B: they differ by "
                "what lies between, whatever the change did."
            )
        elif sensors_a != sensors_b:
            said.append("The pressure was read by another sensor on B than on A: their scales may differ.")
    return sorted(said)


def _plain(column: str) -> str:
    """A column's name without its unit and the size of its letters: "Oil P [psi]" and "oil p" are one."""
    return " ".join(take_apart(column).words)


def mates(fitted: Sequence[Sensor]) -> list[str]:
    """What of a car's sensors does not go together, a sentence each."""
    said = []
    pressures = [c for c in fitted if c.measures == "pressure"]
    kinds = {c.reference for c in pressures if c.reference != "unknown"}
    if "gauge" in kinds and kinds & {"sealed", "absolute"}:
        counted = " and ".join(f"{c.name} ({c.reference})" for c in pressures if c.reference != "unknown")
        said.append(
            f"{counted} count from different things: no difference between them means anything before "
            "each zero is taken off."
        )
    by_channel: dict[str, list[Sensor]] = {}
    for card in fitted:
        if card.channel:
            by_channel.setdefault(_plain(card.channel), []).append(card)
    for cards in by_channel.values():
        if len(cards) > 1:
            said.append(
                f"{' and '.join(c.name for c in cards)} name the same column of the log, "
                f"{cards[0].channel}: only one can feed it."
            )
    by_pin: dict[str, list[Sensor]] = {}
    for card in fitted:
        if card.return_pin:
            by_pin.setdefault(card.return_pin.strip().lower(), []).append(card)
    for cards in by_pin.values():
        if len(cards) > 1:
            said.append(
                f"{' and '.join(c.name for c in cards)} share the return at pin {cards[0].return_pin}: "
                "unplug one and see whether the other moves."
            )
    return said
