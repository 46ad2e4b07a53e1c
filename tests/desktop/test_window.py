"""The whole job in the real window."""

from __future__ import annotations

import json
import time
from pathlib import Path

import numpy as np
import OpenEXR
import pytest
import tifffile
from PySide6.QtCore import QEvent, QMimeData, QPoint, QPointF, Qt, QTimer, QUrl
from PySide6.QtGui import QDropEvent, QKeyEvent, QWheelEvent
from PySide6.QtWidgets import QApplication, QMessageBox, QPushButton
from pytestqt.qtbot import QtBot

from irvane.core.settings import STATIONS
from irvane.desktop.actions import COMMANDS, KeysDialog
from irvane.desktop.bench.strip import DIVIDED, ONE, TWO
from irvane.desktop.line.controls import ChoiceRow, NumberRow
from irvane.desktop.session import BARE
from irvane.desktop.window import Window

from .conftest import Driver


def _row(driver: Driver, path: str) -> NumberRow:
    station = path.partition(".")[0]
    if driver.window.band.station != station:
        driver.window.band.toggle(station)
    row = driver.window.shelf.stations[station].rows[path]
    assert isinstance(row, NumberRow)
    return row


def _pixels(driver: Driver, pane: int = 0) -> np.ndarray:
    layer = driver.window.bench.contents[pane].current
    assert layer is not None
    image = layer.image
    data = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.bytesPerLine())
    return data[:, : image.width() * 4].reshape(image.height(), image.width(), 4)[..., :3].astype(float)


def _on_the_label(driver: Driver) -> None:
    """The probe on an empty part of a jar's label."""
    driver.window.bench._move_probe(131, 361)
    driver.settled()


def test_opening_shows_proof_beside_bare_frame_with_figures(driver: Driver) -> None:
    bench = driver.window.bench
    assert bench.contents[0].state == bench.contents[1].state == "final"
    assert bench.contents[1].proof == BARE
    name, exposure, difference, figures = bench.captions[0].full_texts()
    assert name == "bench-iso6400.dng"
    assert "ISO 6400" in exposure
    assert "DNG" in exposure
    assert "SNR" in figures
    assert "clipped" in figures
    assert difference == "untouched: automatic only"
    assert "no automatic" in bench.captions[1].full_texts()[2]
    _on_the_label(driver)
    assert bench.contents[0].probe.snr_db > bench.contents[1].probe.snr_db + 6
    assert driver.window.band.words("noise").startswith("σ ")
    assert "100 %" in driver.window.band.words("noise")


def test_rail_shows_brackets_and_walks_by_key(driver: Driver) -> None:
    rail = driver.window.rail
    headings = [row for row in rail.rows.rows if row.is_heading]
    assert len(headings) == 1
    assert len(headings[0].bracket) == 3
    offsets = [driver.window.session.items[n].offset for n in headings[0].bracket]
    assert offsets == [-2, 0, 2]
    driver.key(Qt.Key.Key_S)
    assert driver.window.bench.item(0).source.name == "furnace-hand-1.dng"
    driver.key(Qt.Key.Key_W)
    assert driver.window.bench.item(0).source.name == "bench-iso6400.dng"


def test_moving_exposure_brightens_the_picture_and_is_undone(driver: Driver, frames: Path) -> None:
    before = _pixels(driver).mean()
    row = _row(driver, "light.exposure")
    row.slider.setValue(row.slider.value() + 50)
    driver.settled()
    assert driver.settings().light.exposure == pytest.approx(1.0, abs=0.01)
    assert _pixels(driver).mean() > before + 20
    assert driver.window.band.words("light") == "+1.00 EV"
    assert "Exposure +1.00 EV" in driver.window.bench.captions[0].full_texts()[2]
    saved = json.loads((frames / "bench-iso6400.dng.irvane.json").read_text("utf-8"))
    assert saved["proofs"][0]["settings"]["light"]["exposure"] == pytest.approx(1.0, abs=0.01)
    driver.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    driver.settled()
    assert driver.settings().light.exposure == 0
    assert _pixels(driver).mean() == pytest.approx(before, abs=1)
    driver.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    assert driver.settings().light.exposure == pytest.approx(1.0, abs=0.01)


def test_values_can_be_typed_and_reset_by_double_click(driver: Driver) -> None:
    row = _row(driver, "light.shadows")
    row.box.setFocus()
    row.box.selectAll()
    driver.qtbot.keyClicks(row.box, "-2.5")
    driver.qtbot.keyClick(row.box, Qt.Key.Key_Return)
    assert driver.settings().light.shadows == -2.5
    assert row.box.text() == "−2.5 EV"
    driver.qtbot.mouseDClick(row.name, Qt.MouseButton.LeftButton)
    assert driver.settings().light.shadows == 0


def test_automatic_values_are_shown_and_can_be_left(driver: Driver) -> None:
    row = _row(driver, "noise.amount")
    assert row.auto is not None
    assert row.auto.isChecked()
    assert row.box.value() == 100
    driver.click(row.auto)
    assert driver.settings().noise.amount == 100
    row.slider.setValue(0)
    _on_the_label(driver)
    assert driver.settings().noise.amount == 0
    assert driver.window.bench.contents[0].probe.snr_db < driver.window.bench.contents[1].probe.snr_db + 1
    driver.click(row.auto)
    assert driver.settings().noise.amount is None


def test_every_station_opens_by_key_and_stays_low(driver: Driver) -> None:
    for number, station in enumerate(STATIONS):
        driver.key(Qt.Key(Qt.Key.Key_1 + number))
        assert driver.window.band.station == station
        assert driver.window.shelf.isVisible()
        assert driver.window.shelf.height() <= 0.3 * driver.window.height()
        for row in driver.window.shelf.stations[station].rows.values():
            assert row.isVisibleTo(driver.window.shelf)
            control = row.slider if isinstance(row, NumberRow) else row.box
            assert control.accessibleName()
            assert control.toolTip()
    driver.key(Qt.Key.Key_7)
    assert not driver.window.shelf.isVisible()


def test_choices_change_the_proof(driver: Driver) -> None:
    driver.window.band.toggle("light")
    row = driver.window.shelf.stations["light"].rows["light.tone_map"]
    assert isinstance(row, ChoiceRow)
    row.box.setCurrentIndex(1)
    row.box.activated.emit(1)
    assert driver.settings().light.tone_map == "photographic"


def test_proofs_are_made_compared_renamed_and_removed(driver: Driver) -> None:
    bench = driver.window.bench
    driver.key(Qt.Key.Key_N)
    driver.settled()
    item = bench.item(0)
    assert [p.name for p in item.sidecar.proofs] == ["Proof 1", "Proof 2"]
    assert bench.contents[0].proof == 1
    assert bench.contents[1].proof == 0, "the proof it came from moves beside it"
    driver.window.proofs.edit("light.contrast", 40)
    assert bench.captions[0].full_texts()[2] == "Contrast +40 %"
    driver.key(Qt.Key.Key_A)
    assert bench.contents[0].proof == 0
    driver.key(Qt.Key.Key_A)
    assert bench.contents[0].proof == BARE
    driver.window.proofs.edit("light.contrast", 40)
    assert item.settings(0).light.contrast == 0, "the bare frame has no settings"
    driver.key(Qt.Key.Key_D)
    driver.key(Qt.Key.Key_D)
    driver.window.session.rename_proof(item.number, 1, "harder")
    assert "harder" in bench.captions[0].proof.text()
    driver.key(Qt.Key.Key_Delete, Qt.KeyboardModifier.ControlModifier)
    assert len(item.sidecar.proofs) == 1
    driver.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert item.sidecar.proofs[1].name == "harder"


def test_proofs_survive_reopening(driver: Driver, frames: Path, qtbot: QtBot) -> None:
    driver.key(Qt.Key.Key_N)
    driver.window.proofs.edit("light.exposure", -1.5)
    driver.settled()
    again = Window()
    qtbot.addWidget(again)
    again.opening.open([frames / "bench-iso6400.dng"])
    qtbot.waitUntil(
        lambda: bool(again.session.items) and all(i.ready for i in again.session.items.values()),
        timeout=20000,
    )
    item = next(iter(again.session.items.values()))
    assert item.settings(1).light.exposure == -1.5
    assert again.bench.contents[0].proof == 1
    again.close()


def test_zoom_and_position_are_locked(driver: Driver) -> None:
    bench, view = driver.window.bench, driver.window.bench.views[0]
    driver.key(Qt.Key.Key_Z)
    assert bench.viewport.zoom == 1.0
    driver.settled()
    layer = bench.contents[0].current
    assert layer.rect.width() == layer.image.width(), "100 % is one picture pixel on one device pixel"
    before = view.frame_point(QPointF(100, 80))
    wheel = QWheelEvent(
        QPointF(100, 80), view.mapToGlobal(QPointF(100, 80)), QPoint(0, 0), QPoint(0, 120),
        Qt.MouseButton.NoButton, Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    QApplication.sendEvent(view, wheel)
    assert bench.viewport.zoom == 2.0
    after = view.frame_point(QPointF(100, 80))
    assert (after.x(), after.y()) == pytest.approx((before.x(), before.y()), abs=1.0)
    centre = bench.viewport.centre
    driver.qtbot.mousePress(view, Qt.MouseButton.LeftButton, pos=QPoint(300, 60))
    driver.qtbot.mouseMove(view, QPoint(240, 90))
    driver.qtbot.mouseRelease(view, Qt.MouseButton.LeftButton, pos=QPoint(240, 90))
    assert bench.viewport.centre != centre
    assert bench.views[1].frame_point(QPointF(50, 50)) == view.frame_point(QPointF(50, 50))
    for zoom in (8.0, 4.0, 0.5, None):
        bench.set_zoom(zoom)
        driver.settled()
        assert bench.contents[0].state == "final"
    assert driver.window.bench.strip.zoom_box.currentText() == "fit"


def test_arrangements_blink_and_swap(driver: Driver) -> None:
    bench = driver.window.bench
    assert bench.arrangement == TWO
    driver.key(Qt.Key.Key_V)
    assert bench.arrangement == DIVIDED
    assert bench.views[0].split == 0.5
    view = bench.views[0]
    middle = QPoint(view.width() // 2, 50)
    driver.qtbot.mousePress(view, Qt.MouseButton.LeftButton, pos=middle)
    driver.qtbot.mouseMove(view, QPoint(view.width() // 4, 50))
    driver.qtbot.mouseRelease(view, Qt.MouseButton.LeftButton, pos=QPoint(view.width() // 4, 50))
    assert view.split == pytest.approx(0.25, abs=0.02)
    driver.key(Qt.Key.Key_C)
    assert bench.arrangement == TWO
    driver.key(Qt.Key.Key_C)
    assert bench.arrangement == ONE
    assert not bench.views[1].isVisible()
    press = QKeyEvent(QEvent.Type.KeyPress, Qt.Key.Key_Q, Qt.KeyboardModifier.NoModifier)
    QApplication.sendEvent(view, press)
    assert view.contents[0] is bench.contents[1]
    QApplication.sendEvent(
        view, QKeyEvent(QEvent.Type.KeyRelease, Qt.Key.Key_Q, Qt.KeyboardModifier.NoModifier)
    )
    assert view.contents[0] is bench.contents[0]
    first = bench.contents[0]
    driver.key(Qt.Key.Key_X)
    assert bench.contents[1] is first


def test_equal_brightness_states_its_offset(driver: Driver) -> None:
    driver.window.proofs.edit("light.exposure", 1.2)
    driver.settled()
    driver.key(Qt.Key.Key_E)
    driver.settled()
    offset = driver.window.bench.contents[1].offset
    assert offset == pytest.approx(1.2, abs=0.1)
    assert f"matched {offset:+.2f} EV" in driver.window.bench.captions[1].full_texts()[2]
    a, b = _pixels(driver, 0), _pixels(driver, 1)
    assert np.median(a) == pytest.approx(np.median(b), abs=6)
    driver.key(Qt.Key.Key_E)
    assert driver.window.bench.contents[1].offset == 0


def test_the_probe_moves_by_mouse_and_key(driver: Driver) -> None:
    bench, view = driver.window.bench, driver.window.bench.views[0]
    before = bench.contents[0].probe
    centre = view._view_rect(view.probe).center().toPoint()
    driver.qtbot.mousePress(view, Qt.MouseButton.LeftButton, pos=centre)
    driver.qtbot.mouseMove(view, centre + QPoint(-120, -90))
    driver.qtbot.mouseRelease(view, Qt.MouseButton.LeftButton, pos=centre + QPoint(-120, -90))
    driver.settled()
    assert bench.contents[0].probe != before
    place = bench.probe_region(0)
    view.setFocus()
    driver.qtbot.keyClick(view, Qt.Key.Key_Left, Qt.KeyboardModifier.AltModifier)
    assert bench.probe_region(0).left == place.left - 8
    driver.key(Qt.Key.Key_P)
    assert bench.probe_region(0).left == pytest.approx(450 - 10, abs=2)


def test_a_grey_spot_sets_the_white_balance(driver: Driver) -> None:
    driver.choose("test-card.dng")
    driver.window.proofs.edit("colour.temperature", 3000)
    driver.settled()
    driver.key(Qt.Key.Key_G)
    view = driver.window.bench.views[0]
    assert view.picking
    spot = driver.window.bench.viewport.to_view(
        view.probe.translated(30 - view.probe.x(), 300 - view.probe.y()), view.extent, view.device_size()
    )
    driver.click(view, QPoint(round(spot.center().x()), round(spot.center().y())))
    driver.settled()
    assert not view.picking
    from irvane.core.colour.camera import light_of
    from irvane.core.settings import Colour

    frame = driver.window.backstage.engine.best(driver.window.bench.item(0).source, driver.settings().sensor)
    shot, _ = light_of(frame.developed.colour, Colour())
    assert driver.settings().colour.temperature == pytest.approx(shot, rel=0.05)


def test_merging_a_bracket_gives_a_source_that_is_edited_and_written(
    driver: Driver, frames: Path, tmp_path: Path
) -> None:
    driver.choose("furnace-hand-2.dng")
    driver.key(Qt.Key.Key_M)
    driver.settled()
    bench = driver.window.bench
    item = bench.item(0)
    assert item.is_merge
    assert driver.settings().light.tone_map == "photographic"
    assert "Merged from 3 frames" in bench.captions[0].full_texts()[2]
    assert bench.contents[0].state == "final"
    driver.window.proofs.edit("light.exposure", 0.5)
    driver.window.proofs.edit("finish.format", "exr")
    driver.window.writing.set_folder(tmp_path)
    driver.key(Qt.Key.Key_Return, Qt.KeyboardModifier.ControlModifier)
    driver.settled()
    written = tmp_path / "furnace-hand-1-merged.exr"
    with OpenEXR.File(str(written)) as file:
        assert file.channels()["RGB"].pixels.max() > 1
    assert (frames / "furnace-hand-1.dng.merge.irvane.json").exists()
    driver.key(Qt.Key.Key_M)
    assert len([i for i in driver.window.session.items.values() if i.is_merge]) == 1, (
        "the same merge is not made twice"
    )


def test_writing_equals_what_was_seen_and_never_overwrites_silently(
    driver: Driver, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    driver.window.proofs.edit("light.exposure", 0.7)
    driver.key(Qt.Key.Key_Z)
    driver.settled()
    driver.window.writing.set_folder(tmp_path)
    driver.window.writing.write()
    assert driver.window.strip.isVisible()
    driver.settled()
    assert not driver.window.strip.isVisible()
    target = tmp_path / "bench-iso6400.tif"
    written = tifffile.imread(target) / 257
    layer = driver.window.bench.contents[0].current
    rect = layer.rect.toRect()
    seen = _pixels(driver)
    part = written[rect.top() : rect.bottom() + 1, rect.left() : rect.right() + 1]
    assert np.abs(part - seen).max() < 1.01
    first = target.read_bytes()

    def answer(box: QMessageBox) -> int:
        button = next(b for b in box.buttons() if "bench-iso6400-2" in b.text())
        box.setDefaultButton(button)
        monkeypatch.setattr(box, "clickedButton", lambda: button, raising=False)
        return 0

    monkeypatch.setattr(QMessageBox, "exec", answer)
    driver.window.writing.write()
    driver.settled()
    assert target.read_bytes() == first
    assert (tmp_path / "bench-iso6400-2.tif").exists()


def test_writing_can_be_cancelled(driver: Driver, tmp_path: Path) -> None:
    driver.window.proofs.edit("noise.amount", 150)  # not denoised like this yet: writing takes a while
    driver.window.writing.set_folder(tmp_path)
    driver.window.writing.write()
    button = next(b for b in driver.window.strip.findChildren(QPushButton) if b.text() == "Cancel")
    driver.click(button)
    driver.settled()
    assert list(tmp_path.glob("*.tif")) == []
    assert "Cancelled" in driver.window.bench.note.text()


def test_trouble_is_said_in_a_sentence(driver: Driver, frames: Path, tmp_path: Path) -> None:
    (frames / "broken.dng").write_bytes(b"no picture")
    driver.window.opening.open([frames / "broken.dng", tmp_path / "nothing"])
    driver.until(lambda: any(i.problem for i in driver.window.session.items.values()))
    driver.choose("broken.dng")
    assert "damaged" in driver.window.bench.contents[0].problem
    (frames / "test-card.dng").unlink()
    driver.choose("test-card.dng")
    assert "not there" in driver.window.bench.contents[0].problem
    driver.choose("bench-iso6400.dng")
    assert driver.window.bench.contents[0].state == "final", "the rest goes on"
    (tmp_path / "blocked").write_text("x")
    driver.window.writing.set_folder(tmp_path / "blocked" / "sub")
    driver.window.writing.write()
    assert driver.window.bench.note.text()
    assert not driver.window.writing.busy


def test_a_damaged_sidecar_is_kept_and_said(qtbot: QtBot, frames: Path) -> None:
    sidecar = frames / "test-card.dng.irvane.json"
    sidecar.write_text("{broken", "utf-8")
    window = Window()
    qtbot.addWidget(window)
    said: list[str] = []
    window.backstage.said.connect(said.append)
    window.opening.open([frames / "test-card.dng"])
    qtbot.waitUntil(lambda: bool(said), timeout=20000)
    assert "damaged" in said[0]
    assert (frames / "test-card.dng.irvane.json.damaged").read_text("utf-8") == "{broken"
    window.close()


def test_dropping_files_opens_them(qtbot: QtBot, frames: Path) -> None:
    window = Window()
    qtbot.addWidget(window)
    window.show()
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(frames / "test-card.dng"))])
    window.dropEvent(
        QDropEvent(
            QPointF(10, 10),
            Qt.DropAction.CopyAction,
            data,
            Qt.MouseButton.LeftButton,
            Qt.KeyboardModifier.NoModifier,
        )
    )
    qtbot.waitUntil(lambda: len(window.session.items) == 1, timeout=20000)
    window.close()


def test_finished_pictures_are_full_citizens(driver: Driver, tmp_path: Path) -> None:
    pixels = np.random.default_rng(0).integers(20, 235, (200, 300, 3)).astype(np.uint8)
    tifffile.imwrite(tmp_path / "outside.tif", pixels, photometric="rgb")
    driver.window.opening.open([tmp_path / "outside.tif"])
    driver.until(
        lambda: any(i.source.name == "outside.tif" and i.ready for i in driver.window.session.items.values())
    )
    driver.choose("outside.tif")
    driver.key(Qt.Key.Key_Z)
    driver.settled()
    assert driver.window.band.words("sensor") == "finished picture"
    rect = driver.window.bench.contents[0].current.rect.toRect()
    part = pixels[rect.top() : rect.bottom() + 1, rect.left() : rect.right() + 1]
    assert np.abs(_pixels(driver) - part).max() <= 2


def test_commands_have_keys_that_do_not_collide() -> None:
    keys = [c.keys for c in COMMANDS] + [str(n) for n in range(1, 8)] + ["Q"]
    assert len(set(keys)) == len(keys)


def test_all_keys_are_listed(driver: Driver) -> None:
    dialog = KeysDialog(driver.window)
    driver.qtbot.addWidget(dialog)
    from PySide6.QtWidgets import QLabel

    words = {label.text() for label in dialog.findChildren(QLabel)}
    assert {c.words for c in COMMANDS} <= words


def test_full_screen_hides_everything_else(driver: Driver) -> None:
    driver.key(Qt.Key.Key_F11)
    assert not driver.window.rail.isVisible()
    driver.key(Qt.Key.Key_F11)
    assert driver.window.rail.isVisible()


def test_the_window_thread_is_never_blocked(driver: Driver, tmp_path: Path) -> None:
    """A timer of 5 ms runs through the whole job and notes its delays.

    Promised are 50 ms on an idle machine with two cores (the benchmark reports the longest delay). A shared machine
    stands still by itself now and then, so that the margin here is wide: it finds work done in the wrong thread.
    """
    gaps: list[float] = []
    last = time.perf_counter()

    def beat() -> None:
        nonlocal last
        now = time.perf_counter()
        gaps.append(now - last)
        last = now

    timer = QTimer(interval=5)
    timer.timeout.connect(beat)
    timer.start()
    window = driver.window
    window.rail.choose(driver.number("window-leaves.dng"))
    for value in range(20):
        window.proofs.edit("light.exposure", value / 10)
        driver.qtbot.wait(8)
    window.bench.set_zoom(1.0)
    for _ in range(20):
        size = window.bench.views[0].device_size()
        window.bench.viewport.pan(-9, 5, window.bench.views[0].extent, size)
        driver.qtbot.wait(8)
    window.proofs.edit("noise.amount", 130)
    window.writing.set_folder(tmp_path)
    window.writing.write()
    driver.settled()
    window.merge(window.session.items[driver.number("furnace-hand-1.dng")].bracket)
    driver.settled()
    timer.stop()
    assert len(gaps) > 200
    assert max(gaps) < 0.5
    assert np.percentile(gaps, 99) < 0.1
