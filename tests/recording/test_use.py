"""Running time, hot time, distance and the hottest oil of made drives."""

from __future__ import annotations

import numpy as np
import pytest

from basso.recording.use import drive_use
from support import recording_of


def log(rows: str, head: str) -> bytes:
    return (head + "\n" + rows).encode()


def test_a_drive_worked_by_hand() -> None:
    t = np.arange(0.0, 600.0, 0.5)
    rpm = np.where((t >= 60) & (t < 540), 4000.0, 0.0)
    heat = np.where(t < 300, 90.0, 105.0)
    rows = "\n".join(f"{a:.1f},{b:.0f},{c:.1f},{72 if b else 0},300" for a, b, c in zip(t, rpm, heat, strict=True))
    use = drive_use(recording_of(log(rows, "Time [s],RPM,Oil temp [°C],Speed [km/h],Oil pressure [kPa]")))
    assert use.running_s == pytest.approx(480.0, abs=1.0)
    assert use.hot_s == pytest.approx(240.0, abs=1.0)
    assert use.distance_km == pytest.approx(72 * 480 / 3600, rel=0.01)
    assert use.peak_oil_c == pytest.approx(105.0)


def test_a_pause_in_the_log_is_not_running_and_one_spike_no_temperature() -> None:
    t = np.concatenate([np.arange(0.0, 100.0, 0.5), np.arange(1000.0, 1100.0, 0.5)])
    heat = np.full(t.size, 95.0)
    heat[7] = 190.0
    rows = "\n".join(f"{a:.1f},3000,{h:.0f},250" for a, h in zip(t, heat, strict=True))
    use = drive_use(recording_of(log(rows, "Time [s],RPM,Oil temp [°C],Oil pressure [kPa]")))
    assert use.running_s == pytest.approx(200.0, abs=1.5)
    assert use.peak_oil_c == pytest.approx(95.0, abs=1.0)
    assert use.distance_km is None


def test_a_distance_that_starts_anew_each_lap_adds_up() -> None:
    t = np.arange(0.0, 300.0, 0.5)
    rows = "\n".join(f"{a:.1f},3000,{(a * 30) % 3000:.1f},250" for a in t)
    use = drive_use(recording_of(log(rows, "Time [s],RPM,Distance [m],Oil pressure [kPa]")))
    assert use.distance_km == pytest.approx(9.0, rel=0.01)
