"""What is kept beside frames: it is read into the session, and what changes in the session is saved."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from irvane.core.files.proofs import Sidecar
from irvane.core.files.sidecar import Saved
from irvane.core.settings import damaged_regions
from irvane.desktop.bench.bench import Bench
from irvane.desktop.filework import FileWork
from irvane.desktop.opening import Opening
from irvane.desktop.session import Session


class KeptProofs(QObject):
    """Between the session and the sidecars.

    Signals
    -------
    said(sentence)
    """

    said = Signal(str)

    def __init__(
        self, session: Session, bench: Bench, opening: Opening, files: FileWork, parent: QObject
    ) -> None:
        super().__init__(parent)
        self.session, self.bench, self.files = session, bench, files
        session.proofs_changed.connect(self._save)
        opening.learned.connect(self._learned)
        files.saved.connect(self._saved)

    def _learned(self, number: int) -> None:
        """The sidecar of an item was read: panes that wait for it show its current proof."""
        item = self.session.items.get(number)
        self.bench.show_current(number)
        damaged = (
            [w for proof in item.sidecar.proofs for w in damaged_regions(proof.settings)]
            if item is not None
            else []
        )
        if damaged:
            self.said.emit(" ".join(dict.fromkeys(damaged)))

    def _save(self, number: int) -> None:
        item = self.session.items[number]
        if item.locked:
            return
        self.files.save(number, item.source, item.sidecar, item.removed)

    def _saved(self, number: int, sent: Sidecar, made: Saved) -> None:
        item = self.session.items.get(number)
        self.session.saved(number, sent, made)
        if item is not None and made.path.parent != item.path.parent:
            why = "is read-only" if item.path.parent.is_dir() else "is not there any more"
            self.said.emit(f"{item.path.parent} {why}; settings are kept in {made.path.parent}.")
        if made.sentences:
            self.said.emit(" ".join(made.sentences))
