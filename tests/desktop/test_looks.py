"""Looks and hatching in the real window: both panes, by key and mouse, and nothing in the results changes."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QImage, QPainter

from irvane.core.line.clip_flags import BLACK, SENSOR, WHITE
from irvane.core.line.looks import LOOKS, PICTURE
from irvane.desktop.bench.hatching import marks_of, paint_marks

from .conftest import Driver


def _spread(pixels: np.ndarray) -> float:
    """How much the channels differ."""
    return float(np.ptp(pixels, axis=2).mean())


def test_looks_go_round_by_key_and_are_chosen_by_mouse(driver: Driver) -> None:
    bench, box = driver.window.bench, driver.window.bench.strip.look_box
    plain = driver.pixels()
    assert box.currentData() == PICTURE, "said from the beginning"
    assert {box.itemData(k) for k in range(box.count())} == {None, *LOOKS}, "each under what it is for"
    seen = [PICTURE]
    for _ in range(len(LOOKS) - 1):
        driver.key(Qt.Key.Key_K)
        seen.append(bench.panes.view.look)
        assert box.currentData() == bench.panes.view.look
    assert seen == list(LOOKS)
    driver.key(Qt.Key.Key_K)
    assert bench.panes.view.look == PICTURE
    driver.key(Qt.Key.Key_K, Qt.KeyboardModifier.ShiftModifier)
    assert bench.panes.view.look == seen[-1]
    box.setCurrentIndex(box.findData("luminance"))
    box.activated.emit(box.currentIndex())
    driver.settled()
    for pane in range(2):
        assert _spread(driver.pixels(pane)) == 0
    driver.key(Qt.Key.Key_Y)
    driver.settled()
    np.testing.assert_allclose(driver.pixels(), plain, atol=1)


def test_a_lift_brightens_what_is_seen_and_not_the_proof(driver: Driver) -> None:
    settings, before = driver.settings(), driver.pixels().mean()
    driver.window.bench.set_look("lifted-2")
    driver.settled()
    assert driver.pixels().mean() > before + 15
    assert driver.settings() == settings
    assert not driver.window.session.undo.canUndo()


def test_the_fitting_look_lasts_as_long_as_the_control_is_held(driver: Driver) -> None:
    bench, slider = driver.window.bench, driver.row("noise.colour").slider
    driver.qtbot.mousePress(slider, Qt.MouseButton.LeftButton, pos=QPoint(slider.width() // 2, 8))
    assert bench.panes.view.look == "colour"
    driver.qtbot.mouseRelease(slider, Qt.MouseButton.LeftButton)
    assert bench.panes.view.look == PICTURE
    assert driver.settings().noise.colour == pytest.approx(50, abs=10)
    bench.set_look("removed")
    driver.qtbot.mousePress(slider, Qt.MouseButton.LeftButton, pos=QPoint(slider.width() // 3, 8))
    assert bench.panes.view.look == "removed", "a look that was chosen stays"
    driver.qtbot.mouseRelease(slider, Qt.MouseButton.LeftButton)
    assert bench.panes.view.look == "removed"


def test_clipped_places_are_hatched(driver: Driver) -> None:
    bench = driver.window.bench
    driver.choose("furnace-hand-3.dng")
    assert bench.contents[0].current.marks is None
    driver.key(Qt.Key.Key_H)
    driver.settled()
    assert bench.strip.marks_button.isChecked()
    marks = bench.contents[0].current.marks
    assert marks is not None and marks.sensor is not None
    stripes = bench.views[0].grab().toImage()
    driver.key(Qt.Key.Key_H)
    driver.settled()
    assert bench.contents[0].current.marks is None
    assert bench.views[0].grab().toImage() != stripes


def test_the_mosaic_of_a_finished_picture_is_missed_with_a_sentence(driver: Driver, tmp_path) -> None:
    image = QImage(200, 150, QImage.Format.Format_RGB32)
    image.fill(Qt.GlobalColor.darkGreen)
    assert image.save(str(tmp_path / "green.png"))
    driver.window.opening.open([tmp_path / "green.png"])
    driver.until(
        lambda: any(i.source.name == "green.png" and i.ready for i in driver.window.session.items.values())
    )
    driver.choose("green.png")
    driver.window.bench.set_look("mosaic")
    driver.settled()
    assert "no mosaic" in driver.window.bench.contents[0].instead
    driver.window.bench.set_look(PICTURE)
    driver.settled()
    assert driver.window.bench.contents[0].instead == ""
    driver.window.open_test_strip("colour.temperature")  # a finished picture has none
    assert not driver.window.bench.test_strip.isVisible()
    assert "no value" in driver.window.surface.message.text_in_full()


def test_stripes_are_painted_only_over_marked_places(qtbot) -> None:
    bits = np.zeros((40, 60), np.uint8)
    bits[:, :20] = 1
    bits[:, 40:] = WHITE
    marks = marks_of(bits)
    canvas = QImage(120, 80, QImage.Format.Format_RGB32)
    canvas.fill(Qt.GlobalColor.gray)
    plain = canvas.pixelColor(60, 40)
    painter = QPainter(canvas)
    paint_marks(painter, marks, canvas.rect().toRectF(), canvas.rect(), 1.0)
    painter.end()
    changed = np.array([[canvas.pixelColor(x, y) != plain for x in range(120)] for y in range(80)])
    assert 0.05 < changed[:, :40].mean() < 0.6  # stripes, not a cover
    assert not changed[:, 41:79].any()
    assert 0.05 < changed[:, 80:].mean() < 0.6
    assert marks_of(bits & SENSOR).output is None
    both = marks_of(np.full((4, 4), WHITE | BLACK, np.uint8)).output  # a reduced pixel may cover both
    assert both is not None and both.pixelColor(1, 1) == marks_of(
        np.full((4, 4), WHITE, np.uint8)
    ).output.pixelColor(1, 1)


def test_the_sensor_station_says_what_was_found(driver: Driver) -> None:
    driver.choose("furnace-hand-3.dng")
    driver.window.band.toggle("sensor")
    words = driver.window.shelf.sensor_words.text()
    assert "Black 512" in words and "Room to clipping" in words and "repaired" in words
    assert driver.window.shelf.plot.accessibleName() == "Histogram of the sensor in stops"
    driver.window.band.toggle("light")
    assert driver.window.shelf.plot.accessibleName() == "Histogram in stops"


def test_a_mosaic_that_was_given_up_is_read_again_for_a_look(driver: Driver) -> None:
    """Until it is there the picture stands in its place, and says so."""
    window, content = driver.window, driver.window.bench.contents[0]
    window.bench.set_zoom(1.0)
    driver.settled()
    picture = driver.pixels()
    window.service.engine.rest()
    states: list[str] = []
    window.service.rendered.connect(
        lambda _key, request, _made, state: states.append(f"{request.look} {state}")
    )
    window.bench.set_look("mosaic")
    driver.settled()
    assert "mosaic instead" in states and content.state == "final"
    grey = driver.pixels()
    assert np.abs(grey - picture).mean() > 5, "the mosaic is seen"
    window.bench.set_look("picture")
    driver.settled()
    assert np.abs(driver.pixels() - picture).mean() < 0.5
