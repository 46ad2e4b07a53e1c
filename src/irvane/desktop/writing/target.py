"""Where a proof is written to, and what to ask when a file of that name exists."""

from __future__ import annotations

from collections.abc import Collection
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QMessageBox, QWidget

from irvane.core.errors import plain_text
from irvane.core.files.atomic import make_folder
from irvane.core.finish import job
from irvane.core.line.bands import Output
from irvane.desktop.session import Item

SUBFOLDER = "developed"


def default_folder(item: Item) -> Path:
    """The subfolder beside the frame that files go into unless another is chosen."""
    return item.path.parent / SUBFOLDER


def target_for(item: Item, proof: int, folder: Path, taken: Collection[Path | None] = ()) -> job.Target:
    """Name and form of the file that a proof becomes; names that are `taken` by files still to be written get a number.

    Raises
    ------
    WriteError
        When the folder cannot be made.
    """
    make_folder(folder)
    settings = item.settings(proof)
    several = len(item.sidecar.proofs) > 1 or proof < 0
    name = item.proof_name(proof) if several else ""
    path = job.target_path(folder, item.source, settings.finish.format, name)
    if path in taken:
        path = free_name(path, taken)
    return job.Target(path, Output(settings.finish.space))


def free_name(path: Path, taken: Collection[Path | None] = ()) -> Path:
    """The same name with the first free number."""
    number = 2
    while (fresh := path.with_name(f"{path.stem}-{number}{path.suffix}")).exists() or fresh in taken:
        number += 1
    return fresh


def ask(parent: QWidget, target: job.Target) -> job.Target | None:
    """When the target exists: write beside it, replace it, or leave it (None)."""
    if not target.path.exists():
        return target
    fresh = free_name(target.path)
    box = QMessageBox(parent)
    box.setWindowTitle("The file exists")
    box.setTextFormat(Qt.TextFormat.PlainText)
    box.setText(plain_text(f"{target.path.name} exists already in {target.path.parent}."))
    beside = box.addButton(plain_text(f"Write as {fresh.name}", 60), QMessageBox.ButtonRole.AcceptRole)
    over = box.addButton("Replace it", QMessageBox.ButtonRole.DestructiveRole)
    box.addButton("Leave it", QMessageBox.ButtonRole.RejectRole)
    box.setDefaultButton(beside)
    box.exec()
    if box.clickedButton() is beside:
        return job.Target(fresh, target.output, target.depth)
    if box.clickedButton() is over:
        return job.Target(target.path, target.output, target.depth, overwrite=True)
    return None
