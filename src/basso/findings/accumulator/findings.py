"""What is told of an accumulator on a logged drive: cover, pressures that cross, size, and what an armed one hid."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from basso.accumulator.fitted import Fitted
from basso.accumulator.gas import charged_l, seconds_of_cover, usable_l
from basso.accumulator.replay import Gallery, replay
from basso.analysis import Analysis
from basso.findings.accumulator.armed import is_armed
from basso.findings.accumulator.cover import Cover, cover_of, smallest_l
from basso.findings.accumulator.first_oil import PreOil, pre_oil_of
from basso.findings.accumulator.gallery import DippingPass, Pump, dipping_passes, gallery_from, in_reach
from basso.findings.accumulator.in_pan import InPan, in_pan
from basso.findings.accumulator.ladder import Ladder, ladder_of
from basso.findings.accumulator.logged import MeasuredBottle, measured_bottle
from basso.findings.accumulator.masked import HiddenDip, Unmasked, unmasked
from basso.findings.accumulator.sizing import SizeMap, Window, floor_on, for_a_bottle, size_map, window_of, worst_lap
from basso.progress import Progress, silent
from basso.sump.measured import MeasuredPan
from basso.units import FloatArray

USUAL_PUMP_CM3 = 10.0
"""For a turn of the crank, of an engine of two to three litres (default)."""
_TRACE_STEP_S = 0.06
_LEAD_S = 20.0


@dataclass(frozen=True, slots=True, eq=False)
class LapTrace:
    """A bottle on the lap that is looked at; arrays of shape (n,).

    Attributes:
        time_s: of the log; ``alone_kpa``, ``with_kpa``, ``floor_kpa``: NaN where no floor holds.
        oil_l, gas_kpa, flow_lpm: of the bottle.
        spent_l: oil kept back when the gas is at the floor: below it the bottle holds the floor no more.
    """

    lap: int | None
    time_s: FloatArray
    alone_kpa: FloatArray
    with_kpa: FloatArray
    floor_kpa: FloatArray
    oil_l: FloatArray
    gas_kpa: FloatArray
    flow_lpm: FloatArray
    spent_l: float

    @property
    def short_s(self) -> float:
        """How long it is under the floor with the bottle."""
        step = float(self.time_s[1] - self.time_s[0]) if self.time_s.size > 1 else 0.0
        return float((self.with_kpa < self.floor_kpa).sum() * step)


@dataclass(frozen=True, slots=True, eq=False)
class AccumulatorFindings:
    """An accumulator on a logged drive.

    Attributes:
        analysis: the drive's; ``fitted``: the accumulator that is tried, or was on.
        pump: what is reckoned with; ``pump_is_assumed``: nobody said.
        floor_kpa: to be held; ``floor_is_own``: of the rules, the middle of those where it dips.
        gallery: without any bottle; ``passes``: those that dip on it within a bottle's reach; ``out_of_reach``: how
            many more dip because the oil is thin.
        smallest_l: the least size that holds the floor in every dip no longer than bottles last, the other figures as
            they are; None for none up to 6 L.
        masked: what an armed one hid, where one was; ``measured``: its logged pressure against its card.
        window: precharges and triggers that hold the floor on the worst lap; None where nothing dips.
        in_pan: what its oil does in the pan; None where that was not measured.
        pre_oil: the gallery before the first start; None where the log does not show it.
    """

    analysis: Analysis
    fitted: Fitted
    pump: Pump
    pump_is_assumed: bool
    floor_kpa: float
    floor_is_own: bool
    gallery: Gallery
    passes: tuple[DippingPass, ...]
    out_of_reach: int
    cover: Cover
    ladder: Ladder
    smallest_l: float | None
    sizes: SizeMap | None
    masked: Unmasked | None
    measured: MeasuredBottle | None
    window: Window | None = None
    in_pan: InPan | None = None
    pre_oil: PreOil | None = None

    @property
    def peak_kpa(self) -> float:
        """What the gallery charges it to: normal at the upper end, hot, on flying laps."""
        return peak_kpa(self.analysis, self.ladder)

    @property
    def usable_l(self) -> float:
        """Oil it gives over the floor."""
        return usable_l(self.fitted.bottle, self.peak_kpa, self.floor_kpa)

    @property
    def charged_l(self) -> float:
        """Oil in it when charged."""
        return float(charged_l(self.fitted.bottle, self.peak_kpa))

    @property
    def dipping_rpm(self) -> float | None:
        """Engine speed where it dips, in the middle; None without dips."""
        return float(np.median([p.rpm for p in for_a_bottle(self.passes)])) if self.passes else None

    @property
    def seconds_alone(self) -> float | None:
        """How long the usable oil replaces the whole of the pump where it dips."""
        rpm = self.dipping_rpm
        return seconds_of_cover(self.usable_l, self.pump.flow_lpm(rpm)) if rpm else None


def peak_kpa(a: Analysis, ladder: Ladder) -> float:
    """What a gallery charges a bottle to."""
    return ladder.normal[1] if ladder.normal is not None else float(np.nanpercentile(a.pressure_kpa, 95.0))


def find_accumulator(
    a: Analysis, fitted: Fitted, pan: MeasuredPan | None = None, progress: Progress = silent
) -> AccumulatorFindings:
    """Replay an accumulator on a judged log; where one was armed, first take out what that did.

    ``pan``: the car's own, where it was measured.

    Raises:
        InputError: the log lacks oil pressure or engine speed.
    """
    pump = Pump.of_displacement(fitted.pump_cm3_per_rev or USUAL_PUMP_CM3)
    masked = measured = None
    alone: FloatArray | None = None
    progress(0.0, "replaying the accumulator")
    if is_armed(a):
        masked = unmasked(a, fitted, pump)
        measured = measured_bottle(a, fitted, pump)
        alone = masked.alone_kpa
        passes = tuple(_pass_of(h, a) for h in masked.hidden)
    else:
        passes = dipping_passes(a)
    every = passes
    passes = tuple(p for p in every if p.in_reach)
    gallery = gallery_from(a, pump, alone)
    floor = fitted.floor_kpa
    own = floor is None
    if floor is None:
        floors = [p.floor_kpa for p in for_a_bottle(passes)]
        floor = float(np.median(floors)) if floors else float(np.nanmedian(a.floor.kpa))
    progress(0.2, "replaying the accumulator")
    cover = cover_of(a, gallery, passes, fitted.bottle, fitted.valve, fitted.line, alone)
    ladder = ladder_of(a, fitted.bottle, fitted.valve, floor)
    progress(0.4, "trying sizes")
    bottle, valve, line = fitted.bottle, fitted.valve, fitted.line

    def trying(done: float, what: str) -> None:
        progress(0.4 + 0.4 * done, what)

    smallest = smallest_l(gallery, for_a_bottle(passes), bottle, valve, line, floor, trying)
    sizes = size_map(a, gallery, passes, bottle, valve, line, lambda done, what: progress(0.8 + 0.2 * done, what))
    return AccumulatorFindings(
        analysis=a,
        fitted=fitted,
        pump=pump,
        pump_is_assumed=fitted.pump_cm3_per_rev is None,
        floor_kpa=floor,
        floor_is_own=own,
        gallery=gallery,
        passes=passes,
        out_of_reach=len(every) - len(passes),
        cover=cover,
        ladder=ladder,
        smallest_l=smallest,
        sizes=sizes,
        masked=masked,
        measured=measured,
        window=window_of(a, gallery, passes, bottle, valve, line),
        in_pan=in_pan(pan, cover, float(charged_l(bottle, peak_kpa(a, ladder)))) if pan is not None else None,
        pre_oil=pre_oil_of(a),
    )


def _pass_of(h: HiddenDip, a: Analysis) -> DippingPass:
    corner = a.track is not None and any(p.id == h.place and p.is_corner for p in a.track.places)
    return DippingPass(
        lap=h.lap,
        place=h.place,
        is_corner=corner,
        start_s=h.start_s,
        end_s=h.end_s,
        lowest_kpa=h.without_kpa,
        floor_kpa=h.floor_kpa,
        rpm=float(a.rpm[h.lowest]),
        in_reach=bool(in_reach(a)[h.lowest]),
    )


def trace_of(found: AccumulatorFindings, fitted: Fitted) -> LapTrace:
    """Another bottle on the lap that is looked at, at once: the one that is longest under the floor."""
    a = found.analysis
    lap = worst_lap(a, found.passes)
    if lap is not None:
        start, end = lap.start_s, lap.end_s
    else:
        middle = found.passes[0].start_s if found.passes else float(a.time_s[a.time_s.size // 2])
        start, end = max(middle - 20.0, float(a.time_s[0])), min(middle + 70.0, float(a.time_s[-1]))
    part = found.gallery.part(start - _LEAD_S, end).coarser(_TRACE_STEP_S)
    oil = float(charged_l(fitted.bottle, float(np.median(part.alone_kpa))))
    made = replay(part, fitted.bottle, fitted.valve, fitted.line, oil)
    inside = part.time_s >= start
    floor = floor_on(a, part)
    kept = float(charged_l(replace(fitted.bottle, friction_kpa=0.0), found.floor_kpa + fitted.bottle.friction_kpa))
    return LapTrace(
        lap=lap.number if lap is not None else None,
        time_s=part.time_s[inside],
        alone_kpa=part.alone_kpa[inside],
        with_kpa=made.pressure_kpa[inside],
        floor_kpa=np.where(np.isfinite(floor), floor, np.nan)[inside],
        oil_l=made.oil_l[inside],
        gas_kpa=made.gas_kpa[inside],
        flow_lpm=made.flow_lpm[inside],
        spent_l=kept,
    )


def refill_s(trace: LapTrace) -> float | None:
    """How long it takes on this lap to put back what its largest discharge took; None where it never gives."""
    gave = trace.oil_l.max() - trace.oil_l.min()
    if gave < 0.02:
        return None
    low = int(np.argmin(trace.oil_l))
    later = np.flatnonzero(trace.oil_l[low:] >= trace.oil_l.min() + 0.9 * gave)
    return float(trace.time_s[low + later[0]] - trace.time_s[low]) if later.size else None
