"""Frames dropped onto panes, and the menus of the right button."""

from __future__ import annotations

import pytest
from PySide6.QtCore import QEvent, QItemSelectionModel, QPoint, QPointF, Qt
from PySide6.QtGui import QContextMenuEvent, QDragEnterEvent, QDropEvent, QGuiApplication
from PySide6.QtWidgets import QApplication, QListView, QMenu

from irvane.core.files.proofs import KEEP

from .conftest import Driver


def _menu(driver: Driver) -> QMenu:
    menu = driver.window.hands.menu
    assert menu is not None
    menu.hide()
    return menu


def _named(menu: QMenu, words: str) -> object:
    return next(action for action in menu.actions() if words in action.text())


def _right(widget: object, place: QPoint) -> None:
    event = QContextMenuEvent(QContextMenuEvent.Reason.Mouse, place, widget.mapToGlobal(place))
    QApplication.sendEvent(widget, event)


def test_a_frame_dragged_onto_a_pane_opens_there(driver: Driver) -> None:
    bench, rail = driver.window.bench, driver.window.rail
    number = driver.number("test-card.dng")
    data = rail.rows.mimeData([rail.rows.index(rail.rows.place_of(number))])
    copy, left, none = Qt.DropAction.CopyAction, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    view, before = bench.views[1], bench.contents[0].item
    assert QApplication.sendEvent(view, QDragEnterEvent(QPoint(50, 50), copy, data, left, none))
    QApplication.sendEvent(view, QDropEvent(QPointF(50, 50), copy, data, left, none, QEvent.Type.Drop))
    assert bench.contents[1].item == number and bench.contents[0].item == before and bench.chosen == 1
    assert rail.rows.rows[rail.currentIndex().row()].item == number, "the rail marks it"
    driver.settled()
    assert "not pictures of one scene" in bench.judgement.words.text_in_full()


def test_a_frame_is_chosen_on_release_and_not_when_it_is_dragged(
    driver: Driver, monkeypatch: pytest.MonkeyPatch
) -> None:
    rail, bench = driver.window.rail, driver.window.bench
    number, before = driver.number("test-card.dng"), bench.contents[0].item
    place = rail.rows.index(rail.rows.place_of(number))
    rail.scrollTo(place)
    spot = rail.visualRect(place).center()
    dragged: list[object] = []
    monkeypatch.setattr(QListView, "startDrag", lambda _rail, actions: dragged.append(actions))
    driver.qtbot.mousePress(rail.viewport(), Qt.MouseButton.LeftButton, pos=spot)
    assert bench.contents[0].item == before
    rail.startDrag(Qt.DropAction.CopyAction)
    driver.qtbot.mouseRelease(rail.viewport(), Qt.MouseButton.LeftButton, pos=spot)
    assert dragged and bench.contents[0].item == before, "pane A keeps its frame"
    driver.qtbot.mouseClick(rail.viewport(), Qt.MouseButton.LeftButton, pos=spot)
    assert bench.contents[0].item == number


def test_the_right_button_changes_no_selection_and_is_about_it(driver: Driver) -> None:
    rail, session = driver.window.rail, driver.window.session
    numbers = [driver.number(name) for name in ("test-card.dng", "window-leaves.dng")]
    rail.choose(numbers[0])
    place = rail.rows.index(rail.rows.place_of(numbers[1]))
    rail.selectionModel().select(place, QItemSelectionModel.SelectionFlag.Select)
    assert set(rail.selected_items()) == set(numbers)
    rail.scrollTo(place)
    spot = rail.visualRect(place).center()
    driver.qtbot.mousePress(rail.viewport(), Qt.MouseButton.RightButton, pos=spot)
    _right(rail.viewport(), spot)
    assert set(rail.selected_items()) == set(numbers)
    menu = _menu(driver)
    assert _named(menu, "Compare these 2 frames").isEnabled()
    _named(menu, "Keep these 2 frames").trigger()
    assert all(session.items[n].sidecar.mark == KEEP for n in numbers)
    other = next(n for n in session.items if n not in numbers)
    driver.window.hands._about_frames(other, rail.selected_items(), QPoint(0, 0))
    _named(_menu(driver), "Show in pane B").trigger()
    assert driver.window.bench.contents[1].item == other
    assert set(rail.selected_items()) == set(numbers)


def test_a_panes_menu_pins_it_and_makes_it_the_reference(driver: Driver) -> None:
    bench = driver.window.bench
    _right(bench.views[1], QPoint(80, 90))
    menu = _menu(driver)
    _named(menu, "Put the probe here").trigger()
    assert bench.panes.view.probe_placed
    _named(menu, "Hold the others against this one").trigger()
    _named(menu, "Keeps its frame").trigger()
    driver.settled()
    assert bench.panes.view.reference == 1 and bench.telling.told.reference == 1
    light = driver.figure("light", 0)
    assert light is not None and light.difference is not None and driver.figure("light", 1).difference is None
    assert "stays" in bench.captions[1]._mark.text()
    shown = bench.contents[1].item
    driver.window.rail.choose(driver.number("test-card.dng"))
    assert bench.contents[1].item == shown and bench.contents[0].item != shown
    bench.captions[0].menu_wanted.emit(QPoint(0, 0))
    frames = next(a.menu() for a in _menu(driver).actions() if a.text() == "Another frame")
    assert {action.text() for action in frames.actions()} >= {"test-card.dng", "window-leaves.dng"}
    _named(_menu(driver), "Take this pane away")
    bench.change_count(1)
    bench.remove(1)
    assert bench.panes.view.reference == 0, "what was held against is gone: it is pane A again"


def test_a_figure_explains_itself_and_its_rows_are_remembered(driver: Driver) -> None:
    bench, table = driver.window.bench, driver.window.bench.judgement.table
    driver.qtbot.mouseClick(
        table.viewport(), Qt.MouseButton.LeftButton, pos=table.visualRect(table.told.index(0, 0)).center()
    )
    assert table.card is not None and any("ISO 15739" in text for text in table.card.texts)
    assert bench.views[0]._pointing.isActive(), "and is shown on the pictures"
    table.card.close()
    bench.judgement.menu_wanted.emit(QPoint(0, 0), 0, 1)
    menu = _menu(driver)
    _named(menu, "Copy the table").trigger()
    assert QGuiApplication.clipboard().text().count("\n") >= 5
    rows = next(a.menu() for a in menu.actions() if a.menu() is not None)
    _named(rows, "Blue noise").trigger()
    assert [line.row.name for line in bench.judgement.lines()][-1] == "Blue noise"
    _named(rows, "As shipped").trigger()
    assert len(bench.judgement.lines()) == 4
    bench.judgement.all.click()
    driver.settled()
    assert len(bench.judgement.lines()) > 15 and table.verticalScrollBar().maximum() > 0
    bench.judgement.all.click()
    bench.judgement.spots.click()
    driver.settled()
    assert "at the judging spots" in bench.judgement.words.text_in_full()
    bench.captions[0].show_card()
    assert any("ISO 6400" in text for text in bench.captions[0].card.texts)
    bench.captions[0].card.close()
