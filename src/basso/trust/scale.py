"""Is the pressure on the right scale? Against what an engine can show, and against what this one showed before.

A wrong unit or a wrong sensor range multiplies everything, hot idle and the relief valve's plateau alike. Wear, hot oil
and a
stuck relief do not: they move one more than the other.
"""

from __future__ import annotations

from types import MappingProxyType

import numpy as np
from numpy.typing import NDArray

from basso.recording.channel import Channel
from basso.recording.corrections import Correction
from basso.recording.recording import Recording, frame_on
from basso.recording.roles import Role, take_apart
from basso.sentence import in_kpa, phrase
from basso.trust.verdict import Check
from basso.units import PSI_KPA, FloatArray

_WORKING_RPM = 2500.0
_LEAST_KPA, _MOST_KPA = 110.0, 1500.0
"""Beyond these no engine's best second at working speed lies (default): one that did would not run, or burst its
filter."""
_USUAL_KPA = (200.0, 800.0)
_OTHER_UNITS = MappingProxyType(
    {
        "kPa": {"psi": PSI_KPA, "bar": 100.0},
        "psi": {"kPa": 1.0 / PSI_KPA, "bar": 100.0 / PSI_KPA},
        "bar": {"psi": PSI_KPA / 100.0, "kPa": 0.01},
    }
)
_MORE, _LESS = float(np.log(1.8)), float(np.log(0.7)) * -1.0
"""How far from before is a scale: no oil that is poured into one engine gives 1.8 times the pressure of another at the
same temperature; below 0.7 it is told, and left to be proved."""
_EVEN = 0.12


def check_scale(recording: Recording) -> Check | None:
    """Say when no engine could read so; the correction is offered, not made: an engine may really have no pressure."""
    channel = recording.channel(Role.OIL_PRESSURE)
    if channel is None or not recording.has(Role.RPM):
        return None
    frame = frame_on(recording, Role.OIL_PRESSURE)
    working = channel.values[(frame.filled(Role.RPM) > _WORKING_RPM) & np.isfinite(channel.values)]
    if working.size < 200:
        return Check("scale", "note", "Cannot be checked: the engine hardly ran above 2500 rpm.", channel.name)
    best = float(np.percentile(working, 98))
    if _LEAST_KPA <= best <= _MOST_KPA:
        return Check(
            "scale", "ok", phrase("Reads up to {} at working speed: an engine's pressure.", in_kpa(best)), channel.name
        )
    symbol = channel.unit.symbol if channel.unit is not None else "kPa"
    fits = {unit: k for unit, k in _OTHER_UNITS.get(symbol, {}).items() if _USUAL_KPA[0] <= best * k <= _USUAL_KPA[1]}
    words = phrase(
        "Reads {} at most above 2500 rpm, which is {} for any engine",
        in_kpa(best),
        "too little" if best < _LEAST_KPA else "too much",
    )
    if len(fits) == 1:
        unit, factor = next(iter(fits.items()))
        words += phrase(
            "; were it {} and not {}, it would be {}. Either the unit is wrong (say so with --unit or "
            "under Columns), or there is no oil pressure: then stop the engine.",
            unit,
            symbol,
            in_kpa(best * factor),
        )
        offer = Correction(channel.name, "scale", factor, "", words)
        return Check("scale", "fail", words, channel.name, offer, factor, offered=True)
    return Check(
        "scale", "fail", words + ". Look at the sensor's range and unit before anything is judged.", channel.name
    )


def check_scale_against(
    channel: Channel,
    pressure: FloatArray,
    expected: FloatArray,
    rpm: FloatArray,
    settled: NDArray[np.bool_],
    heading_held: bool = False,
) -> Check | None:
    """Against the car's earlier normal: one factor at all engine speeds is a scale.

    Args:
        channel: the pressure.
        pressure, expected, rpm: shape (n,), kPa and 1/min; ``expected`` from earlier sessions.
        settled: where the engine ran evenly.
        heading_held: in earlier sessions this column was read in the unit that its heading names.

    Readings so high that the reader took them for another unit than the heading's are a scale too, if the heading held
    before: in its unit they are as many times too high.
    """
    ratio = np.where(settled & (expected > 30.0), pressure / expected, np.nan)
    known = np.isfinite(ratio)
    if known.sum() < 100:
        return Check(
            "scale", "note", "Cannot be checked against earlier sessions: too little settled running.", channel.name
        )
    middle = float(np.median(ratio[known]))
    apart = abs(float(np.log(max(middle, 1e-3))))
    slow, fast = np.percentile(rpm[known], (25, 75))
    parts = [float(np.median(ratio[known & part])) for part in (rpm <= slow, rpm >= fast)]
    uneven = abs(float(np.log(max(parts[1], 1e-3) / max(parts[0], 1e-3))))
    if apart < (_MORE if middle > 1.0 else _LESS) or uneven > max(_EVEN, 0.25 * apart):
        return None
    said = take_apart(channel.name).unit
    as_said = middle
    if heading_held and said is not None and channel.unit is not None and said != channel.unit:
        as_said = middle * said.factor / channel.unit.factor
    if as_said != middle and np.log(as_said) > _MORE:
        reason = (
            f"In {said.symbol if said is not None else ''}, as its heading says and as held before, it "
            f"reads {as_said:.2f} times what this engine "
            "showed before, at low and high engine speed alike: a wrong sensor range, not oil. It is "
            "put back on the former scale."
        )
        correction = Correction(channel.name, "scale", 1.0 / middle, "", reason)
        return Check("scale", "warn", reason, channel.name, correction, as_said)
    words = (
        f"Reads {middle:.2f} times what this engine showed before, at low and high engine speed alike "
        f"({parts[0]:.2f} and "
        f"{parts[1]:.2f})"
    )
    if middle < 1.0:
        # A worn engine can look the same: what may be a lost engine is never put right by itself.
        words += (
            ": a wrong unit or sensor range, or an engine that has lost this pressure. Prove it with a "
            "second gauge first; only then "
            "put it right."
        )
        offer = Correction(channel.name, "scale", 1.0 / middle, "", words)
        return Check("scale", "warn", words, channel.name, offer, middle, offered=True)
    reason = words + ": a wrong unit or sensor range, not oil. It is put back on the former scale."
    return Check(
        "scale", "warn", reason, channel.name, Correction(channel.name, "scale", 1.0 / middle, "", reason), middle
    )
