"""The flow model on the demo car: what it was not told it finds, what it predicts was measured later, and where it
cannot reproduce the logs it predicts nothing."""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache

import numpy as np
import pytest

from basso.analysis import Analysis
from basso.errors import InputError
from basso.findings.sump import calibration_of, logged_of
from basso.sump.calibration import Calibration, Logged, calibrate
from basso.sump.compartments import compartments_of
from basso.sump.flow import Run
from basso.sump.measured import Pickup
from basso.sump.variants import changed, parse_change, predict
from basso.words.sump import calibration_words, prediction_words
from basso.workflow import demo_folder, judge, open_recording, run_trial
from pans import BOX
from support import side_said

FILL_M3 = 0.0043


@lru_cache(maxsize=4)
def judged(name: str) -> Analysis:
    recording = open_recording(demo_folder() / f"{name}.csv")
    return judge(recording, side_said(recording))


@lru_cache(maxsize=1)
def demo_car() -> Calibration:
    return calibration_of([judged("baseline-1"), judged("baseline-2")], compartments_of(BOX), FILL_M3)


def test_it_finds_how_the_demo_cars_oil_moves() -> None:
    """The stand-in's surface swings at 0.5 Hz with a damping of 0.7, and 0.8 L are up at 7000 rpm: nobody told."""
    c = demo_car()
    assert c.usable and c.reason == "" and c.passes == 169
    assert c.error_kpa < 8.0 and c.explained > 0.9
    fitted = c.fitted()
    assert fitted["slosh_hz"].value == pytest.approx(0.5, rel=0.15)
    assert fitted["damping"].value == pytest.approx(0.7, rel=0.3)
    assert fitted["held_l"].low < 0.8 * 6000 / 7000 < fitted["held_l"].high or fitted["held_l"].value == pytest.approx(
        0.69, rel=0.25
    )
    assert "openings" not in fitted, "the box has none"
    assert str(calibration_words(c)).startswith("On 169 passes of laps not used for the fit, the lowest pressure")


def test_what_it_predicts_of_more_oil_is_what_the_trial_then_measured() -> None:
    c = demo_car()
    (more, same) = predict(
        c, [changed(t, c.compartments, FILL_M3, parse_change(t)) for t in ("volume=+0.4", "volume=+0")]
    )
    logs = [judged(n).recording for n in ("baseline-1", "baseline-2")]
    after = open_recording(demo_folder() / "plus-0.4.csv")
    trial = run_trial("A", logs, "B", [after], side_said(logs[0]))
    assert trial.effect_kpa is not None
    assert more.low_kpa < trial.effect_kpa.estimate < more.high_kpa
    assert more.dips_after < 0.3 * more.dips_before
    assert {p.place for p in more.places} == {"2", "4", "6", "7", "B3"}
    assert all(p.lowest_after_kpa > p.lowest_before_kpa for p in more.places)
    assert same.effect_kpa == pytest.approx(0.0, abs=1e-9) and same.dips_after == pytest.approx(same.dips_before)
    assert str(prediction_words(more)).startswith(f"volume=+0.4: lowest pressure +{more.effect_kpa:.0f} kPa (+")


def test_a_pickup_on_the_other_side_trades_left_turns_for_right_ones() -> None:
    c = demo_car()
    (moved,) = predict(c, [changed("pickup_y=-42", c.compartments, FILL_M3, parse_change("pickup_y=-42"))])
    rows = {p.place: p for p in moved.places}
    assert rows["2"].lowest_after_kpa > rows["2"].lowest_before_kpa + 40.0, "turn 2 is a left"
    low = changed("volume=-0.6", c.compartments, FILL_M3, parse_change("volume=-0.6"))
    (less,) = predict(c, [low])
    assert {"1", "3"} <= {p.place for p in less.places}, "places that begin to dip are told of too"
    assert less.dips_after > less.dips_before


def first_laps(count: int) -> Logged:
    """The first flying laps of a stint."""
    (whole,) = logged_of([judged("baseline-1")])
    passes = tuple(q for q in whole.passes if q.lap < count)
    n = max(q.last for q in passes) + 1
    r = whole.run
    run = Run(r.ax_g[:n], r.ay_g[:n], r.rpm[:n], r.free_kpa[:n], r.capped_kpa[:n], r.sharpness, r.factor[:n])
    return Logged(run, whole.measured_kpa[:n], passes)


def test_a_pan_that_is_not_the_cars_is_found_out() -> None:
    """With the pickup measured on the wrong side the model would have the dips in right turns."""
    wrong = replace(BOX, pickup=Pickup((-0.03, -0.085, 0.008)))
    c = calibrate(compartments_of(wrong), [first_laps(5)], FILL_M3)
    assert not c.usable and c.reason == "the model cannot reproduce them"
    assert predict(c, [changed("volume=+0.4", c.compartments, FILL_M3, parse_change("volume=+0.4"))]) == ()
    assert "predicts nothing" in calibration_words(c)


def test_with_the_side_unproven_both_are_tried() -> None:
    c = calibrate(compartments_of(BOX), [first_laps(5).mirrored()], FILL_M3, side_proven=False)
    assert c.usable and c.fits[0].mirrored


def test_what_a_log_lacks_is_said() -> None:
    a = judged("baseline-1")
    pan = compartments_of(BOX)
    for lacking, words in (
        (replace(a, lateral_g=None), "no lateral g"),
        (replace(a, longitudinal_g=None), "no longitudinal g"),
        (replace(a, track=None), "no laps"),
        (replace(a, expected=replace(a.expected, valid=False, reason="too little")), "too little"),
    ):
        c = calibration_of([lacking], pan, FILL_M3)
        assert not c.usable and words in c.reason and c.fits == ()
        assert str(calibration_words(c)).startswith("The flow model cannot be calibrated: baseline-1.csv")
    other = calibration_of([a, judged("hill-climb")], pan, FILL_M3)
    assert not other.usable and other.reason.startswith("hill-climb.csv")
    calm = calibrate(
        pan, [replace(x, passes=tuple(replace(p, dips=False) for p in x.passes)) for x in logged_of([a])], 0.0043
    )
    assert not calm.usable and "only 0 passes dip" in calm.reason
    few = calibrate(pan, [replace(x, passes=tuple(p for p in x.passes if p.lap < 3)) for x in logged_of([a])], 0.0043)
    assert not few.usable and "3 flying laps" in few.reason


@pytest.mark.parametrize(
    ("text", "volume_l", "pickup_mm"),
    [
        ("volume=4.0", 4.0, (-30, 42, 8)),
        ("volume=+0.5", 4.8, (-30, 42, 8)),
        ("volume=-0.3", 4.0, (-30, 42, 8)),
        ("pickup_z=-5", 4.3, (-30, 42, 3)),
        ("pickup_z=12", 4.3, (-30, 42, 12)),
        ("pickup_x=+20", 4.3, (-10, 42, 8)),
        (" pickup_y = -10 ", 4.3, (-30, 32, 8)),
    ],
)
def test_a_sign_changes_what_is_and_none_is_what_shall_be(
    text: str, volume_l: float, pickup_mm: tuple[float, float, float]
) -> None:
    made = changed(text, compartments_of(BOX), FILL_M3, parse_change(text))
    assert made.volume_m3 == pytest.approx(volume_l / 1000.0)
    assert made.compartments.pickup_m == pytest.approx(np.array(pickup_mm) / 1000.0)
    assert made.text == text


@pytest.mark.parametrize("text", ["volume", "volume=", "volume=a lot", "height=3", "volume=--2", "volume=1e5", ""])
def test_a_change_that_is_none_is_one_sentence(text: str) -> None:
    with pytest.raises(InputError, match="write volume="):
        parse_change(text)


def test_a_fill_the_pan_cannot_hold_is_refused() -> None:
    for text in ("volume=9", "volume=-5"):
        with pytest.raises(InputError, match=r"the pan holds 8\.32 L"):
            changed(text, compartments_of(BOX), FILL_M3, parse_change(text))


def test_a_long_pause_parts_a_log_in_two_stretches() -> None:
    """Hours between two stints are neither simulated nor driven through by the oil."""
    a = judged("baseline-1")
    half = float(np.median(a.time_s))
    later = np.where(a.time_s > half, a.time_s + 20_000.0, a.time_s)
    laps = tuple(
        replace(x, start_s=x.start_s + 20_000.0 * (x.start_s > half), end_s=x.end_s + 20_000.0 * (x.end_s > half))
        for x in a.laps
        if not x.start_s < half < x.end_s
    )
    parted = logged_of([replace(a, time_s=later, laps=laps)])
    assert len(parted) == 2 and sum(x.run.rpm.size for x in parted) < 20_000
    assert {q.lap for x in parted for q in x.passes} == set(range(6))
