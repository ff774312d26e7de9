"""Names out of files are text, never markup: nothing that a column, a file or a car is called makes the window open a
file."""

from __future__ import annotations

import os
import re
from dataclasses import replace
from pathlib import Path

import pytest
from PySide6.QtCore import QAbstractItemModel, QModelIndex, Qt
from PySide6.QtWidgets import QAbstractItemView, QApplication, QLabel, QTableView, QTextEdit, QWidget

import basso.ui
from basso.car.jobs import sheets
from basso.garage.records import Attachment, Job
from basso.ui.files import pdf_of
from basso.ui.models.sessions import Entry
from basso.ui.plain import Browser, Document, Label, as_file_name, tip
from basso.ui.stations.garage.picture import attachment_html
from basso.ui.stations.garage.sheet_picture import printed
from basso.ui.window.desk import Desk
from basso.ui.window.main_window import MainWindow
from basso.ui.window.screenshots import wait_until
from basso.units import DisplayUnits
from basso.workflow import demo_folder
from garage_support import a_car

UI = Path(basso.ui.__file__).parent


def test_every_label_and_document_is_one_of_ours() -> None:
    """Qt's own take text for markup by its look; whoever uses one again has to say why here."""
    makes = re.compile(r"\bQLabel\(|\bQTextBrowser\(|\bQTextDocument\(|\bQTextEdit\(|import .*\bQLabel\b")
    found = {
        f"{p.relative_to(UI)}: {line.strip()}"
        for p in UI.rglob("*.py")
        if p != UI / "plain.py"
        for line in p.read_text().splitlines()
        if makes.search(line)
    }
    assert found == set()


def test_a_label_shows_markup_letter_by_letter(application: QApplication) -> None:
    label, other = Label("<b>x</b><img src='/etc/passwd'>"), Label()
    other.setText("<b>x</b><img src='/etc/passwd'>")
    plain = QLabel()
    plain.setTextFormat(Qt.TextFormat.PlainText)
    plain.setText("<b>x</b><img src='/etc/passwd'>")
    assert label.sizeHint() == other.sizeHint() == plain.sizeHint()


def test_our_own_markup_loads_nothing(application: QApplication, tmp_path: Path) -> None:
    pipe = tmp_path / "pipe.png"
    os.mkfifo(pipe)  # whoever opens it waits for ever
    html = f"<p>text <img src='{pipe}'> <img src='file://{pipe}'></p>"
    document, browser = Document(), Browser()
    document.setHtml(html)
    browser.setHtml(html)
    assert document.size().width() > 0
    browser.resize(300, 200)
    browser.grab()
    assert pdf_of(html)[:4] == b"%PDF"


def test_tips_are_escaped_and_names_of_files_have_no_way_out() -> None:
    assert "<img" not in tip("<img src='x'>") and "&lt;img" in tip("<img src='x'>") and tip("") == ""
    assert (
        as_file_name("../../etc/pass wd") == "etc-pass-wd"
        and as_file_name("...") == "basso"
        and as_file_name("Car 31") == "Car-31"
    )


def _texts(widget: QWidget) -> list[str]:
    """Everything below a widget that Qt might take for markup: tool tips, of cells too, and labels that are not
    plain."""
    found = [w.toolTip() for w in widget.findChildren(QWidget)]
    found += [w.text() for w in widget.findChildren(QLabel) if w.textFormat() != Qt.TextFormat.PlainText]
    found += [w.toHtml() for w in widget.findChildren(QTextEdit)]
    for view in widget.findChildren(QAbstractItemView):
        model: QAbstractItemModel | None = view.model()
        for row in range(model.rowCount(QModelIndex()) if model is not None else 0):
            assert model is not None
            for column in range(model.columnCount(QModelIndex()) if isinstance(view, QTableView) else 1):
                found.append(str(model.index(row, column).data(Qt.ItemDataRole.ToolTipRole) or ""))
    return found


def test_a_log_full_of_markup_opens_no_file(application: QApplication, wide_window: MainWindow, tmp_path: Path) -> None:
    pipe = tmp_path / "pipe.png"
    os.mkfifo(pipe)
    planted = f"<img src='{pipe}'>"
    rows = (demo_folder() / "hill-climb.csv").read_text().splitlines()
    names = rows[0].split(",")
    head = [f"{n} {planted}" if i > 4 else f"{planted} {n}" if i == 4 else n for i, n in enumerate(names)]
    log = tmp_path / f"run {planted.replace('/', '_')}.csv"
    log.write_text(
        "\n".join([f"Driver,{planted}", ",".join([*head, planted]), *(f"{r},{i % 3}" for i, r in enumerate(rows[1:]))])
    )
    desk = wide_window.desk
    desk.bench.sessions.add([Entry(log, f"Run {planted}", f"Car {planted}", planted, planted, "2026-05-12")])
    desk.bench.sessions.show(desk.bench.sessions.entries[0])
    wait_until(application, lambda: desk.bench.sessions.analysis is not None and not desk.bench.jobs.busy)
    for station in ("recordings", "sensors", "normal", "dips", "corners", "trial", "garage"):
        desk.go_to(station)
        wait_until(application, lambda: not desk.bench.jobs.busy)
        wide_window.grab()  # which would wait on the pipe
        for text in _texts(wide_window):
            assert "<img" not in text, (station, text[:200])
    desk.tell(f"A sentence about {planted}")
    (box,) = [w for w in application.topLevelWidgets() if type(w).__name__ == "QMessageBox" and w.isVisible()]
    box.grab()
    box.close()


def test_what_is_printed_and_linked_is_escaped() -> None:
    planted = "<img src='/etc/passwd'>\"'"
    car, *_ = a_car(1)
    sheet = next(iter(sheets().values()))
    entries = {s.key: {"done": True, "value": planted, "words": planted, "reason": planted} for s in sheet.steps}
    job = Job(car=car.id, sheet=sheet.key, opened=planted, closed=planted, signed=planted, entries=entries)
    text = printed(job, sheet, replace(car, name=planted), DisplayUnits())  # type: ignore[type-var]
    assert "<img" not in text and "&lt;img" in text
    linked = attachment_html(
        Attachment(
            id=f"x' onclick={planted}",
            car="c",
            about="b",
            day=planted,
            text=planted,
            file_name=planted,
            file_hash="a" * 64,
        )
    )
    assert "<img" not in linked and linked.count("<a ") == 1 and "href='x&#x27;" in linked


# What is opened and closed again does not stay


def _count(application: QApplication) -> int:
    for _ in range(3):
        application.processEvents()
        application.sendPostedEvents(None, 52)  # what is to be deleted
    return len(application.allWidgets())


def test_nothing_grows_with_what_is_opened_and_closed(
    application: QApplication, garage_desk: Desk, monkeypatch: pytest.MonkeyPatch
) -> None:
    from PySide6.QtWidgets import QDialog

    monkeypatch.setattr(QDialog, "exec", lambda self: self.show() or 0)
    desk = garage_desk
    desk.bench.sessions.add(
        [Entry(demo_folder() / "hill-climb.csv", "Climb", "Car 31", "Build 1", "Quarrymoss", "2026-05-12")]
    )
    desk.bench.sessions.show(desk.bench.sessions.entries[0])
    wait_until(application, lambda: desk.bench.sessions.analysis is not None and not desk.bench.jobs.busy)

    def once() -> None:
        for key in ("judge.floors", "search", "help", "judge.working", "view.look", "units.next"):
            desk.run(key)
        desk.stations["garage"].page.verb_wanted.emit("history", None, "")
        desk.stations["garage"].page.verb_wanted.emit("car", None, "")
        desk.stations["garage"].fill()
        desk.bench.units.changed.emit()
        for station in ("garage", "sensors", "dips", "garage"):
            desk.go_to(station)
        wait_until(application, lambda: not desk.bench.jobs.busy)

    for _ in range(2):
        once()
    before = _count(application)
    for _ in range(3):
        once()
    assert _count(application) <= before + 2


def test_a_trial_whose_side_was_emptied_meanwhile_says_nothing(
    application: QApplication, wide_window: MainWindow
) -> None:
    desk = wide_window.desk
    a, b = (Entry(demo_folder() / f"{n}.csv", n, "", n, "", "") for n in ("baseline-1", "gated"))
    desk.bench.sessions.add([a, b])
    wait_until(application, lambda: not desk.bench.jobs.busy)
    desk.bench.trial.choose((a,), (b,))
    assert desk.bench.jobs.busy
    desk.bench.trial.choose((), (b,))
    wait_until(application, lambda: not desk.bench.jobs.busy)
    for _ in range(20):
        application.processEvents()
    assert desk.bench.trial.comparison is None and "Helps" not in desk.stations["trial"].page.title


def test_the_pan_says_what_is_missing_and_only_that(
    application: QApplication, wide_window: MainWindow, tmp_path: Path
) -> None:
    """Without lateral g; and for a log that cannot be judged, whose g is there."""
    rows = (demo_folder() / "baseline-1.csv").read_text().splitlines()
    desk = wide_window.desk
    for name, old, new, wanted in (
        ("side", "Lateral acc [g]", "x1", (False, True, True)),
        ("pressure", "Oil pressure [psi]", "x2", (False, False, False)),
    ):
        log = tmp_path / f"{name}.csv"
        log.write_text("\n".join([rows[0].replace(old, new), *rows[1:]]))
        entry = Entry(log, name, "", "", "", "")
        desk.bench.sessions.add([entry])
        desk.bench.sessions.show(entry)
        wait_until(application, lambda: desk.bench.sessions.analysis is not None and not desk.bench.jobs.busy)
        desk.bench.cursor.move_to(400.0)
        moment = desk.moments.pan._moment
        assert moment is not None
        assert (moment.ay_g is not None, moment.ax_g is not None, moment.is_judged) == wanted
        assert not any(r.name == "Sideways" for r in moment.readings)
        desk.moments.pan.grab()
