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
    [
        "Fuel Pressure",
        "Boost [bar]",
        "Lap Time",
        "Wheel Speed Error",
        "Gear",
        "Battery [V]",
        "Gearbox Oil Temp",
        "Trans Oil Pressure",
        "Steering",
    ],
)
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


IN_OTHER_LANGUAGES = {
    Role.OIL_PRESSURE: "Öldruck [bar];Oeldruck (bar);Motoröldruck;P_Öl;p_oel [bar];pOel;Öl Druck;Pression huile "
    "[bar];Pression d'huile;Press. Huile;P huile;Huile pression (bar);Pressione olio [bar];Press "
    "olio;P_olio;Presión aceite [bar];Presión de aceite;Pres_aceite;P_Aceite;EOP [psi];OILP;P_Oil;Oil P "
    "(psi);OilPress;ENG_OIL_PRESS;Pressão óleo [bar];Oliedruk [bar];oil_pressure_kPa;Oel-Druck;OELDRUCK "
    "[kPa];Druck Öl [bar]",
    Role.OIL_TEMP: "Öltemperatur [°C];Öltemp;T_Öl;T_oel [°C];toel;Oel Temp;Motoröltemperatur;Température huile "
    "[°C];Temp huile;T huile;Temp. d'huile;Temperatura olio [°C];Temp olio;T_olio;Temperatura aceite "
    "[°C];Temp. aceite;T_Aceite;EOT [°F];T_oil;OilT;Olietemperatuur;Temp Öl",
    Role.RPM: "Drehzahl [1/min];Motordrehzahl [U/min];Nmot;nmot [1/min];n_mot;N_Mot;Régime moteur [tr/min];Régime "
    "[tr/min];Tours moteur;Giri motore [giri/min];Giri;Regime motore;RPM motore;Revoluciones;Régimen "
    "motor [rpm];RPM motor;Engine Speed;EngSpd;Toerental;Drehzahl Motor;n_Motor [min-1];Rotação;Regime",
    Role.LATERAL_G: "Querbeschleunigung [g];Querbeschl. [m/s²];a_quer [m/s²];aquer;Beschl. quer;g_quer;Beschleunigung "
    "quer;Accélération latérale [g];Acc latérale;G latéral;Acc. transversale;Accelerazione laterale "
    "[g];Acc. laterale;Acc trasversale;Aceleración lateral [g];Acel. lateral;Fuerza G lateral;Gy "
    "[g];G_Lat;AccY;Ay;LatAcc [g];LatG;Lateral acc;a_y [m/s²];Querkraft G;Seitenbeschleunigung",
    Role.LONGITUDINAL_G: "Längsbeschleunigung [g];Laengsbeschl;alaengs [m/s²];a_längs;Beschl. längs;Accélération "
    "longitudinale [g];Acc long;G longitudinal;Accelerazione longitudinale [g];Acc. "
    "longitudinale;Aceleración longitudinal [g];Gx [g];G_Long;AccX;Ax;LongAcc;a_x [m/s²];G Lon",
    Role.SPEED: "Geschwindigkeit [km/h];v_kmh;Fahrgeschwindigkeit;Geschw.;V_Fzg [km/h];Vx [km/h];Vitesse "
    "[km/h];Vitesse GPS;Vitesse véhicule;Velocità [km/h];Velocita GPS;Velocità veicolo;Velocidad "
    "[km/h];Velocidad GPS;vCar;GPS Speed;Snelheid;V [km/h];VehSpd",
    Role.TIME: "Zeit [s];Temps [s];Tempo [s];Tiempo [s];Time;Zeitstempel;Temps;Tijd [s]",
    Role.LAP: "Runde;Rundennummer;Tour;Giro;Vuelta;Lap;N° tour;Numéro de tour;Runde Nr;Ronde",
    Role.THROTTLE: "Drosselklappe [%];Gaspedal [%];Papillon [%];Position papillon;Farfalla [%];Mariposa [%];Acelerador "
    "[%];Fahrpedal",
    Role.BRAKE: "Bremsdruck [bar];Bremse;Frein;Pression frein [bar];Freno;Pressione freno [bar];Presión freno",
    Role.COOLANT_TEMP: "Wassertemperatur [°C];Kühlmitteltemperatur;Kühlwassertemp;Température eau [°C];T eau;Temperatura "
    "acqua;T_acqua;Temperatura agua;Temp refrigerante;Temp. liquide de refroidissement",
    Role.AIR_TEMP: "Lufttemperatur;Umgebungstemperatur;Température air;Temperatura aria;Temperatura "
    "aire;Ansauglufttemperatur",
    Role.LATITUDE: "Breitengrad;Latitudine;Latitud;GPS Latitude",
    Role.LONGITUDE: "Längengrad;Longitudine;Longitud",
    Role.DISTANCE: "Strecke [m];Wegstrecke;Distanz;Distanza [m];Distancia;Distance",
    Role.FUEL_LEVEL: "Tankinhalt;Kraftstoffstand;Niveau carburant;Livello carburante;Nivel combustible",
    None: "Getriebeöltemperatur;Rundenzeit;Temps au tour;Kraftstoffdruck [bar];Ladedruck [bar];Raddrehzahl VL "
    "[1/min];Turboladerdrehzahl;Température boîte;Pressione benzina [bar];Presión combustible;Gierrate "
    "[°/s];Lenkwinkel [°];Temps tour;Pressione turbo;Tiempo vuelta;Tempo giro;Temperatura "
    "cambio;Drehmoment [Nm];Öldruck Getriebe;Temperatura olio cambio;Batteriespannung [V];Reifendruck "
    "VL [bar];Pression pneu AVG [bar];Oil level;Fuel temps",
}


@pytest.mark.parametrize("role", IN_OTHER_LANGUAGES)
def test_names_in_german_french_italian_and_spanish(role: Role | None) -> None:
    taken = {name: recognise([take_apart(name)])[0] for name in IN_OTHER_LANGUAGES[role].split(";")}
    assert taken == dict.fromkeys(taken, role)


@pytest.mark.parametrize(
    ("names", "pressure", "temperature"),
    [
        (
            "Zeit [s];Drehzahl [U/min];Öldruck [bar];Öltemperatur [°C];Getriebeöltemperatur [°C];Kraftstoffdruck [bar]",
            2,
            3,
        ),
        ("Temps [s];Régime [tr/min];Pression essence [bar];Pression huile [bar];T eau [°C];T huile [°C]", 3, 5),
        (
            "Tempo [s];Giri [giri/min];Temperatura acqua [°C];Temperatura olio [°C];Pressione benzina "
            "[bar];Pressione olio [bar]",
            5,
            3,
        ),
        (
            "Tiempo [s];Revoluciones [rpm];Presión aceite [bar];Temp. aceite [°C];Temp. agua [°C];Presión freno [bar]",
            2,
            3,
        ),
    ],
)
def test_a_whole_log_in_another_language(names: str, pressure: int, temperature: int) -> None:
    roles = recognise([take_apart(n) for n in names.split(";")])
    assert roles[:2] == [Role.TIME, Role.RPM]
    assert roles[pressure] is Role.OIL_PRESSURE and roles[temperature] is Role.OIL_TEMP
    assert len({r for r in roles if r is not None}) == len([r for r in roles if r is not None])
