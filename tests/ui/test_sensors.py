"""The Sensors station, driven as a person would: what was found, its evidence, accepted, refused and put right
otherwise."""

from __future__ import annotations

from pathlib import Path

import pytest
from PySide6.QtWidgets import QApplication

from basso.analysis import analyse
from basso.memory.decisions import Decision, Decisions
from basso.memory.memory import Memory
from basso.standin.car import Outing
from basso.standin.circuit import harrowfell
from basso.standin.engine import Heat
from basso.standin.faults import Logger
from basso.standin.scenarios import generator, run_setup
from basso.standin.simulate import Setup
from basso.ui.stations.sensors.evidence_picture import evidence
from basso.ui.stations.sensors.picture import check_lines, correction_words
from basso.ui.stations.sensors.widget import DROPS, FIT
from basso.ui.window.desk import Desk
from basso.ui.window.main_window import MainWindow
from basso.ui.window.screenshots import wait_until
from basso.units import UNITS, DisplayUnits
from basso.workflow import demo_folder
from support import forget_which_side, harrowfell_session


def opened(application: QApplication, window: MainWindow, log: str) -> Desk:
    desk = window.desk
    desk.bench.sessions.open_logs([demo_folder() / log])
    wait_until(application, lambda: desk.bench.sessions.analysis is not None)
    desk.go_to("sensors")
    return desk


@pytest.fixture
def absolute(application: QApplication, wide_window: MainWindow) -> Desk:
    """The log of a sensor that counts from vacuum."""
    return opened(application, wide_window, "shakedown.csv")


def judged(application: QApplication, desk: Desk) -> None:
    wait_until(application, lambda: desk.bench.sessions.analysis is not None and not desk.bench.jobs.busy)


def test_what_would_change_most_comes_first_with_its_evidence(absolute: Desk) -> None:
    s = absolute.stations["sensors"].page
    assert s.title == "Readings OK after 1 correction"
    assert (s.lines[0].name, s.lines[0].state) == ("Pressure zero", "Corrected")
    assert s.line is s.lines[0] and "a sensor that reads high hides dips" in s._costs.text()
    drawn = s.plot.evidence
    assert drawn is not None and [x.name for x in drawn.series] == ["as logged", "corrected"]
    logged, right = drawn.series
    assert abs(float(logged.y[-40:].mean()) - 101.0) < 2.0 and abs(float(right.y[-40:].mean())) < 2.0
    unknown = next(x for x in s.lines if x.name == "Electrical load")
    assert unknown.state == "Not checked"  # nothing to go by: it does not pass


def test_a_correction_is_refused_undone_and_remembered(application: QApplication, absolute: Desk) -> None:
    desk, dips = absolute, len(absolute.bench.sessions.analysis.dips)  # type: ignore[union-attr]
    desk.stations["sensors"].page.accept.click()
    judged(application, desk)
    assert desk.stations["sensors"].page.lines[0].state == "Refused"
    assert desk.stations["sensors"].page.title == "A correction was refused: the fault stays in the readings"
    assert len(desk.bench.sessions.analysis.dips) < dips  # type: ignore[union-attr]
    recording = desk.bench.sessions.recording
    assert recording is not None and Memory.own().decisions.of(recording.content_hash).refused
    desk.run("edit.undo")
    judged(application, desk)
    assert (
        desk.stations["sensors"].page.lines[0].state == "Corrected"
        and Memory.own().decisions.of(recording.content_hash) == Decision()
    )


def test_what_was_decided_comes_back_with_the_log(application: QApplication, absolute: Desk) -> None:
    absolute.stations["sensors"].page.amount.setText("-98")
    absolute.stations["sensors"].page.amount.setModified(True)
    absolute.stations["sensors"].page.amount.editingFinished.emit()
    judged(application, absolute)
    (zero,) = (c for c in absolute.bench.sessions.analysis.corrections if c.kind == "offset")  # type: ignore[union-attr]
    assert zero.value == -98.0 and "as you said" in absolute.stations["sensors"].page._done.text()
    entry = absolute.bench.sessions.shown
    assert entry is not None
    absolute.bench.sessions.close(entry)
    absolute.bench.sessions.open_logs([entry.path])
    judged(application, absolute)
    (again,) = (c for c in absolute.bench.sessions.analysis.corrections if c.kind == "offset")  # type: ignore[union-attr]
    assert again.value == -98.0


def test_an_amount_is_read_in_the_units_shown_and_a_word_is_refused(application: QApplication, absolute: Desk) -> None:
    absolute.bench.units.choose(DisplayUnits(pressure=UNITS["psi"]))
    assert absolute.stations["sensors"].page.amount.text().startswith("-14.6")
    absolute.stations["sensors"].page.amount.setText("all of it")
    absolute.stations["sensors"].page.amount.setModified(True)
    absolute.stations["sensors"].page.amount.editingFinished.emit()
    assert (
        "is no number" in absolute.stations["sensors"].page._done.text()
        and absolute.bench.judging.decision == Decision()
    )
    absolute.stations["sensors"].page.amount.setText("-14.5")
    absolute.stations["sensors"].page.amount.setModified(True)
    absolute.stations["sensors"].page.amount.editingFinished.emit()
    judged(application, absolute)
    (zero,) = (c for c in absolute.bench.sessions.analysis.corrections if c.kind == "offset")  # type: ignore[union-attr]
    assert zero.value == pytest.approx(-14.5 * 6.894757, abs=0.01)


def test_the_places_are_gone_to_one_after_the_other(application: QApplication, wide_window: MainWindow) -> None:
    desk = opened(application, wide_window, "loose-connector.csv")
    desk.stations["sensors"].page.choose("spikes")
    drawn = desk.stations["sensors"].page.plot.evidence
    assert drawn is not None and len(drawn.spans) > 20
    desk.stations["sensors"].page.go_button.click()
    assert desk.station == "dips" and desk.bench.cursor.time_s == pytest.approx(drawn.spans[0][0])
    desk.go_to("sensors")
    desk.stations["sensors"].page.go_button.click()
    assert desk.bench.cursor.time_s == pytest.approx(drawn.spans[1][0])
    desk.go_to("sensors")
    desk.run("edit.copy")
    assert (
        QApplication.clipboard()
        .text()
        .startswith("Check\tState\tFinding\tWhy it matters\nJumps and flat lines\tCorrected\t")
    )


@pytest.mark.parametrize("log", ["baseline-1.csv", "hill-climb.csv", "dyno.csv", "hot-day.csv"])
def test_every_check_of_a_log_can_be_drawn_or_has_nothing_to_draw(
    application: QApplication, wide_window: MainWindow, log: str
) -> None:
    desk = opened(application, wide_window, log)
    a = desk.bench.sessions.analysis
    assert a is not None and check_lines(a, desk.bench.units.now) == desk.stations["sensors"].page.lines
    found = {x.finding for x in desk.stations["sensors"].page.lines}
    assert {c.message for c in a.checks} <= found  # nothing that was found is kept back
    assert not a.recording.notes or " ".join(a.recording.notes) in found
    for line in desk.stations["sensors"].page.lines:
        desk.stations["sensors"].page.choose(line.check.id)
        assert not desk.stations["sensors"].page.grab().isNull()
        drawn = evidence(a, line.check, DisplayUnits())
        assert drawn is None or all(s.x.shape == s.y.shape for s in drawn.series)


def test_without_a_log_it_says_what_to_do(wide_window: MainWindow) -> None:
    wide_window.desk.go_to("sensors")
    assert (
        wide_window.desk.stations["sensors"].page.title == "No log is shown"
        and "Logs" in wide_window.desk.stations["sensors"].page._detail.text()
    )


def test_a_damaged_file_of_decisions_is_set_aside_and_lost_to_nobody(tmp_path: Path) -> None:
    file = tmp_path / "readings.json"
    file.write_text("{broken")
    kept = Decisions(file)
    assert kept.of("x") == Decision()
    decision = Decision(frozenset({("Oil", "offset")}), frozenset({("Oil", "delay", 0.2)}))
    kept.keep("x", decision)
    assert kept.of("x") == decision and file.with_suffix(".damaged.json").read_text() == "{broken"
    kept.keep("x", Decision())
    assert "x" not in file.read_text()


def test_the_planner_answers_each_choice_at_once(wide_window: MainWindow) -> None:
    desk = wide_window.desk
    desk.go_to("sensors")
    desk.stations["sensors"].page.show_page(FIT)
    fit = desk.stations["sensors"].page.fit
    assert fit.plan.possible and "delays by about" in fit._said.text()
    fit.sensor.setCurrentText("male 1/8 NPT")
    fit.switch.setCurrentText("none stays")
    fit.on_line.setChecked(False)
    assert fit.plan.parts == () and "goes straight into the port" in fit._said.text()
    fit.port.setCurrentText("male 1/4 BSPT")
    assert (
        not fit.plan.possible
        and "It cannot be done with these parts" in fit._said.text()
        and "would." in fit._said.text()
    )
    fit.diameter.setText("9,95")
    fit.pitch.setText("0.92")
    assert "do not seal" in fit.known
    fit.taper.setCurrentText("is parallel")
    assert fit.known.startswith("1/8 BSPP")
    desk.run("edit.copy")
    assert QApplication.clipboard().text() == fit.plan.missing


def test_the_drops_of_a_log_are_held_against_the_open_logs_before_it(
    application: QApplication, wide_window: MainWindow, tmp_path: Path
) -> None:
    desk = wide_window.desk
    logs = []
    for i, taken in enumerate((40.0, 40.0, 64.0)):
        logs.append(tmp_path / f"run-{i + 1}.csv")
        logged = harrowfell_session(Logger(20, filter_kpa=taken, cooler_kpa=25.0), laps=3, seed=i)
        logs[-1].write_bytes(logged.path.read_bytes())
    for log in logs:
        desk.bench.sessions.open_logs([log])
        judged(application, desk)
    desk.go_to("sensors")
    desk.stations["sensors"].page.show_page(DROPS)
    wait_until(application, lambda: "it clogs" in desk.stations["sensors"].page.drops_words)
    assert (
        "Held against run-1, run-2." in desk.stations["sensors"].page.drops_words
        and "Cooler: " in desk.stations["sensors"].page.drops_words
    )
    assert "Relief valve" in desk.stations["sensors"].page.drops_words
    trend = desk.stations["sensors"].page.trend_plot.evidence
    assert trend is not None and [s.x.size for s in trend.series] == [3, 3, 3, 3]
    filtered = next(s for s in trend.series if s.name.startswith("filter"))
    assert filtered.y[2] > 1.3 * filtered.y[:2].mean()
    desk.run("edit.copy")
    assert "it clogs" in QApplication.clipboard().text()


def test_without_two_places_it_says_what_to_log(application: QApplication, absolute: Desk) -> None:
    absolute.stations["sensors"].page.show_page(DROPS)
    wait_until(application, lambda: not absolute.bench.jobs.busy)
    assert "Log it after the pump and after the cooler" in absolute.stations["sensors"].page.drops_words


FAULTY = {
    "supply": Logger(20, gps=True, load_kpa=20.0),
    "pressure_clock": Logger(20, gps=True, pressure_slip_s=0.5),
    "lateral_g_stuck": Logger(20, gps=True, stands=("Lateral acc",)),
    "references": Logger(20, gps=True, zero_kpa=30.0, filter_kpa=30.0),
    "order": Logger(20, gps=True, filter_kpa=30.0),
    "steps": Logger(20, gps=True, steps_kpa=12.0),
    "vibration": Logger(50, gps=True, vibration_kpa=25.0),
    "oil_temp_lag": Logger(20, gps=True, temperature_lag_s=60.0),
    "update_rate": Logger(5, gps=True),
}


@pytest.mark.parametrize("check_id", FAULTY)
@pytest.mark.parametrize("symbol", ["kPa", "psi"])
def test_every_fault_has_its_evidence_drawn_in_the_units_shown(check_id: str, symbol: str) -> None:
    a = analyse(harrowfell_session(FAULTY[check_id], laps=5))
    check = next(c for c in a.checks if c.id == check_id)
    drawn = evidence(a, check, DisplayUnits(pressure=UNITS[symbol]))
    assert drawn is not None and any(s.x.size > 1 for s in drawn.series)
    for series in drawn.series:
        assert series.x.size == series.y.size <= 30_000
    if check_id in ("lateral_g_stuck", "pressure_clock", "references"):
        assert drawn.spans and all(0.0 <= start <= end <= a.recording.duration_s for start, end in drawn.spans)
    if check_id == "steps":
        assert 4 <= len(set(drawn.series[0].y.round(3).tolist())) <= 8
    assert "kPa" not in drawn.y_label or symbol == "kPa"


def test_the_sentences_of_the_checks_follow_the_units(absolute: Desk) -> None:
    absolute.bench.units.choose(DisplayUnits(pressure=UNITS["psi"]))
    zero = next(x for x in absolute.stations["sensors"].page.lines if x.check.id == "zero")
    assert "14.6 ± 0.32 psi" in zero.finding or "14.6 ± 0.3" in zero.finding
    assert not any("kPa" in x.finding for x in absolute.stations["sensors"].page.lines)


def test_a_filter_is_drawn_and_told_apart_from_a_delay() -> None:
    units = DisplayUnits()
    words = {}
    for name, logger in (("filter", Logger(50, filter_s=0.3)), ("delay", Logger(50, delay_s=0.3))):
        a = analyse(harrowfell_session(logger))
        check = next(c for c in a.checks if c.id == "delay")
        picture = evidence(a, check, units)
        assert check.correction is not None and picture is not None
        assert [s.name for s in picture.series] == ["engine speed", "pressure as logged", "corrected"]
        words[name] = correction_words(check.correction, units)
    assert (
        words["filter"].startswith("a filter of 0.") and "undone" in words["filter"] and "0.00" not in words["filter"]
    )
    moved, seconds, _, way = words["delay"].split()
    assert (moved, way) == ("moved", "earlier") and float(seconds) == pytest.approx(0.3, abs=0.03)


def test_a_filter_can_be_kept_as_logged_or_moved_by_another_amount(
    application: QApplication, wide_window: MainWindow, tmp_path: Path
) -> None:
    log = tmp_path / "filtered.csv"
    setup = Setup(harrowfell(), heat=Heat(start_c=84), session=Outing(laps=3))
    log.write_bytes(run_setup(setup, Logger(50, filter_s=0.3), generator("filtered", 2))[1])
    desk = wide_window.desk
    desk.bench.sessions.open_logs([log])
    judged(application, desk)
    a = desk.bench.sessions.analysis
    assert a is not None
    (made,) = [c for c in a.corrections if c.kind == "delay"]
    assert made.filter_s == pytest.approx(0.3, abs=0.05)
    lowest = min(d.dip.min_pressure_kpa for d in a.dips)
    desk.bench.judging.decide(Decision(refused=frozenset({made.key})))
    judged(application, desk)
    refused = desk.bench.sessions.analysis
    assert refused is not None and not [c for c in refused.corrections if c.kind == "delay"]
    # Rounded off, the dips are shallower than they were.
    assert min(d.dip.min_pressure_kpa for d in refused.dips) > lowest + 5.0
    desk.bench.judging.decide(Decision(edited=frozenset({(*made.key, 0.5)})))
    judged(application, desk)
    edited = desk.bench.sessions.analysis
    assert edited is not None and [c.value for c in edited.corrections if c.kind == "delay"] == [0.5]
    desk.run("edit.undo")
    judged(application, desk)
    assert desk.bench.sessions.analysis is not None and not desk.bench.sessions.analysis.puts_right(
        next(c for c in desk.bench.sessions.analysis.checks if c.id == "delay")
    )


def test_one_click_says_which_way_the_first_turn_went_for_every_log_of_this_logger(
    application: QApplication, wide_window: MainWindow
) -> None:
    desk = wide_window.desk
    forget_which_side()
    logs = [demo_folder() / f"{name}.csv" for name in ("baseline-1", "plus-0.4")]
    desk.logs.open_logs(logs)
    wait_until(application, lambda: desk.bench.sessions.analysis is not None and not desk.bench.jobs.busy)
    assert "sign not proven" in desk.stations["dips"].page._title.text()
    desk.go_to("sensors")
    assert "which side is left is not known" in desk.stations["sensors"].page.title
    desk.stations["sensors"].page.choose("lateral_g_sign")
    left, right = desk.stations["sensors"].page.turn_buttons
    assert left.isVisible() and right.isVisible() and desk.stations["sensors"].page.plot.evidence is not None
    assert "was it a left or a right" in desk.stations["sensors"].page.plot.evidence.title
    right.click()  # Harrowfell begins with a right
    wait_until(application, lambda: desk.bench.sessions.analysis is not None and not desk.bench.jobs.busy)
    assert desk.stations["dips"].page._title.text().startswith("Left turns")
    assert "OK" in desk.stations["sensors"].page._name.text()
    desk.bench.sessions.show(desk.bench.sessions.entries[1])
    wait_until(application, lambda: desk.bench.sessions.analysis is not None and not desk.bench.jobs.busy)
    assert desk.bench.sessions.analysis is not None and desk.bench.sessions.analysis.side.proven
    desk.bench.sessions.show(desk.bench.sessions.entries[0])
    wait_until(application, lambda: desk.bench.sessions.analysis is not None and not desk.bench.jobs.busy)
    desk.stations["sensors"].page.choose("lateral_g_sign")
    left.click()  # said otherwise: everything is turned over
    wait_until(application, lambda: desk.bench.sessions.analysis is not None and not desk.bench.jobs.busy)
    assert (
        desk.stations["dips"].page._title.text().startswith("Right turns")
        and desk.stations["sensors"].page.accept.isChecked()
    )
    desk.run("edit.undo")
    desk.run("edit.undo")
    wait_until(application, lambda: desk.bench.sessions.analysis is not None and not desk.bench.jobs.busy)
    assert "sign not proven" in desk.stations["dips"].page._title.text()
