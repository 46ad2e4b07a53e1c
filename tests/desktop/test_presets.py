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
from irvane.desktop.presets import PresetsDialog, SaveDialog

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
    assert "saturation 0 %" in dialog.words.text() and "Acts on: light, colour" in dialog.words.text()
    assert not dialog.buttons["Remove"].isEnabled()
    driver.click(dialog.buttons["Apply"])
    assert driver.settings().colour.saturation == 0
    driver.settled()
    driver.window.session.undo.undo()
    assert driver.settings().colour.saturation == 100


def _saving(driver: Driver, dialog: PresetsDialog) -> SaveDialog:
    driver.click(dialog.buttons["Save this proof …"])
    return next(w for w in QApplication.topLevelWidgets() if isinstance(w, SaveDialog) and w.isVisible())


def test_a_preset_can_hold_only_the_crop(driver: Driver, folder: Path) -> None:
    driver.window.proofs.edit_many({"lens.straighten": 2.0, "lens.fringing": 40.0})
    saving = _saving(driver, dialog := _dialog(driver))
    saving.name.setText("Level")
    for part, box in saving.parts.boxes.items():
        box.setChecked(part == "crop")
    driver.click(saving.keep)
    driver.window.session.undo.undo()
    driver.click(dialog.buttons["Apply"])
    assert driver.settings().lens.straighten == 2 and driver.settings().lens.fringing == 0


def test_own_presets_are_saved_taken_out_brought_in_and_removed(
    driver: Driver, folder: Path, tmp_path: Path
) -> None:
    driver.window.proofs.edit_many({"light.exposure": 1.2, "lens.straighten": 2.0})
    dialog = _dialog(driver)
    saving = _saving(driver, dialog)
    assert saving.parts.chosen() == ("lens", "light") and not saving.keep.isEnabled()  # it has no name yet
    saving.name.setText("Brighter")
    saving.parts.boxes["lens"].setChecked(False)
    driver.click(saving.keep)
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
