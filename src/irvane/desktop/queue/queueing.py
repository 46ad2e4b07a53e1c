"""The commands of the queue: putting proofs into it, showing it, choosing where they go."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QWidget

from irvane.core.errors import IrvaneError
from irvane.core.files.preferences import choose
from irvane.core.finish.destination import Destination, chosen, named
from irvane.core.finish.journal import Wanted
from irvane.core.line.merging import MergeSource
from irvane.desktop.item import BARE, Item
from irvane.desktop.line.shelf import Shelf
from irvane.desktop.plain import counted
from irvane.desktop.proofs import Proofs
from irvane.desktop.queue.destinations import DestinationsDialog
from irvane.desktop.queue.runner import QueueRunner
from irvane.desktop.queue.telling import QueueTelling
from irvane.desktop.queue.window import QueueWindow
from irvane.desktop.sheet.sheeting import Sheeting


class Queueing(QObject):
    """Puts what is selected into the queue.

    Signals
    -------
    said(sentence), destination_changed(words)
    offered(sentence, words, call) : said, with a button that does something about it.
    beside(source's first file, written file) : show what was written beside what it was made from.
    """

    said = Signal(str)
    offered = Signal(str, str, object)
    destination_changed = Signal(str)
    beside = Signal(object, object)

    def __init__(self, proofs: Proofs, sheeting: Sheeting, shelf: Shelf, parent: QWidget) -> None:
        super().__init__(parent)
        self.proofs, self.sheeting, self._window = proofs, sheeting, parent
        self.runner = QueueRunner(self)
        self.runner.said.connect(self.said)
        self.runner.make_good()
        self.telling = QueueTelling(self.runner)
        self.window: QueueWindow | None = None
        self.dialog: DestinationsDialog | None = None
        shelf.queue_it.connect(self.put)
        shelf.choose_destination.connect(self.choose)
        self.destination_changed.connect(shelf.show_destination)
        shelf.show_destination(self.words())

    def greet(self) -> None:
        """Say what an earlier run left."""
        left = self.telling.waiting
        if left:
            self.offered.emit(
                f"{counted(left, 'file')} of the queue still wait to be written.", "Go on", self.go_on
            )

    def go_on(self) -> None:
        """Write what an earlier run left."""
        self.runner.start()
        self.show()

    def _selected(self, numbers: list[int] | None = None) -> list[Item]:
        session = self.proofs.session
        item = self.proofs.item()
        if numbers is None:
            numbers = self.sheeting.selected_items()
            if item is not None and item.number not in numbers and not self.sheeting.on:
                numbers = [item.number]
        return [session.items[n] for n in numbers if session.items[n].ready and not session.items[n].problem]

    def put_to(self, name: str, numbers: list[int] | None = None) -> None:
        """The selected frames, or these, to one destination, without choosing it for good."""
        self.put([named(name)], numbers)

    def put(self, hows: list[Destination] | None = None, numbers: list[int] | None = None) -> None:
        """Frames, each with its present proof, to the chosen destinations, or to these.

        Parameters
        ----------
        numbers : items; without them those that are selected.
        """
        items = self._selected(numbers)
        if not items:
            self.said.emit("None of what is selected can be written: its files could not be read.")
            return
        seen = self.proofs.item()
        wanted = []
        for item in items:
            proof = self.proofs.number if item is seen else item.sidecar.current
            several = len(item.sidecar.proofs) > 1 or proof == BARE
            merge = item.source.how.as_dict() if isinstance(item.source, MergeSource) else None
            name = item.proof_name(proof) if several else ""
            wanted.append(Wanted(item.source.paths, item.settings(proof), name, merge))
        words = self.words() if hows is None else f"“{hows[0].name}”"
        hows = chosen() if hows is None else hows
        for how in hows:
            self.runner.add(wanted, how, at_once=False)
        self.runner.start()
        files = counted(len(wanted) * len(hows), "file")
        into = f", {counted(len(wanted), 'frame')} for each" if len(hows) > 1 else ""
        self.offered.emit(f"{files} put into the queue for {words}{into}.", "Show the queue", self.show)

    def show(self) -> None:
        """Show the queue."""
        if self.window is None:
            self.window = QueueWindow(self.telling, self._window)
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
