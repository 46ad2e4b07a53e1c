"""The commands of the station Finish: choosing a folder, writing the chosen proof."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QFileDialog, QWidget

from irvane.core.errors import IrvaneError
from irvane.desktop.backstage import Backstage
from irvane.desktop.proofs import Proofs
from irvane.desktop.writing.strip import WritingStrip
from irvane.desktop.writing.target import ask, default_folder, target_for


class Writing(QObject):
    """Writes one proof at a time, with progress and cancel.

    Signals
    -------
    said(sentence), folder_changed
    """

    said = Signal(str)
    folder_changed = Signal()

    def __init__(self, backstage: Backstage, proofs: Proofs, strip: WritingStrip, parent: QWidget) -> None:
        super().__init__(parent)
        self.backstage, self.proofs, self.strip = backstage, proofs, strip
        self._window = parent
        self._chosen: Path | None = None
        strip.cancel.connect(self.cancel)
        backstage.written.connect(self._written)
        backstage.writing.connect(strip.advance)

    @property
    def busy(self) -> bool:
        """Is something long being done whose progress is shown?"""
        return not self.strip.isHidden()

    def folder(self) -> Path | None:
        """The folder that the chosen proof is written into."""
        item = self.proofs.item()
        return self._chosen or (default_folder(item) if item is not None else None)

    def set_folder(self, folder: Path) -> None:
        """Write into this folder from now on."""
        self._chosen = folder
        self.folder_changed.emit()

    def choose_folder(self) -> None:
        """Ask for a folder."""
        name = QFileDialog.getExistingDirectory(self._window, "Write into this folder")
        if name:
            self.set_folder(Path(name))

    def write(self) -> None:
        """Write the chosen proof."""
        item, folder = self.proofs.item(), self.folder()
        if item is None or folder is None or not item.ready or item.problem:
            self.said.emit("There is nothing to write.")
            return
        if self.busy:
            self.said.emit("A file is being written already; wait for it, or cancel it.")
            return
        try:
            target = target_for(item, self.proofs.number, folder)
        except IrvaneError as error:
            self.said.emit(str(error))
            return
        agreed = ask(self._window, target)
        if agreed is not None:
            self.strip.begin(f"Writing {agreed.path.name}")
            self.backstage.write(item.source, item.settings(self.proofs.number), agreed)

    def make_demo(self) -> None:
        """Make the demo pictures (once; seconds when they are there) and open them."""
        if self.busy:
            self.said.emit("Wait until the file is written, or cancel it.")
            return
        self.strip.begin("Making the demo pictures, once")
        self.backstage.make_demo()

    def cancel(self) -> None:
        """Stop writing; nothing is left behind."""
        if self.busy:
            self.backstage.cancel_writing()

    def _written(self, _path: object, sentence: str) -> None:
        self.strip.end()
        if sentence:
            self.said.emit(sentence)
