"""Where a proof is written to, and what to ask when a file of that name exists."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QMessageBox, QWidget

from irvane.core.errors import plain_text
from irvane.core.finish import job
from irvane.core.line.bands import Output
from irvane.core.store.atomic import make_folder
from irvane.desktop.item import Item

SUBFOLDER = "developed"


def default_folder(item: Item) -> Path:
    """The subfolder beside the frame that files go into unless another is chosen."""
    return item.path.parent / SUBFOLDER


def target_for(item: Item, proof: int, folder: Path, taken: Collection[Path | None] = ()) -> job.Target:
    """Name and form of the file that a proof becomes; names that are `taken` by files still to be written get
    a number.

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


@dataclass(frozen=True)
class Planned:
    """A target as its folder was found.

    Attributes
    ----------
    beside : a free name, where a file of the target's name exists; None where it is free.
    """

    target: job.Target
    beside: Path | None


def plan(item: Item, proof: int, folder: Path, taken: Collection[Path | None] = ()) -> Planned:
    """Look a target up in its folder, which may take long or never answer: not for the window's thread.

    Raises
    ------
    WriteError
        When the folder cannot be made.
    """
    target = target_for(item, proof, folder, taken)
    return Planned(target, free_name(target.path) if target.path.exists() else None)


def ask(parent: QWidget, planned: Planned) -> job.Target | None:
    """When the target exists: write beside it, replace it, or leave it (None)."""
    target, fresh = planned.target, planned.beside
    if fresh is None:
        return target
    box = QMessageBox(parent)
    box.setWindowTitle("The file exists")
    box.setTextFormat(Qt.TextFormat.PlainText)
    box.setText(plain_text(f"{target.path.name} exists already in {target.path.parent}."))
    beside = box.addButton(plain_text(f"Write as {fresh.name}", 60), QMessageBox.ButtonRole.AcceptRole)
    over = box.addButton("Replace it", QMessageBox.ButtonRole.DestructiveRole)
    box.addButton("Cancel", QMessageBox.ButtonRole.RejectRole)
    box.setDefaultButton(beside)
    box.exec()
    if box.clickedButton() is beside:
        return job.Target(fresh, target.output, target.depth)
    if box.clickedButton() is over:
        return job.Target(target.path, target.output, target.depth, overwrite=True)
    return None
