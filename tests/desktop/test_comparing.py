"""Comparing in the real window: zoom, arrangements, matching, probe, grey spot."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import QEvent, QPoint, QPointF, Qt
from PySide6.QtGui import QKeyEvent, QWheelEvent
from PySide6.QtWidgets import QApplication

from irvane.desktop.bench.panes import BESIDE, DIVIDED, ONE
from irvane.desktop.item import BARE

from .conftest import Driver


def test_zoom_and_position_are_locked(driver: Driver) -> None:
    bench, view = driver.window.bench, driver.window.bench.views[0]
    driver.key(Qt.Key.Key_R)
    assert bench.viewport.zoom == 1.0
    driver.settled()
    layer = bench.contents[0].current
    assert layer.rect.width() == layer.image.width(), "100 % is one picture pixel on one device pixel"
    before = view.frame_point(QPointF(100, 80))
    wheel = QWheelEvent(
        QPointF(100, 80), view.mapToGlobal(QPointF(100, 80)), QPoint(0, 0), QPoint(0, 120),
        Qt.MouseButton.NoButton, Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    QApplication.sendEvent(view, wheel)
    assert bench.viewport.zoom == 2.0
    after = view.frame_point(QPointF(100, 80))
    assert (after.x(), after.y()) == pytest.approx((before.x(), before.y()), abs=1.0)
    centre = bench.viewport.centre
    driver.qtbot.mousePress(view, Qt.MouseButton.LeftButton, pos=QPoint(300, 60))
    driver.qtbot.mouseMove(view, QPoint(240, 90))
    driver.qtbot.mouseRelease(view, Qt.MouseButton.LeftButton, pos=QPoint(240, 90))
    assert bench.viewport.centre != centre
    assert bench.views[1].frame_point(QPointF(50, 50)) == view.frame_point(QPointF(50, 50))
    for zoom in (8.0, 4.0, 0.5, None):
        bench.set_zoom(zoom)
        driver.settled()
        assert bench.contents[0].state == "final"
    assert driver.window.bench.strip.zoom_box.currentText() == "fit"


def test_arrangements_blink_and_swap(driver: Driver) -> None:
    bench = driver.window.bench
    assert bench.arrangement == BESIDE
    driver.key(Qt.Key.Key_V)
    assert bench.arrangement == DIVIDED
    assert bench.views[0].split == 0.5
    view = bench.views[0]
    middle = QPoint(view.width() // 2, 50)
    driver.qtbot.mousePress(view, Qt.MouseButton.LeftButton, pos=middle)
    driver.qtbot.mouseMove(view, QPoint(view.width() // 4, 50))
    driver.qtbot.mouseRelease(view, Qt.MouseButton.LeftButton, pos=QPoint(view.width() // 4, 50))
    assert view.split == pytest.approx(0.25, abs=0.02)
    driver.key(Qt.Key.Key_Z)
    assert bench.arrangement == BESIDE
    driver.key(Qt.Key.Key_Z)
    assert bench.arrangement == ONE
    assert not bench.views[1].isVisible()
    press = QKeyEvent(QEvent.Type.KeyPress, Qt.Key.Key_Q, Qt.KeyboardModifier.NoModifier)
    QApplication.sendEvent(view, press)
    assert view.contents[0] is bench.contents[1]
    QApplication.sendEvent(
        view, QKeyEvent(QEvent.Type.KeyRelease, Qt.Key.Key_Q, Qt.KeyboardModifier.NoModifier)
    )
    assert view.contents[0] is bench.contents[0]
    first = bench.contents[0]
    driver.key(Qt.Key.Key_X)
    assert bench.contents[1] is first


def test_equal_brightness_states_its_offset(driver: Driver) -> None:
    driver.window.proofs.edit("light.exposure", 1.2)
    driver.settled()
    driver.key(Qt.Key.Key_E)
    driver.settled()
    offset = driver.window.bench.contents[1].offset
    assert offset == pytest.approx(1.2, abs=0.1)
    assert f"brightness {offset:+.2f} EV" in driver.window.bench.captions[1].full_texts()[3]
    a, b = driver.pixels(0), driver.pixels(1)
    assert np.median(a) == pytest.approx(np.median(b), abs=6)
    driver.key(Qt.Key.Key_E)
    assert driver.window.bench.contents[1].offset == 0


def test_the_probe_moves_by_mouse_and_key(driver: Driver) -> None:
    bench, view = driver.window.bench, driver.window.bench.views[0]
    before = bench.contents[0].probe
    centre = view._view_rect(view.probe, view.contents[0]).center().toPoint()
    driver.qtbot.mousePress(view, Qt.MouseButton.LeftButton, pos=centre)
    driver.qtbot.mouseMove(view, centre + QPoint(-120, -90))
    driver.qtbot.mouseRelease(view, Qt.MouseButton.LeftButton, pos=centre + QPoint(-120, -90))
    driver.settled()
    assert bench.contents[0].probe != before
    place = bench.probe_region(0)
    view.setFocus()
    driver.qtbot.keyClick(view, Qt.Key.Key_Left, Qt.KeyboardModifier.AltModifier)
    assert bench.probe_region(0).left == place.left - 8
    driver.key(Qt.Key.Key_P)
    assert bench.probe_region(0).left == pytest.approx(450 - 10, abs=2)


def test_a_grey_spot_sets_the_white_balance(driver: Driver) -> None:
    driver.choose("test-card.dng")
    driver.window.proofs.edit("colour.temperature", 3000)
    driver.settled()
    driver.key(Qt.Key.Key_G)
    view = driver.window.bench.views[0]
    assert view.picking
    spot = driver.window.bench.viewport.to_view(
        view.probe.translated(30 - view.probe.x(), 300 - view.probe.y()), view.extent, view.device_size()
    )
    driver.click(view, QPoint(round(spot.center().x()), round(spot.center().y())))
    driver.settled()
    assert not view.picking
    from irvane.core.colour.camera import light_of
    from irvane.core.settings import Colour

    frame = driver.window.service.engine.best(driver.window.bench.item(0).source, driver.settings().sensor)
    shot, _ = light_of(frame.developed.colour, Colour())
    assert driver.settings().colour.temperature == pytest.approx(shot, rel=0.05)


def test_contrast_and_white_balance_are_matched_from_the_menu(driver: Driver) -> None:
    bench = driver.window.bench
    driver.window.proofs.new_proof()
    driver.window.proofs.edit("light.contrast", -40)
    driver.window.proofs.edit("colour.temperature", 8000)
    bench.show_proof(1, 0)
    driver.settled()
    before = driver.settings(1)
    for kind in ("contrast and saturation", "white balance"):
        bench.strip.match_actions[kind].trigger()
    driver.settled()
    found = bench.contents[1].match
    assert found.contrast < -10 and (found.red or found.blue)
    assert "contrast" in bench.captions[1].full_texts()[3] and "red" in bench.captions[1].full_texts()[3]
    assert driver.settings(1) == before, "the proof stays as it is"
    means = [driver.pixels(pane)[:250, :380].mean(axis=(0, 1)) for pane in range(2)]
    assert abs((means[0][0] - means[0][2]) - (means[1][0] - means[1][2])) < 8
    for kind in ("contrast and saturation", "white balance"):
        bench.strip.match_actions[kind].trigger()
    driver.settled()
    assert not bench.contents[1].match.words()


def test_panes_that_change_places_take_along_what_they_show(driver: Driver) -> None:
    bench = driver.window.bench
    driver.settled()
    before = [(content.key, content.current) for content in bench.contents]
    asked: list[object] = []
    driver.window.service.rendered.connect(lambda *what: asked.append(what))
    bench.swap()
    assert [(content.key, content.current) for content in bench.contents] == before[::-1]
    driver.settled()
    assert not asked, "nothing is rendered anew"


def test_a_view_begun_before_a_pane_changed_is_not_shown_in_it(driver: Driver) -> None:
    window, bench = driver.window, driver.window.bench
    made: list[tuple] = []
    first = bench.contents[0].key
    window.service.rendered.connect(lambda *what: made.append(what))
    bench.show_proof(0, 0)
    driver.settled()
    window.session.edit(bench.contents[0].item, 0, {"light.exposure": 1.0})
    driver.until(lambda: any(pane == first for pane, *_ in made))
    driver.settled()
    late = next(what for what in reversed(made) if what[0] == first)
    bench.show_proof(0, BARE)
    driver.settled()
    shown = bench.contents[0].current
    window.service.rendered.emit(*late)  # as from a worker that was at it when the proof was changed
    assert bench.contents[0].current is shown
    bench.show_proof(0, 0)
    driver.settled()
    assert bench.contents[0].current is not shown
