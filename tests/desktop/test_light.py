"""The station Light in the real window: curves by mouse and keys, limits of the hatching, the screen's profile."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QColorSpace, QImage
from PySide6.QtTest import QTest

from irvane.core.colour.icc import profile
from irvane.core.errors import ReadError
from irvane.core.line.clip_flags import BLACK, GAMUT, WHITE, Limits
from irvane.core.line.view import render_view
from irvane.desktop.bench.hatching import marks_of
from irvane.desktop.line.controls import PointsRow
from irvane.desktop.line.curve import CURVES, CurveEditor
from irvane.desktop.screen import SCREEN

from .conftest import Driver


def _open(driver: Driver, path: str = CURVES[0]) -> CurveEditor:
    if driver.window.band.station != "light":
        driver.window.band.toggle("light")
    row = driver.window.shelf.stations["light"].rows[path]
    assert isinstance(row, PointsRow)
    driver.click(row.box)
    editor = driver.window.curve
    assert editor.isVisible() and editor.path == path
    return editor


def _spot(editor: CurveEditor, place: float, value: float) -> QPoint:
    return editor.plane.at(place, value).toPoint()


def test_a_curve_is_drawn_with_the_mouse(driver: Driver) -> None:
    editor = _open(driver)
    driver.settled()
    before, plane = driver.pixels(), editor.plane
    QTest.mousePress(plane, Qt.MouseButton.LeftButton, pos=_spot(editor, 0, 0))
    QTest.mouseMove(plane, _spot(editor, 0, 1))
    QTest.mouseRelease(plane, Qt.MouseButton.LeftButton, pos=_spot(editor, 0, 1))
    driver.settled()
    (point,) = driver.settings().light.curve
    assert point == pytest.approx((0, 1), abs=0.1)
    assert driver.pixels().mean() > before.mean() + 10
    row = driver.window.shelf.stations["light"].rows[CURVES[0]]
    assert isinstance(row, PointsRow) and row.box.text() == "1 point"
    assert "curve" in driver.window.band._words["light"]
    driver.click(plane, _spot(editor, -5, -5))
    driver.settled()
    assert len(driver.settings().light.curve) == 2
    QTest.mouseDClick(plane, Qt.MouseButton.LeftButton, pos=_spot(editor, *driver.settings().light.curve[0]))
    driver.settled()
    assert driver.settings().light.curve == (point,)
    while driver.window.session.undo.canUndo():
        driver.window.session.undo.undo()
    driver.settled()
    assert driver.settings().light.curve == ()
    assert np.abs(driver.pixels() - before).max() <= 2


def test_a_curve_is_drawn_with_keys_and_typed(driver: Driver) -> None:
    editor = _open(driver)
    plane = editor.plane
    QTest.keyClick(plane, Qt.Key.Key_Insert)
    QTest.keyClick(plane, Qt.Key.Key_Insert)
    assert len(driver.settings().light.curve) == 2
    QTest.keyClick(plane, Qt.Key.Key_PageDown)
    chosen = plane.number
    before = driver.settings().light.curve[chosen]
    QTest.keyClick(plane, Qt.Key.Key_Up)
    QTest.keyClick(plane, Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)
    after = driver.settings().light.curve[chosen]
    assert after == pytest.approx((before[0] + 1, before[1] + 0.1))
    editor.boxes[1].setValue(-1.25)
    assert driver.settings().light.curve[chosen][1] == -1.25
    QTest.keyClick(plane, Qt.Key.Key_Delete)
    assert len(driver.settings().light.curve) == 1
    QTest.keyClick(plane, Qt.Key.Key_Escape)
    assert not editor.isVisible()
    assert len(driver.settings().light.curve) == 1


def test_points_stay_in_order_whatever_is_asked(driver: Driver) -> None:
    editor = _open(driver)
    for place in (-4.0, 0.0, 3.0):
        editor.plane.add(place, place)
    editor.plane.select(1)
    editor.plane.put(6.0, -9.0)
    places = [x for x, _ in driver.settings().light.curve]
    values = [y for _, y in driver.settings().light.curve]
    assert places == sorted(places) and values == sorted(values)
    assert values[1] == values[0]


def test_channels_have_curves_of_their_own(driver: Driver) -> None:
    editor = _open(driver, "light.curve_red")
    driver.settled()
    before = driver.pixels()
    editor.plane.add(0.0, 1.0)
    driver.settled()
    change = (driver.pixels() - before).mean(axis=(0, 1))
    assert change[0] > 8 and change[0] > 3 * abs(change[2])
    driver.click(editor.buttons["light.curve_blue"])
    assert editor.path == "light.curve_blue" and editor.plane.points == ()
    driver.window.band.toggle("colour")
    assert not editor.isVisible()


def test_the_limits_of_the_hatching_can_be_moved(driver: Driver) -> None:
    bench = driver.window.bench
    dialog = driver.window.judging.ask_limits()
    driver.settled()

    def marked() -> tuple[bool, bool]:
        layer = bench.contents[0].current
        assert layer is not None and layer.marks is not None
        output = layer.marks.output
        if output is None:
            return False, False
        data = np.frombuffer(output.constBits(), np.uint8)
        return bool((data & WHITE).any()), bool((data & BLACK).any())

    assert bench.panes.view.marks and bench.strip.marks_button.isChecked()
    dialog.black.setValue(-4.0)
    dialog.white.setValue(-2.0)
    driver.settled()
    assert marked() == (True, True)
    assert bench.panes.view.limits == Limits(-2.0, -4.0)
    dialog._restore()
    assert bench.panes.view.limits == Limits()
    dialog.reject()


def test_colours_outside_of_the_output_space_are_dotted() -> None:
    bits = np.zeros((20, 30), np.uint8)
    bits[5:9, 5:9] = GAMUT
    marks = marks_of(bits)
    assert marks.gamut is not None and marks.sensor is None and marks.output is None


@pytest.fixture
def screen() -> Iterator[None]:
    yield
    SCREEN.use(None)
    SCREEN.remember()


def test_pictures_are_shown_through_the_monitors_profile(
    driver: Driver, tmp_path: Path, screen: None
) -> None:
    before = driver.pixels()
    path = tmp_path / "wide.icc"
    path.write_bytes(profile("adobe-rgb"))
    driver.window.appearance.use_monitor(path)
    driver.settled()
    shown = driver.pixels()
    # Qt's own transform of the picture that was there before, through the same profile
    plain = QImage(before.astype(np.uint8).copy().data, before.shape[1], before.shape[0], before.shape[1] * 3,
                   QImage.Format.Format_RGB888)  # fmt: skip
    plain.setColorSpace(QColorSpace(QColorSpace.NamedColorSpace.SRgb))
    there = plain.convertedToColorSpace(QColorSpace.fromIccProfile(path.read_bytes()))
    data = np.frombuffer(there.constBits(), np.uint8).reshape(there.height(), there.bytesPerLine())
    expected = data[:, : 3 * there.width()].reshape(before.shape).astype(float)
    assert np.abs(expected - before).max() > 8, "the profile makes a difference"
    assert np.abs(shown - expected).mean() < 1
    assert "Adobe RGB" in driver.window.surface.message.text_in_full()
    SCREEN.use(None)
    SCREEN.remembered()
    assert SCREEN.path == path
    path.unlink()
    SCREEN.remembered()
    assert SCREEN.path is None
    driver.window.appearance.use_monitor(None)
    driver.settled()
    assert np.abs(driver.pixels() - before).max() <= 1


def test_a_wide_screen_shows_the_colours_that_will_be_written(
    driver: Driver, tmp_path: Path, screen: None
) -> None:
    driver.window.session.edit(driver.window.bench.contents[0].item, 0, {"colour.saturation": 170.0})
    driver.window.bench.set_zoom(1.0)
    driver.settled()
    narrow = driver.pixels()
    path = tmp_path / "wide.icc"
    path.write_bytes(profile("p3"))
    driver.window.appearance.use_monitor(path)
    driver.settled()
    through_srgb = driver.pixels()
    driver.window.session.edit(driver.window.bench.contents[0].item, 0, {"finish.space": "p3"})
    driver.settled()
    wide = driver.pixels()
    # what is seen on a P3 screen are the very numbers that a file in P3 will hold
    request = driver.window.bench.controller.request_of(0)
    assert request is not None
    frame = driver.window.service.engine.best(request.source, request.settings.sensor)
    assert frame is not None
    frame = frame.fitting(request.settings)
    own = render_view(frame.developed, request.settings, frame.context, request.region, space="p3").pixels[
        ..., :3
    ]
    assert np.abs(own.astype(float) - wide).mean() < 1.5
    spread = [np.percentile(p.max(axis=2) - p.min(axis=2), 99.5) for p in (narrow, through_srgb, wide)]
    assert spread[2] > spread[1] + 4, "colours beyond sRGB are seen"


def test_what_is_no_profile_is_refused(driver: Driver, tmp_path: Path, screen: None) -> None:
    path = tmp_path / "no.icc"
    path.write_bytes(b"not a profile")
    driver.window.appearance.use_monitor(path)
    assert "no ICC profile" in driver.window.surface.message.text_in_full()
    with pytest.raises(ReadError, match="cannot be read"):
        SCREEN.use(tmp_path / "missing.icc")
    assert SCREEN.path is None
