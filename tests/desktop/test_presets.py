"""Presets in the window: described, applied in one step, saved, brought in, taken out, removed."""

from __future__ import annotations

import shutil
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication

from irvane.core.files import presets as files
from irvane.core.files import remembered
from irvane.desktop import presets as window
from irvane.desktop.presets import PresetsDialog

from .conftest import Driver


@pytest.fixture
def folder(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    for module in (window, remembered):
        monkeypatch.setattr(module, "presets_folder", lambda: tmp_path / "presets")
    return tmp_path / "presets"


def _dialog(driver: Driver) -> PresetsDialog:
    driver.window.activateWindow()
    driver.key(Qt.Key.Key_J, Qt.KeyboardModifier.ShiftModifier)
    return next(w for w in QApplication.topLevelWidgets() if isinstance(w, PresetsDialog) and w.isVisible())


def test_a_shipped_preset_is_described_applied_and_undone(driver: Driver, folder: Path) -> None:
    dialog = _dialog(driver)
    row = next(k for k, p in enumerate(dialog.presets) if p.name == "Grey")
    dialog.names.setCurrentRow(row)
    assert "saturation 0 %" in dialog.words.text() and "Stations: light, colour" in dialog.words.text()
    assert not dialog.buttons["Remove"].isEnabled()
    driver.click(dialog.buttons["Apply"])
    assert driver.settings().colour.saturation == 0
    driver.settled()
    driver.window.session.undo.undo()
    assert driver.settings().colour.saturation == 100


def test_own_presets_are_saved_taken_out_brought_in_and_removed(
    driver: Driver, folder: Path, tmp_path: Path
) -> None:
    dialog = _dialog(driver)
    dialog.save("nothing")
    assert "untouched" in dialog.problem.text()
    dialog.reject()
    driver.window.proofs.edit("light.exposure", 1.2)
    dialog = _dialog(driver)
    dialog.save("Brighter")
    preset = dialog.chosen()
    assert preset is not None and preset.name == "Brighter" and preset.stations == ("light",)
    assert "nothing changes" in dialog.words.text()
    dialog.take_out(tmp_path)
    taken = tmp_path / f"Brighter{files.ENDING}"
    assert taken.exists()
    driver.click(dialog.buttons["Remove"])
    assert "Brighter" not in [p.name for p in dialog.presets]
    dialog.bring_in(taken)
    assert dialog.chosen().name == "Brighter"
    dialog.bring_in(tmp_path / "missing.preset.json")
    assert "not there" in dialog.problem.text()
    dialog.reject()


def test_new_frames_start_with_the_preset_that_was_chosen_for_them(
    driver: Driver, folder: Path, frames: Path, tmp_path: Path
) -> None:
    dialog = _dialog(driver)
    dialog.names.setCurrentRow(next(k for k, p in enumerate(dialog.presets) if p.name == "Grey"))
    dialog.starts.click()
    dialog.reject()
    copy = tmp_path / "fresh.dng"
    shutil.copy(frames / "test-card.dng", copy)
    driver.window.opening.open([copy])
    driver.until(lambda: any(i.path == copy and i.ready for i in driver.window.session.items.values()))
    item = next(i for i in driver.window.session.items.values() if i.path == copy)
    assert item.settings(0).colour.saturation == 0
    files.set_starting(folder, "")
    assert files.starting(folder) is None
