"""What judging gives: the dips, and every array and reason they rest on."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from basso.normal.drift import Drift
from basso.normal.expected import ExpectedPressure
from basso.pressure.causes import Cause, Signals
from basso.pressure.dips import Dip
from basso.pressure.exposure import Exposure
from basso.pressure.floors import FloorLine
from basso.pressure.noise import ReadingError
from basso.pressure.options import JudgeOptions
from basso.pressure.rivals import Rival, rivals_of
from basso.recording.corrections import Correction
from basso.recording.recording import Recording
from basso.recording.roles import Role
from basso.track.corners import Place, TrackMap
from basso.track.laps import Lap
from basso.track.located import rounds
from basso.track.runs import Run
from basso.trust.lookalikes import Lookalike
from basso.trust.side import KNOWN, Side
from basso.trust.verdict import Check
from basso.units import FloatArray


@dataclass(frozen=True, slots=True, kw_only=True)
class JudgedDip:
    """A dip with everything that is told about it."""

    dip: Dip
    cause: Cause
    rpm: float
    temperature_c: float | None
    lap: Lap | None
    place: Place | None
    rule: str | None
    severity: str
    """"dip", "serious" or "severe" by the lowest share of normal (70, 60, 40 %; default)."""


@dataclass(frozen=True, slots=True, eq=False, kw_only=True)
class Analysis:
    """A judged recording; carries the inputs it came from. Arrays of shape (n,) at the pressure's times."""

    recording: Recording
    options: JudgeOptions
    corrected: Recording
    checks: tuple[Check, ...]
    corrections: tuple[Correction, ...]
    laps: tuple[Lap, ...]
    runs: tuple[Run, ...]
    track: TrackMap | None
    expected: ExpectedPressure
    time_s: FloatArray
    pressure_kpa: FloatArray
    expected_kpa: FloatArray
    floor: FloorLine
    rpm: FloatArray
    followed_rpm: FloatArray
    """The engine speed that the gallery has had time to follow: the floor is held to it."""
    temperature_c: FloatArray | None
    lateral_g: FloatArray | None
    longitudinal_g: FloatArray | None
    told_kpa: FloatArray
    """The pressure less what readings are off by; the reading itself where they are exact."""
    error: ReadingError
    """What each reading may be off by on its own."""
    judged: NDArray[np.bool_]
    settled: NDArray[np.bool_]
    dips: tuple[JudgedDip, ...]
    exposure: Exposure
    signals: Signals | None = None
    """What the causes were judged from."""
    drift: Drift | None = None
    """What normal followed where no oil temperature told."""
    likely_kpa: FloatArray | None = None
    """What the rest of the session leads to expect at each moment, starved or not; None where readings tell on their
    own."""
    side: Side = KNOWN
    """Whether it is proven which side is left, and by what."""
    at_or_above: bool = False
    """The sensor shakes so much that a lowest reading lies below the lowest pressure there was."""
    lookalikes: tuple[Lookalike, ...] = ()
    """Columns without a role that look like one the verdict lacks; offered, never taken."""

    @property
    def margin_kpa(self) -> FloatArray:
        """Pressure less floor, as far as the readings tell it; shape (n,)."""
        return self.told_kpa - self.floor.kpa

    @property
    def share(self) -> FloatArray:
        """Share of normal, as far as the readings tell it; shape (n,); NaN where nothing is expected."""
        return self.told_kpa / self.expected_kpa

    @property
    def rounds(self) -> tuple[Lap, ...]:
        """What repeats: the whole laps, else the runs over one route."""
        return rounds(self.laps, self.runs)

    def rivals(self, dip: JudgedDip) -> tuple[Rival, ...]:
        """Every cause a dip might have, with what speaks for and against it; the one that was judged first."""
        return rivals_of(dip.dip, dip.cause, self.signals) if self.signals is not None else ()

    @property
    def zero(self) -> Correction | None:
        """What is added to the pressure so that it reads nothing with the engine stopped; None when nothing is."""
        channel = self.recording.channel(Role.OIL_PRESSURE)
        name = channel.name if channel is not None else ""
        return next((c for c in self.corrections if c.kind == "offset" and c.channel == name), None)

    def puts_right(self, check: Check) -> bool:
        """True where a check's correction is in force, by whatever amount."""
        return check.correction is not None and any(c.key == check.correction.key for c in self.corrections)

    @property
    def zero_state(self) -> str:
        """How far the pressure's zero can be trusted: one of :data:`basso.trust.verdict.ZERO_STATES`."""
        check = next((c for c in self.checks if c.id == "zero"), None)
        if self.zero is not None:
            return "corrected"
        if check is not None and check.correction is not None:
            return "wrong"
        return "measured" if check is not None and check.level == "ok" else "assumed"

    @property
    def zero_proven(self) -> bool:
        """Whether the pressure's zero was read at rest, and a lower one would have shown."""
        read = self.zero_state in ("measured", "corrected")
        return read and not any(c.id == "zero" and c.at_most for c in self.checks)

    @property
    def at_or_below(self) -> bool:
        """True when the pressure was sampled too slowly for a lowest value to be the lowest there was."""
        return any(c.id == "update_rate" and c.level == "warn" for c in self.checks)

    @property
    def judgeable(self) -> bool:
        """False when the recording lacks what judging needs."""
        return not any(c.level == "fail" and c.id in ("oil_pressure", "rpm") for c in self.checks)

    @property
    def barred_by(self) -> Check | None:
        """The failed check for which no verdict between sessions may rest on this one: unread, or wrong unrighted."""
        fails = [c for c in self.checks if c.level == "fail"]
        if not self.judgeable:
            return fails[0]
        return next((c for c in fails if c.correction is None or (c.offered and not self.puts_right(c))), None)
