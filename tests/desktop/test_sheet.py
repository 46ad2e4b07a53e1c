"""The contact sheet and the queue in the real window."""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QItemSelectionModel, Qt
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QPushButton

from irvane.core.files.preferences import choose, preferences
from irvane.core.files.thumb_store import _MAKING, ThumbStore
from irvane.core.finish.destination import Destination, remove_destination, save_destination
from irvane.core.finish.journal import DONE, FAILED, Journal, Wanted

from .conftest import Driver

SHIFT, CTRL = Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.ControlModifier


@pytest.fixture
def quick() -> Iterator[Destination]:
    """A destination that is written fast."""
    before = preferences().destination
    how = Destination("quick", "jpeg", 8, folder="out")
    save_destination(how)
    choose(destination="quick")
    yield how
    remove_destination("quick")
    choose(destination=before)


def _names(driver: Driver) -> list[str]:
    return [driver.window.session.items[n].source.name for n in driver.window.sheeting.sheet.visible_items()]


def test_the_sheet_takes_the_bench_s_place_and_keeps_marks(driver: Driver, frames: Path) -> None:
    window, sheet = driver.window, driver.window.sheeting.sheet
    width = window.width()
    driver.choose("bench-iso6400.dng")
    driver.key(Qt.Key.Key_S, SHIFT)
    assert sheet.isVisible() and not window.bench.isVisible() and window.width() == width
    driver.until(
        lambda: all(
            i.preview is not None for i in window.session.items.values() if i.source.name.endswith(".dng")
        )
    )
    number = driver.number("bench-iso6400.dng")
    assert sheet.selected() == [number]
    driver.key(Qt.Key.Key_4, Qt.KeyboardModifier.AltModifier)
    driver.key(Qt.Key.Key_BracketRight)
    item = window.session.items[number]
    assert (item.sidecar.mark, item.sidecar.stars) == ("keep", 4)
    assert sheet.selected() != [number], "after a mark the next frame is chosen"
    driver.until(lambda: (frames / "bench-iso6400.dng.irvane.json").exists())
    driver.until(
        lambda: json.loads((frames / "bench-iso6400.dng.irvane.json").read_text()).get("mark") == "keep"
    )
    assert json.loads((frames / "bench-iso6400.dng.irvane.json").read_text())["stars"] == 4
    driver.key(Qt.Key.Key_Z, CTRL)
    assert (item.sidecar.mark, item.sidecar.stars) == ("", 4)
    sheet.choose(number)
    driver.key(Qt.Key.Key_Return)
    driver.settled()
    assert window.bench.isVisible() and window.bench.item(0) is item
    driver.key(Qt.Key.Key_3)
    assert window.band.station == "noise"
    driver.key(Qt.Key.Key_S, SHIFT)
    assert window.band.station == "" and sheet.isVisible(), "nothing is changed that is not seen"
    driver.key(Qt.Key.Key_3)
    assert window.bench.isVisible() and window.band.station == "noise" and not sheet.isVisible()


def test_the_sheet_sorts_filters_and_searches(driver: Driver) -> None:
    window, sheet = driver.window, driver.window.sheeting.sheet
    driver.key(Qt.Key.Key_S, SHIFT)
    sheet.sort.setCurrentText("ISO")
    sheet.sort.activated.emit(0)
    isos = [window.session.items[n].info.iso or 0 for n in sheet.visible_items()]
    assert isos == sorted(isos) and isos[-1] == 6400
    sheet.search.setText("test-card")
    assert _names(driver) == ["test-card.dng"] and "1 of " in sheet.told.text()
    sheet.search.clear()
    one, two = sheet.visible_items()[:2]
    window.session.mark([one], "reject")
    window.session.mark([two], stars=3)
    for words, numbers in (("rejected", {one}), ("3 stars or more", {two}), ("4 stars or more", set())):
        sheet.filter.setCurrentText(words)
        sheet.filter.activated.emit(0)
        assert set(sheet.visible_items()) == numbers
    sheet.filter.setCurrentText("not rejected")
    sheet.filter.activated.emit(0)
    assert one not in sheet.visible_items() and two in sheet.visible_items()
    sheet.filter.setCurrentText("all")
    sheet.filter.activated.emit(0)
    assert "reject" in str(sheet.frames.data(sheet.frames.index(sheet.frames.numbers.index(one))))


def test_small_pictures_are_kept_by_content_within_bounds(frames: Path, tmp_path: Path) -> None:
    store = ThumbStore(tmp_path / "thumbs", limit=10_000_000)
    path = frames / "bench-iso6400.dng"
    first = store.get(path, "a1")
    kept = tmp_path / "thumbs" / f"a1.{_MAKING}.jpg"
    # another reader: Qt's own JPEG decoder sees the same picture
    image = QImage(str(kept)).convertToFormat(QImage.Format.Format_RGB888)
    assert (image.height(), image.width()) == first.pixels.shape[:2]
    again = store.get(tmp_path / "gone.dng", "a1")  # the file is not needed any more
    assert again.extent == first.extent
    assert np.abs(again.pixels.astype(int) - first.pixels[..., :3]).mean() < 3
    kept.write_bytes(b"damaged")
    assert store.get(path, "a1").extent == first.extent and len(kept.read_bytes()) > 100
    small = ThumbStore(tmp_path / "thumbs", limit=kept.stat().st_size + 10)
    small.get(path, "b2")  # does not fit beside the first
    assert [p.name for p in (tmp_path / "thumbs").iterdir()] == [f"b2.{_MAKING}.jpg"]


def test_a_frame_is_seen_as_it_was_developed(driver: Driver, frames: Path) -> None:
    window, number = driver.window, driver.number("test-card.dng")
    driver.choose("test-card.dng")
    item = window.session.items[number]
    before = item.preview.small.mean()
    window.proofs.edit("light.exposure", -2.0)
    driver.until(lambda: item.developed is not None and item.picture is not item.preview)
    assert item.picture.small.mean() < 0.7 * before, "two stops darker than the camera's own preview"
    kept = ThumbStore().own(item.source.key, item.settings(0))
    assert kept is not None and kept.coded == item.picture.coded, "there again at the next start"
    window.session.replace_settings(number, 0, item.settings(0).with_value("light.exposure", 1.0), "brighter")
    assert item.picture is item.preview, "never under other settings"


def test_what_is_selected_goes_through_the_queue(driver: Driver, frames: Path, quick: Destination) -> None:
    window, runner = driver.window, driver.window.queueing.runner
    runner.journal = Journal(frames / "queue.jsonl")  # one of its own
    driver.key(Qt.Key.Key_S, SHIFT)
    sheet = window.sheeting.sheet
    chosen = ("bench-iso6400.dng", "test-card.dng")
    for row in range(sheet.frames.rowCount()):
        index = sheet.frames.index(row, 0)
        command = QItemSelectionModel.SelectionFlag.Select
        if window.session.items[index.data(Qt.ItemDataRole.UserRole)].source.name not in chosen:
            command = QItemSelectionModel.SelectionFlag.Deselect
        sheet.list.selectionModel().select(index, command)
    item = window.session.items[driver.number(chosen[0])]
    runner.add([Wanted((frames / "gone.dng",), item.settings(0), "")], quick, at_once=False)
    driver.key(Qt.Key.Key_K, CTRL)
    queue = window.queueing.window
    assert queue is not None and queue.isVisible() and "1 to be written" in queue.words.text()
    window.activateWindow()
    driver.until(window.isActiveWindow)
    driver.key(Qt.Key.Key_Return, CTRL | SHIFT)
    driver.until(lambda: len(runner.entries()) == 3 and all(e.over for e in runner.entries()), 120)
    driver.until(lambda: "2 written" in queue.words.text() and "1 failed" in queue.words.text())
    driver.until(runner.idle)
    states = {Path(e.paths[0]).name: e.state for e in runner.entries()}
    assert states == {chosen[0]: DONE, chosen[1]: DONE, "gone.dng": FAILED}
    for entry in runner.entries():
        if entry.state == DONE:  # another reader: Qt's own
            image = QImage(entry.written)
            source = window.session.items[driver.number(Path(entry.paths[0]).name)]
            assert source.preview is not None
            assert (image.height(), image.width()) == source.preview.extent
            assert Path(entry.written).parent == frames / "out"
    driver.until(lambda: runner.expected.count == 0)
    buttons = {b.text(): b for b in queue.findChildren(QPushButton)}
    buttons["Again"].click()
    driver.until(lambda: queue.model.entries[0].state == FAILED and runner.idle())
    buttons["Clear"].click()
    assert queue.model.rowCount() == 0 and "empty" in queue.words.text()


def test_sets_fold_and_what_is_done_is_done_to_all_their_frames(driver: Driver, frames: Path) -> None:
    window, sheet = driver.window, driver.window.sheeting.sheet
    driver.key(Qt.Key.Key_S, SHIFT)
    first = driver.number("furnace-hand-1.dng")
    driver.until(lambda: len(window.session.items[first].bracket) == 3)
    before = len(sheet.frames.numbers)
    driver.click(sheet.fold)
    brackets = {item.bracket for item in window.session.items.values() if item.bracket}
    assert len(sheet.frames.numbers) == before - sum(len(one) - 1 for one in brackets)
    sheet.choose(first)
    assert sheet.selected() == list(window.session.items[first].bracket)
    assert "3 frames" in sheet.frames.index(sheet.frames.numbers.index(first)).data(
        Qt.ItemDataRole.AccessibleTextRole
    )
    driver.key(Qt.Key.Key_BracketRight)
    assert all(window.session.items[n].sidecar.mark == "keep" for n in window.session.items[first].bracket)
    window.session.undo.undo()
    assert not any(window.session.items[n].sidecar.mark for n in window.session.items[first].bracket)
    driver.click(sheet.fold)
    assert len(sheet.frames.numbers) == before


def test_raw_and_jpeg_of_one_shot_are_one_cell(driver: Driver, frames: Path) -> None:
    window, sheet = driver.window, driver.window.sheeting.sheet
    picture = QImage(60, 40, QImage.Format.Format_RGB888)
    picture.fill(Qt.GlobalColor.gray)
    assert picture.save(str(frames / "bench-iso6400.jpg"))
    window.opening.open([frames / "bench-iso6400.jpg"])
    raw = driver.number("bench-iso6400.dng")
    driver.until(lambda: window.session.items[raw].pair is not None)
    jpeg = driver.number("bench-iso6400.jpg")
    driver.key(Qt.Key.Key_S, SHIFT)
    driver.until(lambda: jpeg not in sheet.frames.numbers)
    sheet.choose(raw)
    assert "with JPG" in sheet.frames.index(sheet.frames.numbers.index(raw)).data(
        Qt.ItemDataRole.AccessibleTextRole
    )
    driver.key(Qt.Key.Key_BracketLeft)
    assert [window.session.items[n].sidecar.mark for n in (raw, jpeg)] == ["reject", "reject"]
    window.session.remove(raw)
    driver.until(lambda: jpeg in sheet.frames.numbers)


def test_frames_are_sorted_and_chosen_by_what_is_measured_of_them(driver: Driver) -> None:
    window, sheet = driver.window, driver.window.sheeting.sheet
    driver.key(Qt.Key.Key_S, SHIFT)
    driver.until(lambda: not window.opening._waiting)
    sheet.sort.setCurrentText("noise")
    sheet.sort.activated.emit(0)
    frames = [i for i in window.session.items.values() if not i.problem]
    driver.until(lambda: all(i.measured is not None for i in frames) and "measuring" not in sheet.told.text())
    driver.until(lambda: window.session.items[sheet.frames.numbers[0]].measured.noise == "hardly any noise")
    found = [window.session.items[n].measured.snr for n in sheet.frames.numbers]
    assert found == sorted(found, reverse=True)
    sheet.filter.setCurrentText("visible noise")
    sheet.filter.activated.emit(0)
    shown = [window.session.items[n] for n in sheet.frames.numbers]
    assert shown and all(i.measured.snr < 26 for i in shown), (
        "SNR 20 is 26 dB"
    )  # common practice, see diagnosis.py


def test_alike_frames_are_chosen_among_pane_by_pane(driver: Driver) -> None:
    window, bench = driver.window, driver.window.bench
    driver.choose("furnace-hand-2.dng")
    driver.until(lambda: not window.opening._waiting)
    driver.key(Qt.Key.Key_C, SHIFT)
    group = window.culling.group
    assert 2 <= len(group) <= 6 and driver.number("furnace-hand-2.dng") in group
    assert [content.item for content in bench.contents] == group and bench.chosen == 0
    driver.until(lambda: bench.viewport.zoom == 1.0)
    driver.key(Qt.Key.Key_BracketRight)
    assert window.session.items[group[0]].sidecar.mark == "keep" and bench.chosen == 1
    for _ in group[1:]:
        driver.key(Qt.Key.Key_BracketLeft)
    marks = [window.session.items[n].sidecar.mark for n in group]
    assert marks == ["keep"] + ["reject"] * (len(group) - 1)
    assert window.culling.group != group or "No more alike frames" in window.surface.message.text_in_full()
    driver.settled()
