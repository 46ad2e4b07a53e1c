"""The commands of the queue: putting proofs into it, showing it, choosing where they go."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QWidget

from irvane.core.errors import IrvaneError
from irvane.core.files.preferences import choose
from irvane.core.finish.destination import chosen
from irvane.core.finish.journal import Wanted
from irvane.core.line.merging import MergeSource
from irvane.desktop.item import BARE, Item
from irvane.desktop.line.shelf import Shelf
from irvane.desktop.proofs import Proofs
from irvane.desktop.queue.destinations import DestinationsDialog
from irvane.desktop.queue.runner import QueueRunner
from irvane.desktop.queue.window import QueueWindow
from irvane.desktop.sheet.sheeting import Sheeting


class Queueing(QObject):
    """Puts what is selected into the queue.

    Signals
    -------
    said(sentence), destination_changed(words)
    beside(source's first file, written file) : show what was written beside what it was made from.
    """

    said = Signal(str)
    destination_changed = Signal(str)
    beside = Signal(object, object)

    def __init__(self, proofs: Proofs, sheeting: Sheeting, shelf: Shelf, parent: QWidget) -> None:
        super().__init__(parent)
        self.proofs, self.sheeting, self._window = proofs, sheeting, parent
        self.runner = QueueRunner(self)
        self.runner.said.connect(self.said)
        self.window: QueueWindow | None = None
        self.dialog: DestinationsDialog | None = None
        shelf.queue_it.connect(self.put)
        shelf.choose_destination.connect(self.choose)
        self.destination_changed.connect(shelf.show_destination)
        shelf.show_destination(self.words())

    def greet(self) -> None:
        """Say what an earlier run left."""
        left = self.runner.left_over()
        if left:
            files = f"{left} file{'' if left == 1 else 's'}"
            self.said.emit(f"The queue holds {files} still to be written: Ctrl+K shows it; Start goes on.")

    def _selected(self) -> list[Item]:
        session = self.proofs.session
        numbers = self.sheeting.selected_items()
        item = self.proofs.item()
        if item is not None and item.number not in numbers and not self.sheeting.on:
            numbers = [item.number]
        return [session.items[n] for n in numbers if session.items[n].ready and not session.items[n].problem]

    def put(self) -> None:
        """The selected frames, each with its present proof, to the destination."""
        items = self._selected()
        if not items:
            self.said.emit("There is nothing to write.")
            return
        seen = self.proofs.item()
        wanted = []
        for item in items:
            proof = self.proofs.number if item is seen else item.sidecar.current
            several = len(item.sidecar.proofs) > 1 or proof == BARE
            merge = item.source.how.as_dict() if isinstance(item.source, MergeSource) else None
            name = item.proof_name(proof) if several else ""
            wanted.append(Wanted(item.source.paths, item.settings(proof), name, merge))
        for how in chosen():
            self.runner.add(wanted, how, at_once=False)
        self.runner.start()
        files = f"{len(wanted)} file{'' if len(wanted) == 1 else 's'}"
        self.said.emit(f"{files} in the queue for {self.words()}. Ctrl+K shows it.")

    def show(self) -> None:
        """Show the queue."""
        if self.window is None:
            self.window = QueueWindow(self.runner, self._window)
            self.window.beside.connect(self.beside)
        self.window.refresh()
        self.window.show()
        self.window.raise_()

    def choose(self) -> None:
        """Choose or change destinations."""
        self.dialog = DestinationsDialog([one.name for one in chosen()], self._selected(), self._window)
        self.dialog.chosen.connect(self._chosen)
        self.dialog.open()

    def use(self, name: str) -> None:
        """Write to this destination from now on."""
        self._chosen(name, ())
        self.said.emit(f"The queue writes to {self.words()} from now on.")

    def _chosen(self, name: str, others: tuple[str, ...]) -> None:
        try:
            choose(destination=name, also=others)
        except IrvaneError as error:
            self.said.emit(str(error))
        self.destination_changed.emit(self.words())

    def words(self) -> str:
        """Where to, in a line."""
        hows = chosen()
        if len(hows) > 1:
            return " and ".join(f"“{how.name}”" for how in hows)
        return f"“{hows[0].name}” ({hows[0].words()})"
