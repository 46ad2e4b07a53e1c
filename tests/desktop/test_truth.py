"""Whoever compares two panes may trust that each shows what its caption says, now, and is not half done."""

from __future__ import annotations

import re
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QRect
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from irvane.core.files.proofs import KEEP
from irvane.core.line.looks import LOOKS
from irvane.desktop.bench.teststrip import ROUGHLY
from irvane.desktop.blurring import NO_PATH
from irvane.desktop.window import Window
from irvane.desktop.writing.strip import WritingStrip

from .conftest import Driver


def _texts(driver: Driver, pane: int = 0) -> str:
    return " · ".join([*driver.window.bench.captions[pane].full_texts(), *driver.figures(pane)])


def test_a_star_leaves_the_figures(driver: Driver) -> None:
    before, item = _texts(driver), driver.window.proofs.item()
    assert "Noise, dB " in before
    driver.window.session.mark([item.number], mark=KEEP, stars=3)
    QApplication.processEvents()
    assert _texts(driver) == before, "at once"
    driver.settled()
    assert _texts(driver) == before
    driver.window.proofs.edit("light.exposure", 1.0)
    assert driver.window.bench.contents[0].whole is None, "an edit takes them away"


def test_nothing_of_a_predecessor_is_told_of_the_next_frame(driver: Driver) -> None:
    bench = driver.window.bench
    driver.choose("test-card.dng")
    assert bench.contents[0].range is not None
    bench.contents[0].notes = ("words of an earlier panorama",)
    driver.window.rail.choose(driver.number("window-leaves.dng"))
    content = bench.contents[0]
    assert (content.range, content.notes, content.kept, content.whole, content.probe) == (
        None,
        (),
        1.0,
        None,
        None,
    )
    assert driver.figures(0)[3].endswith(" –") and "panorama" not in _texts(driver)
    driver.settled()
    assert content.facts_of is not None and content.facts_of.source.name == "window-leaves.dng"


def test_the_probe_stays_on_its_thing(driver: Driver) -> None:
    """A crop, a quarter turn, straightening: the square lies on the same place of the scene, and reads the same light there."""
    bench = driver.window.bench
    driver.on_the_label()
    content = bench.contents[0]
    light = content.probe.probe.luminance
    place = bench.panes.view.probe
    for values in (
        {"lens.crop": "5,30,60,60"},
        {"lens.crop": "auto", "lens.turn": "90"},
        {"lens.straighten": 3.0},
    ):
        driver.window.proofs.edit_many(values)
        driver.settled()
        assert bench.panes.view.probe == place
        assert content.probe.probe.luminance == pytest.approx(light, rel=0.04), values
    region = bench.probe_region(0)
    middle = (region.left + region.right) / 2, (region.top + region.bottom) / 2
    assert content.in_frame(*middle) == pytest.approx(place, abs=0.004)


def test_its_first_place_is_of_the_whole_frame(driver: Driver) -> None:
    """An even place is looked for in the preview, which knows no crop."""
    bench = driver.window.bench
    driver.window.proofs.edit_many({"lens.crop": "40,40,60,60"})
    bench.panes.change(probe_placed=False)
    driver.choose("test-card.dng")
    driver.choose("bench-iso6400.dng")
    x, y = bench.contents[0].own_probe(*bench.panes.view.probe)
    h, w = bench.contents[0].extent
    fx, fy = bench.panes.view.probe
    assert (x, y) == pytest.approx(((fx - 0.4) / 0.6 * w, (fy - 0.4) / 0.6 * h), abs=2)


def _noise(image: QImage) -> float:
    image = image.convertToFormat(QImage.Format.Format_RGBA8888)
    data = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.bytesPerLine())
    green = data[:, 1 : image.width() * 4 : 4].astype(float)
    return float(np.abs(np.diff(green, axis=1)).mean())


def test_a_strip_at_fit_is_denoised_and_marked_until_it_is(driver: Driver) -> None:
    window = driver.window
    driver.choose("bench-iso6400.dng")
    assert window.bench.viewport.zoom is None, "the whole picture"
    strip, states = window.bench.test_strip, []
    real = strip.take

    def take(run: int, number: int, image: QImage, exact: bool = True) -> None:
        states.append((strip.values[number], exact, _noise(image)))
        real(run, number, image, exact)
        strip.grab()  # its mark is painted

    strip.take = take
    driver.row("noise.amount")
    window.open_test_strip("noise.amount")
    driver.until(lambda: len(strip.crops.images) == len(strip.values) and not strip.crops.rough, 120)
    values, final = strip.values, {value: noise for value, exact, noise in states if exact}
    assert set(final) == set(values)
    rough = {value for value, exact, _ in states if not exact}
    assert rough and ROUGHLY, "something was there before, with its mark"
    noises = [final[value] for value in sorted(values)]
    assert noises[-1] < noises[0] * 0.97, "more is removed by more"
    window.bench.strip_rendering.leave()
    driver.settled()
    # what one picks is what one gets
    strongest = max(values)
    window.proofs.edit("noise.amount", strongest)
    driver.settled()
    pane = window.bench.contents[0].current
    assert pane is not None
    picked = pane.image.scaled(window.bench.test_strip.crops.images[values.index(strongest)].size())
    assert abs(_noise(picked) - final[strongest]) < 0.25 * final[strongest] + 0.3


@pytest.mark.parametrize("look", ["added", "alone"])
def test_looks_that_are_right_from_100_on_say_so_before(driver: Driver, look: str) -> None:
    window, bench = driver.window, driver.window.bench
    window.proofs.edit_many({"acutance.fine": 150, "acutance.medium": 100})
    driver.settled()
    picture = driver.pixels()
    bench.set_look(look)
    driver.settled()
    content = bench.contents[0]
    assert LOOKS[look].words in content.instead and "100 %" in content.instead
    assert np.abs(driver.pixels() - picture).mean() < 1, "the picture meanwhile"
    bench.set_zoom(1.0)
    driver.settled()
    assert not content.instead
    seen = driver.pixels()
    assert seen.std() > 3 if look == "added" else np.abs(seen - 128).max() > 40


def test_a_histogram_comes_to_every_frame(driver: Driver, frames: Path) -> None:
    """A JPEG after a raw frame: nothing stays at “measuring …” once nothing is computed."""
    import cv2

    path = frames / "z-finished.jpg"
    cv2.imwrite(str(path), np.full((300, 400, 3), (90, 120, 150), np.uint8))
    driver.window.opening.open([path])
    driver.until(
        lambda: any(i.source.name == path.name and i.ready for i in driver.window.session.items.values())
    )
    for name in (path.name, "test-card.dng", path.name):
        driver.choose(name)
        for pane in range(2):
            content = driver.window.bench.contents[pane]
            assert content.whole is not None, (name, pane)
        assert "measuring" not in _texts(driver)


def test_a_subject_wanted_too_early_is_looked_for_later(
    driver: Driver, monkeypatch: pytest.MonkeyPatch
) -> None:
    window, said = driver.window, []
    window.regions.said.connect(said.append)
    frame = window.regions.frame()
    real = window.regions.frame
    monkeypatch.setattr(window.regions, "frame", lambda: None)
    window.regions.telling.find_subject()
    assert "as soon as the frame is developed" in said[-1]
    assert frame is not None
    monkeypatch.setattr(window.regions, "frame", real)
    window.service.improved.emit(window.proofs.item().source.key)
    # what lies under the pointer is asked for meanwhile, and takes nothing away
    window.regions.telling.hover(0.4, 0.4)
    window.regions.telling._tell_under()
    driver.until(lambda: "subject was found" in said[-1] or "No subject" in said[-1])


def test_a_path_that_was_not_found_stays_said(driver: Driver) -> None:
    window = driver.window
    driver.choose("test-card.dng")
    number = window.proofs.item().number
    driver.row("acutance.length")
    window.trail.open()
    assert "straight line" not in window.trail.words.text()
    window.blurring.told.emit(number, NO_PATH)
    driver.settled()
    assert window.trail.words.text() == NO_PATH
    window.proofs.edit("light.exposure", 0.5)
    driver.settled()
    assert window.trail.words.text() == NO_PATH, "it stays"
    driver.choose("bench-iso6400.dng")
    assert NO_PATH not in window.trail.words.text(), "it is of that frame"
    window.trail.hide()


def test_waits_are_told_as_a_whole_and_never_as_nought(driver: Driver) -> None:
    window, told = driver.window, []
    controller, content = window.bench.controller, window.bench.contents[0]
    for kind, pace in (("full", 1.0), ("lens", 4.0), ("refine", 1.0), ("best", 60.0)):
        window.service.engine.paces.values[kind] = pace
    request = controller.request_of(0)
    assert request is not None
    content.wished = request
    job = ("whole", request.source.key, window.service.progressive._removal(request))
    for share in (0.0, 0.3, 0.3, 0.99):
        controller.waits.report(job, "removing noise", share, 0.0)
        told.append(content.busy)
    assert all(re.match(r"removing noise( \d+%)?", words) for words in told), told
    assert not any(re.search(r"\b0 s left", words) for words in told)
    controller.waits.report(job, "removing noise", 1.0, 0.0)
    driver.settled()
    assert content.busy == "" and not controller.waits.active


def test_long_work_tells_its_time_by_itself(qtbot: QtBot) -> None:
    strip = WritingStrip()
    qtbot.addWidget(strip)
    strip.begin("Measuring the lens")
    assert strip._words.text() == "Measuring the lens …"
    strip.advance(0.1, 0.2)
    assert "left" not in strip._words.text(), "a tenth of a second tells nothing"
    strip._countdown.began -= 10
    strip.advance(0.5, 10.0)
    assert strip._words.text() == "Measuring the lens 50%, 10 s left"
    strip._countdown.reported -= 4
    strip._tell()
    assert strip._words.text() == "Measuring the lens 50%, 6 s left"
    strip._countdown.reported -= 100
    strip._tell()
    assert strip._words.text() == "Measuring the lens 50%", "it ran out: nothing is told"
    strip.end()
    assert not strip._ticking.isActive()


def _inside(window: Window, widget) -> bool:
    whole = QRect(widget.mapTo(window, widget.rect().topLeft()), widget.size())
    return window.rect().contains(whole)


@pytest.mark.parametrize("size", [(1280, 650), (1366, 700), (1280, 760)])
def test_all_of_the_line_is_on_a_low_screen(driver: Driver, size: tuple[int, int]) -> None:
    window = driver.window
    window.resize(*size)
    for station in ("sensor", "lens", "noise", "light", "colour", "acutance", "finish"):
        if window.band.station != station:
            window.band.toggle(station)
        driver.settled()
        assert (window.width(), window.height()) == size, "nothing makes it larger"
        page = window.shelf.stations[station]
        assert _inside(window, window.band) and _inside(window, window.shelf)
        for row in page.rows.values():
            place = QRect(row.mapTo(window.shelf, row.rect().topLeft()), row.size())
            assert window.shelf.rect().contains(place), row.path
        for view in window.bench.views[:2]:
            assert view.width() >= 560 and view.height() >= 280, (station, view.size())


def test_it_opens_within_what_the_screen_has_free(qtbot: QtBot, monkeypatch: pytest.MonkeyPatch) -> None:
    from irvane.desktop import fitting as module

    class Screen:
        def __init__(self, wide: int, high: int) -> None:
            self.rect = QRect(0, 0, wide, high)

        def availableGeometry(self) -> QRect:  # noqa: N802
            return self.rect

    real = QApplication.primaryScreen
    for wide, high in ((1280, 800), (1366, 768), (1280, 720), (3840, 2160)):
        monkeypatch.setattr(
            module.QApplication, "primaryScreen", lambda wide=wide, high=high: Screen(wide, high)
        )
        window = Window()
        qtbot.addWidget(window)
        assert window.width() <= wide and window.height() <= high - 30, (wide, high, window.size())
        monkeypatch.setattr(module.QApplication, "primaryScreen", real)
        window.close()
