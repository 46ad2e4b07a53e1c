"""Settings copied to other frames: previewed, chosen by station and frame, undone in one step."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from irvane.core.settings import Settings, copied_settings
from irvane.desktop.copying_settings import CopySettingsDialog
from irvane.desktop.parts import change_words

from .conftest import Driver


def _dialog() -> CopySettingsDialog:
    return next(
        w for w in QApplication.topLevelWidgets() if isinstance(w, CopySettingsDialog) and w.isVisible()
    )


def _tick(dialog: CopySettingsDialog, row: int) -> None:
    """With the keyboard, as the list offers it."""
    dialog.frames.setFocus()
    dialog.frames.setCurrentIndex(dialog.lines.index(row))
    QTest.keyClick(dialog.frames, Qt.Key.Key_Space)


def _opened(driver: Driver) -> CopySettingsDialog:
    driver.choose("bench-iso6400.dng")
    driver.settled()
    driver.window.proofs.edit_many({"light.exposure": 0.7, "noise.texture": 20})
    driver.window.proofs.edit("colour.saturation", 120)
    driver.key(Qt.Key.Key_J)
    return _dialog()


def test_words_say_what_would_change() -> None:
    before = Settings()
    after = before.with_value("light.exposure", 1).with_value("light.shadows", 2)
    assert change_words(before, before) == "nothing changes"
    assert change_words(before, after) == "exposure +1.00 EV, shadows +2.0 EV"
    assert change_words(before, copied_settings(after, before, ("noise",))) == "nothing changes"
    for path in ("contrast", "black", "white", "midtones"):
        after = after.with_value(f"light.{path}", 1)
    assert change_words(before, after).endswith("and 2 more")


def test_stations_with_settings_are_ticked_and_every_frame_says_what_it_gets(driver: Driver) -> None:
    dialog = _opened(driver)
    assert dialog.parts.chosen() == ("noise", "light", "colour")
    assert not dialog.copy.isEnabled(), "no frame is ticked"
    dialog.parts.boxes["noise"].setChecked(False)
    lines = [dialog.lines.index(k).data() for k in range(dialog.lines.rowCount())]
    assert all("exposure +0.70 EV" in line and "texture" not in line for line in lines)
    assert not any("bench-iso6400" in line for line in lines)
    dialog.reject()


def test_handing_on_changes_the_ticked_frames_and_one_undo_takes_it_back(driver: Driver) -> None:
    dialog = _opened(driver)
    session = driver.window.session
    source = driver.window.proofs.item()
    dialog.parts.boxes["colour"].setChecked(False)
    for row in range(2):
        _tick(dialog, row)
    chosen = dialog.chosen_items()
    assert dialog.copy.text() == "Copy to 2 frames"
    driver.click(dialog.copy)
    for item in session.items.values():
        light = item.settings(item.sidecar.current).light.exposure
        assert light == (0.7 if item in [*chosen, source] else 0)
    assert chosen[0].settings(0).noise.texture == 20
    assert chosen[0].settings(0).colour.saturation == 100
    session.undo.undo()
    assert [item.settings(0).light.exposure for item in chosen] == [0, 0]
    assert source.settings(source.sidecar.current).light.exposure == 0.7


def test_handed_on_as_new_proofs_the_old_ones_stay(driver: Driver) -> None:
    dialog = _opened(driver)
    dialog.fresh.setChecked(True)
    _tick(dialog, 0)
    (item,) = dialog.chosen_items()
    driver.click(dialog.copy)
    assert len(item.sidecar.proofs) == 2 and item.sidecar.current == 1
    assert item.settings(0) == Settings() and item.settings(1).light.exposure == 0.7
