"""Nothing is lost in the window: two windows on a frame, full disks, quick writes, closing, odd names, typing."""

from __future__ import annotations

import json
import os
import threading
import time
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QMessageBox
from pytestqt.qtbot import QtBot

from irvane.core.errors import WriteError
from irvane.core.files.sidecar import ENDING, load_sidecar, save_sidecar
from irvane.core.judge.scene_place import scene_place
from irvane.core.settings import Settings, older_methods
from irvane.desktop import filework
from irvane.desktop.bench.elided import Elided
from irvane.desktop.item import BARE
from irvane.desktop.plain import on_button, tip
from irvane.desktop.writing import target

from .conftest import Driver


def _saved(frames: Path, name: str) -> dict:
    return json.loads((frames / f"{name}{ENDING}").read_text("utf-8"))


def test_what_another_window_changed_stays(driver: Driver, frames: Path) -> None:
    """Both edits are there, and undo takes back one's own alone."""
    item = driver.window.proofs.item()
    driver.window.proofs.new_proof()
    driver.settled()
    path, key = item.path, item.source.key
    there = load_sidecar(path, key)
    assert there is not None and len(there.proofs) == 2
    other = there.proofs[0].__class__(
        there.proofs[0].name, Settings().with_value("light.exposure", -2), id=there.proofs[0].id
    )
    save_sidecar(there.__class__((other, there.proofs[1]), there.current), path, key, base=there)
    driver.window.proofs.edit("light.exposure", 1.5)
    driver.settled()
    found = [p["settings"]["values"]["light.exposure"] for p in _saved(frames, path.name)["proofs"]]
    assert found == [-2, 1.5]
    assert item.settings(0).light.exposure == -2, "it is seen here too"
    driver.window.session.undo.undo()
    driver.settled()
    found = [p["settings"]["values"]["light.exposure"] for p in _saved(frames, path.name)["proofs"]]
    assert found == [-2, 0]


def test_a_sidecar_of_a_newer_program_is_shown_read_only(driver: Driver, frames: Path) -> None:
    name = "test-card.dng"
    path = frames / f"{name}{ENDING}"
    path.write_text('{"format": "irvane-proofs", "version": 99, "program": "9.1"}', "utf-8")
    number = driver.number(name)
    item = driver.window.session.items[number]
    item.ready = False
    driver.window.service.files.learn(number, item.source)
    driver.until(lambda: bool(item.locked))
    driver.choose(name)
    driver.window.proofs.edit("light.exposure", 1)
    driver.settled()
    assert driver.settings().light.exposure == 0
    assert "newer version" in driver.window.surface.message.text_in_full()
    assert "99" in path.read_text("utf-8")


def test_an_edit_is_saved_once_there_is_room(
    driver: Driver, frames: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    real, full = filework.save_sidecar, [True]

    def save(*given, **named):
        if full[0]:
            raise WriteError(given[1], "the disk is full; free some space and write again")
        return real(*given, **named)

    monkeypatch.setattr(filework, "save_sidecar", save)
    files, said = driver.window.service.files, []
    files.said.connect(said.append)
    driver.window.proofs.edit("light.exposure", 1.25)
    driver.until(lambda: files.unsaved() == 1 and bool(said))
    assert "not saved yet" in said[0]
    asked = []
    monkeypatch.setattr(QMessageBox, "exec", lambda box: asked.append(box.text()) or 0)
    assert not driver.window.close(), "closing asks"
    assert "could not be saved" in asked[0]
    full[0] = False
    files._try_again()
    driver.until(lambda: files.unsaved() == 0)
    driver.settled()
    assert _saved(frames, "bench-iso6400.dng")["proofs"][0]["settings"]["values"]["light.exposure"] == 1.25


def test_five_quick_writes_give_five_files(driver: Driver, tmp_path: Path) -> None:
    driver.window.writing.set_folder(tmp_path)
    for _ in range(5):
        driver.window.writing.write()
    driver.until(
        lambda: len(list(tmp_path.glob("bench-iso6400*.tif"))) == 5 and not driver.window.writing.busy, 120
    )


def test_a_folder_that_does_not_answer_holds_nothing_up(
    driver: Driver, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    gone, never = tmp_path / "gone", threading.Event()
    real = target.make_folder

    def hanging(folder: Path) -> None:
        if folder == gone:
            never.wait(60)
        real(folder)

    monkeypatch.setattr(target, "make_folder", hanging)
    writing = driver.window.writing
    writing._late.setInterval(50)
    said: list[str] = []
    writing.said.connect(said.append)
    writing.set_folder(gone)
    began = time.monotonic()
    writing.write()
    assert time.monotonic() - began < 5, "the window is not held up"
    driver.until(lambda: any("does not answer" in words for words in said))
    assert writing.unfinished
    writing.set_folder(tmp_path)
    assert not writing.unfinished
    writing.write()
    driver.settled()
    assert [path.suffix for path in tmp_path.iterdir() if path.is_file()] == [".tif"]
    never.set()


def test_closing_while_a_file_is_written_asks(
    driver: Driver, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    driver.window.proofs.edit("noise.amount", 130)
    driver.window.writing.set_folder(tmp_path)
    asked: list[str] = []
    monkeypatch.setattr(QMessageBox, "exec", lambda box: asked.append(box.text()) or 0)
    driver.window.writing.write()
    driver.until(lambda: driver.window.writing.busy)
    assert not driver.window.close()
    assert "still being written" in asked[0]


def test_return_and_escape_give_the_keyboard_back(driver: Driver) -> None:
    row = driver.row("light.exposure")
    for key, expected in ((Qt.Key.Key_Return, 1.5), (Qt.Key.Key_Escape, 1.5)):
        row.box.setFocus()
        row.box.selectAll()
        QTest.keyClicks(row.box, "1.5" if key == Qt.Key.Key_Return else "7")
        QTest.keyClick(row.box, key)
        driver.until(lambda: not row.box.hasFocus())
        driver.settled()
        assert driver.settings().light.exposure == expected
        assert row.box.value() == expected
    driver.key(Qt.Key.Key_7)
    assert driver.window.band.station == "finish", "a key acts on the window again"
    driver.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert driver.settings().light.exposure == 0


def test_sliders_are_wide_and_move_finely(driver: Driver) -> None:
    row = driver.row("light.exposure")
    driver.settled()
    slider = row.slider
    assert slider.width() > 150
    middle = slider.rect().center()

    def drag(by: int, modifier: Qt.KeyboardModifier) -> float:
        row.set_back.emit()
        QTest.mousePress(slider, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, middle)
        for x in (middle.x(), middle.x() + by):
            event = QPointF(x, middle.y())
            from PySide6.QtGui import QMouseEvent

            move = QMouseEvent(
                QMouseEvent.Type.MouseMove, event, slider.mapToGlobal(event), Qt.MouseButton.NoButton,
                Qt.MouseButton.LeftButton, modifier,
            )  # fmt: skip
            QApplication.sendEvent(slider, move)
        QTest.mouseRelease(slider, Qt.MouseButton.LeftButton)
        return driver.settings().light.exposure

    coarse, fine = drag(40, Qt.KeyboardModifier.NoModifier), drag(40, Qt.KeyboardModifier.ShiftModifier)
    assert coarse > 2 and 0 < fine < coarse / 5
    before = driver.settings().light.exposure
    place = QPointF(middle)
    wheel = QWheelEvent(
        place, slider.mapToGlobal(place), QPoint(0, 0), QPoint(0, 120), Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    QApplication.sendEvent(slider, wheel)
    assert driver.settings().light.exposure == pytest.approx(before + 0.1)


def test_captions_choose_panes_and_say_all_figures(driver: Driver) -> None:
    bench = driver.window.bench
    driver.click(bench.captions[1], QPoint(200, 5))
    assert bench.chosen == 1
    assert driver.window.shelf.isHidden() or driver.window.shelf.rests.isVisible()
    driver.window.band.toggle("light")
    driver.settled()
    assert driver.settings(1) is not None and bench.contents[1].proof == BARE
    assert driver.window.shelf.rests.isVisible() and "no settings" in driver.window.shelf.rests.text()
    bench.choose(0)
    driver.settled()
    assert not driver.window.shelf.rests.isVisible()
    assert any("range" in line for line in driver.figures(0))
    table = bench.judgement.table
    assert table.verticalScrollBar().maximum() == 0, "nothing is cut at 1280 pixels"
    left, right = bench.views[0].geometry(), bench.views[1].geometry()
    assert right.left() - left.right() >= 6, "panes are told apart"
    assert left.width() == right.width()


def test_the_probe_begins_on_an_even_place(driver: Driver) -> None:
    bench = driver.window.bench
    assert not bench.panes.view.probe_placed and bench.panes.view.probe != (0.5, 0.5)
    found = bench.contents[0].probe
    assert found is not None and scene_place([found]).even
    assert driver.figure("noise", 0).value > 15
    bench.move_probe(131, 361 - 60)  # lettering
    driver.settled()
    assert not scene_place([bench.contents[0].probe]).even
    assert driver.figure("noise", 0) is None and driver.figure("noise", 1) is None
    line = bench.telling.told.lines["noise"]
    assert line.note in ("structure", "an edge")
    words = bench.judgement.words.text_in_full()
    assert "cleaner at the even spot" in words or "noise is told at an even place" in words, words


def test_bare_noise_is_not_more_than_all_texture(driver: Driver) -> None:
    driver.window.judging.step_spot(1)
    driver.settled()
    for pane in range(2):
        figure = driver.figure("texture", pane)
        assert figure is None or figure.value <= 1.03


def test_names_are_plain_text_wherever_they_are_shown(qtbot: QtBot, driver: Driver) -> None:
    name = "<b>bold</b> & <img src=x>" + "long " * 100
    driver.window.session.rename_proof(driver.window.proofs.item().number, 0, name)
    driver.settled()
    caption = driver.window.bench.captions[0]
    assert caption.proof.text().startswith("<b>bold</b> && ") and caption.proof.width() < 300
    assert driver.window.width() == 1280
    label = Elided()
    qtbot.addWidget(label)
    label.set_full("<b>x</b>")
    assert label.textFormat() == Qt.TextFormat.PlainText
    assert "&lt;b&gt;" in label.toolTip()
    assert tip("plain\ntwo") == "plain\ntwo"
    assert on_button("a & b") == "a && b"


def test_frames_whose_names_are_no_text_are_shown(driver: Driver, tmp_path: Path) -> None:
    name = os.fsdecode(b"w\xe4nde.dng")
    source = next(i.path for i in driver.window.session.items.values() if i.source.name == "test-card.dng")
    (tmp_path / name).write_bytes(source.read_bytes())
    driver.window.opening.open([tmp_path / name])
    shown = "w\N{REPLACEMENT CHARACTER}nde.dng"
    driver.until(
        lambda: any(i.source.name == shown and i.ready for i in driver.window.session.items.values())
    )
    driver.choose(shown)
    assert driver.window.bench.contents[0].state == "final"
    driver.window.proofs.edit("light.exposure", 0.5)
    driver.settled()
    assert (tmp_path / f"{name}{ENDING}").exists()


def test_an_old_proof_keeps_its_methods_until_it_is_renewed(driver: Driver) -> None:
    item = driver.window.proofs.item()
    old = item.settings(0).with_values({"sensor.banding_by": "lines@1", "noise.removed_by": "removal@1"})
    driver.window.session.replace_settings(item.number, 0, old, "as it was")
    driver.settled()
    before = driver.pixels().copy()
    driver.key(Qt.Key.Key_N, Qt.KeyboardModifier.ShiftModifier)
    driver.settled()
    assert len(item.sidecar.proofs) == 2 and older_methods(item.settings(1)) == []
    assert older_methods(item.settings(0)) == ["sensor.banding_by", "noise.removed_by"]
    words = driver.window.bench.captions[0].full_texts()[2]
    assert "method" in words, words
    assert not np.array_equal(driver.pixels(0), before)
    driver.key(Qt.Key.Key_N, Qt.KeyboardModifier.ShiftModifier)
    assert "newest methods already" in driver.window.surface.message.text_in_full()


def test_a_merge_is_seen_in_both_panes(driver: Driver) -> None:
    """Again and again: the second pane was left grey when it asked in the moment that the first one's work ended."""
    for _ in range(3):
        driver.choose("furnace-hand-2.dng")
        driver.key(Qt.Key.Key_M)
        driver.settled()
        assert driver.window.bench.item(0).is_merge and driver.window.bench.item(1).is_merge
        for content in driver.window.bench.contents:
            assert content.state == "final" and content.current is not None
        driver.window.close_item()
        driver.settled()
