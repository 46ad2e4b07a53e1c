"""Twenty things that a newcomer wants, each reached by mouse from what is visible, with four clicks at most that
open or choose something. (Typing a value, painting, dragging and choosing frames are the work itself.)"""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractItemView, QApplication, QComboBox, QDialog, QMenu, QPushButton, QWidget

from irvane.core.files.proofs import KEEP, REJECT
from irvane.core.lens.lines import LEVEL
from irvane.core.line.merging import MergeSource
from irvane.core.merge.kinds import FUSION, HDR, PANORAMA
from irvane.core.settings import STATIONS, Settings
from irvane.desktop.item import BARE
from irvane.desktop.merge_dialog import MergeDialog

from .conftest import Driver

LEFT, CTRL = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ControlModifier
MOST_CLICKS = 4


class Hand:
    """A hand with a mouse, which counts its clicks."""

    def __init__(self, driver: Driver) -> None:
        self.driver, self.window = driver, driver.window
        self.clicks = 0

    def press(self, widget: QWidget, at: QPoint | None = None) -> None:
        """Click on something that opens or chooses."""
        assert widget.isVisible() and widget.isEnabled(), "only what is seen can be clicked on"
        self.clicks += 1
        QTest.mouseClick(widget, LEFT, pos=at or widget.rect().center())

    def entry(self, menu: QMenu, words: str) -> None:
        """Click on an entry of a menu that is open."""
        self.driver.until(menu.isVisible)
        action = next(a for a in menu.actions() if a.text().startswith(words))
        assert action.isEnabled(), action.toolTip()
        self.clicks += 1
        QTest.mouseClick(menu, LEFT, pos=menu.actionGeometry(action).center())

    def job(self, name: str, words: str = "") -> None:
        """A button of the bar of jobs, and an entry of its menu."""
        jobs = self.window.surface.jobs
        self.press(jobs.buttons[name])
        if words:
            self.entry(jobs.menus[name], words)

    def station(self, station: str) -> None:
        """Open a station by a click on the line."""
        band = self.window.band
        if band.station != station:
            self.press(band, band.place(STATIONS.index(station)).center().toPoint())

    def pick(self, box: QComboBox, words: str) -> None:
        """Open a list and choose from it."""
        self.press(box)
        view: QAbstractItemView = box.view()
        self.driver.until(view.isVisible)
        index = box.model().index(box.findText(words), 0)
        self.clicks += 1
        place = view.visualRect(index).center()
        QTest.mouseMove(view.viewport(), place)
        QTest.qWait(QApplication.doubleClickInterval())  # a list that just opened takes no release
        QTest.mouseRelease(view.viewport(), LEFT, pos=place)
        self.driver.until(lambda: box.currentText() == words)

    def typed(self, path: str, text: str) -> None:
        """Type a value into a setting that is seen."""
        box = self.window.shelf.stations[path.partition(".")[0]].rows[path].box
        assert box.isVisible() and box.isEnabled()
        self.window.activateWindow()  # a menu was open: without a window manager nobody else does it
        QApplication.processEvents()
        QTest.mouseClick(box.lineEdit(), LEFT)
        QTest.keyClicks(box, text)
        QTest.keyClick(box, Qt.Key.Key_Return)
        QApplication.processEvents()

    def select(self, *names: str) -> None:
        """Choose frames in the rail."""
        rail = self.window.rail
        for k, name in enumerate(names):
            index = rail.rows.index(rail.rows.place_of(self.driver.number(name)))
            rail.scrollTo(index)
            modifier = CTRL if k else Qt.KeyboardModifier.NoModifier
            QTest.mouseClick(rail.viewport(), LEFT, modifier, rail.visualRect(index).center())
        self.driver.settled()

    def button(self, words: str, within: QWidget) -> QPushButton:
        """A button that is seen, by what stands on it."""
        return next(b for b in within.findChildren(QPushButton) if b.text() == words and b.isVisible())


@pytest.fixture
def hand(driver: Driver) -> Hand:
    """The first frame chosen, no station open."""
    driver.window.rail.choose(driver.window.session.order[0])
    driver.settled()
    return Hand(driver)


def _begin_again(hand: Hand) -> None:
    """As at first: what was done is taken back."""
    assert hand.clicks <= MOST_CLICKS, f"{hand.clicks} clicks"
    window = hand.window
    if window.band.station:
        window.band.toggle(window.band.station)
    while window.session.undo.canUndo():
        window.session.undo.undo()
    hand.clicks = 0
    hand.driver.settled()


def _settings(hand: Hand) -> Settings:
    item = hand.window.proofs.item()
    assert item is not None
    return item.settings(hand.window.proofs.number)


def _dialog(driver: Driver, kind: type[QDialog]) -> QDialog:
    found: list[QDialog] = []

    def seen() -> bool:
        found[:] = [w for w in QApplication.topLevelWidgets() if isinstance(w, kind) and w.isVisible()]
        return bool(found)

    driver.until(seen)
    return found[0]


def test_light_sharpness_and_a_station_undone(hand: Hand) -> None:
    # 1: two stops brighter
    hand.station("light")
    hand.typed("light.exposure", "+2")
    assert _settings(hand).light.exposure == 2.0
    # 2: dark parts up, the sky kept
    hand.typed("light.shadows", "1.5")
    hand.typed("light.highlights", "-1")
    assert _settings(hand).light.shadows == 1.5 and _settings(hand).light.highlights == -1.0
    assert hand.clicks <= 1
    # 12: sharpen a little
    hand.station("acutance")
    hand.typed("acutance.fine", "30")
    assert _settings(hand).acutance.fine == 30
    # 13: the lens only as untouched
    hand.clicks = 0
    hand.station("lens")
    hand.typed("lens.vertical", "3")
    assert _settings(hand).lens.vertical == 3
    hand.press(hand.window.shelf.untouched_button)
    assert _settings(hand).lens == Settings().lens and _settings(hand).light.exposure == 2.0
    # 19: five values side by side
    hand.clicks = 0
    hand.station("light")
    hand.press(hand.window.shelf.strip_button)
    assert hand.window.bench.test_strip.isVisible()
    assert hand.clicks <= MOST_CLICKS


def test_crop_and_horizon(hand: Hand) -> None:
    window, driver = hand.window, hand.driver
    # 4: a square
    hand.job("frame_it")
    driver.settled()
    hand.pick(window.framing.strip.ratio, "1 : 1")
    driver.settled()
    h, w = window.bench.contents[0].extent
    crop = _settings(hand).lens.crop
    assert crop and crop[2] * w == pytest.approx(crop[3] * h, rel=0.02)
    assert hand.clicks <= MOST_CLICKS
    # 3: a tilted horizon, from the beginning again
    hand.press(hand.button("Done", window.framing.strip))
    _begin_again(hand)
    hand.job("frame_it")
    driver.settled()
    hand.press(window.framing.strip.tools[LEVEL])
    overlay = window.framing.overlay
    assert overlay is not None
    picture = overlay.picture_rect()
    one = picture.topLeft() + QPointF(0.3 * picture.width(), 0.5 * picture.height())
    two = one + QPointF(0.4 * picture.width(), 0.05 * picture.height())
    QTest.mousePress(overlay, LEFT, pos=one.toPoint())
    for k in range(1, 6):
        QTest.mouseMove(overlay, (one + (two - one) * (k / 5)).toPoint())
    QTest.mouseRelease(overlay, LEFT, pos=two.toPoint())
    hand.press(window.framing.strip.apply)
    driver.settled()
    assert _settings(hand).lens.straighten != 0
    assert hand.clicks <= MOST_CLICKS


def test_comparing(hand: Hand) -> None:
    window, driver, bench = hand.window, hand.driver, hand.window.bench
    # 5: how noisy it is bare, beside mine, at 100 %
    hand.pick(bench.strip.zoom_box, "100 %")
    driver.settled()
    assert any(bench.contents[p].proof == BARE for p in range(bench.count)) and bench.viewport.zoom == 1.0
    assert hand.clicks <= MOST_CLICKS
    # 6: which of two is sharper
    hand.clicks = 0
    hand.select("bench-iso6400.dng", "test-card.dng")
    hand.job("Compare", "Compare the selected frames")
    driver.settled()
    numbers = {driver.number("bench-iso6400.dng"), driver.number("test-card.dng")}
    assert {bench.contents[p].item for p in range(bench.count)} == numbers
    assert any(line.startswith("Detail") for line in driver.figures(0))
    assert hand.clicks <= MOST_CLICKS
    # 20: what “texture kept” means
    hand.clicks = 0
    hand.press(window.surface.finder)
    QTest.keyClicks(window.surface.finder, "texture kept")
    found = window.surface.finder.found()
    row = next(
        k for k, entry in enumerate(found) if "texture" in entry.title.lower() and entry.kind == "figure"
    )
    shown = window.surface.finder.list
    assert shown is not None and shown.isVisible()
    hand.press(shown.viewport(), shown.visualRect(shown.model().index(row, 0)).center())
    handbook = window.surface.handbook
    assert handbook is not None and handbook.isVisible() and handbook.key == "figures"
    handbook.close()
    assert hand.clicks <= MOST_CLICKS


@pytest.mark.parametrize(
    ("words", "kind"), [("HDR", HDR), ("Exposure fusion", FUSION), ("Panorama", PANORAMA)]
)
def test_merging(hand: Hand, words: str, kind: str) -> None:
    # 7, 8, 9
    hand.select("furnace-hand-1.dng", "furnace-hand-2.dng", "furnace-hand-3.dng")
    hand.job("Merge", words)
    dialog = _dialog(hand.driver, MergeDialog)
    hand.press(hand.button("Merge", dialog))
    chosen: Callable[[], object] = lambda: hand.window.bench.item(hand.window.bench.chosen)  # noqa: E731
    hand.driver.until(lambda: isinstance(getattr(chosen(), "source", None), MergeSource))
    source = chosen().source  # type: ignore[attr-defined]
    assert source.how.kind == kind and len(source.paths) == 3
    assert hand.clicks <= MOST_CLICKS
    hand.window.writing.cancel()


def test_regions(hand: Hand) -> None:
    window, driver = hand.window, hand.driver
    # 10: denoise only the background
    hand.job("regions")
    hand.press(window.regions.strip.add)
    hand.entry(window.regions.strip.menu, "Background")
    driver.settled()
    hand.station("noise")
    hand.typed("noise.amount", "40")
    region = window.regions.region()
    assert region is not None and region.inverted and region.parts[0].kind == "subject"
    assert region.change("noise.amount") is not None
    assert hand.clicks <= MOST_CLICKS
    # 11: brighten by a brush
    hand.press(hand.button("Done", window.regions.strip))
    _begin_again(Hand(driver))
    hand.clicks = 0
    hand.job("regions")
    hand.press(window.regions.strip.add)
    hand.entry(window.regions.strip.menu, "Brush")
    driver.settled()
    overlay = window.regions.overlay
    assert overlay is not None
    middle = overlay.rect().center()
    QTest.mousePress(overlay, LEFT, pos=middle)
    QTest.mouseMove(overlay, middle + QPoint(30, 8))
    QTest.mouseRelease(overlay, LEFT, pos=middle + QPoint(30, 8))
    hand.typed("light.exposure", "0.7")
    region = window.regions.region()
    assert region is not None and region.parts[0].kind == "brush" and region.change("light.exposure") == 0.7
    assert hand.clicks <= MOST_CLICKS


def test_settings_for_others_marks_and_the_queue(hand: Hand, frames: Path) -> None:
    window, driver = hand.window, hand.driver
    others = ("furnace-hand-1.dng", "furnace-hand-2.dng", "furnace-hand-3.dng")
    window.proofs.edit("light.exposure", 0.5)
    # 14: the same for three others
    hand.select("bench-iso6400.dng", *others)
    hand.job("copy_to")
    from irvane.desktop.copying_settings import CopySettingsDialog

    dialog = _dialog(driver, CopySettingsDialog)
    hand.press(hand.button("Copy to 3 frames", dialog))
    driver.settled()
    items = window.session.items
    assert all(items[driver.number(name)].settings(0).light.exposure == 0.5 for name in others)
    assert hand.clicks <= MOST_CLICKS
    # 15: reject one, keep the next
    hand.clicks = 0
    hand.select(others[0])
    menus = window.menuBar()
    for words in ("Reject", "Keep"):
        menu = window.surface.commands.menus["Frame"]
        hand.press(menus, menus.actionGeometry(menu.menuAction()).center())
        hand.entry(menu, words)
    marks = [items[driver.number(name)].sidecar.mark for name in others]
    assert marks[:2] == [REJECT, KEEP]
    driver.until(lambda: KEEP in (frames / f"{others[1]}.irvane.json").read_text())
    assert hand.clicks <= MOST_CLICKS
    # 16: only the kept ones
    hand.clicks = 0
    hand.job("sheet")
    sheet = window.sheeting.sheet
    hand.pick(sheet.filter, "kept")
    driver.until(lambda: sheet.frames.numbers == [driver.number(others[1])])
    assert hand.clicks <= MOST_CLICKS
    # 17: all of them as JPEG, 2048 pixels long
    hand.clicks = 0
    sheet.list.selectAll()
    hand.job("Write", "1 frame to “web”")
    entries = window.queueing.runner.entries()
    assert entries[-1].how.format == "jpeg" and entries[-1].how.size == "2048"
    assert hand.clicks <= MOST_CLICKS
    # 18: how much longer it takes
    hand.clicks = 0
    driver.until(lambda: "queue" in window.surface.jobs.buttons["queue"].text().lower())
    hand.job("queue")
    queue = window.queueing.window
    assert queue is not None and queue.isVisible() and queue.words.text()
    assert hand.clicks <= MOST_CLICKS
    driver.until(lambda: window.queueing.runner.idle())
    queue.close()
