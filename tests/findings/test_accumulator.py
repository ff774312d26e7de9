"""An accumulator on the stand-in's drives: what is predicted from the log without one is what the same drive shows with
one, and what an armed one hid is what the same drive shows without."""

from __future__ import annotations

import tempfile
from dataclasses import replace
from functools import lru_cache
from pathlib import Path

import numpy as np
import pytest

from basso.accumulator.fitted import Fitted
from basso.accumulator.gas import Bottle
from basso.accumulator.replay import replay
from basso.accumulator.valve import Line, Valve
from basso.analysis import Analysis
from basso.errors import InputError
from basso.findings.accumulator.armed import is_armed
from basso.findings.accumulator.cover import SIZES_L, cover_of, smallest_l
from basso.findings.accumulator.findings import find_accumulator, trace_of
from basso.findings.accumulator.first_oil import pre_oil_of
from basso.findings.accumulator.gallery import Pump, dipping_passes, gallery_from
from basso.findings.accumulator.in_pan import in_pan
from basso.findings.accumulator.ladder import ladder_of
from basso.findings.accumulator.logged import LEAK_KPA_PER_MIN, measured_bottle
from basso.findings.accumulator.masked import unmasked
from basso.findings.accumulator.sizing import HOLDS_S, window_of
from basso.findings.options import weighed
from basso.pressure.earlier import Known
from basso.recording.roles import Role
from basso.standin.car import STEP_S
from basso.standin.faults import Logger, write_csv
from basso.standin.scenarios import SCENARIOS, generator
from basso.standin.simulate import Simulated, simulate
from basso.units import DisplayUnits, FloatArray
from basso.words.accumulator import (
    cover_opening,
    ladder_words,
    listed,
    log_cautions,
    masked_words,
    pan_words,
    station_opening,
    window_words,
)
from basso.words.headline import opening
from basso.workflow import demo_folder, judge, open_recording
from pans import BOX

PUMP = Pump(0.0112)
AS_FITTED = Fitted(Bottle(2.0, 70.0), Valve(), Line(400.0 / 4.2**2, 400.0 / 0.3**2), 11.2)
"""The stand-in's own bottle by its card: 4.2 L/min for each root of a kPa out, 0.3 in."""


@lru_cache(maxsize=4)
def judged(name: str) -> Analysis:
    return judge(open_recording(demo_folder() / f"{name}.csv"))


@lru_cache(maxsize=1)
def both() -> tuple[Simulated, Simulated]:
    """One drive of the stand-in without and with its bottle."""
    scenario = SCENARIOS["accumulator"]
    setup, _ = scenario.setup(generator("accumulator", scenario.demo_seed or 0))

    def drive() -> np.random.Generator:
        return generator("accumulator/drive", scenario.demo_seed or 0)

    return simulate(replace(setup, bottle=None), drive()), simulate(setup, drive())


@lru_cache(maxsize=1)
def without_one() -> Analysis:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "alone.csv"
        path.write_bytes(write_csv(both()[0], Logger(), generator("accumulator/log", 3)))
        return judge(open_recording(path))


def lowest(pressure: FloatArray, start_s: float, end_s: float) -> float:
    return float(pressure[round(start_s / STEP_S) : round(end_s / STEP_S) + 1].min())


def test_the_same_drive_with_the_bottle_shows_what_was_predicted_without() -> None:
    a = without_one()
    passes = dipping_passes(a)
    assert len(passes) >= 15 and passes == tuple(sorted(passes, key=lambda p: p.start_s))
    cover = cover_of(a, gallery_from(a, PUMP), passes, AS_FITTED.bottle, AS_FITTED.valve, AS_FITTED.line)
    near = []
    for p in cover.passes:
        true = lowest(both()[1].pressure_kpa, p.without.start_s, p.without.end_s)
        near.append(abs(p.lowest_kpa - true) <= max(12.0, 0.10 * true))
        assert p.lowest_kpa >= p.without.lowest_kpa - 3.0
    assert np.mean(near) >= 0.9
    assert cover.spent_l_per_lap is not None and 0.1 < cover.spent_l_per_lap < 2.0
    assert cover.emptiest_l is not None and not any(p.ran_dry for p in cover.passes)


def test_an_armed_bottle_taken_out_leaves_what_the_same_drive_shows_without() -> None:
    a = judged("accumulator")
    alone = both()[0].pressure_kpa
    found = unmasked(a, AS_FITTED, PUMP)
    assert found.how == "bottle's pressure" and len(found.hidden) > len(a.dips)
    hidden = found.hidden[:-1]  # the last is the engine's stop
    truth = [lowest(alone, h.start_s, h.end_s) for h in hidden]
    off = [h.without_kpa - t for h, t in zip(hidden, truth, strict=True)]
    assert np.median(np.abs(off)) < 12.0
    spans = [slice(*np.searchsorted(a.time_s, (h.start_s, h.end_s))) for h in hidden]
    held = [
        float(found.low_kpa[span].min()) <= t <= h.best_kpa for h, t, span in zip(hidden, truth, spans, strict=True)
    ]
    assert np.mean(held) > 0.75
    assert found.discharges_per_lap is not None and 4 <= found.discharges_per_lap <= 12


def test_without_the_bottles_pressure_its_card_tells_nearly_as_much() -> None:
    a = judged("accumulator")
    channels = tuple(c for c in a.recording.channels if c.role is not Role.ACCUMULATOR_PRESSURE)
    bare = replace(a, recording=replace(a.recording, channels=channels))
    found = unmasked(bare, AS_FITTED, PUMP)
    assert found.how == "card" and measured_bottle(bare, AS_FITTED, PUMP) is None
    alone = both()[0].pressure_kpa
    off = [h.without_kpa - lowest(alone, h.start_s, h.end_s) for h in found.hidden[:-1]]
    assert len(off) > 15 and np.median(np.abs(off)) < 12.0


def test_its_logged_pressure_says_whether_the_precharge_is_there() -> None:
    a = judged("accumulator")
    good = measured_bottle(a, AS_FITTED, PUMP)
    assert good is not None and good.emptied and good.least_kpa == pytest.approx(70.0, abs=3.0)
    assert good.fitted_off_kpa < 4.0 and good.moves and not good.has_lost_precharge and not good.is_slow
    assert good.in_kpa == pytest.approx(400.0 / 0.3**2, rel=0.4)
    lost = measured_bottle(a, replace(AS_FITTED, bottle=Bottle(2.0, 86.0)), PUMP)
    assert lost is not None and lost.has_lost_precharge
    kept = measured_bottle(a, replace(AS_FITTED, bottle=Bottle(2.0, 82.0)), PUMP)
    assert kept is not None and not kept.has_lost_precharge, "within what a gauge reads"
    assert measured_bottle(judged("baseline-1"), AS_FITTED, PUMP) is None


def test_the_smallest_size_holds_and_the_next_one_down_does_not() -> None:
    a = judged("baseline-1")
    gallery, passes = gallery_from(a, PUMP), [p for p in dipping_passes(a) if not p.is_long]
    bottle, line = Bottle(2.0, 150.0, settle_s=5.0), Line(20.0, 20.0)
    size = smallest_l(gallery, passes, bottle, Valve(), line, 190.0)
    assert size is not None and 0.2 < size < 6.0

    def least(total: float) -> float:
        made = cover_of(a, gallery, passes, replace(bottle, total_l=total), Valve(), line)
        return min(p.lowest_kpa for p in made.passes)

    assert least(size) >= 190.0 - 1.0 and least(size - 0.1) < 190.0 + 1.0
    assert smallest_l(gallery, passes, bottle, Valve(), line, min(p.lowest_kpa for p in passes)) == 0.0
    assert smallest_l(gallery, passes, bottle, Valve(), line, 390.0) is None
    assert smallest_l(gallery, (), bottle, Valve(), line, 390.0) == 0.0 and SIZES_L[-1] == 6.0


def kinds(trigger: float | None = None, precharge: float = 120.0, floor: float = 200.0) -> dict[str, bool]:
    a = judged("baseline-1")
    ladder = ladder_of(a, Bottle(2.0, precharge), Valve(trigger), floor)
    words = ladder_words(ladder)
    assert len(words) == len(ladder.rungs) and [r.is_fault for r in ladder.rungs] == sorted(
        (r.is_fault for r in ladder.rungs), reverse=True
    )
    return {r.kind: r.is_fault for r in ladder.rungs}


def test_pressures_that_cross_are_named() -> None:
    """The demo car idles hot at 57 to 63 kPa, and shows 275 to 389 hot on its laps."""
    assert kinds() == {"plain_empties_at_idle": True, "refills": False}
    assert kinds(trigger=215.0)["trigger_right"] is False and kinds(trigger=195.0)["trigger_under_floor"] is True
    assert "trigger_over_idle" not in kinds(trigger=50.0) and kinds(trigger=70.0)["trigger_over_idle"] is True
    assert kinds(trigger=380.0)["trigger_over_normal"] is True and "trigger_over_normal" not in kinds(trigger=360.0)
    assert kinds(precharge=205.0)["precharge_over_floor"] is True
    assert kinds(precharge=99.0)["precharge_far_under_floor"] is True
    assert "precharge_far_under_floor" not in kinds(precharge=101.0)
    assert kinds(precharge=400.0)["precharge_over_normal"] is True
    assert kinds(floor=395.0)["floor_impossible"] is True and "floor_impossible" not in kinds(floor=380.0)


def test_what_crosses_is_said_in_words() -> None:
    a = judged("baseline-1")
    told = " ".join(map(str, ladder_words(ladder_of(a, Bottle(2.0, 150.0), Valve(395.0), 390.0))))
    assert "No accumulator holds 390 kPa: this engine charges it to 389 kPa hot at most." in told
    assert "The switch shuts at 410 kPa, over your pressure of 389 kPa at 110 °C: it never shuts" in told
    assert "armed, it opens at every stop" in told and "froth likely" in told


def test_a_whole_drive_is_found_out_and_said_by_place() -> None:
    a = judged("baseline-1")
    found = find_accumulator(a, Fitted(pump_cm3_per_rev=11.2))
    assert found.masked is None and found.measured is None and not found.pump_is_assumed and found.floor_is_own
    assert found.out_of_reach == len(dipping_passes(a)) - len(found.passes)
    title, detail = station_opening(found)
    assert title.startswith("The 2.0 L bottle covers ") and "but not turns" in title
    assert "no work for a bottle" in detail and "Predicted from this log." in detail
    trace = trace_of(found, found.fitted)
    assert trace.lap == found.sizes.lap if found.sizes is not None else False  # type: ignore[union-attr]
    larger = trace_of(found, replace(found.fitted, bottle=replace(found.fitted.bottle, total_l=4.0)))
    assert larger.short_s < trace.short_s and larger.oil_l.max() > trace.oil_l.max()
    assert np.allclose(larger.alone_kpa, trace.alone_kpa), "what was without it stays"
    assumed = find_accumulator(a, Fitted())
    assert assumed.pump_is_assumed and "pump's size is assumed" in station_opening(assumed)[1]


def test_the_best_place_on_the_map_holds_and_none_smaller_does() -> None:
    a = judged("accumulator")
    found = find_accumulator(a, AS_FITTED)
    sizes = found.sizes
    assert sizes is not None and sizes.best is not None
    size, precharge = sizes.best
    column = int(np.argmin(np.abs(sizes.sizes_l - size)))
    row = int(np.argmin(np.abs(sizes.precharges_kpa - precharge)))
    assert sizes.short_s[row, column] <= HOLDS_S and np.all(sizes.short_s[:, :column] > HOLDS_S)
    nothing = replace(sizes, short_s=np.full(sizes.short_s.shape, 1.0))
    assert nothing.best is None
    assert "armed" in station_opening(found)[0] and masked_words(found)[0][1]


def test_an_armed_session_is_known_by_its_card_or_its_log() -> None:
    a = judged("baseline-1")
    for state, armed in (("armed", True), ("off", False), ("none", False), ("unknown", False)):
        known = replace(a, options=replace(a.options, known=Known(accumulator=state)))
        assert is_armed(known) is armed
    assert is_armed(judged("accumulator"))
    off = replace(judged("accumulator"), options=replace(a.options, known=Known(accumulator="off")))
    assert not is_armed(off)
    # The sentence at the top says so, with dips and without: an armed one hides them.
    armed = replace(a, options=replace(a.options, known=Known(accumulator="armed")))
    for x in (armed, replace(armed, dips=())):
        assert "The accumulator was armed and hides dips" in opening(x, DisplayUnits()).detail
    assert "accumulator" not in opening(a, DisplayUnits()).detail.lower()
    assert (
        "accumulator's pressure is logged: armed, it hides dips"
        in opening(judged("accumulator"), DisplayUnits()).detail
    )


def test_a_drive_without_dips_needs_no_bottle_and_says_so() -> None:
    a = replace(judged("baseline-1"), dips=())
    found = find_accumulator(a, AS_FITTED)
    assert found.passes == () and found.sizes is None and found.smallest_l == 0.0
    assert station_opening(found)[0] == "No pass dips on this drive: the 2.0 L bottle has nothing to cover."
    assert any("nothing for a bottle to cover" in w for w in log_cautions(a))
    assert trace_of(found, found.fitted).time_s.size > 100


def test_a_log_without_normal_says_that_it_is_less_sure() -> None:
    a = judged("baseline-1")
    unknown = replace(a, expected=replace(a.expected, valid=False, reason="too short"))
    assert any("could not be learned (too short)" in w for w in log_cautions(unknown))
    gallery = gallery_from(unknown, PUMP)
    assert np.all(np.isfinite(gallery.stiffness_out)) and np.all(gallery.stiffness_out > 0.0)
    assert np.all(np.isfinite(replay(gallery, AS_FITTED.bottle, Valve(), AS_FITTED.line).pressure_kpa))


def test_what_the_bottle_gives_comes_into_the_pan() -> None:
    """The box holds 8.32 L on 5.2 dm²: its sweep at 112 mm takes 5.82 L."""
    a = judged("baseline-1")
    passes = [p for p in dipping_passes(a) if not p.is_long]
    cover = cover_of(a, gallery_from(a, PUMP), passes, AS_FITTED.bottle, Valve(), Line())
    pan = replace(BOX, fill_l=4.3, away_l=0.7, sweep_m=0.112)
    found = in_pan(pan, cover, 1.3)
    assert found is not None and found.emptied_l == pytest.approx(5.6)
    assert found.most_l == pytest.approx(5.824) and found.over_l == pytest.approx(5.6 - 5.824)
    assert 0.1 < found.given_l < 1.3
    assert found.uncover_g is not None and found.uncover_given_g is not None
    assert found.uncover_given_g > found.uncover_g, "more oil in the pan covers longer"
    over = in_pan(pan, cover, 1.6)
    assert over is not None and over.over_l == pytest.approx(5.9 - 5.824)
    unknown = in_pan(replace(pan, sweep_m=None), cover, 1.6)
    assert unknown is not None and unknown.over_l is None and in_pan(replace(pan, fill_l=None), cover, 1.3) is None
    told = find_accumulator(a, AS_FITTED, pan)
    assert "under the crank's sweep" in str(pan_words(told)[0][0]) and not pan_words(told)[0][1]
    froth = find_accumulator(a, AS_FITTED, replace(pan, sweep_m=0.100))
    assert "over the crank's sweep: froth." in str(pan_words(froth)[0][0]) and pan_words(froth)[0][1]


def test_the_window_holds_inside_and_not_outside() -> None:
    a = judged("accumulator")
    bottle = replace(AS_FITTED.bottle, total_l=3.0)
    found = find_accumulator(a, replace(AS_FITTED, bottle=bottle))
    window = found.window
    assert window is not None and window.precharge_kpa is not None and window.trigger_kpa is None
    low, high = window.precharge_kpa

    def short(precharge: float) -> float:
        looked_at = replace(bottle, precharge_kpa=precharge)
        w = window_of(a, found.gallery, found.passes, looked_at, Valve(), AS_FITTED.line)
        assert w is not None
        return w.margin_kpa

    assert short(0.5 * (low + high)) > -6.0 and short(high + 40.0) < short(0.5 * (low + high))
    said = [str(w) for w, _ in window_words(found)]
    assert any("This size holds with a precharge of" in w for w in said)
    small = find_accumulator(a, replace(AS_FITTED, bottle=replace(bottle, total_l=0.3)))
    assert small.window is not None and small.window.margin_kpa < 0.0
    told = window_words(small)
    assert told[0][1] and "short by" in str(told[0][0]) and "Whatever its precharge" in str(told[1][0])
    late, right = (
        window_of(a, found.gallery, found.passes, bottle, Valve(kpa), AS_FITTED.line) for kpa in (220.0, 380.0)
    )
    assert late is not None and right is not None and late.trigger_kpa is not None
    assert 220.0 < late.trigger_kpa[0] < 380.0 < late.trigger_kpa[1]
    assert right.margin_kpa > -6.0 > late.margin_kpa


def test_a_bottle_that_stands_shut_and_loses_is_seen_to_leak() -> None:
    """Its pressure at the stop, before and after, made up: charged at 300 kPa it loses 3, then 1 kPa a minute."""
    a = judged("accumulator")
    channel = a.recording.channel(Role.ACCUMULATOR_PRESSURE)
    assert channel is not None
    stop = float(a.time_s[np.flatnonzero(a.rpm > 500.0)[-1]])
    long = np.concatenate([channel.time_s, channel.time_s[-1] + np.arange(0.05, 60.0, 0.05)])

    def leak(kpa_per_min: float) -> float | None:
        values = np.concatenate([channel.values, np.full(long.size - channel.values.size, 300.0)])
        after = long > stop + 3.0
        values[after] = 300.0 - kpa_per_min / 60.0 * (long[after] - stop)
        steps = np.ones(long.size - a.time_s.size)
        longer = replace(
            a,
            recording=replace(
                a.recording,
                channels=tuple(
                    replace(c, time_s=long, values=values) if c is channel else c for c in a.recording.channels
                ),
            ),
            time_s=long,
            pressure_kpa=np.concatenate([a.pressure_kpa, 0.0 * steps]),
            rpm=np.concatenate([a.rpm, 0.0 * steps]),
            followed_rpm=np.concatenate([a.followed_rpm, 0.0 * steps]),
            temperature_c=None,
        )
        found = measured_bottle(longer, replace(AS_FITTED, valve=Valve(200.0)), PUMP)
        assert found is not None
        return found.leak_kpa_per_min

    assert leak(3.0) == pytest.approx(3.0, abs=0.3) and leak(1.0) == pytest.approx(1.0, abs=0.3)
    assert LEAK_KPA_PER_MIN == 2.0
    plain = measured_bottle(a, AS_FITTED, PUMP)
    assert plain is not None and plain.leak_kpa_per_min is None, "an open valve empties it: that is no leak"


def test_a_start_says_whether_the_bearings_had_oil_first() -> None:
    a = judged("accumulator")
    cold = pre_oil_of(a)
    assert cold is not None and not cold.is_pre_oiled and cold.kpa < 5.0
    held = replace(a, pressure_kpa=np.where(a.time_s < cold.start_s, 36.0, a.pressure_kpa))
    assert pre_oil_of(held).is_pre_oiled  # type: ignore[union-attr]
    assert not pre_oil_of(replace(held, pressure_kpa=held.pressure_kpa - 2.0)).is_pre_oiled  # type: ignore[union-attr]
    assert pre_oil_of(replace(a, rpm=np.full(a.rpm.shape, 3000.0))) is None, "it runs from the start"
    assert pre_oil_of(replace(a, rpm=np.zeros(a.rpm.shape))) is None
    found = find_accumulator(held, AS_FITTED)
    assert any("Pre-oiled: 36 kPa" in str(w) for w, _ in pan_words(found))


def test_options_are_weighed_by_what_makes_the_dips() -> None:
    a = judged("baseline-1")
    rows = weighed(a)
    assert [r.works_on for r in rows] == sorted((r.works_on for r in rows), reverse=True)
    assert rows[0].option.key == "level" and rows[0].dips == len(a.dips)
    assert all(r.option.will_not_fix and r.option.leaves for r in rows) and "dry_sump" in {r.option.key for r in rows}
    thin = replace(a, dips=tuple(replace(d, cause=replace(d.cause, name="hot_oil")) for d in a.dips))
    assert weighed(thin)[0].option.key == "oil" and weighed(thin)[0].works_on == len(a.dips)
    assert next(r for r in weighed(thin) if r.option.key == "accumulator").works_on == 0


def test_places_are_listed_as_one_says_them() -> None:
    assert listed(["turn 6"]) == "turn 6" and listed(["turn 6", "B3"]) == "turn 6 and B3"
    assert listed(["turn 2", "turn 4", "B3"]) == "turns 2, 4 and B3" and listed(["B1", "B3"]) == "B1 and B3"
    a = judged("baseline-1")
    none = cover_of(a, gallery_from(a, PUMP), (), AS_FITTED.bottle, Valve(), Line())
    assert cover_opening(none, 200.0, 0.0)[1] == ""


@pytest.mark.parametrize(
    ("make", "words"),
    [
        (lambda: Pump.of_displacement(0.05), "0.1 to 500"),
        (lambda: Pump.of_displacement(10.0, 1.1), "0.2 to 1"),
        (lambda: Pump.of_flow(50.0, 50.0), "between 100 and 25000"),
    ],
)
def test_pumps_that_no_engine_has_are_refused(make: object, words: str) -> None:
    with pytest.raises(InputError, match=words):
        make()  # type: ignore[operator]
    assert Pump.of_flow(50.0, 5000.0).l_per_rev == pytest.approx(0.01)
    assert Pump.of_displacement(10.0, 0.9).flow_lpm(1000.0) == pytest.approx(9.0)
