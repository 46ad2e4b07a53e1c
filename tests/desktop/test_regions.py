"""Regions in the window: drawn, painted, changed on the shelf, seen, undone."""

from __future__ import annotations

from itertools import pairwise
from pathlib import Path

import cv2
import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from irvane.desktop.regions.overlay import RegionOverlay

from .conftest import Driver

SHIFT = Qt.KeyboardModifier.ShiftModifier


def _overlay(driver: Driver) -> RegionOverlay:
    overlay = driver.window.regions.overlay
    assert overlay is not None
    return overlay


def _drag(overlay: RegionOverlay, *places: tuple[float, float]) -> None:
    points = [QPoint(round(x * overlay.width()), round(y * overlay.height())) for x, y in places]
    QTest.mousePress(overlay, Qt.MouseButton.LeftButton, pos=points[0])
    for a, b in pairwise(points):
        for k in range(1, 7):
            QTest.mouseMove(overlay, a + (b - a) * (k / 6))
    QTest.mouseRelease(overlay, Qt.MouseButton.LeftButton, pos=points[-1])


def _pixels(driver: Driver) -> np.ndarray:
    layer = driver.window.bench.contents[driver.window.bench.chosen].current
    assert layer is not None
    image = layer.image.convertToFormat(layer.image.Format.Format_RGB32)
    data = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.width(), 4)
    return data[..., :3].astype(int).copy()


def test_a_gradient_is_drawn_changed_moved_switched_off_and_undone(driver: Driver) -> None:
    window = driver.window
    driver.choose("window-leaves.dng")
    driver.settled()
    window.band.toggle("light")
    driver.key(Qt.Key.Key_T, SHIFT)
    driver.settled()
    plain = _pixels(driver)
    regions = window.regions
    regions.strip.added.emit("linear", "new")
    overlay = _overlay(driver)
    _drag(overlay, (0.5, 0.2), (0.5, 0.7))
    region = regions.region()
    assert region is not None and region.name == "Gradient 1"
    x0, y0, x1, y1 = region.parts[0].numbers
    assert y0 < y1 and abs(x0 - x1) < 0.02
    driver.settled()
    hatched = _pixels(driver)
    assert np.abs(hatched - plain)[: len(plain) // 4].mean() > 3, (
        "its mask is seen before it changes anything"
    )
    regions.strip.seen.setCurrentIndex(0)
    regions.strip.sight.emit("")
    row = window.shelf.stations["light"].rows["light.exposure"]
    row.changed.emit(-1.0)
    row.changed.emit(-2.0)
    driver.settled()
    changed = regions.region()
    assert changed is not None and changed.change("light.exposure") == -2.0
    assert regions.settings().light.exposure == 0, "the frame's own value stays"  # type: ignore[union-attr]
    rows = window.shelf.stations["light"].rows
    assert row.name.property("state") == "region" and not rows["light.contrast"].name.property("state")
    assert not window.shelf.stations["light"].rows["light.white"].isEnabled(), "acts on the whole frame only"
    dark = _pixels(driver)
    h = len(plain)
    assert dark[: h // 6].mean() < 0.75 * plain[: h // 6].mean()
    assert np.abs(dark - plain)[-h // 6 :].max() == 0, "nothing below its end"
    driver.key(Qt.Key.Key_D, SHIFT)
    driver.settled()
    assert np.abs(_pixels(driver) - plain).max() == 0, "off is before"
    driver.key(Qt.Key.Key_D, SHIFT)
    QTest.keyClick(overlay, Qt.Key.Key_Down)
    moved = regions.region()
    assert moved is not None and moved.parts[0].numbers[1] == pytest.approx(y0 + 0.01, abs=1e-4)
    row.set_back.emit()
    assert regions.region().changes == ()  # type: ignore[union-attr]
    for _ in range(5):
        window.session.undo.undo()
    again = regions.region()
    assert again is not None and again.change("light.exposure") is None, "a slider's way is one step back"
    regions.toggle()
    assert window.regions.overlay is None and not regions.strip.isVisible()


def test_strokes_are_painted_erased_and_taken_back_and_masks_are_written(
    driver: Driver, tmp_path: Path
) -> None:
    window = driver.window
    driver.choose("window-leaves.dng")
    driver.settled()
    regions = window.regions
    regions.toggle()
    assert window.band.station == "light", "there is a shelf to change them on"
    regions.add("brush")
    overlay = _overlay(driver)
    _drag(overlay, (0.4, 0.5), (0.6, 0.5))
    region = regions.region()
    assert region is not None and len(region.parts[0].strokes) == 1
    assert all(v == round(v, 5) for v in region.parts[0].strokes[0].points), "what is saved is what is there"
    regions.strip.erases.setChecked(True)
    _drag(overlay, (0.5, 0.4), (0.5, 0.6))
    assert regions.region().parts[0].strokes[1].erases  # type: ignore[union-attr]
    window.session.undo.undo()
    assert len(regions.region().parts[0].strokes) == 1, "Ctrl+Z takes back a stroke"  # type: ignore[union-attr]
    out = tmp_path / "mask.png"
    regions.telling.mask_to(out)
    driver.until(out.exists)
    mask = cv2.imread(str(out), cv2.IMREAD_UNCHANGED)
    assert mask.max() == 255 and 0 < (mask > 128).mean() < 0.3
    for sight in ("mask-alone", "mask-inside"):
        regions.strip.seen.setCurrentIndex(regions.strip.seen.findData(sight))
        regions.strip.sight.emit(sight)
        driver.settled()
        assert window.bench.panes.view.look == f"{sight}:{regions.index}"
    inside = _pixels(driver)
    assert np.abs(inside[:8] - 44).max() <= 1, "outside is an even grey"
    regions.leave()
    assert window.bench.panes.view.look == "picture"


def test_a_tone_is_picked_shapes_are_combined_and_looks_are_taken_from_another_proof(driver: Driver) -> None:
    window = driver.window
    driver.choose("window-leaves.dng")
    driver.settled()
    window.proofs.edit("light.exposure", 0.5)
    regions = window.regions
    regions.toggle()
    regions.add("tone")
    overlay = _overlay(driver)
    QTest.mouseClick(
        overlay, Qt.MouseButton.LeftButton, pos=QPoint(overlay.width() // 2, overlay.height() // 2)
    )
    first = (-3.0, -1.0, 1.0)
    driver.until(lambda: regions.region().parts[0].numbers != first)  # type: ignore[union-attr]
    low, high, _ = regions.region().parts[0].numbers  # type: ignore[union-attr]
    assert high - low == pytest.approx(1.6)
    regions.add("round", "intersect")
    region = regions.region()
    assert region is not None and [p.operation for p in region.parts] == ["add", "intersect"]
    regions.strip.changed.emit("feather", 4.0)
    regions.strip.changed.emit("opacity", 0.5)
    assert regions.region().feather == 4.0 and regions.region().opacity == 0.5  # type: ignore[union-attr]
    item = window.proofs.item()
    assert item is not None
    other = item.settings(window.proofs.number).with_values({"light.exposure": 1.5, "colour.saturation": 80})
    regions.changes._take_look(other, "other")
    assert dict(regions.region().changes) == {"light.exposure": 1.0, "colour.saturation": -20.0}  # type: ignore[union-attr]
    seen, differs = regions.changes.seen_settings(item.settings(window.proofs.number))
    assert seen.light.exposure == 1.5 and differs == {"light.exposure", "colour.saturation"}
    overlay.drawing = ""
    regions.telling.hover(0.5, 0.5)
    driver.until(lambda: "Here:" in regions.strip.words.text_in_full())
    regions.remove()
    assert regions.region() is None and regions.settings().regions == ()  # type: ignore[union-attr]
    window.session.undo.undo()
    assert len(regions.settings().regions) == 1  # type: ignore[union-attr]
    regions.leave()


def test_buttons_act_in_the_chosen_region_and_captions_read_inside_it(driver: Driver) -> None:
    window = driver.window
    driver.choose("window-leaves.dng")
    driver.settled()
    regions = window.regions
    regions.toggle()
    regions.add("linear")
    driver.settled()
    before = window.bench.contents[0].probe
    regions.strip.figures.setChecked(True)
    driver.settled()
    name = regions.region().name  # type: ignore[union-attr]
    inside = window.bench.contents[0].probe
    assert inside is not None and inside is not before and getattr(inside, "name", "") == name
    window.shelf.grade.emit("firm")
    driver.settled()
    settings, region = regions.settings(), regions.region()
    assert settings is not None and region is not None
    assert settings.noise.amount is None and region.change("noise.amount"), "firmer in the region alone"
    window.shelf.suggest_light.emit()
    driver.settled()
    assert regions.settings().light.exposure == 0  # type: ignore[union-attr]
    window.shelf.as_shot.emit()
    assert regions.settings() is not None and regions.settings().colour.light == "shot"  # type: ignore[union-attr]
    regions.strip.figures.setChecked(False)
    driver.settled()
    assert getattr(window.bench.contents[0].probe, "name", None) is None
    regions.toggle()
    window.shelf.grade.emit("firm")
    assert driver.settings().noise.amount == 135, "without a region the whole frame"
