"""Judging on the bench, in the real window: up to six panes, difference, loupe, spots, a station left out."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from PySide6.QtCore import QItemSelectionModel, QPoint, Qt
from PySide6.QtTest import QTest

from irvane.core.line.tasks import Request
from irvane.core.settings import bare, copied_settings
from irvane.desktop.bench.panes import BESIDE, DIFFERENCE, DIVIDED
from irvane.desktop.item import BARE

from .conftest import Driver


def test_panes_are_added_and_taken_away_by_key(driver: Driver) -> None:
    bench = driver.window.bench
    for count in range(3, 7):
        driver.key(Qt.Key.Key_I)
        assert bench.count == count
        assert "is shown already" in driver.window.surface.message.text_in_full()
    driver.key(Qt.Key.Key_I)
    assert bench.count == 6 and "There are 6 panes" in driver.window.surface.message.text_in_full()
    driver.settled()
    assert all(view.isVisible() for view in bench.views)
    assert all(content.state == "final" for content in bench.contents)
    assert all(len(driver.figures(pane)) == 4 for pane in range(6))
    widths = {view.width() for view in bench.views}
    assert max(widths) - min(widths) <= 2
    for count in range(5, 1, -1):
        driver.key(Qt.Key.Key_O)
        assert bench.count == count
    assert not bench.views[2].isVisible()
    driver.key(Qt.Key.Key_O)
    assert bench.count == 2


def test_every_pane_shows_its_own_proof(driver: Driver) -> None:
    bench, proofs = driver.window.bench, driver.window.proofs
    proofs.new_proof()
    proofs.edit("light.exposure", 1.0)
    driver.key(Qt.Key.Key_I)
    driver.key(Qt.Key.Key_I)
    driver.settled()
    item = bench.item(0)
    shown = {(content.item, content.proof) for content in bench.contents}
    assert {(item.number, 0), (item.number, 1), (item.number, BARE)} <= shown
    driver.key(Qt.Key.Key_T)
    assert bench.chosen == 1
    bench.choose(3)
    driver.key(Qt.Key.Key_T)
    assert bench.chosen == 0


def test_selected_frames_are_compared_with_one_key(driver: Driver) -> None:
    rail, bench = driver.window.rail, driver.window.bench
    names = ("furnace-hand-1.dng", "furnace-hand-2.dng", "furnace-hand-3.dng")
    select = QItemSelectionModel.SelectionFlag.Select
    rail.selectionModel().clearSelection()
    for name in names:
        rail.selectionModel().select(rail.rows.index(rail.rows.place_of(driver.number(name))), select)
    assert rail.selected_items() == [driver.number(name) for name in names]
    driver.key(Qt.Key.Key_E, Qt.KeyboardModifier.ControlModifier)
    driver.settled()
    driver.settled()
    assert [bench.item(k).source.name for k in range(3)] == list(names)
    assert bench.viewport.zoom == 1.0 and bench.arrangement == BESIDE
    driver.key(Qt.Key.Key_Space)
    driver.settled()
    assert "Judging spot" in driver.window.surface.message.text_in_full()


def test_spots_are_stepped_through_and_take_the_probe_along(driver: Driver) -> None:
    bench = driver.window.bench
    seen = []
    for _ in range(3):
        driver.key(Qt.Key.Key_Space)
        driver.settled()
        seen.append((bench.viewport.centre, driver.window.surface.message.text_in_full()))
        assert bench.panes.view.probe == pytest.approx(bench.viewport.centre, abs=1e-6)
        assert bench.contents[0].probe is not None
    assert len({place for place, _ in seen}) == 3 and "1 of" in seen[0][1] and "texture" in seen[0][1]
    driver.key(Qt.Key.Key_Space, Qt.KeyboardModifier.ShiftModifier)
    driver.settled()
    assert bench.viewport.centre == seen[1][0]


def test_the_difference_is_that_of_the_two_panes(driver: Driver) -> None:
    bench, came = driver.window.bench, []
    driver.window.service.comparison.differed.connect(lambda _one, _two, made: came.append(made[1]))
    driver.key(Qt.Key.Key_U)
    driver.settled()
    assert came[0] is None and came[-1] is not None, "the picture first, then its figures"
    assert bench.arrangement == DIFFERENCE
    content = bench.views[0].contents[0]
    assert content.current is not None and not content.problem

    def spread(factor: float) -> float:
        bench.set_difference("luminance", factor)
        driver.settled()
        image = bench.views[0].contents[0].current.image
        data = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.bytesPerLine())
        values = data[:, : 4 * image.width()].reshape(image.height(), -1, 4)[..., :3].astype(float)
        assert np.ptp(values, axis=2).max() <= 1, "brightness alone"
        assert abs(np.median(values) - 128) < 12
        return float(values.std())

    assert "PSNR" in content.instead and "ΔE2000" in content.instead
    weak = spread(1)
    assert spread(4) > 2 * weak
    assert bench.strip.kind_box.currentData() == "luminance" and bench.strip.kind_box.isVisible()
    bench.show_proof(1, 0)  # the same as the chosen pane
    driver.settled()
    assert spread(64) < 1
    driver.key(Qt.Key.Key_U)
    assert bench.arrangement == BESIDE and not bench.strip.kind_box.isVisible()


def test_frames_of_other_size_are_not_subtracted_and_it_says_so(driver: Driver, tmp_path) -> None:
    from PIL import Image

    path = tmp_path / "small.png"
    Image.fromarray(np.full((200, 300, 3), 120, np.uint8)).save(path)
    driver.window.opening.open([path])
    driver.until(lambda: any(i.path == path and i.ready for i in driver.window.session.items.values()))
    driver.window.bench.show_item(
        1, next(i.number for i in driver.window.session.items.values() if i.path == path)
    )
    driver.settled()
    driver.key(Qt.Key.Key_U)
    driver.settled()
    assert "number of pixels" in driver.window.bench.panes.difference_content.problem


def test_a_station_is_left_out_beside_the_proof(driver: Driver) -> None:
    bench = driver.window.bench
    driver.window.proofs.edit("light.exposure", 1.5)
    driver.row("light.exposure")
    driver.key(Qt.Key.Key_B, Qt.KeyboardModifier.ShiftModifier)
    driver.settled()
    own = driver.settings(0)
    assert driver.settings(1) == copied_settings(bare(), own, ("light",))
    assert driver.settings(1).light.exposure == 0 and driver.settings(1).noise == own.noise
    assert "without the station Light" in bench.captions[1].full_texts()[2]
    assert driver.pixels(0).mean() > driver.pixels(1).mean() + 10
    driver.key(Qt.Key.Key_B, Qt.KeyboardModifier.ShiftModifier)
    driver.settled()
    assert driver.settings(1) == own
    assert np.abs(driver.pixels(0) - driver.pixels(1)).max() <= 1


def test_the_loupe_follows_the_pointer_in_all_panes(driver: Driver) -> None:
    bench = driver.window.bench
    driver.key(Qt.Key.Key_C)
    view = bench.views[0]
    QTest.mouseMove(view, QPoint(view.width() // 2, view.height() // 2))
    QTest.mouseMove(view, QPoint(view.width() // 2 + 20, view.height() // 2 + 9))
    driver.settled()
    for pane in range(2):
        loupe = bench.contents[pane].loupe
        assert loupe is not None and loupe.image.width() == 96
        middle = loupe.rect.center()
        spot = view.frame_point(view.rect().center().toPointF() + QPoint(20, 9).toPointF())
        assert abs(middle.x() - spot.x()) < 4 and abs(middle.y() - spot.y()) < 4
    assert bench.views[1].loupe_place is not None
    driver.key(Qt.Key.Key_C)
    assert bench.contents[0].loupe is None and not view.loupe


def test_the_dividing_line_is_turned_by_mouse_and_keys(driver: Driver) -> None:
    bench = driver.window.bench
    driver.key(Qt.Key.Key_V)
    view = bench.views[0]
    assert bench.arrangement == DIVIDED and view.split == 0.5 and view.split_angle == 0
    QTest.mousePress(view, Qt.MouseButton.RightButton, pos=QPoint(view.width() // 2, 20))
    QTest.mouseMove(view, QPoint(view.width() // 2 + 100, view.height() // 2 + 100))
    QTest.mouseRelease(view, Qt.MouseButton.RightButton)
    assert view.split_angle == pytest.approx(45, abs=3)
    view.setFocus()
    QTest.keyClick(view, Qt.Key.Key_Down, Qt.KeyboardModifier.ShiftModifier)
    assert view.split_angle != pytest.approx(45, abs=3)
    shot = view.grab().toImage()
    assert shot.width() > 0


def test_blink_goes_on_by_itself(driver: Driver) -> None:
    bench = driver.window.bench
    driver.key(Qt.Key.Key_Q, Qt.KeyboardModifier.ShiftModifier)
    assert bench.blinking and bench.views[0].contents[0] is bench.contents[1]
    driver.until(lambda: not bench.blinking, 5)
    driver.key(Qt.Key.Key_Q, Qt.KeyboardModifier.ShiftModifier)
    assert not bench.blinking and bench.views[0].contents[0] is bench.contents[0]


def test_edges_and_texture_are_read_under_the_probe(driver: Driver) -> None:
    driver.choose("test-card.dng")
    bench = driver.window.bench
    bench.move_probe(144, 290)  # the left side of the first slanted square
    driver.settled()
    assert bench.contents[0].probe.mtf50 is not None
    assert any(line.startswith("Detail: edge MTF50, c/px 0.") for line in driver.figures(0))
    bench.move_probe(730, 340)  # dead leaves
    driver.settled()
    kept = driver.figure("texture", 1)
    assert kept is not None and kept.difference is not None and kept.value > 0
    assert driver.figure("range", 0).value == bench.contents[0].range


def test_proofs_denoised_by_other_methods_stand_side_by_side(driver: Driver) -> None:
    bench, proofs = driver.window.bench, driver.window.proofs
    proofs.new_proof()
    proofs.edit("noise.method", "fast")
    bench.show_proof(1, 0)
    driver.key(Qt.Key.Key_I)
    driver.settled()
    driver.on_the_label()
    assert [c.state for c in bench.contents] == ["final"] * 3
    assert [c.proof for c in bench.contents] == [1, 0, BARE]
    noise = [c.probe.probe.sigma_luminance for c in bench.contents]
    assert noise[2] > 2 * noise[0] and noise[2] > 2 * noise[1]
    one, two = driver.pixels(0)[:250, :370], driver.pixels(1)[:250, :370]
    assert np.abs(one - two).max() > 3
    item = bench.item(0)
    frame = driver.window.service.engine.best(item.source, item.settings(0).sensor)
    assert len(frame.wholes) == 2


def test_frames_of_other_place_and_size_are_laid_on_each_other(driver: Driver, tmp_path) -> None:
    """A crop of the proof, half as large again, is written as a picture and found again beside its own frame."""
    from PIL import Image

    bench = driver.window.bench
    bench.show_proof(1, 0)
    driver.settled()
    source = driver.window.session.items[bench.contents[0].item].source
    frame = driver.window.service.engine.complete(source, Request(driver.settings()))
    from irvane.core.line.view import render_view
    from irvane.core.pixels.places import OutputRegion

    whole = render_view(
        frame.developed, driver.settings(), frame.context, OutputRegion(0, 0, 600, 900)
    ).pixels[..., :3]
    part = Image.fromarray(np.ascontiguousarray(whole[60:540, 90:800])).resize(
        (1065, 720), Image.Resampling.LANCZOS
    )
    path = tmp_path / "part.png"
    part.save(path)
    driver.window.opening.open([path])
    driver.until(lambda: any(i.path == path and i.ready for i in driver.window.session.items.values()))
    bench.show_item(0, driver.number("bench-iso6400.dng"))
    bench.show_item(1, next(i.number for i in driver.window.session.items.values() if i.path == path))
    driver.until(lambda: bench.contents[1].mapping is not None, 60)
    driver.settled()
    mapping = bench.contents[1].mapping
    assert mapping.scale == pytest.approx(1.5, abs=0.01)
    assert mapping.place(90, 60) == pytest.approx((0, 0), abs=1.5)
    assert "aligned" in bench.captions[1].full_texts()[3] and "field" in bench.captions[1].full_texts()[3]
    bench.set_zoom(1.0)
    bench.move_probe(300, 250)
    driver.settled()
    place = bench.probe_region(1)
    middle = (place.left + place.right) / 2, (place.top + place.bottom) / 2
    assert middle == pytest.approx(((300 - 90) * 1.5, (250 - 60) * 1.5), abs=2)
    # the same places of the scene lie at the same places of the window
    one, two = (view.grab().toImage() for view in bench.views[:2])

    def grey(image) -> np.ndarray:
        data = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.bytesPerLine())
        return data[:, : 4 * image.width()].reshape(image.height(), -1, 4)[..., 1].astype(float)

    a, b = grey(one)[40:300, 40:400], grey(two)[40:300, 40:400]
    shift, _ = cv2.phaseCorrelate(a, b, cv2.createHanningWindow(a.shape[::-1], cv2.CV_64F))
    assert np.hypot(*shift) < 1.25, "views begin at whole pixels of their frames"
    driver.key(Qt.Key.Key_U)
    driver.settled()
    assert bench.panes.difference_content.problem == ""
    driver.key(Qt.Key.Key_U)
    bench.swap()
    driver.settled()
    assert bench.contents[0].mapping is None, "places are those of pane A"
    driver.until(lambda: bench.contents[1].mapping is not None, 60)
    assert bench.contents[1].mapping.scale == pytest.approx(1 / 1.5, abs=0.01)
    driver.settled()
    driver.key(Qt.Key.Key_E, Qt.KeyboardModifier.ShiftModifier)
    driver.settled()
    assert bench.contents[1].mapping is None


def test_pictures_are_seen_at_the_size_that_they_are_used_at(driver: Driver) -> None:
    bench = driver.window.bench
    box = bench.strip.zoom_box
    box.setCurrentIndex(box.findText("web 1200"))
    box.activated.emit(box.currentIndex())
    driver.settled()
    h, w = bench.contents[0].extent
    assert bench.viewport.zoom == pytest.approx(1200 / max(h, w))
    assert box.currentText() == "web 1200" and "will be used" in driver.window.surface.message.text_in_full()
    bench.set_zoom(None)
    assert box.currentText() == "fit"
