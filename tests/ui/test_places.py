"""The dips by place: the worst place first, its passes under it, chosen from either list."""

from __future__ import annotations

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QMenu

from basso.ui.stations.dips.picture import dip_rows, place_rows
from basso.ui.window.main_window import MainWindow
from basso.ui.window.screenshots import wait_until
from basso.units import UNITS, DisplayUnits
from basso.workflow import demo_folder


def test_every_dip_stands_in_one_place_and_the_worst_place_first(opened: MainWindow) -> None:
    a = opened.desk.bench.sessions.analysis
    assert a is not None
    rows = dip_rows(a, DisplayUnits())
    places = place_rows(a, rows)
    assert sorted(i for p in places for i in p.dips) == list(range(len(a.dips)))
    margins = [a.dips[p.worst].dip.told_margin_kpa for p in places]
    assert margins == sorted(margins)
    assert margins[0] == min(d.dip.told_margin_kpa for d in a.dips)
    for p in places:
        assert len({a.dips[i].place.label if a.dips[i].place else "" for i in p.dips}) == 1
        assert a.dips[p.worst].dip.told_margin_kpa == min(a.dips[i].dip.told_margin_kpa for i in p.dips)
        laps = {a.dips[i].lap.number for i in p.dips if a.dips[i].lap is not None and a.dips[i].lap.complete}
        assert p.cells[0].endswith(f": {len(laps)} of 7"), p.cells[0]
        assert list(p.passes) == list(p.dips)


def test_a_place_opens_on_its_worst_dip_and_holds_its_passes(opened: MainWindow) -> None:
    page = opened.desk.stations["dips"].page
    places, model = page.places, page.places.rows
    assert places.isVisible() and not page.table.isVisible()
    assert not any(places.isExpanded(model.index(i, 0)) for i in range(model.rowCount())), "folded until asked for"
    second = model.index(1, 0)
    QTest.mouseClick(places.viewport(), Qt.MouseButton.LeftButton, pos=places.visualRect(second).center())
    worst = page.selected
    a = opened.desk.bench.sessions.analysis
    assert a is not None
    assert str(worst + 1) in [model.item(1).child(k).text().split(":")[0] for k in range(model.item(1).rowCount())]
    assert opened.desk.bench.cursor.time_s == pytest.approx(float(a.time_s[a.dips[worst].dip.lowest_margin]))
    QTest.keyClick(places, Qt.Key.Key_Right)
    assert places.isExpanded(model.index(1, 0))
    QTest.keyClick(places, Qt.Key.Key_Down)
    assert page.selected == int(model.item(1).child(0).text().split(":")[0]) - 1


def test_both_lists_follow_one_choice(opened: MainWindow) -> None:
    page = opened.desk.stations["dips"].page
    page.select(3)
    chosen = page.places.currentIndex()
    parent = chosen if not chosen.parent().isValid() else chosen.parent()
    item = page.places.rows.itemFromIndex(parent.siblingAtColumn(0))
    assert "4" in [item.child(k).text().split(":")[0] for k in range(item.rowCount())]
    opened.desk.bench.units.choose(DisplayUnits())
    assert page.selected == 3
    QTest.mouseClick(page.order._group.button(1), Qt.MouseButton.LeftButton)
    assert page.table.isVisible() and not page.places.isVisible()
    assert page.table.currentIndex().row() == 3


def test_the_buttons_step_from_dip_to_dip(opened: MainWindow) -> None:
    page = opened.desk.stations["dips"].page
    page.select(5)
    back, on = page.step_buttons
    QTest.mouseClick(on, Qt.MouseButton.LeftButton)
    assert page.selected == 6
    QTest.mouseClick(back, Qt.MouseButton.LeftButton)
    QTest.mouseClick(back, Qt.MouseButton.LeftButton)
    assert page.selected == 4


def test_the_right_button_offers_what_is_done_with_a_dip(opened: MainWindow) -> None:
    page = opened.desk.stations["dips"].page
    page.places.customContextMenuRequested.emit(QPoint(20, 20))
    QApplication.processEvents()
    menu = next(m for m in opened.findChildren(QMenu) if m.isVisible())
    titles = [x.text() for x in menu.actions() if x.text()]
    assert {"One dip by itself", "Show working", "Copy", "Next dip"} <= set(titles)
    menu.close()


def test_a_lap_of_another_session_is_laid_under_the_traces(application: QApplication, opened: MainWindow) -> None:
    desk = opened.desk
    sessions, page = desk.bench.sessions, desk.stations["dips"].page
    shown = sessions.shown
    opened.open_logs([demo_folder() / "plus-0.4.csv"])
    wait_until(application, lambda: sessions.analysis is not None and not desk.bench.jobs.busy)
    assert shown is not None
    sessions.show(shown)
    wait_until(application, lambda: sessions.analysis is not None and not desk.bench.jobs.busy)
    application.processEvents()
    before = page.traces.grab().toImage()
    QTest.keyClick(page.traces, Qt.Key.Key_U)
    menu = next(m for m in opened.findChildren(QMenu) if m.isVisible())
    own = [x for x in menu.actions() if x.isCheckable()]
    assert len(own) == 7 and all("oil " in x.text() and " min" in x.text() for x in own)
    (other,) = [x.menu() for x in menu.actions() if x.menu() is not None]
    assert other.title() == "plus-0.4"
    next(x for x in other.actions() if x.isCheckable()).trigger()
    menu.close()
    application.processEvents()
    application.processEvents()
    words = page._under_words.text()
    assert words.startswith("Under the traces (dashed): plus-0.4, lap 1, by distance") and "°C there" in words
    assert page.traces.grab().toImage() != before
    desk.bench.units.choose(DisplayUnits(temperature=UNITS["°F"]))
    assert "°F there" in page._under_words.text()
    desk.bench.units.choose(DisplayUnits())
    sessions.show(sessions.entries[1])
    wait_until(application, lambda: sessions.analysis is not None and not desk.bench.jobs.busy)
    assert not page._under_words.isVisible(), "it lay under the other session"
