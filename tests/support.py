"""Made sessions and yardsticks that several tests share."""

from __future__ import annotations

import pickle
import tempfile
from collections import OrderedDict
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from basso.analysis import Analysis, JudgedDip, analyse
from basso.analysis.pooled import pooled_normal
from basso.formats.registry import read_recording
from basso.memory.decisions import Decision
from basso.memory.memory import Memory
from basso.pressure.options import JudgeOptions
from basso.recording.channel import Channel
from basso.recording.recording import Recording
from basso.recording.roles import Role
from basso.standin.car import Outing
from basso.standin.circuit import harrowfell
from basso.standin.engine import Heat
from basso.standin.faults import Logger, write_csv
from basso.standin.scenarios import SCENARIOS, generator, run
from basso.standin.simulate import Setup, Simulated, TrueDip, simulate, true_dips
from basso.units import UNITS, FloatArray, Unit
from basso.workflow import demo_folder

if TYPE_CHECKING:
    from PySide6.QtWidgets import QWidget


@lru_cache(maxsize=1)
def _scratch() -> tempfile.TemporaryDirectory[str]:
    """One folder for all made files, gone when the tests are over."""
    return tempfile.TemporaryDirectory(prefix="basso-test-")


def write_temporary(data: bytes, name: str = "log.csv") -> Path:
    """A file with these bytes in a folder of its own."""
    path = Path(tempfile.mkdtemp(dir=_scratch().name)) / name
    path.write_bytes(data)
    return path


def recording_of(csv: bytes) -> Recording:
    """What Basso reads from these bytes."""
    return read_recording(write_temporary(csv))


def side_said(recording: Recording, options: JudgeOptions | None = None) -> JudgeOptions:
    """Options by which somebody has said that the lateral g is positive to the left, as the stand-in's is: most logs
    here have no path."""
    lateral = recording.channel(Role.LATERAL_G)
    options = options or JudgeOptions()
    return replace(options, edited=options.edited | {(lateral.name, "sign", 1.0)}) if lateral is not None else options


@lru_cache(maxsize=1)
def _demo_log() -> Recording:
    return read_recording(demo_folder() / "baseline-1.csv")


def say_which_side() -> None:
    """Have it said once for the demo's logger, as on the Sensors station: it holds for every log with its columns."""
    Memory.own().decisions.keep_log(_demo_log(), Decision(edited=side_said(_demo_log()).edited))


def forget_which_side() -> None:
    """Nobody has said anything of the demo's logger."""
    Memory.own().decisions.keep_log(_demo_log(), Decision())


_drives: OrderedDict[bytes, tuple[Simulated, dict[str, Any]]] = OrderedDict()


def driven_and_logged(
    setup: Setup, logger: Logger, rng: np.random.Generator, laps: int | None = None
) -> tuple[Simulated, bytes]:
    """The same as the stand-in's `run_setup`, byte for byte, but a drive that several loggers watch is simulated
    once."""
    if laps is not None:
        setup = replace(setup, session=replace(setup.session, laps=laps))
    key = pickle.dumps((setup, rng.bit_generator.state))
    if key in _drives:
        _drives.move_to_end(key)
    else:
        simulated = simulate(setup, rng)
        _drives[key] = simulated, dict(rng.bit_generator.state)
        if len(_drives) > 6:
            _drives.popitem(last=False)
    simulated, after = _drives[key]
    rng.bit_generator.state = after
    return simulated, write_csv(simulated, logger, rng)


CLEAN = Logger(20, gps=True)
"""A logger with nothing wrong."""


@lru_cache(maxsize=32)
def harrowfell_session(logger: Logger, laps: int = 4, seed: int = 7) -> Recording:
    """A warming-up session as a logger writes it."""
    setup = Setup(harrowfell(), heat=Heat(start_c=78), session=Outing(laps=laps))
    return recording_of(driven_and_logged(setup, logger, generator("faults", seed))[1])


@dataclass(frozen=True)
class Judged:
    """A simulated session, what really happened in it, and what Basso says."""

    simulated: Simulated
    truth: list[TrueDip]
    analysis: Analysis


@lru_cache(maxsize=32)
def judged_scenario(name: str, seed: int, laps: int | None = None) -> Judged:
    """Simulate, read and judge a scenario."""
    simulated, csv = run(name, seed, laps)
    options = JudgeOptions()
    if name == "truth-worn":  # worn against the same car in its youth
        setup, logger = SCENARIOS[name].setup(generator(name, seed))
        assert setup.healthy is not None
        young = replace(setup, engine=setup.healthy)
        _, earlier = driven_and_logged(young, logger, generator("young", seed), laps)
        options = JudgeOptions(normal=pooled_normal([recording_of(earlier)]))
    recording = recording_of(csv)
    return Judged(simulated, true_dips(simulated), analyse(recording, side_said(recording, options)))


@dataclass(frozen=True)
class Score:
    """Dips found against dips that happened, paired by the overlap of their intervals."""

    pairs: tuple[tuple[TrueDip, JudgedDip], ...]
    invented: int
    missed: int

    @property
    def f1(self) -> float:
        """F1 of dips; 1 when there is nothing to find and nothing found."""
        hits = 2 * len(self.pairs)
        total = hits + self.invented + self.missed
        return hits / total if total else 1.0


def score(truth: Sequence[TrueDip], found: Sequence[JudgedDip], least_overlap: float = 0.3) -> Score:
    """Pair true and found dips whose intersection over union exceeds ``least_overlap``."""
    free = set(range(len(found)))
    pairs = []
    for t in truth:
        best, which = least_overlap, -1
        for j in free:
            dip = found[j].dip
            both = min(t.end_s, dip.end_s) - max(t.start_s, dip.start_s)
            either = max(t.end_s, dip.end_s) - min(t.start_s, dip.start_s)
            if both / either > best:
                best, which = both / either, j
        if which >= 0:
            free.discard(which)
            pairs.append((t, found[which]))
    return Score(tuple(pairs), len(free), len(truth) - len(pairs))


def made_recording(rate_hz: float = 50.0, seconds: float = 60.0, **roles: FloatArray | float) -> Recording:
    """A recording from arrays or constants by role name, already in base units."""
    time_s = np.arange(0.0, seconds, 1.0 / rate_hz)
    units: dict[str, Unit] = {"oil_pressure": UNITS["kPa"], "oil_temp": UNITS["°C"], "rpm": UNITS["rpm"]}
    channels = []
    for name, values in roles.items():
        array = np.broadcast_to(np.asarray(values, dtype=np.float64), time_s.shape).copy()
        channels.append(Channel(name, Role(name), units.get(name, UNITS["g"]), False, time_s, array))
    return Recording(Path("made.csv"), "made", tuple(channels))


def destroy(window: QWidget) -> None:
    """Close a window and take it down at once: windows that pile up make every change of style dearer."""
    from PySide6.QtCore import QCoreApplication, QEvent

    window.close()
    window.deleteLater()
    QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
    QCoreApplication.processEvents()
