"""What the rest of a session says of the pressure at one moment, where the readings themselves shake too much to
tell."""

from __future__ import annotations

import numpy as np
import pytest

from basso.pressure.dips import Dip, DipRules, find_dips
from basso.pressure.explained import explained_kpa
from basso.pressure.noise import ReadingError, leaves_doubt, tell_margin
from basso.units import FloatArray

RATE = 10.0
T = np.arange(0.0, 900.0, 1.0 / RATE)
EVERYWHERE = np.ones(T.shape, dtype=bool)
NORMAL = 300.0
SHAKE = 40.0


def _bends(seed: int) -> FloatArray:
    """Sideways g: a bend every eight seconds, each of its own strength and side."""
    rng = np.random.default_rng(seed)
    strength = rng.uniform(0.4, 1.3, 200) * rng.choice([-1.0, 1.0], 200)
    within = (T % 8.0) / 8.0
    return np.asarray(strength[(T // 8.0).astype(int)] * np.clip(np.sin(2.0 * np.pi * within), 0.0, None) ** 0.5)


def _pulled(g: FloatArray) -> FloatArray:
    """What right-hand bends take, kPa: 0.4 s after the g, and only beyond 0.7 g."""
    late = np.interp(T - 0.4, T, g)
    return -60.0 * np.clip(late - 0.7, 0.0, None) / 0.6


def _explained(read: FloatArray, g: FloatArray | None) -> FloatArray:
    rpm = 5000.0 + 600.0 * np.sin(2.0 * np.pi * T / 37.0)
    noise = np.full(T.shape, SHAKE)
    return (
        explained_kpa(
            pressure_kpa=read,
            normal_kpa=np.full(T.shape, NORMAL),
            noise_kpa=noise,
            use=EVERYWHERE,
            g=(g, None),
            rpm=rpm,
            temperature_c=None,
            step_s=1.0 / RATE,
        )
        - NORMAL
    )


def _read(pressure: FloatArray, seed: int) -> FloatArray:
    return pressure + np.random.default_rng(100 + seed).normal(0.0, SHAKE, T.size)


def _dips(read: FloatArray, floor: float, likely: FloatArray | None) -> list[Dip]:
    floors, normal = np.full(T.shape, floor), np.full(T.shape, NORMAL)
    return find_dips(
        time_s=T,
        pressure_kpa=read,
        floor_kpa=floors,
        expected_kpa=normal,
        judged=EVERYWHERE,
        error=ReadingError(SHAKE),
        rules=DipRules(),
        likely_kpa=likely,
    )


@pytest.mark.parametrize("seed", range(3))
def test_bends_of_a_session_tell_of_each_other(seed: int) -> None:
    g = _bends(seed)
    true = NORMAL + _pulled(g)
    off = NORMAL + _explained(_read(true, seed), g) - true
    assert float(np.sqrt(np.mean(off**2))) < 0.25 * SHAKE
    hard = true < NORMAL - 25.0
    assert abs(float(np.mean(off[hard]))) < 9.0


def test_nothing_is_explained_where_nothing_is_logged_that_could() -> None:
    g = _bends(1)
    read = _read(NORMAL + _pulled(g), 1)
    assert float(np.std(_explained(read, None))) < 0.4 * float(np.std(_explained(read, g)))


@pytest.mark.parametrize("seed", range(3))
def test_fewer_dips_are_invented_and_missed_than_by_neighbouring_readings_alone(seed: int) -> None:
    """Bends that reach from a little over to a little under a floor, with a sensor that shakes by more than that."""
    g = _bends(seed)
    true = NORMAL + _pulled(g)
    floor = NORMAL - 25.0
    real = _crossed(true, floor)
    read = _read(true, seed)
    wrong = []
    for likely in (None, NORMAL + _explained(read, g)):
        found = {round(0.5 * (d.start_s + d.end_s) // 8.0) for d in _dips(read, floor, likely)}
        wrong.append(len(found ^ real))
    assert wrong[1] < 0.6 * wrong[0]


def _crossed(true: FloatArray, floor: float) -> set[int]:
    """The bends that truly went below the floor for as long as a dip must last."""
    return {k for k in range(int(T[-1] // 8.0) + 1) if np.count_nonzero((true < floor) & (k == T // 8.0)) >= 2}


def test_a_loss_that_nothing_in_the_session_is_like_is_still_found() -> None:
    g = _bends(2)
    true = NORMAL + _pulled(g)
    lost = (T > 405.0) & (T < 406.5)
    true = np.where(lost, 140.0, true)
    read = _read(true, 2)
    likely = NORMAL + _explained(read, g)
    assert float(np.mean(likely[lost])) > NORMAL - 60.0  # the rest of the session knows nothing of it
    assert any(d.start_s < 405.4 and d.end_s > 406.1 for d in _dips(read, NORMAL - 70.0, likely))
    told = tell_margin(read - 230.0, ReadingError(SHAKE), EVERYWHERE, 1.0 / RATE, likely - 230.0)
    assert float(np.mean(told.margin_kpa[(T > 405.4) & (T < 406.1)])) < -60.0  # of -90


def test_where_nothing_is_expected_the_readings_tell_alone() -> None:
    g = _bends(0)
    read = _read(NORMAL + _pulled(g), 0)
    likely = np.where(T < 450.0, NORMAL + _explained(read, g), np.nan)
    alone = tell_margin(read - 250.0, ReadingError(SHAKE), EVERYWHERE, 1.0 / RATE)
    told = tell_margin(read - 250.0, ReadingError(SHAKE), EVERYWHERE, 1.0 / RATE, likely - 250.0)
    late = T > 455.0
    assert np.array_equal(told.margin_kpa[late], alone.margin_kpa[late])
    assert float(np.mean(told.unsure_kpa[T < 445.0])) < 0.8 * float(np.mean(alone.unsure_kpa))


@pytest.mark.parametrize(
    ("error", "step_s", "doubt"),
    [
        (ReadingError(2.5), 0.1, False),
        (ReadingError(40.0), 0.1, True),
        (ReadingError(8.0), 0.01, False),  # a hundred readings a second make up for so little
        (ReadingError(2.0, 12.5), 0.1, True),
        (ReadingError(2.0, 2.0), 0.1, False),
    ],
)
def test_the_rest_of_the_session_is_asked_only_where_readings_leave_doubt(
    error: ReadingError, step_s: float, doubt: bool
) -> None:
    assert leaves_doubt(error, EVERYWHERE, step_s) is doubt


def test_steps_of_a_converter_are_never_told_otherwise_than_they_allow() -> None:
    g = _bends(1)
    true = NORMAL + _pulled(g)
    read = np.round(true / 25.0) * 25.0
    likely = NORMAL + _explained(read, g)
    error = ReadingError(0.0, 12.5)
    alone, told = (
        tell_margin(read - 250.0, error, EVERYWHERE, 1.0 / RATE, own).margin_kpa for own in (None, likely - 250.0)
    )
    assert np.abs(told + 250.0 - read).max() <= 12.5 + 1e-9
    off_alone, off_told = (float(np.std(m + 250.0 - true)) for m in (alone, told))
    assert off_told < off_alone


def test_a_log_shorter_than_one_block_explains_nothing() -> None:
    short, normal = np.array([250.0, 251.0]), np.full(2, 300.0)
    found = explained_kpa(
        pressure_kpa=short,
        normal_kpa=normal,
        noise_kpa=np.full(2, 40.0),
        use=np.ones(2, dtype=bool),
        g=(None, None),
        rpm=short,
        temperature_c=None,
        step_s=0.01,
    )
    assert np.array_equal(found, normal)
