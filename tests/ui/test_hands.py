"""Small things that were in the way: keys, focus, rows that jumped, menus that closed."""

from __future__ import annotations

from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton, QApplication, QMenu, QPushButton, QWidget

from basso.garage.records import Car
from basso.recording.roles import Role
from basso.ui.stations.form import RecordDialog
from basso.ui.window.desk import Desk
from basso.ui.window.main_window import MainWindow
from basso.ui.window.screenshots import wait_until
from basso.units import DisplayUnits
from basso.workflow import demo_folder


def test_letters_act_on_plots_and_not_in_lists(opened: MainWindow) -> None:
    page = opened.desk.stations["dips"].page
    page.select(2)
    page.traces.setFocus()
    QTest.keyClick(page.traces, Qt.Key.Key_N)
    assert page.selected == 3
    page.places.setFocus()
    for key in (Qt.Key.Key_N, Qt.Key.Key_S, Qt.Key.Key_D, Qt.Key.Key_Space):
        QTest.keyClick(page.places, key)
    assert page.page == 0, "typing in the list leads nowhere else"
    QTest.keyClick(page.places, Qt.Key.Key_Down, Qt.KeyboardModifier.ControlModifier)
    page.traces.setFocus()
    QTest.keyClick(page.traces, Qt.Key.Key_D)
    assert page.page == 1


def test_tab_leaves_the_lists(opened: MainWindow) -> None:
    page = opened.desk.stations["dips"].page
    for listed in (page.places, page.table):
        page.order.choose((page.places, page.table).index(listed))
        page._lists.setCurrentWidget(listed)
        listed.setFocus()
        QTest.keyClick(listed, Qt.Key.Key_Tab)
        assert QApplication.focusWidget() is not listed


def test_what_is_typed_into_a_new_record_is_its_name(application: QApplication, opened: MainWindow) -> None:
    dialog = RecordDialog(opened, opened.look, "New car", "", Car(name="Car"), DisplayUnits())
    dialog.show()
    application.processEvents()
    QTest.keyClicks(QApplication.focusWidget(), "Seven")
    dialog._save()
    assert isinstance(dialog.record, Car) and dialog.record.name == "Seven"
    dialog.deleteLater()


def test_columns_stay_where_they_are_while_one_is_set(opened: MainWindow) -> None:
    opened.desk.go_to("recordings")
    QApplication.processEvents()
    panel = opened.desk.stations["recordings"].page.columns
    before = panel.table.mapTo(opened, QPoint(0, 0))
    panel.choose(panel.model.lines[1].name, Role.SPEED)
    QApplication.processEvents()
    assert panel.use_button.isVisible()
    assert panel.table.mapTo(opened, QPoint(0, 0)) == before


def test_a_trials_menu_takes_one_tick_after_another(application: QApplication, opened: MainWindow) -> None:
    opened.desk.go_to("trial")
    opened.open_logs([demo_folder() / "baseline-2.csv", demo_folder() / "plus-0.4.csv"])
    wait_until(application, lambda: len(opened.desk.bench.sessions.entries) == 3 and not opened.desk.bench.jobs.busy)
    button = opened.desk.stations["trial"].page.side_a
    menu = button.menu()
    assert menu is not None
    menu.popup(QPoint(50, 50))
    entries = [x for x in menu.actions() if x.isCheckable()]
    before = [x.isChecked() for x in entries]
    for action in entries[:2]:
        QTest.mouseClick(menu, Qt.MouseButton.LeftButton, pos=menu.actionGeometry(action).center())
        assert menu.isVisible()
    assert [x.isChecked() for x in entries[:2]] == [not x for x in before[:2]]
    menu.close()


def test_jobs_change_with_the_look(garage_desk: Desk, application: QApplication) -> None:
    page = garage_desk.stations["garage"].page
    page.show_page(3)
    application.processEvents()
    look = garage_desk.bench.look
    assert page.jobs.steps
    by_day = page.jobs.steps[0]
    look.set_theme("night")
    try:
        assert page.jobs.steps[0] is not by_day
    finally:
        look.set_theme("day")


def test_a_first_start_says_what_to_do_and_shows_no_empty_pan(window: MainWindow) -> None:
    desk = window.desk
    page = desk.stations["dips"].page
    assert {b.text() for b in page.findChildren(QPushButton) if b.isVisible()} == {
        "Open a log…",
        "Look at the demo",
        "Begin with a car",
    }
    assert not desk.moments.pan.isVisible() and not desk.moments.tide.isVisible()
    next(b for b in page.findChildren(QPushButton) if b.text() == "Begin with a car").click()
    assert desk.station == "garage"


def _reached(start: QWidget, most: int = 400) -> set[QWidget]:
    """What Tab leads to from a widget, until it comes round."""
    found: set[QWidget] = set()
    now = start
    for _ in range(most):
        QTest.keyClick(now, Qt.Key.Key_Tab)
        focus = QApplication.focusWidget()
        if focus is None or focus in found:
            break
        found.add(focus)
        now = focus
    return found


def test_tab_reaches_every_field_and_button_of_the_dips(opened: MainWindow) -> None:
    page = opened.desk.stations["dips"].page
    page.traces.setFocus()
    reached = _reached(page.traces)
    for wanted in (*page.step_buttons, page.places, page.rule_button, opened.desk.moments.tide):
        assert wanted in reached, wanted
    assert all(w.isVisible() for w in reached)


def test_every_button_says_under_the_pointer_what_it_does(opened: MainWindow) -> None:
    silent = []
    for key, station in opened.desk.stations.items():
        opened.desk.go_to(key)
        QApplication.processEvents()
        silent += [(key, b.text()) for b in station.page.findChildren(QAbstractButton) if b.text() and not b.toolTip()]
    silent += [("top", b.text()) for b in opened.top.findChildren(QAbstractButton) if b.text() and not b.toolTip()]
    assert not silent


def test_the_right_button_puts_a_log_on_a_side_or_off_the_list(application: QApplication, opened: MainWindow) -> None:
    desk = opened.desk
    opened.open_logs([demo_folder() / "plus-0.4.csv"])
    wait_until(application, lambda: desk.bench.sessions.analysis is not None and not desk.bench.jobs.busy)
    desk.go_to("recordings")
    wait_until(application, lambda: not desk.bench.logs.busy)
    page = desk.stations["recordings"].page

    def offered(row: int) -> QMenu:
        at = page.table.visualRect(page.model.index(row, 0)).center()
        page.table.customContextMenuRequested.emit(at)
        return next(m for m in opened.findChildren(QMenu) if m.isVisible())

    menu = offered(1)
    next(x for x in menu.actions() if x.text() == "Side B of the trial").trigger()
    menu.close()
    application.processEvents()
    assert [e.title for e in desk.bench.trial.b] == ["plus-0.4"]
    menu = offered(0)
    next(x for x in menu.actions() if x.text() == "Take off the list").trigger()
    menu.close()
    assert [e.title for e in desk.bench.sessions.entries] == ["plus-0.4"]
    desk.run("edit.undo")
    assert len(desk.bench.sessions.entries) == 2
