"""What is told of regions: their masks as files, which of them act under the pointer, whether a subject was
found."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
from PySide6.QtCore import QObject, QTimer
from PySide6.QtWidgets import QFileDialog

from irvane.core.finish.masks import mask_picture, write_mask
from irvane.core.line.local import reference_of
from irvane.core.line.realise import developed_only
from irvane.core.regions.masks import Places, mask_of
from irvane.core.regions.subject import subject_mask
from irvane.desktop.regions.changes import main_change

#: Milliseconds until what lies under the pointer is told.
_SOON = 120


class Telling(QObject):
    """Tells of the regions of the chosen proof."""

    def __init__(self, regions: Any) -> None:
        super().__init__(regions)
        self.regions = regions
        self._under = (0.0, 0.0)
        #: The item whose subject is wanted once it is developed.
        self._seeks: int | None = None
        regions.service.improved.connect(lambda _key: self._again())
        self._soon = QTimer(self, singleShot=True, interval=_SOON)
        self._soon.timeout.connect(self._tell_under)

    def write_mask(self) -> None:
        """Write the chosen region's mask as a grey PNG."""
        item, settings, region = self.regions.proofs.item(), self.regions.settings(), self.regions.region()
        if item is None or settings is None or region is None:
            self.regions.said.emit("Choose a region first.")
            return
        start = str(item.path.with_name(f"{item.path.stem}-{region.name}.png"))
        name, _ = QFileDialog.getSaveFileName(self.regions.window, "Mask to file", start, "PNG (*.png)")
        if name:
            self.mask_to(Path(name))

    def mask_to(self, path: Path) -> None:
        """Write the chosen region's mask to a file."""
        item, settings, region = self.regions.proofs.item(), self.regions.settings(), self.regions.region()
        if item is None or settings is None or region is None:
            return
        source, frame = item.source, self.regions.frame()

        def work(_progress: Any) -> str:
            if frame is not None and not frame.coarse:
                developed, context = frame.developed, frame.context
            else:
                developed, context = developed_only(source.load(), settings)
            mask, words = mask_picture(region, developed, settings, context)
            write_mask(path, mask, overwrite=True)
            return " ".join([f"Written: {path.name}.", *words])

        self.regions.service.long("mask", "", work, self.regions.said.emit)

    def hover(self, x: float, y: float) -> None:
        """The pointer lies over a place: what acts there is told soon."""
        self._under = x, y
        self._soon.start()

    def _tell_under(self) -> None:
        settings, frame = self.regions.settings(), self.regions.frame()
        if settings is None or frame is None or self.regions.overlay is None or not settings.regions:
            return
        x, y = self._under
        regions = settings.regions

        def look(_progress: Any) -> str:
            reference = reference_of(frame.developed, frame.context)
            h, w = reference.extent
            at = Places(np.full((1, 1), x, np.float32), np.full((1, 1), y, np.float32), h / w)
            told = []
            for one in regions:
                share = float(mask_of(one, reference, at)[0, 0]) if one.on and not one.damaged else 0.0
                if share >= 0.01:
                    told.append(f"{one.name} {share:.0%}{main_change(one)}")
            return "Here: " + (", ".join(told) if told else "no region") + "."

        self.regions.service.trial("under", look, self._told_under)

    def _told_under(self, words: str) -> None:
        if self.regions.overlay is not None and not self.regions.overlay.drawing:
            self.regions.strip.words.set_full(words)

    def find_subject(self) -> None:
        """Look for the subject beside what is shown, and say how sure it is; of a frame that is not developed
        yet as soon as it is."""
        item, frame = self.regions.proofs.item(), self.regions.frame()
        if item is None:
            return
        if frame is None or frame.coarse:
            self._seeks = item.number
            self.regions.said.emit("The subject is looked for as soon as the frame is developed.")
            return
        self._seeks = None

        def done(found: Any) -> None:
            now = self.regions.proofs.item()
            of = "" if now is not None and now.number == item.number else f"{item.source.name}: "
            if isinstance(found, str):
                self.regions.said.emit(f"{of}{found}")
            elif found.found:
                self.regions.said.emit(
                    f"{of}A subject was found (confidence {found.confidence:.0%}). Strokes mend it."
                )
            else:
                self.regions.said.emit(
                    f"{of}No subject stands out clearly enough: paint it with a few strokes."
                )

        self.regions.said.emit("Looking for the subject …")
        self.regions.service.trial(
            "subject", lambda _progress: subject_mask(reference_of(frame.developed, frame.context)), done
        )

    def _again(self) -> None:
        """Something is developed: perhaps the frame whose subject is wanted."""
        item = self.regions.proofs.item()
        if self._seeks is None or item is None or item.number != self._seeks:
            return
        frame = self.regions.frame()
        if frame is not None and not frame.coarse:
            self.find_subject()
