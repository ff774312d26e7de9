"""What the sensor's own card says, held against what its channel reads: type, range, place, how it is held,
calibration, wiring."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from basso.fitting.wiring import LEAST_TOLD_KPA
from basso.recording.corrections import Correction
from basso.recording.recording import Recording
from basso.recording.roles import Role
from basso.sentence import in_kpa, phrase
from basso.trust.response import GALLERY_S
from basso.trust.verdict import Check, Level
from basso.units import FloatArray

_ATMOSPHERE_KPA = (60.0, 112.0)
_GAUGE_KPA = 10.0
_AT_ITS_END = 0.985
_CUT_SHARE = 0.002
_SPONGY_S = 0.08


@dataclass(frozen=True, slots=True)
class KnownSensor:
    """The card of the sensor that a pressure channel comes from, as it was on the day; "" and None where it says
    nothing.

    Attributes:
        reference: "gauge", "sealed", "absolute" or "unknown"; ``mount``: how it is held.
        line_s: what the line it hangs on delays with warm oil; ``rises``: it rises to the engine.
        place: where it sits, and ``place_tells`` what a reading there says; ``place_level``: how far it is what the
            bearings get.
        gain: of kPa read to kPa applied by its newest calibration, ``gain_error`` half of its 95 % interval;
            ``gain_off``: surely another than 1; ``bent``: no factor puts it right.
        ground_kpa: what current in its return adds.
    """

    name: str
    reference: str = "unknown"
    mount: str = "unknown"
    place: str = ""
    place_tells: str = ""
    place_level: Level = "note"
    lamp: str = ""
    high_kpa: float | None = None
    calibrated_on: str = ""
    gain: float | None = None
    gain_error: float | None = None
    gain_off: bool = False
    bent: bool = False
    ground_kpa: float | None = None
    line_s: float | None = None
    rises: bool = False


def check_known_sensor(
    recording: Recording, known: KnownSensor, zero: Check | None, delay: Check | None = None
) -> list[Check]:
    """Every check that the card of the oil pressure's sensor allows.

    Args:
        zero, delay: what those checks found on this recording.
    """
    channel = recording.channel(Role.OIL_PRESSURE)
    if channel is None:
        return []
    looks: Sequence[Check | None] = (
        _type(known, channel.name, zero),
        _range(known, channel.name, channel.values, zero),
        _place(known, channel.name),
        _mount(known, channel.name),
        _line(known, channel.name, delay),
        _calibration(known, channel.name),
        _wiring(known, channel.name),
        _lamp(known),
    )
    return [c for c in looks if c is not None]


def _type(known: KnownSensor, name: str, zero: Check | None) -> Check | None:
    said = known.reference
    if said == "unknown":
        return Check(
            "sensor_type", "note", f"What {known.name} counts from (gauge, sealed, absolute) is not on its card.", name
        )
    if zero is None or zero.measured is None:
        return Check(
            "sensor_type",
            "note",
            f"Cannot be checked: {known.name} is {said} by its card, but was not read at rest.",
            name,
        )
    read = zero.measured
    if said == "gauge" and _ATMOSPHERE_KPA[0] <= read <= _ATMOSPHERE_KPA[1]:
        words = phrase(
            "{} is a gauge sensor by its card, but reads {} at rest, an atmosphere: another sensor is on "
            "this channel, or the card is wrong. What was read is taken off.",
            known.name,
            in_kpa(read),
        )
        return Check("sensor_type", "warn", words, name, measured=read)
    if said in ("sealed", "absolute") and abs(read) < _GAUGE_KPA:
        words = phrase(
            "{} is {} by its card, but reads {} at rest: the logger takes the atmosphere off already, or "
            "another sensor is on this channel. Nothing more is taken off.",
            known.name,
            said,
            in_kpa(read),
        )
        return Check("sensor_type", "warn", words, name, measured=read)
    return Check("sensor_type", "ok", f"{known.name} reads at rest as its card says: {said}.", name, measured=read)


def _range(known: KnownSensor, name: str, kpa: FloatArray, zero: Check | None) -> Check:
    if known.high_kpa is None:
        return Check("sensor_range", "note", f"The range of {known.name} is not on its card.", name)
    # What was taken off at rest came off the end of the range too.
    taken_off = zero.measured if zero is not None and zero.correction is not None and zero.measured is not None else 0.0
    end = known.high_kpa - taken_off
    read = kpa[np.isfinite(kpa)]
    at_end = float(np.mean(read >= _AT_ITS_END * end)) if read.size else 0.0
    if at_end > _CUT_SHARE:
        words = phrase(
            "{:.1f} % of the readings stand at the end of the range of {} ({}): what is above is cut "
            "off, and normal is learned too low there. A sensor of a wider range is wanted.",
            100 * at_end,
            known.name,
            in_kpa(end),
        )
        return Check("sensor_range", "warn", words, name, measured=at_end)
    return Check(
        "sensor_range", "ok", phrase("All readings lie within the range of {}, to {}.", known.name, in_kpa(end)), name
    )


def _place(known: KnownSensor, name: str) -> Check:
    if not known.place:
        return Check("sensor_place", "note", f"Where {known.name} sits is not on its card.", name)
    words = f"{known.name} sits at the {known.place}. {known.place_tells}"
    if known.place_level == "warn":
        words += " Floors for the gallery do not hold here."
    return Check("sensor_place", known.place_level, words, name)


def _mount(known: KnownSensor, name: str) -> Check:
    if known.mount == "on the block":
        words = (
            f"{known.name} is screwed to the block: vibration wears it out, and a fault that comes and goes "
            "is its first sign. Readings from it are trusted less."
        )
        return Check("sensor_mount", "warn", words, name)
    if known.mount == "unknown":
        return Check(
            "sensor_mount", "note", f"How {known.name} is held (on a line, on the block) is not on its card.", name
        )
    return Check("sensor_mount", "ok", f"{known.name} is held {known.mount}, off the block.", name)


def _line(known: KnownSensor, name: str, delay: Check | None) -> Check | None:
    """Air in a line makes it spongy: the pressure comes later than oil alone would let it."""
    if known.line_s is None:
        return None
    if delay is None or delay.measured is None:
        return Check(
            "sensor_line",
            "note",
            f"Cannot be checked: this log does not show whether the line of {known.name} is spongy.",
            name,
        )
    late = delay.measured - GALLERY_S
    told = (
        f"The pressure comes {max(late, 0.0):.2f} s late; the line of {known.name} by itself makes it "
        f"{known.line_s:.2f} s"
    )
    if late > known.line_s + _SPONGY_S:
        way = "" if known.rises else " By its card it does not rise to the engine."
        words = phrase(
            "{}: spongy. Air is trapped in it, or the logger filters.{} Bleed it, then look again.", told, way
        )
        return Check("sensor_line", "warn", words, name, measured=late)
    return Check("sensor_line", "ok", phrase("{}: no air in it.", told), name, measured=late)


def _calibration(known: KnownSensor, name: str) -> Check:
    if known.gain is None:
        words = f"{known.name} was never read against a known pressure: its scale is what its data sheet says."
        return Check("sensor_scale", "note", words, name)
    if known.bent:
        words = (
            f"By its calibration of {known.calibrated_on} {known.name} does not read in a straight line: no "
            "factor puts it right."
        )
        return Check("sensor_scale", "warn", words, name)
    doubt = (
        f" ± {known.gain_error:.3f}"
        if known.gain_error is not None and np.isfinite(known.gain_error)
        else ", by two points"
    )
    words = f"By its calibration of {known.calibrated_on} {known.name} reads {known.gain:.3f}{doubt} of the pressure"
    if not known.gain_off:
        return Check("sensor_scale", "ok", phrase("{}: its scale is sound.", words), name, measured=known.gain)
    reason = phrase("{}; every pressure is corrected by it.", words)
    return Check(
        "sensor_scale", "warn", reason, name, Correction(name, "gain", 1.0 / known.gain, "", reason), known.gain
    )


def _wiring(known: KnownSensor, name: str) -> Check:
    if known.ground_kpa is None:
        words = f"Cannot be checked: current and resistance of the return of {known.name} are not on its card."
        return Check("sensor_wiring", "note", words, name)
    words = phrase("Current in the return of {} adds {} to what it reads", known.name, in_kpa(known.ground_kpa, 1))
    if abs(known.ground_kpa) > LEAST_TOLD_KPA:
        words += ", and changes with what else returns there. Give it a return of its own."
        return Check("sensor_wiring", "warn", words, name, measured=known.ground_kpa)
    return Check("sensor_wiring", "ok", phrase("{}: little enough.", words), name, measured=known.ground_kpa)


def _lamp(known: KnownSensor) -> Check:
    if known.lamp == "gone":
        return Check(
            "lamp", "warn", "No independent warning lamp is left: with the logger off or its sensor dead nobody warns."
        )
    if known.lamp in ("", "not looked at"):
        return Check("lamp", "note", "Whether the independent warning lamp is still there was not looked at.")
    return Check("lamp", "ok", f"The independent warning lamp is {known.lamp}.")
