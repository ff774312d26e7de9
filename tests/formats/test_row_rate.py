"""Clocks that wander, burst or drift, against the true times of a simulated drive."""

from __future__ import annotations

import numpy as np
import pytest

from basso.recording.recording import Recording
from basso.recording.roles import Role
from basso.standin.scenarios import run
from basso.units import FloatArray
from support import recording_of

ROWS = 6000
STEP = 0.05


@pytest.fixture(scope="module")
def drive() -> tuple[list[str], FloatArray]:
    """Headings and numbers of a drive at 20 Hz: its truth is the row number."""
    lines = run("baseline-1", 31, 2)[1].decode().splitlines()
    at = next(i for i, line in enumerate(lines) if line.lower().startswith("time"))
    table = np.genfromtxt(lines[at + 1 : at + 1 + ROWS], delimiter=",")
    assert np.allclose(np.diff(table[:, 0]), STEP, atol=1e-6)
    return lines[at].split(","), table


def read(
    drive: tuple[list[str], FloatArray], stamps: FloatArray, head: str = "", rows: slice = slice(None)
) -> Recording:
    names, table = drive
    body = "\n".join(
        ",".join([f"{t:.5f}", *(f"{v:.7g}" for v in row[1:])]) for t, row in zip(stamps, table[rows], strict=True)
    )
    return recording_of((head + ",".join(names) + "\n" + body + "\n").encode())


def rpm_times(recording: Recording) -> FloatArray:
    channel = recording.channel(Role.RPM)
    assert channel is not None
    return channel.time_s


def told(recording: Recording, words: str) -> bool:
    return any(words in note for note in recording.notes)


@pytest.mark.parametrize("jitter_s", [0.015, 0.05])
@pytest.mark.parametrize("seed", [1, 2])
def test_stamps_put_on_late_are_evened(drive: tuple[list[str], FloatArray], jitter_s: float, seed: int) -> None:
    truth = STEP * np.arange(ROWS)
    stamps = truth + np.random.default_rng(seed).exponential(jitter_s, ROWS)
    recording = read(drive, stamps)
    assert told(recording, "wander")
    found = rpm_times(recording)
    assert found.size == ROWS  # no row is lost, though many stamps run backward
    off = (found - found[0]) - truth
    # A running mean over 101 rows leaves a tenth of the scatter, half as much again at the ends.
    assert np.std(off) < 0.15 * np.std(stamps - truth)
    assert np.ptp(off) < jitter_s


def test_rows_that_arrive_in_bursts_are_evened(drive: tuple[list[str], FloatArray]) -> None:
    truth = STEP * np.arange(ROWS)
    arrival = (np.arange(ROWS) // 10 + 1) * 10 * STEP + (np.arange(ROWS) % 10) * 0.0004
    found = rpm_times(read(drive, arrival))
    assert found.size == ROWS
    assert np.ptp((found - found[0]) - truth) < 1.5 * STEP


def test_true_times_that_are_uneven_are_believed(drive: tuple[list[str], FloatArray]) -> None:
    rng = np.random.default_rng(5)
    rows = np.sort(rng.choice(ROWS, ROWS // 2, replace=False))
    truth = STEP * rows
    recording = read(drive, truth, rows=rows)
    assert not told(recording, "wander")
    assert np.allclose(rpm_times(recording), truth - truth[0], atol=1e-4)


def test_a_gap_is_kept_between_wandering_stamps(drive: tuple[list[str], FloatArray]) -> None:
    truth = STEP * np.arange(ROWS)
    truth[3000:] += 40.0
    stamps = truth + np.random.default_rng(3).exponential(0.02, ROWS)
    found = rpm_times(read(drive, stamps))
    assert found[3000] - found[2999] == pytest.approx(40.0 + STEP, abs=0.06)


def test_a_clock_that_drifts_about_the_stated_rate_gives_way_to_it(drive: tuple[list[str], FloatArray]) -> None:
    truth = STEP * np.arange(ROWS)
    drifting = truth + 1.5 * np.sin(2 * np.pi * truth / 300.0)
    recording = read(drive, drifting, "Car,Testbed\nSample rate,20 Hz\n\n")
    assert told(recording, "The clock drifts")
    assert np.allclose(rpm_times(recording), truth, atol=1e-6)
    untold = read(drive, drifting)
    assert np.allclose(rpm_times(untold), drifting - drifting[0], atol=1e-4)


@pytest.mark.parametrize(("head_hz", "says"), [(20.2, "--rate 20.2"), (100, "the stamps were used"), (20, "")])
def test_a_steady_clock_goes_before_the_head(drive: tuple[list[str], FloatArray], head_hz: float, says: str) -> None:
    truth = STEP * np.arange(ROWS)
    recording = read(drive, truth, f"Car,Testbed\nSample rate,{head_hz} Hz\n\n")
    assert told(recording, says) if says else not told(recording, "head")
    assert np.allclose(rpm_times(recording), truth, atol=1e-4)
