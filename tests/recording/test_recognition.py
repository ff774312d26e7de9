"""What columns are taken for: sure where names and units say it, said and doubted where values have to."""

from __future__ import annotations

import numpy as np
import pytest

from basso.recording.drive import drive_mark, each_once, same_drive
from basso.recording.lap_signals import laps_from_pulses, laps_from_times
from basso.recording.needs import costs
from basso.recording.recording import Recording
from basso.recording.roles import Role
from basso.trust.update_rate import check_update_rate, true_rate_hz
from basso.units import UNITS
from support import made_recording, recording_of

T = np.arange(2400) * 0.05
RPM = 3500 + 1800 * np.sin(T / 3)
PSI = 12 + RPM * 0.0085 + np.random.default_rng(3).normal(0, 0.4, T.size)


def _log(**columns: np.ndarray) -> Recording:
    names = ["Time [s]", *columns]
    rows = zip(T, *columns.values(), strict=True)
    return recording_of((",".join(names) + "\n" + "\n".join(",".join(f"{v:.4f}" for v in r) for r in rows)).encode())


def test_names_and_units_are_sure() -> None:
    recording = _log(**{"RPM": RPM, "Oil pressure [psi]": PSI})
    channel = recording.channel(Role.OIL_PRESSURE)
    assert channel is not None and channel.confidence > 0.9 and channel.doubt == ""
    assert channel.why == "its name and unit"


def test_a_bar_column_that_idles_at_thirty_is_psi() -> None:
    recording = _log(**{"RPM": RPM, "Oil pressure [bar]": PSI})
    channel = recording.channel(Role.OIL_PRESSURE)
    assert channel is not None and channel.unit is UNITS["psi"] and channel.unit_assumed
    assert channel.confidence < 0.7
    assert any("says bar" in n and "psi" in n for n in recording.notes)


@pytest.mark.parametrize("unit", ["psi", "kPa"])
def test_a_unit_too_big_by_far_is_doubted_but_not_changed(unit: str) -> None:
    """An engine that has lost its pressure must not be read as a sound one in bar."""
    recording = _log(**{"RPM": RPM, f"Oil pressure [{unit}]": PSI / 14.5})
    channel = recording.channel(Role.OIL_PRESSURE)
    assert channel is not None and channel.unit is UNITS[unit]
    assert "suit bar" in channel.doubt and channel.confidence < 0.6
    assert any("suit bar" in n for n in recording.notes)


def test_a_pressure_with_another_name_is_found_by_its_unit_and_how_it_moves() -> None:
    recording = _log(**{"RPM": RPM, "P3 main [psi]": PSI, "Fuel rail [psi]": np.full(T.size, 58.0), "Boost [psi]": PSI})
    channel = recording.channel(Role.OIL_PRESSURE)
    assert channel is not None and channel.name == "P3 main [psi]"
    assert channel.confidence < 0.5
    assert any("'P3 main [psi]' was taken as oil pressure" in n for n in recording.notes)


def test_two_that_might_be_it_are_named_and_neither_is_taken() -> None:
    recording = _log(**{"RPM": RPM, "P3 [psi]": PSI, "P4 [psi]": PSI + 3})
    assert recording.channel(Role.OIL_PRESSURE) is None
    assert any("may be 'P3 [psi]' or 'P4 [psi]'" in n for n in recording.notes)


def test_a_rotation_with_another_name_is_the_engine_unless_it_is_a_wheel() -> None:
    assert _log(**{"N1 [rpm]": RPM, "Wheel FL [rpm]": RPM / 4}).channel(Role.RPM) is not None
    assert _log(**{"Wheel FL [rpm]": RPM / 4}).channel(Role.RPM) is None


def test_lat_that_swings_about_zero_is_a_g_and_lat_that_does_not_is_a_place() -> None:
    swing = _log(RPM=RPM, Lat=1.2 * np.sin(T / 2), Long=0.8 * np.cos(T / 2))
    assert swing.channel(Role.LATERAL_G) is not None and swing.channel(Role.LATITUDE) is None
    assert swing.channel(Role.LONGITUDINAL_G) is not None
    place = _log(RPM=RPM, Lat=51 + 0.01 * np.sin(T / 9), Long=-1 + 0.01 * np.cos(T / 9))
    assert place.channel(Role.LATITUDE) is not None and place.channel(Role.LATERAL_G) is None
    equator = _log(RPM=RPM, Lat=0.01 * np.sin(T / 9), Long=0.01 * np.cos(T / 9))
    assert equator.channel(Role.LATITUDE) is not None


def test_plain_metres_give_laps() -> None:
    angle = 2 * np.pi * T / 30.0
    recording = _log(**{"RPM": RPM, "Pos X [m]": 180 * np.cos(angle), "Pos Y [m]": 180 * np.sin(angle)})
    from basso.track.line import crossings_from_path, driven_path

    crossings = crossings_from_path(driven_path(recording))
    np.testing.assert_allclose(np.diff(crossings), 30.0, atol=0.2)


def test_lap_numbers_from_a_beacon_and_from_lap_times() -> None:
    pulses = np.zeros(T.size)
    for at in (20.0, 20.1, 50.0, 80.0):
        pulses[int(at * 20) : int(at * 20) + 2] = 1.0
    counted = laps_from_pulses(T, pulses)
    assert counted is not None
    assert [int(counted[int(t * 20)]) for t in (10, 30, 60, 100)] == [0, 1, 2, 3]
    running = laps_from_times(T, (T + 5.0) % 30.0)
    assert running is not None and int(running[-1]) == 4
    last = laps_from_times(T, np.floor(T / 30.0) + 29.5)
    assert last is not None and int(last[-1]) == 3
    assert laps_from_pulses(T, np.ones(T.size)) is None
    recording = _log(RPM=RPM, Beacon=pulses)
    channel = recording.channel(Role.LAP)
    assert channel is not None and channel.name == "Lap from Beacon"
    assert "Laps were counted from 'Beacon'." in recording.notes


@pytest.mark.parametrize(
    ("has", "said"),
    [
        ({"oil_pressure", "rpm"}, ["oil temperature", "lateral g", "longitudinal g", "speed", "lap number"]),
        ({"rpm"}, ["oil pressure"]),
        ({"oil_pressure", "rpm", "oil_temp", "lateral_g", "longitudinal_g", "speed", "lap"}, []),
    ],
)
def test_what_a_missing_channel_costs(has: set[str], said: list[str]) -> None:
    found = costs(lambda role: role in has)
    assert [c.what for c in found][: len(said)] == said or (not said and not found)
    if "lap" not in has and "speed" in has:
        assert "pattern" in found[-1].cost


def test_another_channel_that_stands_in_is_named() -> None:
    found = {
        c.role: c.cost for c in costs(lambda role: role in {"oil_pressure", "rpm", "latitude", "longitude", "speed"})
    }
    assert "path" in found["lateral_g"] and "speed" in found["longitudinal_g"] and "path" in found["lap"]


@pytest.mark.parametrize(("every", "true_hz"), [(1, 50.0), (5, 10.0), (10, 5.0)])
def test_the_true_rate_is_counted_from_repeats(every: int, true_hz: float) -> None:
    noise = np.random.default_rng(5).normal(300, 8, 3000)
    recording = made_recording(rpm=3000.0, oil_pressure=np.repeat(noise[::every], every)[:3000])
    channel = recording.channel(Role.OIL_PRESSURE)
    assert channel is not None
    assert true_rate_hz(channel) == pytest.approx(true_hz, rel=0.1)
    check = check_update_rate(recording)
    assert (check is None) == (every == 1)
    if every == 10:
        assert check is not None and check.level == "warn" and "at or below" in check.message


def test_a_coarse_reading_is_not_a_slow_one() -> None:
    """Whole psi at 50 Hz: most rows repeat, but changes come at any row."""
    slow = 45 + 3 * np.sin(np.arange(3000) / 40) + np.random.default_rng(6).normal(0, 0.3, 3000)
    assert check_update_rate(made_recording(rpm=3000.0, oil_pressure=np.round(slow) * 6.894757)) is None


def test_one_drive_written_twice_is_known_and_two_alike_are_not() -> None:
    a = _log(**{"RPM": RPM, "Oil pressure [psi]": PSI})
    b = _log(**{"Engine speed": np.round(RPM), "Oil pressure [bar]": np.round(PSI * 0.0689476, 2)})
    c = _log(**{"RPM": 3500 + 1800 * np.sin((T + 0.8) / 3), "Oil pressure [psi]": PSI})
    marks = [drive_mark(x) for x in (a, b, c)]
    assert marks[0] is not None and marks[1] is not None and marks[2] is not None
    assert same_drive(marks[0], marks[1]) and not same_drive(marks[0], marks[2])
    kept, said = each_once([a, b, c])
    assert kept == [a, c] and "counts once" in said[0]
