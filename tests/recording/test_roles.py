"""Columns are recognised by the names and units loggers commonly use."""

from __future__ import annotations

import pytest

from basso.recording.roles import Role, recognise, take_apart


@pytest.mark.parametrize(
    ("heading", "role", "unit"),
    [
        ("Oil Press [psi]", Role.OIL_PRESSURE, "psi"),
        ("OilP(bar)", Role.OIL_PRESSURE, "bar"),
        ("oil_pressure_kPa", Role.OIL_PRESSURE, "kPa"),
        ("Engine Oil Pressure (psig)", Role.OIL_PRESSURE, "psi"),
        ("OILPRESS", Role.OIL_PRESSURE, None),
        ("P oil", Role.OIL_PRESSURE, None),
        ("EOP", Role.OIL_PRESSURE, None),
        ("Oil T °F", Role.OIL_TEMP, "°F"),
        ("OilTemp[C]", Role.OIL_TEMP, "°C"),
        ("Oil Temperature", Role.OIL_TEMP, None),
        ("oil_temp_degC", Role.OIL_TEMP, "°C"),
        ("T_oil", Role.OIL_TEMP, None),
        ("Engine Speed", Role.RPM, None),
        ("RPM", Role.RPM, None),
        ("Engine RPM [1/min]", Role.RPM, "rpm"),
        ("nMot", Role.RPM, None),
        ("Acc Lat (m/s2)", Role.LATERAL_G, "m/s²"),
        ("Lateral Acceleration [g]", Role.LATERAL_G, "g"),
        ("LatAcc", Role.LATERAL_G, None),
        ("G Lat", Role.LATERAL_G, None),
        ("ay", Role.LATERAL_G, None),
        ("AccelY", Role.LATERAL_G, None),
        ("G Force Lat", Role.LATERAL_G, None),
        ("Acc Long (g)", Role.LONGITUDINAL_G, "g"),
        ("Longitudinal Acc", Role.LONGITUDINAL_G, None),
        ("Inline Acc", Role.LONGITUDINAL_G, None),
        ("LongG", Role.LONGITUDINAL_G, None),
        ("accel_x", Role.LONGITUDINAL_G, None),
        ("Vertical Acc [g]", Role.VERTICAL_G, "g"),
        ("GPS Speed (km/h)", Role.SPEED, "km/h"),
        ("Vehicle Speed", Role.SPEED, None),
        ("Latitude", Role.LATITUDE, None),
        ("GPS_Lon", Role.LONGITUDE, None),
        ("Distance (m)", Role.DISTANCE, "m"),
        ("Lap", Role.LAP, None),
        ("Lap Number", Role.LAP, None),
        ("Throttle Position (%)", Role.THROTTLE, "%"),
        ("TPS", Role.THROTTLE, None),
        ("Brake Pressure", Role.BRAKE, None),
        ("Coolant Temp [°C]", Role.COOLANT_TEMP, "°C"),
        ("ECT", Role.COOLANT_TEMP, None),
        ("Ambient Temp", Role.AIR_TEMP, None),
        ("Baro [kPa]", Role.AIR_PRESSURE, "kPa"),
        ("Accumulator Pressure [psi]", Role.ACCUMULATOR_PRESSURE, "psi"),
        ("Oil Pressure Pump Out", Role.PRESSURE_PUMP_OUT, None),
        ("Oil P cooler out", Role.PRESSURE_COOLER_OUT, None),
        ("Oil press after filter", Role.PRESSURE_FILTER_OUT, None),
        ("Fuel Level (L)", Role.FUEL_LEVEL, "L"),
        ("OilPres", Role.OIL_PRESSURE, None),
        ("pOil", Role.OIL_PRESSURE, None),
        ("Öldruck [bar]", Role.OIL_PRESSURE, "bar"),
        ("Öltemperatur", Role.OIL_TEMP, None),
        ("Drehzahl", Role.RPM, None),
        ("Querbeschleunigung [g]", Role.LATERAL_G, "g"),
        ("Längsbeschleunigung", Role.LONGITUDINAL_G, None),
        ("Geschwindigkeit", Role.SPEED, None),
        ("aLat", Role.LATERAL_G, None),
        ("gLong", Role.LONGITUDINAL_G, None),
        ("Accelerometer Y", Role.LATERAL_G, None),
        ("Lat", Role.LATITUDE, None),
        ("Long", Role.LONGITUDE, None),
        ("Lat [g]", Role.LATERAL_G, "g"),
        ("speed_ms", Role.SPEED, "m/s"),
        ("GPS_Speed_mph", Role.SPEED, "mph"),
        ("Lap#", Role.LAP, None),
        ("Gallery Pressure", Role.OIL_PRESSURE, None),
        ("Time (s)", Role.TIME, "s"),
        ("Elapsed Time", Role.TIME, None),
        ("timestamp", Role.TIME, None),
    ],
)
def test_one_heading(heading: str, role: Role, unit: str | None) -> None:
    taken = take_apart(heading)
    assert recognise([taken]) == [role]
    assert (taken.unit.symbol if taken.unit is not None else None) == unit


@pytest.mark.parametrize(
    "heading",
    ["Fuel Pressure", "Boost [bar]", "Lap Time", "Wheel Speed Error", "Gear", "Battery [V]", "Gearbox Oil Temp", "Trans Oil Pressure", "Steering"],
)  # fmt: skip
def test_what_is_none_of_ours(heading: str) -> None:
    assert recognise([take_apart(heading)]) == [None]


def test_each_role_is_given_once_to_the_best_name() -> None:
    names = ["Oil Pressure 2 raw", "Oil Pressure", "Time", "Engine Speed", "Speed"]
    assert recognise([take_apart(n) for n in names]) == [None, Role.OIL_PRESSURE, Role.TIME, Role.RPM, Role.SPEED]


def test_a_wrong_unit_rules_a_role_out() -> None:
    assert recognise([take_apart("Oil Pressure [°C]")]) == [None]


def test_the_user_has_the_last_word() -> None:
    headings = [take_apart(n) for n in ("P3 gallery", "Oil Pressure", "Time")]
    assert recognise(headings, {0: Role.OIL_PRESSURE}) == [Role.OIL_PRESSURE, None, Role.TIME]


def test_latitude_is_not_lateral() -> None:
    headings = [take_apart(n) for n in ("GPS Lat", "GPS Long", "Lat Acc", "Long Acc")]
    assert recognise(headings) == [Role.LATITUDE, Role.LONGITUDE, Role.LATERAL_G, Role.LONGITUDINAL_G]
