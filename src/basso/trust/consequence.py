"""What each fault of a reading would do to the verdicts, and which one matters most."""

from __future__ import annotations

from types import MappingProxyType

from basso.trust.verdict import Check

_LEVELS = ("fail", "warn", "note", "ok")
_WORDS: MappingProxyType[str, tuple[str, str]] = MappingProxyType(
    {
        "oil_pressure": ("Oil pressure", "Nothing can be judged."),
        "rpm": ("Engine speed", "Nothing can be judged."),
        "scale": ("Pressure scale", "Every pressure, margin and share is wrong by this factor."),
        "sensor_scale": ("Sensor calibration", "Every pressure, margin and share is off by this factor."),
        "zero": (
            "Pressure zero",
            "Every margin and % of normal is off by this much; a sensor that reads high hides dips.",
        ),
        "zero_trend": (
            "Zero compared with earlier sessions",
            "A zero that moves makes two sessions differ by it; the sensor may be dying.",
        ),
        "sensor_type": ("Gauge or absolute", "An atmosphere too much hides every dip."),
        "sensor_place": ("Sensor position", "A limit for one place held against another is off by what lies between."),
        "sensor_range": ("Sensor range", "What is above its range is cut off: normal is learned too low."),
        "order": (
            "Order of the pressures",
            "Which place reads what is not known: a limit for one is held against another.",
        ),
        "references": (
            "All oil pressures with the engine stopped",
            "A drop between two places is off by what they read apart at rest.",
        ),
        "spikes": ("Jumps and flat lines", "A jump downwards counts as a dip; a flat line hides them."),
        "supply": (
            "Electrical load",
            "A dip may be the fan coming on, and the level of normal depends on what was switched on.",
        ),
        "sensor_line": (
            "Air in the sensor's line",
            "Dips come late and shallow: the lowest pressure is worse than it reads.",
        ),
        "sensor_wiring": ("Sensor return wire", "The pressure moves with what else returns over the same wire."),
        "delay": (
            "Pressure delay",
            "Dips seem to come later than the g that caused them: direction and lag are read wrong.",
        ),
        "update_rate": ("Update rate", "The lowest pressure is at or below what is shown; short dips are missed."),
        "g_swapped": ("g axes", "Braking shows as cornering: every cause is named wrong."),
        "lateral_g_sign": ("Lateral g sign", "Left turns count as right ones: the baffle goes on the wrong side."),
        "longitudinal_g_sign": ("Longitudinal g sign", "Braking counts as launching."),
        "lateral_g_unit": ("Lateral g unit", "Ten times the g, or a tenth: thresholds mean nothing."),
        "longitudinal_g_unit": ("Longitudinal g unit", "Ten times the g, or a tenth: thresholds mean nothing."),
        "g_turned": ("g sensor rotation", "Braking leaks into cornering: directions and thresholds are off."),
        "lateral_g_offset": ("Lateral g zero", "One side seems to starve sooner than the other."),
        "longitudinal_g_offset": ("Longitudinal g zero", "Braking and launch thresholds are off by this much."),
        "clock": ("g sensor clock", "From the slip on, g and pressure do not belong together: causes are guessed."),
        "pressure_clock": (
            "Pressure clock",
            "From the slip on, pressure and engine speed do not belong together: floors are held against "
            "the wrong moment.",
        ),
        "rpm_stuck": ("Engine speed frozen", "The floor is held against an engine speed that was not driven."),
        "lateral_g_stuck": ("Lateral g frozen", "Which way the oil was thrown is read from a dead sensor."),
        "longitudinal_g_stuck": ("Longitudinal g frozen", "Which way the oil was thrown is read from a dead sensor."),
        "speed_stuck": ("Speed frozen", "Axes, laps and places are found by a speed that was not driven."),
        "pressure_pump_out_stuck": (
            "Pressure after the pump frozen",
            "The drop across the cooler is read from a dead sensor.",
        ),
        "pressure_cooler_out_stuck": (
            "Pressure after the cooler frozen",
            "The drops beside it are read from a dead sensor.",
        ),
        "pressure_filter_out_stuck": (
            "Pressure after the filter frozen",
            "The drop across the filter is read from a dead sensor.",
        ),
        "oil_temp_flat": (
            "Oil temperature frozen",
            "Normal follows calm running instead: hot oil cannot be told from wear.",
        ),
        "oil_temp_lag": (
            "Oil temperature lag",
            "While the oil warms up normal is expected too high, and dips are invented.",
        ),
        "oil_temp_place": (
            "Oil temperature position",
            "The oil is hotter than it says: margins at the hot end are too kind.",
        ),
        "vibration": ("Vibration", "Lowest values read too low, and short dips drown."),
        "steps": ("Converter steps", "No figure is surer than half a step."),
        "sensor_mount": ("Sensor mounting", "A sensor shaken to death lies before it dies."),
        "lamp": ("Independent warning lamp", "With the logger off nobody warns."),
        "sensor": ("Sensor card", "Its type, range, place and calibration cannot be held against what it reads."),
        "oil_temp": ("Oil temperature", "Normal follows calm running instead: hot oil cannot be told from wear."),
        "oil_drift": ("Oil warm-up, from calm running", "What is lost over minutes is taken for warming oil."),
        "g": ("g", "Which way the oil was thrown is not known."),
        "lateral_g": ("Lateral g", "It is worked out from the path."),
        "longitudinal_g": ("Longitudinal g", "It is worked out from the speed."),
        "clearance": ("Floor and clearances", "The floor asks too little of this engine: dips are told too late."),
        "lookalike": ("Unrecognised column", "What it may hold is missing everywhere until somebody says so."),
        "doubt": ("Column, unit or clock in doubt", "A wrong unit, column or clock makes everything else wrong."),
        "reader": ("Assumptions when reading", "Wrong units or columns make everything else wrong."),
        "gauge": ("Readings off a gauge", "Between two readings nothing is known."),
        "expected": ("Normal pressure", "Without it there is no % of normal; only fixed floors apply."),
    }
)
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
