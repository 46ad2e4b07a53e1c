"""Opening, settings, proofs, keys and faults in the real window."""

from __future__ import annotations

import json
import time
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PySide6.QtCore import QMimeData, QPointF, Qt, QUrl
from PySide6.QtGui import QDropEvent
from PySide6.QtTest import QTest
from pytestqt.qtbot import QtBot

from irvane.core.settings import STATIONS
from irvane.desktop import service
from irvane.desktop.actions import KeysDialog
from irvane.desktop.commands import COMMANDS
from irvane.desktop.item import BARE
from irvane.desktop.line.controls import ChoiceRow, NumberRow
from irvane.desktop.window import Window

from .conftest import Driver


def test_opening_shows_proof_beside_bare_frame_with_figures(driver: Driver) -> None:
    bench = driver.window.bench
    assert bench.contents[0].state == bench.contents[1].state == "final"
    assert bench.contents[1].proof == BARE
    name, exposure, difference, _lies = bench.captions[0].full_texts()
    assert name == "bench-iso6400.dng"
    assert "ISO 6400" in exposure
    assert "DNG" in exposure
    assert [line.split(",")[0] for line in driver.figures(0)][0::3] == ["Noise", "Dynamic range"]
    assert "dB cleaner here" in bench.judgement.words.text_in_full()
    assert difference == "untouched: automatic only"
    assert "no automatic" in bench.captions[1].full_texts()[2]
    driver.on_the_label()
    assert bench.contents[0].probe.probe.snr_db > bench.contents[1].probe.probe.snr_db + 6
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
    before = driver.pixels().mean()
    row = driver.row("light.exposure")
    row.slider.setValue(row.slider.value() + 50)
    driver.settled()
    assert driver.settings().light.exposure == pytest.approx(1.0, abs=0.01)
    assert driver.pixels().mean() > before + 20
    assert driver.window.band.words("light") == "+1.00 EV"
    assert "Exposure +1.00 EV" in driver.window.bench.captions[0].full_texts()[2]
    saved = json.loads((frames / "bench-iso6400.dng.irvane.json").read_text("utf-8"))
    assert saved["proofs"][0]["settings"]["values"]["light.exposure"] == pytest.approx(1.0, abs=0.01)
    driver.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    driver.settled()
    assert driver.settings().light.exposure == 0
    assert driver.pixels().mean() == pytest.approx(before, abs=1)
    driver.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    assert driver.settings().light.exposure == pytest.approx(1.0, abs=0.01)


def test_pictures_follow_a_slider_that_is_dragged_on_and_on(
    driver: Driver, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Values come much faster than views can be made; what is seen last is what the last value gives."""
    bench, made = driver.window.bench, set()
    row = driver.row("light.exposure")
    driver.settled()
    before = driver.pixels()
    usual = service.render_look

    def slow(*given: Any) -> Any:
        time.sleep(0.06)
        return usual(*given)

    monkeypatch.setattr(service, "render_look", slow)
    values = [*(0.02 * k for k in range(1, 80)), 0.0]
    for value in values:
        row.changed.emit(value)
        QTest.qWait(10)
        made.add(id(bench.contents[0].current))
    assert len(made) > 8
    driver.settled()
    assert driver.settings().light.exposure == 0
    assert np.array_equal(driver.pixels(), before)


def test_values_can_be_typed_and_reset_by_double_click(driver: Driver) -> None:
    row = driver.row("light.shadows")
    row.box.setFocus()
    row.box.selectAll()
    driver.qtbot.keyClicks(row.box, "-2.5")
    driver.qtbot.keyClick(row.box, Qt.Key.Key_Return)
    assert driver.settings().light.shadows == -2.5
    assert row.box.text() == "−2.5 EV"
    driver.qtbot.mouseDClick(row.name, Qt.MouseButton.LeftButton)
    assert driver.settings().light.shadows == 0


def test_automatic_values_are_shown_and_can_be_left(driver: Driver) -> None:
    row = driver.row("noise.amount")
    assert row.auto is not None
    assert row.auto.isChecked()
    assert row.box.value() == 100
    driver.click(row.auto)
    assert driver.settings().noise.amount == 100
    row.slider.setValue(0)
    driver.on_the_label()
    assert driver.settings().noise.amount == 0
    assert (
        driver.window.bench.contents[0].probe.probe.snr_db
        < driver.window.bench.contents[1].probe.probe.snr_db + 1
    )
    driver.click(row.auto)
    assert driver.settings().noise.amount is None


def test_every_station_opens_by_key_and_stays_low(driver: Driver) -> None:
    for number, station in enumerate(STATIONS):
        driver.key(Qt.Key(Qt.Key.Key_1 + number))
        assert driver.window.band.station == station
        assert driver.window.shelf.isVisible()
        assert driver.window.shelf.height() <= 0.3 * driver.window.height()
        folded = [r for r in driver.window.shelf.stations[station].rows.values() if r.isHidden()]
        assert folded and len(folded) == driver.window.shelf.stations[station].folded, "most need fewer"
        driver.click(driver.window.shelf.more_button)
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
    driver.until(lambda: bench.captions[0].full_texts()[2] == "Contrast +40 %")
    driver.key(Qt.Key.Key_A)
    assert bench.contents[0].proof == 0
    driver.key(Qt.Key.Key_A)
    assert bench.contents[0].proof == BARE
    driver.window.proofs.edit("light.contrast", 40)
    assert item.settings(0).light.contrast == 0, "the bare frame has no settings"
    driver.key(Qt.Key.Key_D)
    driver.key(Qt.Key.Key_D)
    driver.window.session.rename_proof(item.number, 1, "harder")
    driver.until(lambda: "harder" in bench.captions[0].proof.text())
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
    driver.until(lambda: "sub" in driver.window.surface.message.text_in_full())
    assert not driver.window.writing.busy


def test_a_damaged_sidecar_is_kept_and_said(qtbot: QtBot, frames: Path) -> None:
    sidecar = frames / "test-card.dng.irvane.json"
    sidecar.write_text("{broken", "utf-8")
    window = Window()
    qtbot.addWidget(window)
    said: list[str] = []
    window.service.said.connect(said.append)
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


def test_commands_have_keys_that_do_not_collide() -> None:
    keys = [c.keys for c in COMMANDS if c.keys] + [str(n) for n in range(1, 8)] + ["Q"]
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
