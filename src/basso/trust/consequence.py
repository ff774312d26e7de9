"""What each fault of a reading would do to the verdicts, and which one matters most."""

from __future__ import annotations

from types import MappingProxyType

from basso.trust.verdict import Check

_LEVELS = ("fail", "warn", "note", "ok")
_WORDS: MappingProxyType[str, tuple[str, str]] = MappingProxyType(
    {
        "oil_pressure": ("Oil pressure", "Nothing can be judged."),
        "rpm": ("Engine speed", "Nothing can be judged."),
        "scale": ("Scale of the pressure", "Every pressure, margin and share is wrong by this factor."),
        "sensor_scale": ("Calibration of the sensor", "Every pressure, margin and share is off by this factor."),
        "zero": ("Zero of the pressure", "Every margin and % of normal is off by this much; a sensor that reads high hides dips."),
        "zero_trend": ("Zero against earlier sessions", "A zero that moves makes two sessions differ by it; the sensor may be dying."),
        "sensor_type": ("What the sensor counts from", "An atmosphere too much hides every dip."),
        "sensor_place": ("Where the sensor sits", "A limit for one place held against another is off by what lies between."),
        "sensor_range": ("Range of the sensor", "What is above its range is cut off: normal is learned too low."),
        "order": ("Order along the oil's way", "Which place reads what is not known: a limit for one is held against another."),
        "references": ("All oil pressures at rest", "A drop between two places is off by what they read apart at rest."),
        "spikes": ("Jumps and flat lines", "A jump downwards counts as a dip; a flat line hides them."),
        "supply": ("Electrical load", "A dip may be the fan coming on, and the level of normal depends on what was switched on."),
        "sensor_line": ("Air in the sensor's line", "Dips come late and shallow: the lowest pressure is worse than it reads."),
        "sensor_wiring": ("Return wire of the sensor", "The pressure moves with what else returns over the same wire."),
        "delay": ("Delay of the pressure", "Dips seem to come later than the g that caused them: direction and lag are read wrong."),
        "update_rate": ("How often it is renewed", "The lowest pressure is at or below what is shown; short dips are missed."),
        "g_swapped": ("Axes of the g", "Braking shows as cornering: every cause is named wrong."),
        "lateral_g_sign": ("Sign of the lateral g", "Left turns count as right ones: the baffle goes on the wrong side."),
        "longitudinal_g_sign": ("Sign of the longitudinal g", "Braking counts as launching."),
        "lateral_g_unit": ("Unit of the lateral g", "Ten times the g, or a tenth: thresholds mean nothing."),
        "longitudinal_g_unit": ("Unit of the longitudinal g", "Ten times the g, or a tenth: thresholds mean nothing."),
        "g_turned": ("How the g sensor is turned", "Braking leaks into cornering: directions and thresholds are off."),
        "lateral_g_offset": ("Zero of the lateral g", "One side seems to starve sooner than the other."),
        "longitudinal_g_offset": ("Zero of the longitudinal g", "Braking and launch thresholds are off by this much."),
        "clock": ("Clock of the g sensor", "From the slip on, g and pressure do not belong together: causes are guessed."),
        "pressure_clock": ("Clock of the pressure", "From the slip on, pressure and engine speed do not belong together: floors are held against the wrong moment."),
        "rpm_stuck": ("Engine speed, whether it moves", "The floor is held against an engine speed that was not driven."),
        "lateral_g_stuck": ("Lateral g, whether it moves", "Which way the oil was thrown is read from a dead sensor."),
        "longitudinal_g_stuck": ("Longitudinal g, whether it moves", "Which way the oil was thrown is read from a dead sensor."),
        "speed_stuck": ("Speed, whether it moves", "Axes, laps and places are found by a speed that was not driven."),
        "pressure_pump_out_stuck": ("Pressure after the pump, whether it moves", "The drop across the cooler is read from a dead sensor."),
        "pressure_cooler_out_stuck": ("Pressure after the cooler, whether it moves", "The drops beside it are read from a dead sensor."),
        "pressure_filter_out_stuck": ("Pressure after the filter, whether it moves", "The drop across the filter is read from a dead sensor."),
        "oil_temp_flat": ("Oil temperature, whether it moves", "Normal follows calm running instead: hot oil cannot be told from wear."),
        "oil_temp_lag": ("Oil temperature, whether it lags", "While the oil warms up normal is expected too high, and dips are invented."),
        "oil_temp_place": ("Oil temperature, where it is taken", "The oil is hotter than it says: margins at the hot end are too kind."),
        "vibration": ("Vibration", "Lowest values read too low, and short dips drown."),
        "steps": ("Steps of the converter", "No figure is surer than half a step."),
        "sensor_mount": ("How the sensor is held", "A sensor shaken to death lies before it dies."),
        "lamp": ("Independent warning lamp", "With the logger off nobody warns."),
        "sensor": ("The sensor's card", "Its type, range, place and calibration cannot be held against what it reads."),
        "oil_temp": ("Oil temperature", "Normal follows calm running instead: hot oil cannot be told from wear."),
        "oil_drift": ("The oil's warmth, from calm running", "What is lost over minutes is taken for warming oil."),
        "g": ("g", "Which way the oil was thrown is not known."),
        "lateral_g": ("Lateral g", "It is worked out from the path."),
        "longitudinal_g": ("Longitudinal g", "It is worked out from the speed."),
        "clearance": ("Floor and clearances", "The floor asks too little of this engine: dips are told too late."),
        "lookalike": ("A column without a name", "What it may hold is missing everywhere until somebody says so."),
        "doubt": ("Whether a column is what it says", "A wrong unit, column or clock makes everything else wrong."),
        "reader": ("What the reader assumed or repaired", "Wrong units or columns make everything else wrong."),
        "gauge": ("Readings off a gauge", "Between two readings nothing is known."),
        "expected": ("Normal pressure", "Without it there is no % of normal; only fixed floors apply."),
    }
)  # fmt: skip
"""In the order of what they would change, most first."""
_ORDER = {key: i for i, key in enumerate(_WORDS)}


def name_of(check: Check) -> str:
    """What a check looks at, in words."""
    return _WORDS.get(check.id, (check.id.replace("_", " ").capitalize(), ""))[0]


def costs(check: Check) -> str:
    """What the fault would do to the verdicts; "" where it is not one of those that are known."""
    return _WORDS.get(check.id, ("", ""))[1]


def rank(check: Check) -> tuple[int, int]:
    """Sorts checks by what they would change: the level first, then how much hangs on it."""
    return _LEVELS.index(check.level), _ORDER.get(check.id, len(_ORDER))
