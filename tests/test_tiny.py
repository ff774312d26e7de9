"""Logs of a few samples, at any rate, with readings missing and pauses: judged or not, never a fault."""

from __future__ import annotations

from pathlib import Path
from types import MappingProxyType

import numpy as np
import pytest

from basso.oilway.drops import find_drops
from basso.pressure.floors import Fixed
from basso.recording.channel import Channel
from basso.recording.recording import Recording
from basso.recording.roles import QUANTITY_OF, Role
from basso.report.documents import analysis_document, dump
from basso.report.html_page import to_html
from basso.report.run_sheet_page import run_sheet_page
from basso.report.session_report import session_report
from basso.trial.run_sheet import run_sheet, verdict_of
from basso.units import DisplayUnits, base_unit
from basso.workflow import judge

MIDDLE_AND_SPREAD = {
    Role.RPM: (4000, 2000),
    Role.OIL_PRESSURE: (300, 150),
    Role.PRESSURE_PUMP_OUT: (340, 150),
    Role.OIL_TEMP: (90, 15),
    Role.LATERAL_G: (0, 1),
    Role.LONGITUDINAL_G: (0, 1),
    Role.SPEED: (30, 15),
    Role.LATITUDE: (50, 1e-4),
    Role.LONGITUDE: (5, 1e-4),
    Role.LAP: (2, 2),
    Role.AIR_PRESSURE: (100, 1),
    Role.THROTTLE: (50, 50),
    Role.DISTANCE: (500, 400),
}


@pytest.mark.parametrize("step", [0.001, 0.02, 0.1, 1.0])
@pytest.mark.parametrize("gaps", ["whole", "missing", "paused"])
def test_a_few_samples_are_no_fault(step: float, gaps: str) -> None:
    for n in (2, 3, 4, 5, 7, 12, 30, 120):
        rng = np.random.default_rng(n)
        time_s = np.cumsum(rng.uniform(0.5, 1.5, n)) * step
        if gaps == "paused":
            time_s[n // 2 :] += 1000.0
        channels = []
        for role, (middle, spread) in MIDDLE_AND_SPREAD.items():
            values = middle + spread * rng.uniform(-1, 1, n)
            if gaps == "missing":
                values[rng.random(n) < 0.3] = np.nan
            quantity = QUANTITY_OF[role]
            unit = base_unit(quantity) if quantity is not None else None
            channels.append(
                Channel(
                    name=role.value,
                    role=role,
                    unit=unit,
                    unit_assumed=False,
                    time_s=time_s,
                    values=values,
                    confidence=1.0,
                    why="",
                    doubt="",
                )
            )
        a = judge(Recording(Path("few.csv"), "test", tuple(channels), (), MappingProxyType({}), "few"))
        assert dump(analysis_document(a))  # which holds no NaN
        find_drops(a.corrected, None)
        page = to_html(session_report([a], [], DisplayUnits()))
        assert ">nan<" not in page and ">inf<" not in page
        assert verdict_of(a, Fixed(1.0)).call != "go", "a few samples give no leave to go"
        assert run_sheet_page(run_sheet(a, Fixed(1.0)), "few", "", [], "", DisplayUnits()).blocks
