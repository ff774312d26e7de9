"""The same session on a hotter day, or driven faster: its dips computed again, with a band.

Two things that are measured apart are kept apart: *normal*, which is moved to the other oil temperature and engine
speed on the fitted curve, and the *share of it that was lost*, which is taken as it was. That share would hardly be
less with thinner
oil or higher g: the answer is a lower limit of the trouble where the pace itself rises.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from basso.analysis import Analysis
from basso.findings.normal.before import ONE_FOR_ONE, AirsPart
from basso.pressure.dips import find_dips
from basso.pressure.floors import highest_floor
from basso.recording.gaps import median_known
from basso.units import FloatArray


@dataclass(frozen=True, slots=True)
class WhatIf:
    """A session under other conditions.

    Attributes:
        hotter_c, faster_rpm: what was added to oil temperature and engine speed; ``air_c``: by how much the air was
            warmer, which is in ``hotter_c`` by as much as the air moves the oil on this car.
        dips, low_dips, high_dips: number of dips, with the band that normal's 90 % interval makes of it.
        below_s, low_s, high_s: seconds below the floor likewise.
        normal_kpa: normal at the middle of the judged driving, then and now.
        outside: share of the judged driving that lies where normal rests on no data.
    """

    hotter_c: float
    faster_rpm: float
    dips: int
    low_dips: int
    high_dips: int
    below_s: float
    low_s: float
    high_s: float
    normal_kpa: tuple[float, float]
    outside: float
    air_c: float = 0.0


def what_if(
    a: Analysis, hotter_c: float, faster_rpm: float = 0.0, air_c: float = 0.0, part: AirsPart = ONE_FOR_ONE
) -> WhatIf | None:
    """Compute a session's dips again with so much hotter oil, higher engine speed and warmer air.

    None without normal by temperature. ``part``: what the air does to the oil on this car; its interval widens the
    band.
    """
    e = a.expected
    if not e.valid or a.temperature_c is None or e.temperature_range_c is None or not a.judged.any():
        return None
    hotter = hotter_c + air_c * part.by_c
    heat = a.temperature_c + hotter
    rpm = np.where(a.judged, a.followed_rpm + faster_rpm, a.followed_rpm)
    lost = a.pressure_kpa / a.expected_kpa

    def judged(normal_kpa: FloatArray) -> tuple[int, float]:
        floor = highest_floor(a.options.floors, rpm, normal_kpa)
        found = find_dips(a.time_s, lost * normal_kpa, floor.kpa, normal_kpa, a.judged, a.error, a.options.rules)
        return len(found), float(sum(d.duration_s for d in found))

    middle = e.at(rpm, heat)
    if hotter == 0.0 and faster_rpm == 0.0:
        low = high = middle  # as it was: what was measured needs no band
    else:
        coolest, hottest = sorted((air_c * part.low, air_c * part.high))
        low, _ = e.interval(rpm, a.temperature_c + hotter_c + hottest)
        _, high = e.interval(rpm, a.temperature_c + hotter_c + coolest)
    (dips, below), (most, most_s), (least, least_s) = judged(middle), judged(low), judged(high)
    outside = float(np.mean(~e.covers(rpm, heat)[a.judged]))
    now, then = (median_known(kpa[a.judged]) for kpa in (middle, a.expected_kpa))
    return WhatIf(
        hotter_c=hotter,
        faster_rpm=faster_rpm,
        dips=dips,
        low_dips=min(least, most, dips),
        high_dips=max(least, most, dips),
        below_s=below,
        low_s=min(least_s, below),
        high_s=max(most_s, below),
        normal_kpa=(then, now),
        outside=outside,
        air_c=air_c,
    )
