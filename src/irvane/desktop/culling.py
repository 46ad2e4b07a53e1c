"""Choosing among alike frames: side by side on the same spot, one key to keep or reject each, then the next
ones."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from irvane.core.files.proofs import KEEP, REJECT
from irvane.core.files.sets import alike_run
from irvane.core.files.thumbnails import Pictures
from irvane.desktop.bench.bench import MOST
from irvane.desktop.bench.judging import Judging
from irvane.desktop.item import Item
from irvane.desktop.session import Session


class Culling(QObject):
    """Goes through frames, two to six alike ones at a time.

    Signals
    -------
    said(sentence)

    Attributes
    ----------
    group : numbers of the frames that stand side by side now; empty while nothing is chosen.
    """

    said = Signal(str)

    def __init__(self, session: Session, judging: Judging, parent: QObject) -> None:
        super().__init__(parent)
        self.session, self.judging = session, judging
        self.group: list[int] = []
        self._order: list[int] = []

    def start(self, order: list[int], selected: list[int], current: int | None) -> bool:
        """Begin with what is selected, or with the frames that are like the current one; False when there is
        nothing.

        `order` : frames in the order in which they are gone through.
        """
        self._order = [n for n in order if self._fit(n)]
        chosen = [n for n in selected if n in self._order][:MOST]
        if len(chosen) < 2:
            chosen = self._alike(current) if current in self._order else []
        if len(chosen) < 2:
            self.said.emit("No frames that are like this one, taken around it: select two to six of them.")
            return False
        self._show(chosen)
        return True

    def leave(self) -> None:
        """The panes are used for something else."""
        self.group = []

    def _fit(self, number: int) -> bool:
        item = self.session.items.get(number)
        return item is not None and item.ready and item.leads and not (item.is_merge or item.problem)

    def _alike(self, number: int | None) -> list[int]:
        items = [self.session.items[n] for n in self._order]
        if number is None:
            return []
        previews = Pictures([item.preview for item in items])
        run = alike_run([item.info for item in items], previews, self._order.index(number), MOST)
        return [self._order[k] for k in run]

    def _show(self, group: list[int]) -> None:
        self.group = group
        self.judging.compare(group)
        open_ = [n for n in group if not self.session.items[n].sidecar.mark]
        self.judging.bench.choose(group.index(open_[0]) if open_ else 0)
        self.said.emit(f"{len(group)} alike frames: ] keeps, [ rejects, then the next ones follow.")

    def marked(self, number: int) -> None:
        """A frame of the group was marked: on to the next pane without a mark, or to the next alike
        frames."""
        bench = self.judging.bench
        place = self.group.index(number)
        after = [*self.group[place + 1 :], *self.group[:place]]
        left = [n for n in after if not self.session.items[n].sidecar.mark]
        if left:
            bench.choose(self.group.index(left[0]))
            return
        start = max(self._order.index(n) for n in self.group) + 1
        for number in self._order[start:]:
            if self.session.items[number].sidecar.mark:
                continue
            run = [n for n in self._alike(number) if n not in self.group]
            if len(run) >= 2:
                self._show(run)
                return
        self.said.emit(f"No more alike frames without a mark. {self._told()}")

    def _told(self) -> str:
        items: list[Item] = [self.session.items[n] for n in self._order]
        kept, rejected = (sum(i.sidecar.mark == mark for i in items) for mark in (KEEP, REJECT))
        return f"{kept} kept, {rejected} rejected of {len(items)}."
