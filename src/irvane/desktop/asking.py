"""Questions of the whole window: what would be lost by closing it, and which files are meant."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtWidgets import QFileDialog, QMessageBox, QWidget

from irvane.core.files.formats import OPENABLE


def may_close(parent: QWidget, writing: bool, unsaved: int) -> bool:
    """Ask when something would be lost: a file that is being written, settings that could not be saved."""
    lost = []
    if writing:
        lost.append("A file is still being written; it would not be finished.")
    if unsaved:
        lost.append("Settings could not be saved yet: the disk is full, or cannot be written.")
    if not lost:
        return True
    box = QMessageBox(QMessageBox.Icon.NoIcon, "Close Irvane?", "\n".join(lost), parent=parent)
    stay = box.addButton("Stay", QMessageBox.ButtonRole.RejectRole)
    leave = box.addButton("Close all the same", QMessageBox.ButtonRole.DestructiveRole)
    box.setDefaultButton(stay)
    box.exec()
    return box.clickedButton() is leave


def ask_files(parent: QWidget) -> list[Path]:
    """Files that were chosen; none when it was left."""
    endings = " ".join(f"*{e} *{e.upper()}" for e in sorted(OPENABLE))
    names, _ = QFileDialog.getOpenFileNames(parent, "Open frames", "", f"Pictures ({endings});;All files (*)")
    return [Path(name) for name in names]


def ask_folder(parent: QWidget) -> list[Path]:
    """A folder that was chosen; none when it was left."""
    name = QFileDialog.getExistingDirectory(parent, "Open a folder")
    return [Path(name)] if name else []


def ask_settings(parent: QWidget) -> Path | None:
    """A file with settings that was chosen; None when it was left."""
    name, _ = QFileDialog.getOpenFileName(
        parent, "Take settings from", "", "Settings (*.json);;All files (*)"
    )
    return Path(name) if name else None
