"""What is looked for in frames to undo their blur: the path of one that moved, the softness of a lens."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QWidget

from irvane.core.acutance.lens_blur import LensBlur
from irvane.core.acutance.paths import Found
from irvane.core.errors import IrvaneError
from irvane.core.files.remembered import keep_softness
from irvane.core.line.moving import find_path
from irvane.core.line.softness import lens_softness
from irvane.core.line.source import FileSource
from irvane.desktop.item import BARE
from irvane.desktop.line.trail import PATH
from irvane.desktop.proofs import Proofs
from irvane.desktop.service import RenderService
from irvane.desktop.sheet.sheeting import Sheeting
from irvane.desktop.writing.strip import WritingStrip

#: What is told when parts of a frame do not agree on a path.
NO_PATH = "No path was found: parts of the frame do not agree on one, or it did not move. It can be drawn."


class Blurring(QObject):
    """Looks, and gives what was found to the chosen proof.

    Signals
    -------
    said(sentence)
    told(item number, sentence) : what came of looking for an item's path, or that it is being looked for.
    """

    said = Signal(str)
    told = Signal(int, str)

    def __init__(
        self, proofs: Proofs, service: RenderService, sheeting: Sheeting, strip: WritingStrip, parent: QWidget
    ) -> None:
        super().__init__(parent)
        self.proofs, self.service, self.sheeting, self.strip = proofs, service, sheeting, strip
        self._looked_at: int | None = None
        strip.busy.connect(self._over)

    def _over(self, busy: bool) -> None:
        """Long work is over; where a path was looked for, what came of it is told next, if it was not
        cancelled."""
        if not busy and self._looked_at is not None:
            self.told.emit(self._looked_at, "")
            self._looked_at = None

    def find_path(self) -> None:
        """Look for the path of the chosen frame."""
        item = self.proofs.item()
        if item is None or not item.ready or item.problem or self.proofs.number == BARE:
            self.said.emit("Choose a proof of a frame that is developed.")
            return
        number, proof = item.number, self.proofs.number
        frame = self.service.engine.best(item.source, item.settings(proof).sensor)
        if frame is None:
            self.said.emit("The frame is still being developed; look for its path when it is there.")
            return
        if self.strip.taken(self.said.emit):
            return
        developed = frame.developed

        def done(found: Found | None) -> None:
            now = self.proofs.item()
            self.told.emit(number, "" if found is not None else NO_PATH)
            if found is None:
                self.said.emit(f"{item.source.name}: {NO_PATH[0].lower()}{NO_PATH[1:]}")
            elif now is None or (now.number, self.proofs.number) != (number, proof):
                self.said.emit(
                    "A path was found, but another proof is chosen by now; choose the first again and look "
                    "once more."
                )
            else:
                self.proofs.edit_many({"acutance.deblur": "motion", PATH: found.blur.path})
                self.said.emit(
                    f"A path of {found.blur.size:.0f} px, {found.likeness:.0%} alike in parts of the frame. "
                    f"Check it by the picture; its "
                    "points can be moved."
                )

        self._looked_at = number
        self.told.emit(number, "The path is being looked for …")
        self.strip.begin("Looking for the path")
        self.service.long("path", "", lambda progress: find_path(developed, progress), done)

    def measure_lens(self) -> None:
        """Measure the lens of the selected frames (or of the chosen one), keep it, and give it to the chosen
        proof."""
        item = self.proofs.item()
        if item is None or self.proofs.number == BARE:
            self.said.emit("Choose a proof: what is measured is given to it.")
            return
        numbers = self.sheeting.selected_items() or [item.number]
        sources = [self.proofs.session.items[n].source for n in numbers]
        info = getattr(item.source, "info", None)
        files = [source.path for source in sources if isinstance(source, FileSource)]
        if info is None or not files:
            self.said.emit("A lens is measured from frames, not from merges.")
            return

        if self.strip.taken(self.said.emit):
            return

        def done(found: LensBlur) -> None:
            if not found.worth:
                self.said.emit(f"As sharp as its pixels: {found.words()} There is nothing to undo.")
                return
            try:
                keep_softness(info, (found.middle, found.corner))
            except IrvaneError as error:
                self.said.emit(str(error))
            self.proofs.edit_many(
                {"acutance.deblur": "lens", "acutance.radius": found.middle, "acutance.corners": found.corner}
            )
            self.said.emit(f"Kept for this lens: {found.words()}")

        self.strip.begin("Measuring the lens")
        self.service.long("lens blur", "", lambda progress: lens_softness(files, progress), done)
