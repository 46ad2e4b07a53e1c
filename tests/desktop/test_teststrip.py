"""The test strip in the real window: opened by key and menu, taken by click and key, undone in one step."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import Qt

from irvane.core.files.presets import SHIPPED
from irvane.desktop.item import BARE

from .conftest import Driver


def _brightness(driver: Driver) -> list[float]:
    crops = driver.window.bench.test_strip.crops
    found = []
    for number in range(len(crops.labels)):
        image = crops.images[number]
        data = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.bytesPerLine())
        found.append(float(data[:, : image.width() * 4].mean()))
    return found


def _complete(driver: Driver) -> bool:
    crops = driver.window.bench.test_strip.crops
    return len(crops.images) == len(crops.labels) > 0


def test_a_strip_shows_values_and_a_click_takes_one(driver: Driver) -> None:
    window, strip = driver.window, driver.window.bench.test_strip
    driver.row("light.exposure").slider.setFocus()
    driver.key(Qt.Key.Key_F)
    assert strip.isVisible() and strip.path == "light.exposure"
    driver.until(lambda: _complete(driver))
    brightness = _brightness(driver)
    assert brightness == sorted(brightness) and brightness[-1] > brightness[0] + 15
    assert strip.crops.labels[strip.crops.now] == "0.00 EV"
    driver.click(strip.crops, strip.crops.place(4).center())
    assert not strip.isVisible()
    assert driver.settings().light.exposure == pytest.approx(1.0)
    driver.settled()
    window.session.undo.undo()
    assert driver.settings().light.exposure == 0.0


def test_a_strip_is_chosen_from_by_keys_and_left(driver: Driver) -> None:
    window, strip = driver.window, driver.window.bench.test_strip
    driver.window.bench.set_zoom(1.0)
    driver.row("acutance.fine")
    window.open_test_strip("acutance.fine")
    driver.until(lambda: _complete(driver))
    strip.crops.setFocus()
    driver.qtbot.keyClick(strip.crops, Qt.Key.Key_Right)
    driver.qtbot.keyClick(strip.crops, Qt.Key.Key_Return)
    assert driver.settings().acutance.fine == strip.values[1]
    window.open_test_strip("acutance.fine")
    driver.qtbot.keyClick(strip.crops, Qt.Key.Key_Escape)
    assert not strip.isVisible()
    assert driver.settings().acutance.fine == strip.values[1]
    driver.settled()
    assert driver.window.bench.contents[0].state == "final"


def test_count_and_spread_are_changed_by_buttons(driver: Driver) -> None:
    window, strip = driver.window, driver.window.bench.test_strip
    window.open_test_strip("light.shadows")
    assert len(strip.values) == 5
    apart = strip.values[1] - strip.values[0]
    driver.click(strip.buttons["more"])
    assert len(strip.values) == 6
    driver.click(strip.buttons["closer"])
    assert strip.values[1] - strip.values[0] == pytest.approx(apart / 2, abs=0.051)
    driver.until(lambda: _complete(driver))
    driver.click(strip.buttons["leave"])
    assert not strip.isVisible()


def test_methods_stand_side_by_side(driver: Driver) -> None:
    window, strip = driver.window, driver.window.bench.test_strip
    window.bench.set_zoom(1.0)
    window.open_test_strip("noise.method")
    assert strip.crops.labels == ["best", "fast"]
    assert not strip.buttons["more"].isEnabled()
    driver.until(lambda: _complete(driver))
    driver.click(strip.crops, strip.crops.place(1).center())
    assert driver.settings().noise.method == "fast"
    driver.settled()
    assert window.bench.contents[0].state == "final"


def test_what_cannot_be_stripped_says_why(driver: Driver) -> None:
    window, strip = driver.window, driver.window.bench.test_strip
    window.open_test_strip("finish.format")
    assert not strip.isVisible() and "does not change" in window.surface.message.text_in_full()
    window.bench.show_proof(0, BARE)
    window.open_test_strip("light.exposure")
    assert not strip.isVisible() and "bare" in window.surface.message.text_in_full()


def test_choosing_another_frame_leaves_the_strip(driver: Driver) -> None:
    window = driver.window
    window.open_test_strip("light.exposure")
    driver.choose("test-card.dng")
    assert not window.bench.test_strip.isVisible()
    assert window.bench.contents[0].state == "final"


def test_grades_stand_side_by_side_and_one_is_taken_in_one_step(driver: Driver) -> None:
    driver.choose("bench-iso6400.dng")
    driver.window.bench.set_zoom(1.0)
    strip = driver.window.bench.test_strip
    driver.window.band.toggle("noise")
    driver.window.shelf.grade_buttons["side by side"].click()
    driver.until(lambda: _complete(driver))
    assert strip.crops.labels == ["gentle", "even", "firm"]
    assert strip.crops.labels[strip.crops.now] == "even", "that is what a new proof has"
    assert not strip.buttons["more"].isEnabled()
    driver.click(strip.crops, strip.crops.place(0).center())
    noise = driver.settings().noise
    assert (noise.luminance, noise.colour, noise.texture) == (65, 95, 40)
    driver.settled()
    driver.window.session.undo.undo()
    assert driver.settings().noise.texture == 0


def test_all_presets_are_seen_on_this_frame_and_one_is_taken(driver: Driver) -> None:
    window, strip = driver.window, driver.window.bench.test_strip
    window.proofs.edit("light.exposure", 0.5)
    driver.settled()
    driver.key(Qt.Key.Key_F, Qt.KeyboardModifier.ShiftModifier)
    driver.until(lambda: _complete(driver))
    labels = strip.crops.labels
    assert labels[0] == "as it is" and len(labels) == 1 + len(SHIPPED) and strip.crops.now == 0
    places = [strip.crops.place(k) for k in range(len(labels))]
    assert not any(a.intersects(b) for k, a in enumerate(places) for b in places[:k])
    assert all(strip.crops.rect().contains(place) for place in places)
    grey, bold = labels.index("Grey"), labels.index("Many stops, bold")
    pixels = strip.crops.images[grey]
    seen = pixels.pixelColor(pixels.width() // 2, pixels.height() // 2)
    assert abs(seen.red() - seen.blue()) <= 6, "without colour"
    for _ in range(bold):
        driver.qtbot.keyClick(strip.crops, Qt.Key.Key_Right)
    driver.qtbot.keyClick(strip.crops, Qt.Key.Key_Return)
    assert driver.settings().light.tone_map == "local" and driver.settings().light.exposure == 0.5
    driver.settled()
    window.session.undo.undo()
    assert driver.settings().light.tone_map == "none", "one step"
