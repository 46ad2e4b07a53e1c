"""Opening: finding pictures, reading what the rail shows of them, noticing which frames are brackets, merging
these."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from itertools import islice
from pathlib import Path

from PySide6.QtCore import QObject, QTimer, Signal

from irvane.core.errors import IrvaneError
from irvane.core.files.thumbnails import Pictures
from irvane.core.line.merge_options import MERGE_START, MergeOptions, before_merging
from irvane.core.line.merging import MergeSource
from irvane.core.merge.kinds import HDR, MEAN, PANORAMA
from irvane.core.settings import Settings
from irvane.desktop.item import Item
from irvane.desktop.plain import counted
from irvane.desktop.rail.rail import Rail
from irvane.desktop.service import RenderService
from irvane.desktop.session import Session

#: Files that are taken in at a time, and that are asked of the worker at a time.
_SLICE, _AT_ONCE = 250, 24


class Opening(QObject):
    """Brings files into the session; what can be seen in the rail is read first.

    Signals
    -------
    said(sentence), learned(number) : a sidecar and exposure data of an item were read.
    """

    said = Signal(str)
    learned = Signal(int)

    def __init__(
        self, session: Session, service: RenderService, rail: Rail, parent: QObject | None = None
    ) -> None:
        super().__init__(parent)
        self.session, self.service, self.rail = session, service, rail
        self._waiting: dict[int, None] = {}
        self._asked: set[int] = set()
        self._chose_first = False
        self._group_soon = QTimer(self, singleShot=True, interval=150)
        self._group_soon.timeout.connect(self._group)
        rail.verticalScrollBar().valueChanged.connect(self._read_visible)
        service.files.collected.connect(self._collected)
        service.files.learned.connect(self._learned)
        service.files.developed.connect(self.session.developed)
        service.files.sharpened.connect(self.session.sharpened)
        service.files.item_failed.connect(self._failed)
        service.files.grouped.connect(session.group)

    def open(self, paths: list[Path], show: bool = False) -> None:
        """Open files and folders; the first picture is chosen when it is the first of all, or when that is
        asked for."""
        if paths:
            self._chose_first &= not show
            self.service.files.collect(paths)

    def _collected(self, paths: list[Path], problems: list[str]) -> None:
        if problems:
            self.said.emit("; ".join(problems))
        before = len(self.session.items)
        items = self.session.add_files(paths[:_SLICE])
        if before and not problems and not self._chose_first:
            fresh = len(self.session.items) - before + max(len(paths) - _SLICE, 0)
            self.said.emit(
                f"{counted(fresh, 'picture')} brought in." if fresh else "These pictures are open already."
            )
        self._waiting |= dict.fromkeys(
            item.number for item in items if not item.ready and item.number not in self._asked
        )
        self._read_visible()
        if len(paths) > _SLICE:  # thousands at once would hold the window up
            QTimer.singleShot(0, lambda: self._collected(paths[_SLICE:], []))
        if items and not self._chose_first:
            self._chose_first = True
            self.rail.choose(items[0].number)

    def open_together(self, paths: list[Path], compare: Callable[[list[int]], object]) -> None:
        """Open files, such as a written one and its source, and have them compared once all are read."""
        numbers = self.take(paths)

        def look() -> None:
            if all(n in self.session.items and self.session.items[n].ready for n in numbers):
                again.stop()
                compare(numbers)

        again = QTimer(self, interval=50)
        again.timeout.connect(look)
        again.start()
        self.look_at(numbers)

    def take(self, paths: list[Path]) -> list[int]:
        """Take in files that are pictures, without choosing one; returns their items."""
        items = self.session.add_files(paths)
        self._waiting |= dict.fromkeys(
            one.number for one in items if not one.ready and one.number not in self._asked
        )
        self._chose_first = True
        self._read_visible()
        return [item.number for item in items]

    def add_merge(self, source: MergeSource, after: int | None = None) -> Item:
        """A merge with the proofs that are kept of it; it is not chosen."""
        item = self.session.add(source, after)
        if not item.ready:
            self.service.files.learn(item.number, source, 2)
        return item

    def look_at(self, numbers: list[int]) -> None:
        """Read these before the others."""
        self._read(set(numbers))
        for number in numbers:
            if number in self.session.items:
                self.service.files.sharpen_first(number, self.session.items[number].source)

    def _read_visible(self) -> None:
        self._read(set(self.rail.visible_items()))

    def _read(self, seen: set[int]) -> None:
        """Ask for what is seen, and for as many of the others as keep the worker busy."""
        for number in [n for n in seen if n in self._waiting]:
            self._ask(number, 3)
        self._ask_more()

    def _ask_more(self) -> None:
        room = _AT_ONCE - len(self._asked)
        if room > 0:
            for number in list(islice((n for n in self._waiting if n not in self._asked), room)):
                self._ask(number, 4)

    def _ask(self, number: int, urgency: int) -> None:
        item = self.session.items.get(number)
        if item is None:
            self._waiting.pop(number, None)
            return
        self._asked.add(number)
        self.service.files.learn(number, item.source, urgency)

    def _learned(self, number: int, info: object, preview: object, sidecar: object, locked: str) -> None:
        self._forget(number)
        self.session.learned(number, info, preview, sidecar, locked)  # type: ignore[arg-type]
        if number in self.session.items:
            self.service.files.heard(number, self.session.items[number].sidecar)
        self.learned.emit(number)

    def _failed(self, number: int, sentence: str) -> None:
        self._forget(number)
        self.session.failed(number, sentence)
        self.said.emit(sentence)

    def _forget(self, number: int) -> None:
        self._waiting.pop(number, None)
        self._asked.discard(number)
        self._ask_more()
        self._group_soon.start()

    def _group(self) -> None:
        if self._waiting:
            return
        numbers = [
            n
            for n in self.session.order
            if not self.session.items[n].is_merge and not self.session.items[n].problem
        ]
        items = [self.session.items[n] for n in numbers]
        pictures = Pictures([item.preview for item in items])
        self.service.files.group(numbers, [i.path for i in items], [i.info for i in items], pictures)

    def merge(
        self, numbers: tuple[int, ...], how: MergeOptions = MergeOptions(), again: Item | None = None
    ) -> None:
        """Open the merge of a bracket, or of other frames.

        Parameters
        ----------
        again : the merge of the same frames and kind that this one is made from: its proofs are taken over.
        """
        items = [
            self.session.items[n]
            for n in numbers
            if n in self.session.items and not self.session.items[n].is_merge
        ]
        if len(items) < 2:
            self.said.emit(
                "This frame does not belong to a bracket: select two or more frames to merge them."
            )
            return
        early = [
            (one.path.name, before_merging(one.settings(one.sidecar.current))) for one in items if one.ready
        ]
        how = replace(how, own=tuple((name, values) for name, values in early if values))
        try:
            source = MergeSource([one.path for one in items], how)
        except IrvaneError as error:
            self.said.emit(str(error))
            return
        merged = self.session.add(source, after=items[-1].number)
        if not merged.ready:
            # the exposure of the merge is that of its middle frame: what was done to another one would be off
            middle = sorted(items, key=lambda item: item.info.exposure_value or 0.0)[len(items) // 2]
            first = middle.settings(middle.sidecar.current)
            begin = Settings(
                noise=first.noise, light=first.light, colour=first.colour, acutance=first.acutance
            )
            if how.kind in (HDR, PANORAMA):
                begin = begin.with_values(MERGE_START)  # untreated, a merge looks dull
                self.said.emit(
                    "The merge starts from the local operator (station Light); Shift+J has others, from "
                    "restrained to bold."
                )
            elif how.kind != MEAN:
                begin = (
                    Settings()
                )  # what was done to the frames is in their pictures' light, not in a finished one's
            proof = replace(merged.sidecar.proofs[0], settings=begin)
            merged.sidecar = replace(merged.sidecar, proofs=(proof,))
            before = again.source.how if again is not None and isinstance(again.source, MergeSource) else None
            if again is not None and before is not None and before.kind == how.kind:
                merged.sidecar = replace(
                    merged.sidecar, proofs=again.sidecar.proofs, current=again.sidecar.current
                )
            if how.kind != PANORAMA:  # something to look at until it is made
                merged.preview, merged.stand_in = middle.preview, middle.preview is not None
            self.service.files.learn(merged.number, source, 2)
        self.rail.choose(merged.number)
