"""The commands of the station Finish: choosing a folder, writing the chosen proof."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QObject, QTimer, Signal
from PySide6.QtWidgets import QFileDialog, QWidget

from irvane.core.errors import IrvaneError, plain_text
from irvane.core.finish import job
from irvane.core.line.source import Source
from irvane.core.settings import Settings
from irvane.desktop.item import Item
from irvane.desktop.proofs import Proofs
from irvane.desktop.service import RenderService
from irvane.desktop.writing.strip import WritingStrip
from irvane.desktop.writing.target import Planned, ask, default_folder, plan

#: Seconds after which it is said that a folder does not answer.
_PATIENCE = 3


class Writing(QObject):
    """Writes proofs one after the other, with progress and cancel; what is asked for meanwhile waits.

    Signals
    -------
    said(sentence), folder_changed
    sized(bytes or None) : how large the chosen proof's file will be.
    answered : the file that another program waits for is written.
    """

    said = Signal(str)
    folder_changed = Signal()
    answered = Signal()
    sized = Signal(object)

    def __init__(self, service: RenderService, proofs: Proofs, strip: WritingStrip, parent: QWidget) -> None:
        super().__init__(parent)
        self.service, self.proofs, self.strip = service, proofs, strip
        self._window = parent
        self._now: Path | None = None
        self._chosen: Path | None = None
        self._waiting: list[tuple[Source, Settings, job.Target]] = []
        self._answer: tuple[Path, bool] | None = None
        self.has_answered = False
        self._sized: Settings | None = None
        #: Proofs whose folders are still to be looked at, the first of them now.
        self._to_plan: list[tuple[Item, int, Settings, Path]] = []
        self._late = QTimer(self, singleShot=True, interval=1000 * _PATIENCE)
        self._late.timeout.connect(self._no_answer)
        service.planned.connect(self._planned)
        service.sized.connect(self._told)
        strip.cancel.connect(self.cancel)
        service.written.connect(self._written)
        service.writing.connect(strip.advance)
        strip.busy.connect(self._next)

    @property
    def busy(self) -> bool:
        """Is something long being done whose progress is shown?"""
        return not self.strip.isHidden()

    @property
    def unfinished(self) -> bool:
        """Would a file be lost if the window were closed now?"""
        return self._now is not None or bool(self._waiting) or bool(self._to_plan)

    def folder(self) -> Path | None:
        """The folder that the chosen proof is written into."""
        item = self.proofs.item()
        return self._chosen or (default_folder(item) if item is not None else None)

    def set_folder(self, folder: Path) -> None:
        """Write into this folder from now on; what waits for a folder that does not answer is given up."""
        if self._to_plan and not self._late.isActive():
            self._to_plan.clear()
            self.service.forget_plans()
        self._chosen = folder
        self.folder_changed.emit()

    def tell_size(self) -> None:
        """Have the size of the chosen proof's file told, once it is the one that was asked for."""
        item = self.proofs.item()
        if item is not None:
            self._sized = item.settings(self.proofs.number)
            self.service.ask_size(item.source, self._sized)

    def _told(self, settings: Settings, size: int | None) -> None:
        if settings == self._sized:
            self.sized.emit(size)

    def answer(self, path: Path, overwrite: bool) -> None:
        """Another program waits for this file: the first proof that is written goes there."""
        self._answer = path, overwrite
        self.said.emit(
            f"Ctrl+Return writes the chosen proof as {path.name} and goes back to the program that waits "
            f"for it."
        )

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
        settings = item.settings(self.proofs.number)
        if self._answer is not None:
            self._agreed(item, settings, job.to_file(self._answer[0], settings.finish, self._answer[1]))
            return
        self._to_plan.append((item, self.proofs.number, settings, folder))
        if len(self._to_plan) == 1:
            self._plan()

    def _plan(self) -> None:
        """Look at the first folder of those that are still to be looked at."""
        item, proof, _, folder = self._to_plan[0]
        taken = {target.path for _, _, target in self._waiting} | {self._now}
        self._late.start()
        self.service.plan(lambda: plan(item, proof, folder, taken))

    def _planned(self, planned: Planned | IrvaneError) -> None:
        self._late.stop()
        item, _, settings, _ = self._to_plan[0]
        if isinstance(planned, IrvaneError):
            self.said.emit(str(planned))
        else:
            agreed = ask(self._window, planned)
            if agreed is not None:
                self._agreed(item, settings, agreed)
        self._to_plan.pop(0)
        if self._to_plan:
            self._plan()

    def _no_answer(self) -> None:
        folder = plain_text(str(self._to_plan[0][3]), 80)
        self.said.emit(
            f"{folder} does not answer; it is written as soon as it does. Cancel by choosing another folder."
        )

    def _agreed(self, item: Item, settings: Settings, target: job.Target) -> None:
        self._waiting.append((item.source, settings, target))
        self._next()
        if self._waiting:
            self.said.emit(f"{target.path.name} is written as soon as what is being done now is over.")

    def _next(self, busy: bool = False) -> None:
        """Begin with what waits, once nothing else is being done."""
        if busy or self.busy or not self._waiting:
            return
        source, settings, target = self._waiting.pop(0)
        self._now = target.path
        more = f" ({len(self._waiting)} more)" if self._waiting else ""
        self.strip.begin(f"Writing {plain_text(target.path.name, 60)}{more}")
        self.service.write(source, settings, target)

    def prepare(self, then: Callable[[], object] | None = None) -> None:
        """Compile the computing kernels, once on a machine; said, since the first pictures wait for it.
        `then` follows."""

        def done() -> None:
            self._written(None, "")
            if then is not None:
                then()

        self.strip.begin("Compiling for this machine, once; the first pictures wait for it")
        self.service.prepare(done)

    def make_demo(self) -> None:
        """Make the demo pictures (once; seconds when they are there) and open them."""
        if self.busy:
            self.said.emit("Wait until the file is written, or cancel it.")
            return
        self.strip.begin("Making the demo pictures, once")
        self.service.make_demo()

    def cancel(self) -> None:
        """Stop writing, and forget what waits; nothing is left behind."""
        if self.busy:
            self._waiting.clear()
            self.service.cancel_writing()

    def _written(self, path: object, sentence: str) -> None:
        self._now = None  # the file is there now: another of its name is asked about
        self.strip.end()
        if sentence:
            self.said.emit(sentence)
        if self._answer is not None and path == self._answer[0]:
            self.has_answered = True
            self.answered.emit()
