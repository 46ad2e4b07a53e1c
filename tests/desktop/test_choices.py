"""What is chosen once, decided for many, seen as on paper, copied from a card: the dialogs in the real window."""

from __future__ import annotations

import shutil
import stat
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
import shots
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QColorSpace
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QDialog,
    QPlainTextEdit,
    QPushButton,
    QWidget,
)

from irvane.core.colour.icc import profile
from irvane.core.colour.soft_proof import SoftProof
from irvane.core.files import preferences as kept
from irvane.core.files.preferences import NewFrames, Preferences, choose, preferences
from irvane.core.settings import Settings
from irvane.desktop import monitor
from irvane.desktop.about import AboutDialog
from irvane.desktop.copying import CopyDialog
from irvane.desktop.medium import MediumDialog
from irvane.desktop.merging import MergeDialog, PlanDialog
from irvane.desktop.preferences import PreferencesDialog
from irvane.desktop.queue.destinations import DestinationsDialog
from irvane.desktop.screen import SCREEN, Screen

from .conftest import Driver

SHIFT, CTRL = Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.ControlModifier


@pytest.fixture(autouse=True)
def own(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    """Preferences of the test alone."""
    monkeypatch.setattr(kept, "preferences_path", lambda: tmp_path / "preferences.json")
    preferences.cache_clear()
    yield
    preferences.cache_clear()


def _dialog(kind: type[QDialog]) -> QDialog:
    return next(w for w in QApplication.topLevelWidgets() if isinstance(w, kind) and w.isVisible())


def test_preferences_are_saved_and_read_again(driver: Driver, tmp_path: Path) -> None:
    driver.key(Qt.Key.Key_Comma, CTRL)
    dialog = _dialog(PreferencesDialog)
    assert isinstance(dialog, PreferencesDialog)
    box = dialog.by_noise["strong noise"]
    box.setCurrentIndex(box.findData("Grey"))
    dialog.light.setChecked(True)
    dialog.method.setCurrentIndex(1)
    dialog.memory.setValue(3.5)
    dialog.threads.setValue(1)
    dialog.surround.setCurrentIndex(2)
    dialog.inches.setCurrentIndex(1)
    driver.click(
        next(b for b in dialog.findChildren(type(driver.window.shelf.write_button)) if b.text() == "Save")
    )
    preferences.cache_clear()
    assert preferences().new_frames == NewFrames((("strong noise", "Grey"),), True, False, "fast")
    assert (preferences().memory_gb, preferences().threads, preferences().surround) == (3.5, 1, 2)
    assert (
        preferences().inches
        and "12x8in" in DestinationsDialog(["archive"], [], driver.window).fields["size"].toolTip()
    )
    assert driver.window.bench.views[0].surround.name() == "#8a8a8a"
    (tmp_path / "preferences.json").write_text(
        '{"surround": 99, "threads": "x", "new_frames": [1], "memory_gb": -1}'
    )
    preferences.cache_clear()
    assert preferences() == Preferences()


def test_automatic_decides_for_each_frame_and_says_why(driver: Driver) -> None:
    window = driver.window
    driver.choose("bench-iso6400.dng")
    driver.key(Qt.Key.Key_A, SHIFT)
    automatic = window.automatic
    driver.until(lambda: len(automatic.proposed) == 1)
    noisy = window.session.items[driver.number("bench-iso6400.dng")]
    assert not window.session.undo.canUndo(), "nothing happens before it is agreed to"
    driver.click(automatic.dialog.apply)  # type: ignore[union-attr]
    assert noisy.settings(0).noise.texture > 0, "shipped rules: some texture is given back"
    window.session.undo.undo()
    choose(new_frames=NewFrames((("strong noise", "Grey"),)))
    automatic.run(list(window.session.items))
    driver.until(lambda: len(automatic.proposed) == 6 and not automatic._open)
    dialog = automatic.dialog
    assert dialog is not None
    left_out = dialog.model.index(dialog.model.numbers.index(driver.number("window-leaves.dng")), 0)
    if left_out.flags() & Qt.ItemFlag.ItemIsUserCheckable:
        dialog.model.setData(left_out, Qt.CheckState.Unchecked, Qt.ItemDataRole.CheckStateRole)
    driver.click(dialog.apply)
    assert window.session.items[driver.number("window-leaves.dng")].settings(0) == Settings(), "left out"
    noisy = window.session.items[driver.number("bench-iso6400.dng")]
    calm = window.session.items[driver.number("test-card.dng")]
    assert noisy.settings(0).colour.saturation == 0 and calm.settings(0).colour.saturation == 100
    model = window.automatic.dialog.model  # type: ignore[union-attr]
    words = {model.index(r, 0).data(): model.index(r, 1).data() for r in range(model.rowCount())}
    assert "“Grey”" in words["bench-iso6400.dng"] and "noise removed as measured" in words["test-card.dng"]
    window.session.undo.undo()
    assert noisy.settings(0).colour.saturation == 100, "one step"
    window.automatic.dialog.close()  # type: ignore[union-attr]


def test_new_frames_begin_as_their_noise_asks_for(driver: Driver, frames: Path, tmp_path: Path) -> None:
    choose(new_frames=NewFrames((("strong noise", "Grey"),), by_itself=True, method="fast"))
    for name in ("bench-iso6400", "test-card"):
        shutil.copy(frames / f"{name}.dng", tmp_path / f"new-{name}.dng")
    driver.window.opening.open([tmp_path / "new-bench-iso6400.dng", tmp_path / "new-test-card.dng"])
    items = driver.window.session.items
    driver.until(lambda: len(items) == 8 and len(driver.window.automatic.made) == 2)
    noisy, calm = (items[driver.number(f"new-{name}.dng")] for name in ("bench-iso6400", "test-card"))
    assert noisy.settings(0).colour.saturation == 0 and calm.settings(0).colour.saturation == 100
    assert noisy.settings(0).noise.method == calm.settings(0).noise.method == "fast"
    driver.until(lambda: (tmp_path / "new-bench-iso6400.dng.irvane.json").exists())
    assert not driver.window.session.undo.canUndo(), "what a frame begins with was not done by anybody"


def test_pictures_are_seen_as_on_a_medium(driver: Driver, tmp_path: Path) -> None:
    window, content = driver.window, driver.window.bench.contents[0]
    driver.settled()
    before = content.backdrop.image.copy()  # type: ignore[union-attr]
    driver.key(Qt.Key.Key_P, SHIFT)
    dialog = _dialog(MediumDialog)
    assert isinstance(dialog, MediumDialog)
    (tmp_path / "none.icc").write_bytes(b"no")
    dialog.use(tmp_path / "none.icc")
    assert "no ICC profile" in dialog.told.text() and not dialog.see.isEnabled()
    grey = QColorSpace(QColorSpace.NamedColorSpace.SRgb)
    (tmp_path / "medium.icc").write_bytes(grey.iccProfile().data())
    dialog.use(tmp_path / "medium.icc")
    driver.click(dialog.see)
    driver.settled()
    assert window.bench.panes.view.medium is not None
    assert abs(content.backdrop.image.pixelColor(30, 30).red() - before.pixelColor(30, 30).red()) <= 2  # type: ignore[union-attr]
    narrow = SoftProof(_swapped(), "swapped", black=False)
    window.appearance.use_medium(narrow)
    driver.settled()
    seen = content.backdrop.image  # type: ignore[union-attr]
    assert seen != before, "another medium, another picture"
    window.appearance.use_medium(None)
    driver.settled()
    assert content.backdrop.image == before  # type: ignore[union-attr]


def _swapped() -> bytes:
    """A medium of much smaller gamut than the screen: its primaries lie near grey."""
    from PySide6.QtCore import QPointF

    near = QColorSpace(
        QPointF(0.3127, 0.329), QPointF(0.40, 0.33), QPointF(0.31, 0.38), QPointF(0.27, 0.27),
        QColorSpace.TransferFunction.SRgb,
    )  # fmt: skip
    return near.iccProfile().data()


def test_the_profile_of_a_screen_is_found(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    assert monitor.parsed("_ICC_PROFILE(CARDINAL) = 0, 12, 255") == bytes((0, 12, 255))
    assert monitor.parsed("_ICC_PROFILE:  not found.") == monitor.parsed("x = 300") == b""
    data = profile("p3")
    program = tmp_path / "xprop"
    program.write_text(f"#!/bin/sh\necho '_ICC_PROFILE(CARDINAL) = {', '.join(map(str, data))}'\n")
    program.chmod(program.stat().st_mode | stat.S_IXUSR)
    monkeypatch.setenv("PATH", str(tmp_path))
    monkeypatch.setattr(monitor.QGuiApplication, "platformName", lambda: "xcb")
    assert monitor._from_x(0) == data
    screen = Screen()
    assert screen.use_found(data) and screen.found and screen.space("p3") == "p3"
    assert not screen.use_found(data), "the same again is nothing new"
    chosen = tmp_path / "own.icc"
    chosen.write_bytes(profile("adobe-rgb"))
    screen.use(chosen)
    assert not screen.use_found(data) and not screen.found, "what was chosen by hand stays"
    screen.use(None)
    assert not screen.use_found(b"nonsense") and screen.name == SCREEN.name


def test_a_card_is_copied_and_opened(driver: Driver, frames: Path, tmp_path: Path) -> None:
    card, to = tmp_path / "card", tmp_path / "to"
    card.mkdir()
    shutil.copy(frames / "test-card.dng", card / "A1.DNG")
    (card / "film.mov").write_bytes(b"x")
    driver.key(Qt.Key.Key_I, CTRL)
    dialog = _dialog(CopyDialog)
    assert isinstance(dialog, CopyDialog)
    dialog.card.setText(str(card))
    dialog.folder.setText(str(to))
    dialog.pattern.setText("{camera}-{n:3}")
    driver.until(lambda: "-001.DNG" in dialog.told.text() and "1 other" in dialog.told.text())
    driver.click(dialog.start)
    driver.until(lambda: "1 copied and verified" in dialog.told.text())
    copy = next(to.iterdir())
    assert copy.read_bytes() == (card / "A1.DNG").read_bytes()
    driver.until(lambda: any(i.path == copy for i in driver.window.session.items.values()))
    driver.click(dialog.start)
    driver.until(lambda: "1 there already" in dialog.told.text())
    dialog.reject()


def test_the_size_of_a_jpeg_is_told_before_it_is_written(driver: Driver, tmp_path: Path) -> None:
    driver.window.band.toggle("finish")
    driver.window.proofs.edit_many({"finish.format": "jpeg", "finish.quality": 80, "noise.method": "fast"})
    words = driver.window.shelf.size_words
    driver.until(lambda: "MB" in words.text())
    driver.window.writing.set_folder(tmp_path)
    driver.window.writing.write()
    driver.until(lambda: any(tmp_path.glob("*.jpg")))
    driver.settled()
    size = next(tmp_path.glob("*.jpg")).stat().st_size / 1e6
    assert float(words.text().split()[1]) == pytest.approx(size, rel=0.25, abs=0.05)
    driver.window.proofs.edit("finish.format", "exr")
    driver.until(lambda: words.text() == "")


def test_licences_are_listed(driver: Driver) -> None:
    driver.window.surface.commands.by_name["about"].trigger()
    text = _dialog(AboutDialog).findChild(QPlainTextEdit).toPlainText()
    for part in (
        "GNU General Public License",
        "Attribution-ShareAlike",
        "SIL OPEN FONT LICENSE",
        "numpy",
        "BSD",
    ):
        assert part in text


def test_every_surface_can_be_used_by_keyboard_and_has_names(driver: Driver) -> None:
    """Whatever takes the focus or can be pressed has a name that a screen reader can say."""
    window = driver.window
    driver.choose("furnace-hand-2.dng")
    window.merging.ask()
    window.sheeting.toggle()
    window.queueing.show()
    for name in (
        "preferences",
        "medium",
        "copy_card",
        "destinations",
        "presets",
        "about",
        "plan",
        "merge_how",
    ):
        window.surface.commands.by_name[name].trigger()
    driver.settled()
    seen = 0
    nameless: list[str] = []
    for top in [w for w in QApplication.topLevelWidgets() if w.isVisible()]:
        for widget in [top, *top.findChildren(QWidget)]:
            takes = widget.focusPolicy() != Qt.FocusPolicy.NoFocus and widget.isVisibleTo(top)
            if not takes or widget.objectName().startswith("qt_"):
                continue
            seen += 1
            told = widget.accessibleName() or getattr(widget, "text", lambda: "")() or widget.windowTitle()
            if not told and not isinstance(widget.parent(), QComboBox | QAbstractSpinBox):
                nameless.append(
                    f"{type(widget).__name__} in {type(widget.parent()).__name__} of {top.windowTitle()}"
                )
    assert seen > 60 and not nameless, nameless
    for top in [w for w in QApplication.topLevelWidgets() if isinstance(w, QDialog) and w.isVisible()]:
        top.close()
    window.queueing.window.close()  # type: ignore[union-attr]


def test_a_panorama_is_tried_and_places_are_set_by_hand(
    driver: Driver, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    window = driver.window
    wide = shots.photograph("astronaut.png", reduced=False)
    for name, part in (("left", wide[:, :320]), ("right", wide[:, 180:500])):
        shown = np.rint(np.clip(part, 0, 1) ** (1 / 2.2) * 255).astype(np.uint8)
        shots.dng(tmp_path / f"{name}.dng", np.ascontiguousarray(part), shown=shown)
    window.opening.open([tmp_path / "left.dng", tmp_path / "right.dng"])
    driver.until(lambda: any(i.path.name == "right.dng" and i.ready for i in window.session.items.values()))
    driver.settled()
    numbers = [driver.number("left.dng"), driver.number("right.dng")]
    monkeypatch.setattr(window.sheeting, "selected_items", lambda: numbers)
    window.merging.ask()
    dialog = _dialog(MergeDialog)
    assert isinstance(dialog, MergeDialog)
    laying = dialog.laying
    assert not laying.isVisible()
    dialog.kind.setCurrentIndex(dialog.kind.findData("panorama"))
    assert laying.isVisible()
    driver.until(lambda: laying.tried.image is not None)
    assert "2 of 2 positions" in laying.told.text()
    before = laying.tried.image
    dialog.projection.setCurrentIndex(dialog.projection.findData("cylindrical"))
    driver.until(lambda: "cylinder" in laying.told.text())
    assert laying.tried.image is not before
    left, right = laying.sides
    right.cross = QPointF(0.2, 0.5)
    QTest.mouseClick(left, Qt.MouseButton.LeftButton, pos=left.room().center().toPoint())
    assert "other one" in laying.words.text() and not laying.pairs()
    QTest.keyClick(right, Qt.Key.Key_Left)
    QTest.keyClick(right, Qt.Key.Key_Space)
    ((first, ax, _ay, second, bx, _by),) = laying.pairs()
    assert (first, second) == ("left.dng", "right.dng")
    assert ax == pytest.approx(0.5, abs=0.02) and bx == pytest.approx(0.19)
    assert dialog._how().points == laying.pairs()
    driver.click(laying.undo)
    assert not laying.pairs()
    dialog.close()


def test_selected_frames_are_merged_as_wished_and_sets_are_made_by_hand(driver: Driver) -> None:
    window = driver.window
    numbers = [driver.number(f"furnace-hand-{k}.dng") for k in (1, 2, 3)]
    driver.choose("furnace-hand-2.dng")
    driver.key(Qt.Key.Key_G, SHIFT)
    dialog = _dialog(MergeDialog)
    assert isinstance(dialog, MergeDialog) and "weighted" in dialog.told.text()
    dialog.kind.setCurrentIndex(dialog.kind.findData("fusion"))
    dialog.ghosts.setValue(70)
    driver.click(next(b for b in dialog.findChildren(QPushButton) if b.text() == "Merge"))
    fused = next(i for i in window.session.items.values() if i.is_merge)
    assert (
        fused.source.how.kind == "fusion"
        and fused.source.how.ghosts == 70
        and "exposure fusion" in fused.source.name
    )
    driver.until(lambda: window.bench.item(0) is fused or window.bench.item(window.bench.chosen) is fused)
    driver.settled()
    assert not fused.problem
    window.activateWindow()
    driver.until(window.isActiveWindow)
    driver.key(Qt.Key.Key_G, SHIFT)  # the same frames again, beginning with how they were merged
    again = _dialog(MergeDialog)
    assert isinstance(again, MergeDialog)
    assert again.kind.currentData() == "fusion" and again.ghosts.value() == 70
    assert again.reference.count() == 1 + len(numbers)
    again.close()
    driver.choose("furnace-hand-1.dng")
    window.merging.apart()
    assert not window.session.items[numbers[0]].bracket
    assert window.session.items[numbers[1]].bracket == tuple(numbers[1:])
    window.session.undo.undo()
    assert window.session.items[numbers[0]].bracket == tuple(numbers)
    other = driver.number("test-card.dng")
    window.session.set_together((numbers[0], other))
    assert set(window.session.items[other].bracket) == {numbers[0], other}
    assert window.session.items[numbers[2]].bracket == tuple(numbers[1:])
    window.session.undo.undo()
    window.merging.plan()
    plan = _dialog(PlanDialog)
    assert isinstance(plan, PlanDialog) and "can be held" in plan.told.text()
    plan.shutter.setText("soon")
    assert "no shutter time" in plan.told.text()
    plan.close()
