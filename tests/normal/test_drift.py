"""Normal without oil temperature: truth is the stand-in engine's own balance at the temperature that is not told."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from basso.analysis import analyse
from basso.normal.drift import fit_drifting
from basso.recording.roles import Role
from basso.standin.circuit import random_circuit
from basso.standin.engine import Heat, TrueEngine, balance_kpa, pump_flow
from basso.standin.faults import Logger
from basso.standin.scenarios import generator, run_setup
from basso.standin.simulate import Setup, true_dips
from basso.units import FloatArray
from support import recording_of, score

TIME_S = np.arange(0.0, 900.0, 0.1)


def _driven(engine: TrueEngine, seed: int, start_c: float) -> tuple[FloatArray, FloatArray, FloatArray]:
    """(rpm, pressure in kPa, temperature in °C) of a quarter of an hour in which the oil warms up from ``start_c``."""
    rng = np.random.default_rng(seed)
    rpm = 4200.0 + 1900.0 * np.sin(TIME_S / 9.0) + 300.0 * np.sin(TIME_S / 2.3)
    rpm[TIME_S < 30.0] = rpm[TIME_S > 870.0] = 900.0
    heat = 106.0 - (106.0 - start_c) * np.exp(-TIME_S / 240.0)
    kpa = np.minimum(balance_kpa(engine, rpm, heat, pump_flow(engine, rpm)), engine.relief_kpa)
    return rpm, kpa + rng.normal(0.0, 2.0, rpm.size), heat


@pytest.mark.parametrize("relief_kpa", [380.0, 520.0, 900.0])
@pytest.mark.parametrize("start_c", [62.0, 100.0])
def test_normal_is_as_it_would_be_were_the_temperature_known(relief_kpa: float, start_c: float) -> None:
    engine = TrueEngine(relief_kpa=relief_kpa)
    rpm, kpa, heat = _driven(engine, 1, start_c)
    expected, drift = fit_drifting(TIME_S, kpa, rpm, np.ones(rpm.size, dtype=bool))
    assert drift is not None and expected.valid
    truth = np.minimum(balance_kpa(engine, rpm, heat, pump_flow(engine, rpm)), engine.relief_kpa)
    off = np.abs(expected.at(rpm, None, drift.at(TIME_S, rpm)) / truth - 1.0)
    assert np.median(off) < 0.015 and np.percentile(off, 95) < 0.06


def test_what_is_lost_within_seconds_stays_lost() -> None:
    engine = TrueEngine(relief_kpa=520.0)
    rpm, kpa, _ = _driven(engine, 2, 75.0)
    dips = (np.mod(TIME_S, 90.0) > 60.0) & (np.mod(TIME_S, 90.0) < 66.0) & (rpm > 1500.0)
    expected, drift = fit_drifting(TIME_S, np.where(dips, 0.55 * kpa, kpa), rpm, np.ones(rpm.size, dtype=bool))
    assert drift is not None
    share = 0.55 * kpa[dips] / expected.at(rpm, None, drift.at(TIME_S, rpm))[dips]
    assert np.percentile(share, 90) < 0.62


def test_an_engine_at_one_heat_does_not_drift() -> None:
    engine = TrueEngine()
    rng = np.random.default_rng(3)
    rpm, _, _ = _driven(engine, 3, 100.0)
    kpa = balance_kpa(engine, rpm, np.full(rpm.size, 98.0), pump_flow(engine, rpm)) + rng.normal(0.0, 2.0, rpm.size)
    _, drift = fit_drifting(TIME_S, kpa, rpm, np.ones(rpm.size, dtype=bool))
    assert drift is not None and np.abs(drift.thicker).max() < 0.02 and drift.fallen < 0.02


def test_too_short_a_drive_has_no_drift() -> None:
    rpm, kpa, _ = _driven(TrueEngine(), 4, 80.0)
    expected, drift = fit_drifting(TIME_S[:600], kpa[600:1200], rpm[600:1200], np.ones(600, dtype=bool))
    assert expected.valid and drift is None


def test_dips_are_found_as_well_without_the_temperature_as_with_it() -> None:
    """Six random circuits and engines whose oil warms up by 25 °C: as many right as with the temperature, but for
    two."""
    right, wrong = [0, 0], [0, 0]
    for seed in range(6):
        rng = generator("drift", seed)
        engine = TrueEngine(relief_kpa=float(rng.uniform(380, 620)), bearing=float(rng.uniform(0.8, 1.4)))
        setup = Setup(random_circuit(rng), engine=engine, heat=Heat(start_c=float(rng.uniform(68, 80))))
        simulated, csv = run_setup(setup, Logger(20, gps=True), generator("drift/drive", seed))
        told = recording_of(csv)
        untold = told.with_channels(tuple(c for c in told.channels if c.role is not Role.OIL_TEMP))
        for k, recording in enumerate((told, untold)):
            found = analyse(recording)
            dips = score(true_dips(simulated), list(found.dips))
            right[k] += len(dips.pairs)
            wrong[k] += dips.invented + dips.missed
            (note,) = [c for c in found.checks if c.id == "oil_drift"] or [None]
            assert (note is not None) == (k == 1)
            assert note is None or ("warming oil" in note.message and note.measured is not None and note.measured > 0.1)
    assert right[0] > 30 and right[1] >= right[0] - 2 and wrong[1] <= wrong[0] + 4


def test_a_temperature_in_the_airstream_is_left_out_and_can_be_kept() -> None:
    setup = Setup(random_circuit(generator("drift", 1)), heat=Heat(start_c=78.0))
    _, csv = run_setup(setup, Logger(20, gps=True, airstream_c=26.0), generator("drift/air", 1))
    found = analyse(recording_of(csv))
    (check,) = [c for c in found.checks if c.id == "oil_temp_place"]
    assert check.level == "warn" and "left out" in check.message and found.puts_right(check)
    assert found.temperature_c is None and found.drift is not None
    assert check.correction is not None
    kept = analyse(recording_of(csv), replace(found.options, refused=frozenset({check.correction.key})))
    assert kept.temperature_c is not None and kept.drift is None
