"""Panes by themselves: own zoom and place, exchanged by hand; equal noise; turned frames laid on each other."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt

from irvane.core.files.writers import write_tiff
from irvane.core.judge.matching import NOISE
from irvane.core.line.source import FileSource
from irvane.core.line.tasks import FULL
from irvane.desktop.bench.panes import ONE

from .conftest import Driver


def test_every_pane_can_have_its_own_zoom_and_place(driver: Driver) -> None:
    bench = driver.window.bench
    driver.key(Qt.Key.Key_V, Qt.KeyboardModifier.ShiftModifier)
    assert bench.panes.view.free and "own zoom" in driver.window.surface.message.text_in_full()
    bench.choose(1)
    bench.set_zoom(2.0)
    driver.settled()
    assert bench.views[1].viewport.zoom == 2.0 and bench.views[0].viewport.zoom is None
    requests = [bench.controller.request_of(pane) for pane in range(2)]
    assert requests[0] is not None and requests[1] is not None
    assert requests[0].region.step > 1 and requests[1].region.step == 1.0
    before = bench.views[0].viewport.centre
    view = bench.views[1]
    driver.qtbot.mousePress(view, Qt.MouseButton.LeftButton, pos=QPoint(100, 100))
    driver.qtbot.mouseMove(view, QPoint(60, 80))
    driver.qtbot.mouseRelease(view, Qt.MouseButton.LeftButton, pos=QPoint(60, 80))
    driver.settled()
    assert bench.views[0].viewport.centre == before
    assert bench.strip.zoom_box.currentText() == "200 %"
    assert [bench.captions[k]._mark.text() for k in range(2)] == ["A fit", "B 200 %"]
    moved = bench.views[1].viewport.centre
    driver.key(Qt.Key.Key_V, Qt.KeyboardModifier.ShiftModifier)
    assert not bench.panes.view.free
    assert {view.viewport for view in bench.views} == {bench.viewport}
    assert bench.viewport.zoom == 2.0 and bench.viewport.centre == moved, "all are where the chosen one was"
    driver.key(Qt.Key.Key_V, Qt.KeyboardModifier.ShiftModifier)
    bench.set_arrangement(ONE)
    assert not bench.panes.view.free, "one place for pictures that share a pane"


def test_a_pane_is_dragged_to_another_place(driver: Driver) -> None:
    bench = driver.window.bench
    driver.key(Qt.Key.Key_I)
    driver.settled()
    first, second, third = bench.contents
    caption = bench.captions[2]
    there = caption.mapFromGlobal(bench.views[0].mapToGlobal(QPoint(30, 30)))
    driver.qtbot.mousePress(caption, Qt.MouseButton.LeftButton, pos=QPoint(30, 30))
    driver.qtbot.mouseRelease(caption, Qt.MouseButton.LeftButton, pos=there)
    assert bench.contents == [third, second, first]
    driver.qtbot.mousePress(caption, Qt.MouseButton.LeftButton, pos=QPoint(30, 30))
    driver.qtbot.mouseRelease(caption, Qt.MouseButton.LeftButton, pos=QPoint(31, 30))
    assert bench.contents == [third, second, first], "a click is no drag"


def test_residual_noise_is_made_equal(driver: Driver) -> None:
    bench = driver.window.bench
    driver.window.proofs.edit("noise.amount", 40.0)
    driver.window.proofs.new_proof()
    driver.window.proofs.edit("noise.amount", 100.0)
    bench.show_proof(0, 0)
    bench.show_proof(1, 1)
    driver.settled()
    bench.strip.match_actions[NOISE].trigger()
    driver.until(lambda: bench.contents[1].match.amount is not None, 60)
    driver.settled()
    found = bench.contents[1].match
    assert found.amount == pytest.approx(40, abs=8) and found.noise == pytest.approx(1, abs=0.1)
    assert "noise removal" in bench.captions[1].full_texts()[3]
    assert driver.settings(1).noise.amount == 100.0, "the proof stays as it is"
    bench.strip.match_actions[NOISE].trigger()
    driver.settled()
    assert bench.contents[1].match.amount is None


def test_a_turned_frame_is_turned_back(driver: Driver, frames: Path, tmp_path: Path) -> None:
    bench = driver.window.bench
    source = frames / "test-card.dng"
    driver.choose("test-card.dng")
    loaded = FileSource(source).load()
    assert loaded.mosaic is not None
    light = bench.service.engine.make(FileSource(source), FULL, driver.settings()).developed.plain.read_all()
    h, w = light.shape[:2]
    matrix = cv2.getRotationMatrix2D((w / 2, h / 2), -8.0, 1.0)
    turned = cv2.warpAffine(light, matrix, (w, h), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)
    path = tmp_path / "turned.tif"
    coded = (np.clip(turned, 0, 1) ** (1 / 2.2) * 65535).astype(np.uint16)
    write_tiff(path, coded, space="srgb", source=None, overwrite=True)
    driver.window.opening.open([path])
    driver.until(lambda: any(i.path == path and i.ready for i in driver.window.session.items.values()))
    driver.choose("test-card.dng")
    bench.show_item(1, next(i.number for i in driver.window.session.items.values() if i.path == path))
    driver.until(lambda: bench.contents[1].mapping is not None, 60)
    assert abs(bench.contents[1].mapping.rotation) == pytest.approx(8, abs=0.2)
    bench.set_zoom(1.0)
    bench.move_probe(w / 2 - 60, h / 2 + 40)
    driver.settled()
    one, two = (view.grab().toImage() for view in bench.views[:2])

    def grey(image) -> np.ndarray:
        data = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.bytesPerLine())
        plane = data[:, : 4 * image.width()].reshape(image.height(), -1, 4)[..., 1].astype(float)
        return plane - cv2.GaussianBlur(plane, (0, 0), 12)

    for top in (40, 300):  # far from the middle too: shift alone would not do
        a, b = grey(one)[top : top + 200, 60:420], grey(two)[top : top + 200, 60:420]
        shift, sure = cv2.phaseCorrelate(a, b, cv2.createHanningWindow(a.shape[::-1], cv2.CV_64F))
        assert np.hypot(*shift) < 1.5 and sure > 0.2
    # the mark of the probe is drawn where its pixels are read: around the same place of the window
    region = bench.probe_region(1)
    view = bench.views[1]
    own = view._view_rect(view.probe, view.contents[0]).center()
    there = view._turn(view.contents[0]).map(own)
    first = bench.views[0]._view_rect(bench.views[0].probe, bench.views[0].contents[0]).center()
    assert (there - first).manhattanLength() < 3
    assert region.left != bench.probe_region(0).left


def test_panes_of_one_proof_in_different_places_come_to_rest(driver: Driver) -> None:
    """What is seen of each is denoised once; were they to take turns, the whole frame would never be."""
    window, bench = driver.window, driver.window.bench
    driver.key(Qt.Key.Key_V, Qt.KeyboardModifier.ShiftModifier)
    bench.show_proof(1, 0)
    for pane, centre in ((0, (0.3, 0.3)), (1, (0.7, 0.7))):
        bench.choose(pane)
        bench.set_zoom(1.0)
        bench.views[pane].viewport.centre = centre
    driver.settled()
    made: list[str] = []
    usual = window.service.engine.do

    def counted(source, task, progress):
        if task.of_what_is_seen:
            made.append(task.removal_of_part.kind)
        return usual(source, task, progress)

    window.service.engine.do = counted
    window.proofs.edit("noise.amount", 187)
    driver.settled()
    assert [content.state for content in bench.contents] == ["final", "final"]
    assert made.count("fast") <= 4 and made.count("best") <= 4, made
