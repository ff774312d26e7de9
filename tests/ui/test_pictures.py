"""What is drawn, worked out without Qt: pyramid, ticks, tide, pan, words."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from basso import workflow
from basso.analysis import analyse
from basso.standin.faults import Logger
from basso.sump.sections import drawing_of, pan_of_box
from basso.sump.shape import BoxPan
from basso.ui.pan.picture import pan_picture
from basso.ui.pan.readings import readings
from basso.ui.plots.nearest import nearest
from basso.ui.plots.pyramid import Pyramid
from basso.ui.plots.ticks import clock, round_step, ticks, time_ticks
from basso.ui.stations.dips.dip_working import working
from basso.ui.stations.dips.picture import cause_words, columns, dip_rows, panels
from basso.ui.tide.picture import TidePicture
from basso.units import UNITS, DisplayUnits
from basso.words.headline import opening
from support import harrowfell_session, judged_scenario, recording_of

UNITS_KPA = DisplayUnits()
UNITS_PSI = replace(DisplayUnits(), pressure=UNITS["psi"])


class TestPyramid:
    @pytest.mark.parametrize("n", [50, 5_000, 200_000])
    @pytest.mark.parametrize("count", [100, 777])
    def test_columns_are_the_extremes_of_their_samples(self, n: int, count: int) -> None:
        rng = np.random.default_rng(n)
        t, v = np.arange(n) * 0.01, np.cumsum(rng.normal(size=n))
        start, end = float(t[n // 10]), float(t[-n // 10])
        c = Pyramid(t, v).columns(start, end, count)
        if not c.dense:
            assert c.low.tolist() == c.high.tolist()
            return
        edges = np.searchsorted(t, np.linspace(start, end, count + 1))
        for i in range(0, count, 7):
            part = v[edges[i] : edges[i + 1]]
            if part.size:
                # A block may reach a little past the column, never miss inside it.
                assert c.low[i] <= part.min()
                assert c.high[i] >= part.max()
        assert np.nanmin(c.low) >= v.min() and np.nanmax(c.high) <= v.max()

    def test_a_gap_stays_a_gap(self) -> None:
        t, v = np.arange(100_000) * 0.01, np.ones(100_000)
        v[40_000:60_000] = np.nan
        c = Pyramid(t, v).columns(0.0, 1000.0, 500)
        assert np.isnan(c.low[210:290]).all()
        assert np.isfinite(c.low[:190]).all()

    def test_a_single_low_sample_in_an_hour_is_not_lost(self) -> None:
        t, v = np.arange(360_000) * 0.01, np.full(360_000, 300.0)
        v[123_456] = 10.0
        assert np.nanmin(Pyramid(t, v).columns(0.0, 3600.0, 800).low) == 10.0


class TestTicks:
    @given(st.floats(-1e4, 1e4), st.floats(0.01, 1e5), st.integers(2, 10))
    def test_round_and_inside_and_not_too_many(self, low: float, span: float, most: int) -> None:
        values = ticks(low, low + span, most)
        assert len(values) <= most + 1
        assert all(low - 1e-6 * span <= v <= low + span * (1 + 1e-6) for v in values)

    def test_steps_are_1_2_25_or_5(self) -> None:
        assert [round_step(s, 5) for s in (10, 11, 3.0, 600, 0.07)] == pytest.approx([2, 2.5, 1, 200, 0.02])

    @pytest.mark.parametrize(
        ("seconds", "decimals", "text"), [(0, 0, "0:00"), (74.2, 1, "1:14.2"), (59.96, 1, "1:00.0"), (3605, 0, "60:05")]
    )
    def test_clock(self, seconds: float, decimals: int, text: str) -> None:
        assert clock(seconds, decimals) == text

    def test_time_ticks_are_round(self) -> None:
        assert time_ticks(3.0, 95.0, 6) == [30.0, 60.0, 90.0]


class TestTide:
    def test_dips_are_cuts_and_ample_margin_is_tide(self) -> None:
        a = judged_scenario("baseline-1", 3).analysis
        picture = TidePicture(a)
        c = picture.columns(1000)
        for d in a.dips:
            if d.dip.duration_s > 1.0:
                at = int((d.dip.start_s + d.dip.end_s) / 2 / picture.end_s * 1000)
                assert np.nanmin(c.low[max(0, at - 1) : at + 2]) < 0
        assert np.nanmax(c.high) == pytest.approx(1.0)
        assert np.nanmin(c.low) == pytest.approx(-1.0)

    def test_where_nothing_is_judged_there_is_no_water(self) -> None:
        picture = TidePicture(judged_scenario("baseline-1", 3).analysis)
        assert np.isnan(picture.columns(1000).low[:5]).all()


class TestPan:
    box = drawing_of(pan_of_box(BoxPan(0.26, 0.20, 0.16, (0.0, 0.042, 0.008))))

    def test_level(self) -> None:
        p = pan_picture(self.box, 3.5, 0.0, 0.0)
        assert p.covered
        assert p.way == "level"
        assert p.tilt_deg == pytest.approx(0.0)
        assert p.head_m == pytest.approx(3.5e-3 / (0.26 * 0.20) - 0.008, abs=1e-4)

    @pytest.mark.parametrize(
        ("ax", "ay", "way"),
        [
            (0.0, 1.0, "right"),
            (0.0, -1.0, "left"),
            (-1.0, 0.0, "front"),
            (1.0, 0.0, "back"),
            (-1.0, 1.0, "right and front"),
        ],
    )
    def test_the_oil_goes_the_other_way(self, ax: float, ay: float, way: str) -> None:
        p = pan_picture(self.box, 3.0, ax, ay)
        assert p.way == way
        assert p.tilt_deg == pytest.approx(np.degrees(np.arctan(np.hypot(ax, ay))))

    def test_one_g_is_45_degrees(self) -> None:
        assert pan_picture(self.box, 3.0, 0.0, 1.0).tilt_deg == pytest.approx(45.0)


class TestWords:
    def test_the_opening_names_direction_g_and_what_to_do(self) -> None:
        words = opening(judged_scenario("baseline-1", 3).analysis, UNITS_KPA)
        assert words.title.startswith("Left turns above 1.")
        assert "every lap" in words.title
        assert "Next:" in words.detail
        assert "kPa is needed" in words.detail

    def test_a_healthy_session_is_not_called_safe(self) -> None:
        words = opening(judged_scenario("truth-healthy", 101).analysis, UNITS_KPA)
        assert words.title.startswith("No dips")
        assert "safe" not in (words.title + words.detail).lower()
        assert "Seen up to 1.2 g left" in words.detail and "nothing is known beyond, nor with less oil" in words.detail

    @pytest.mark.parametrize(
        ("name", "says"),
        [
            ("truth-braking", "Braking above"),
            ("truth-high-rpm", "high rpm"),
            ("truth-hot-oil", "hot and thin"),
            ("truth-worn", "low everywhere"),
            ("truth-right", "Right turns"),
        ],
    )
    def test_each_mechanism_has_its_sentence(self, name: str, says: str) -> None:
        assert says in opening(judged_scenario(name, 101).analysis, UNITS_KPA).title

    def test_rows_align_with_their_headings_in_any_units(self) -> None:
        a = judged_scenario("baseline-1", 3).analysis
        for units in (UNITS_KPA, UNITS_PSI):
            assert {len(r.cells) for r in dip_rows(a, units)} == {len(columns(units))}
        kpa, psi = (float(dip_rows(a, u)[0].cells[2]) for u in (UNITS_KPA, UNITS_PSI))
        assert psi == pytest.approx(kpa / 6.894757, abs=0.6)

    def test_cause_in_a_few_words(self) -> None:
        words = [cause_words(d) for d in judged_scenario("truth-left", 101).analysis.dips]
        assert all(w.startswith("Left turn 1.") and "s after" in w for w in words)

    def test_working_adds_up(self) -> None:
        a = judged_scenario("shakedown", 2).analysis
        steps = {s.what: s for s in working(a, a.dips[0], UNITS_KPA)}
        assert "as logged −" in steps["Lowest margin's pressure"].formula
        assert "vacuum" in steps["Lowest margin's pressure"].source
        assert "ASTM D341" in steps["Normal pressure"].source
        assert "under it" in steps["What would change it"].formula

    @pytest.mark.parametrize(
        ("logger", "title", "what"),
        [
            (Logger(10, vibration_kpa=40.0), "Less the shaking", "off by"),
            (Logger(10, steps_kpa=25.0), "Within the steps", "within 12 kPa of each reading"),
        ],
    )
    def test_working_says_what_readings_that_do_not_tell_were_held_against(
        self, logger: Logger, title: str, what: str
    ) -> None:
        a = analyse(harrowfell_session(logger))
        assert a.likely_kpa is not None and a.dips
        step = {s.what: s for s in working(a, a.dips[0], UNITS_KPA)}[title]
        assert what in step.source
        likely = float(a.likely_kpa[a.dips[0].dip.lowest_margin])
        assert f"the rest of the session leads to expect {likely:.0f} kPa here" in step.source
        assert f"{a.dips[0].dip.told_share:.0%} of normal" in step.formula

    def test_working_of_exact_readings_holds_them_against_nothing(self) -> None:
        a = judged_scenario("baseline-1", 3).analysis
        assert a.likely_kpa is None
        assert not {"Less the shaking", "Within the steps"} & {s.what for s in working(a, a.dips[0], UNITS_KPA)}

    def test_readings_at_the_cursor(self) -> None:
        a = judged_scenario("baseline-1", 3).analysis
        d = a.dips[3].dip
        rows = {r.name: r for r in readings(a, float(a.time_s[d.lowest_margin]), UNITS_KPA)}
        assert rows["Margin"].low
        assert rows["Margin"].value.startswith("−")
        assert rows["Lateral"].value.endswith("left")
        assert float(rows["Pressure"].value) == pytest.approx(a.pressure_kpa[d.lowest_margin], abs=0.5)

    def test_with_the_engine_off_nothing_is_claimed(self) -> None:
        a = judged_scenario("baseline-1", 3).analysis
        rows = {r.name: r for r in readings(a, 1.0, UNITS_KPA)}
        assert rows["Normal"].value == rows["Floor"].value == rows["Margin"].value == "–"

    def test_panels_have_units_and_hold_their_lines(self) -> None:
        for panel in panels(judged_scenario("baseline-1", 3).analysis, UNITS_PSI):
            assert panel.unit
            assert panel.low < panel.high
            for line in panel.lines:
                known = line.values[np.isfinite(line.values)]
                assert np.mean((known >= panel.low) & (known <= panel.high)) > 0.98

    def test_nearest_sample(self) -> None:
        t = np.array([0.0, 1.0, 2.0])
        assert [nearest(t, x) for x in (-5, 0.4, 0.6, 1.5001, 99)] == [0, 0, 1, 2, 2]


def test_where_the_pressure_is_sampled_too_slowly_lowest_means_at_or_below() -> None:
    lines = (workflow.demo_folder() / "baseline-1.csv").read_text().splitlines()
    rows = [line.split(",") for line in lines]
    for i in range(1, len(rows)):
        rows[i][2] = rows[1 + (i - 1) // 4 * 4][2]  # written at 20 Hz, renewed at 5
    slow = workflow.judge(recording_of("\n".join(map(",".join, rows)).encode()))
    assert slow.at_or_below and slow.dips
    assert all(r.cells[2].startswith("≤") for r in dip_rows(slow, DisplayUnits()))
    assert "lowest ≤" in opening(slow, DisplayUnits()).detail
    whole = workflow.judge(recording_of("\n".join(lines).encode()))
    assert not any("≤" in r.cells[2] for r in dip_rows(whole, DisplayUnits()))
