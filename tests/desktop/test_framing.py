"""The station Lens in the real window: crop with handles, turns, drawn lines, profiles by name, panes that stay aligned."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest

from irvane.core.files.preferences import choose, preferences
from irvane.core.files.remembered import remembered
from irvane.core.lens.lines import LEVEL
from irvane.core.settings import Settings, copied_settings
from irvane.desktop.framing.overlay import Overlay
from irvane.desktop.framing.strip import CURVE

from .conftest import Driver


def _begin(driver: Driver) -> Overlay:
    driver.settled()
    driver.key(Qt.Key.Key_W, Qt.KeyboardModifier.ShiftModifier)
    driver.settled()
    overlay = driver.window.framing.overlay
    assert overlay is not None and overlay.isVisible() and driver.window.framing.strip.isVisible()
    return overlay


def _drag(overlay: Overlay, one: QPointF, two: QPointF) -> None:
    QTest.mousePress(overlay, Qt.MouseButton.LeftButton, pos=one.toPoint())
    QTest.mouseMove(overlay, ((one + two) / 2).toPoint())
    QTest.mouseMove(overlay, two.toPoint())
    QTest.mouseRelease(overlay, Qt.MouseButton.LeftButton, pos=two.toPoint())


def test_a_crop_is_drawn_with_handles_and_undone(driver: Driver) -> None:
    overlay = _begin(driver)
    whole = overlay.picture_rect()
    _drag(overlay, overlay._handle_places()["br"], whole.center())
    driver.settled()
    x, y, w, h = driver.settings().lens.crop if not driver.window.bench.panes.view.framing else _crop(driver)
    assert (x, y) == pytest.approx((0, 0), abs=0.5) and (w, h) == pytest.approx((50, 50), abs=1.5)
    assert "25" in driver.window.framing.strip.crop_size.text()
    driver.key(Qt.Key.Key_Return)
    driver.settled()
    assert driver.window.framing.overlay is None
    extent = driver.window.bench.contents[0].extent
    assert extent[1] < 0.55 * 900 or extent[0] < 0.55 * 900
    assert driver.window.bench.contents[0].kept == pytest.approx(0.25, abs=0.03)
    assert "field of view 25" in " ".join(driver.window.bench.captions[0].full_texts())
    driver.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    driver.settled()
    assert driver.settings().lens.crop == ()


def _crop(driver: Driver) -> tuple[float, ...]:
    item = driver.window.proofs.item()
    assert item is not None
    return item.settings(driver.window.proofs.number).lens.crop


def test_shapes_numbers_and_keys(driver: Driver) -> None:
    overlay = _begin(driver)
    strip = driver.window.framing.strip
    strip.ratio.setCurrentIndex(strip.ratio.findText("1 : 1"))
    strip.ratio.activated.emit(strip.ratio.currentIndex())
    driver.settled()
    h, w = driver.window.bench.contents[0].extent
    crop = _crop(driver)
    assert crop[2] * w == pytest.approx(crop[3] * h, rel=0.02)
    _drag(overlay, overlay._handle_places()["tl"], overlay._handle_places()["tl"] + QPointF(30, 5))
    driver.settled()
    crop = _crop(driver)
    assert crop[2] * w == pytest.approx(crop[3] * h, rel=0.02), "the shape is kept"
    strip.boxes[2].setValue(20.0)
    driver.settled()
    assert _crop(driver)[2] == pytest.approx(20.0)
    overlay.setFocus()
    before = _crop(driver)
    QTest.keyClick(overlay, Qt.Key.Key_Right)
    driver.settled()
    assert _crop(driver)[0] == pytest.approx(min(before[0] + 1, 80), abs=0.01)
    driver.click(next(b for b in strip.findChildren(type(strip.apply)) if b.text() == "Done"))
    driver.settled()
    assert not strip.isVisible()


def test_the_lever_and_a_drawn_line_turn_the_picture(driver: Driver) -> None:
    overlay = _begin(driver)
    lever, middle = overlay.lever(), overlay.crop_rect().center()
    arm = lever - middle
    turned = QPointF(arm.x() - np.sin(0.1) * arm.y(), arm.y() * np.cos(0.1)) + middle
    _drag(overlay, lever, turned)
    driver.settled()
    first = driver.settings().lens.straighten
    assert first == pytest.approx(np.degrees(0.1), abs=1.0)
    tool = driver.window.framing.strip.tools[LEVEL]
    driver.click(tool)
    picture = overlay.picture_rect()
    one = picture.topLeft() + QPointF(0.3 * picture.width(), 0.5 * picture.height())
    two = one + QPointF(0.4 * picture.width(), 0.1 * picture.height())
    _drag(overlay, one, two)
    assert len(overlay.lines) == 1
    driver.click(driver.window.framing.strip.apply)
    driver.settled()
    slant = np.degrees(np.arctan2(two.y() - one.y(), two.x() - one.x()))
    assert driver.settings().lens.straighten == pytest.approx(first - slant, abs=0.6)
    assert overlay.lines == []


def test_a_bent_line_sets_the_distortion(driver: Driver) -> None:
    overlay = _begin(driver)
    driver.click(driver.window.framing.strip.tools[CURVE])
    picture = overlay.picture_rect()
    for share, sag in ((0.05, 0.10), (0.3, 0.07), (0.5, 0.065), (0.7, 0.07), (0.95, 0.10)):
        place = picture.topLeft() + QPointF(share * picture.width(), sag * picture.height())
        driver.click(overlay, place.toPoint())
    assert len(overlay.points) == 5
    driver.click(driver.window.framing.strip.apply)
    driver.settled()
    assert driver.settings().lens.distortion > 1


def test_quarter_turns_and_mirroring(driver: Driver) -> None:
    driver.settled()
    before = driver.window.bench.contents[0].extent
    driver.key(Qt.Key.Key_Period)
    driver.settled()
    assert driver.settings().lens.turn == "90" and driver.window.bench.contents[0].extent == before[::-1]
    driver.key(Qt.Key.Key_Comma)
    driver.key(Qt.Key.Key_M, Qt.KeyboardModifier.ShiftModifier)
    driver.settled()
    assert driver.settings().lens.turn == "0" and driver.settings().lens.mirror == "on"


def test_level_by_itself_says_how_sure_it_is(driver: Driver) -> None:
    driver.window.proofs.edit("lens.straighten", 3.0)
    driver.settled()
    driver.window.framing.level()
    driver.settled()
    told = driver.window.surface.message.text_in_full()
    assert "agree" in told
    if told.startswith("Turned"):
        assert abs(driver.settings().lens.straighten) < 1.0


def test_a_lens_is_searched_for_taken_and_remembered(driver: Driver) -> None:
    driver.settled()
    driver.window.band.toggle("lens")
    driver.settled()
    shelf = driver.window.shelf
    assert "No profile found" in shelf.lens_words.text()
    driver.click(shelf.stations["lens"].rows["lens.profile"].box)
    driver.until(lambda: driver.window.lenses.dialog is not None)
    dialog = driver.window.lenses.dialog
    assert dialog is not None
    everything = dialog._model.rowCount()
    dialog.search.setText("24-105 canon f/4l is usm")
    assert 0 < dialog._model.rowCount() < everything
    name = str(dialog._model.index(0, 0).data())
    dialog.list.setCurrentIndex(dialog._model.index(0, 0))
    dialog._take(True)
    driver.settled()
    assert driver.settings().lens.profile == name
    item = driver.window.proofs.item()
    assert item is not None and remembered(item.source.info) == name
    assert name in shelf.lens_words.text() and "profile" in driver.window.band._words["lens"]
    assert len(preferences().lenses) == 1
    choose(lenses=())  # the next tests begin as on a new machine


def test_panes_of_other_geometry_show_the_same_place(driver: Driver) -> None:
    """With and without correction, and with a crop: the middle of every pane is the same place of the scene."""
    driver.settled()
    driver.window.proofs.new_proof()
    driver.settled()
    driver.window.proofs.edit_many(
        {"lens.straighten": 5.0, "lens.crop": (20.0, 15.0, 60.0, 60.0), "lens.distortion": 6.0}
    )
    driver.settled()
    bench = driver.window.bench
    mapping = bench.contents[1].mapping
    assert mapping is not None
    frames = [
        driver.window.service.engine.best(bench.item(k).source, bench.settings(k).sensor) for k in (0, 1)
    ]  # type: ignore[union-attr]
    one, two = (f.geometry(bench.settings(k)) for k, f in enumerate(frames))  # type: ignore[union-attr]
    h, w = one.output
    for place in ((w / 2, h / 2), (w / 3, h / 3), (0.7 * w, 0.6 * h)):
        there = mapping.place(*place)
        np.testing.assert_allclose(
            two.to_frame(np.array([there]))[0], one.to_frame(np.array([place]))[0], atol=0.05
        )
    texts = [" ".join(caption.full_texts()) for caption in bench.captions[:2]]
    assert any("field of view" in text for text in texts)


def test_only_the_crop_is_handed_on() -> None:
    one = Settings().with_values(
        {"lens.crop": (10, 10, 50, 50), "lens.straighten": 2.0, "lens.profile": "off", "light.exposure": 1}
    )
    other = copied_settings(one, Settings(), ("crop",))
    assert other.lens == replace(Settings().lens, crop=(10.0, 10.0, 50.0, 50.0), straighten=2.0)
    assert other.light == Settings().light


def test_a_fringe_is_picked(driver: Driver) -> None:
    driver.settled()
    driver.window.proofs.pick_fringe()
    view = driver.window.bench.views[0]
    assert view.picking
    QTest.mouseClick(view, Qt.MouseButton.LeftButton, pos=QPoint(view.width() // 2, view.height() // 2))
    driver.settled()
    assert not view.picking
    told = driver.window.surface.message.text_in_full()
    assert "Fringes of the hue" in told or "Nothing is coloured" in told
