"""The words under the panes: captions, the table of figures with its columns, the verdict."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QObject

from irvane.core.judge.rows import ROWS
from irvane.desktop.bench.arranging import columns_under
from irvane.desktop.bench.judgement import Judgement
from irvane.desktop.bench.panes import BESIDE, LETTERS
from irvane.desktop.bench.table import Column
from irvane.desktop.item import BARE


class Captioning(QObject):
    """Writes them for a bench."""

    def __init__(self, bench: Any) -> None:
        super().__init__(bench)
        self.bench = bench
        self.judgement = Judgement(bench.telling, self.columns)
        self.judgement.equal_wanted.connect(lambda: bench.set_matching(True))
        self.judgement.explained.connect(self._show_place)
        self.judgement.said.connect(bench.said)

    def show(self) -> None:
        """Write all of them anew."""
        bench = self.bench
        for number, caption in enumerate(bench.captions[: bench.count]):
            reference = min(bench.panes.view.reference, bench.count - 1)
            neighbour = reference if number != reference else (reference + 1) % bench.count
            other = bench.contents[neighbour]
            caption.show_content(
                " ".join(part for part in self._letter(number) if part),
                bench.contents[number],
                bench.item(number),
                bench.settings(neighbour),
                other.proof == BARE or other.finished != bench.contents[number].finished,
                bench.hidden,
                bench.arrangement == BESIDE and bench.count > 2,
                LETTERS[neighbour],
            )
        self.judgement.hidden = bench.hidden
        self.judgement.refresh()

    def hold_against(self, pane: int) -> None:
        """Hold the figures of all panes against this one."""
        self.bench.panes.change(reference=pane)
        self.bench.refresh()
        self.bench.telling.ask()

    def pin(self, pane: int) -> None:
        """The pane keeps its frame when another one is chosen, or goes along again."""
        content = self.bench.contents[pane]
        content.pinned = not content.pinned
        self.bench.refresh()

    def _letter(self, pane: int) -> tuple[str, str, str]:
        """A pane's letter, its own zoom, and whether it keeps its frame."""
        pinned = self.bench.contents[pane].pinned
        return LETTERS[pane], self.bench.zooming.words(pane), "stays" if pinned else ""

    def columns(self) -> list[Column]:
        """The columns of the table: under their panes where these stand in one row."""
        bench = self.bench
        panes = bench.arranging.told()
        if all(bench.item(pane) is None for pane in panes):
            return []
        lefts = columns_under([bench.captions[pane].geometry() for pane in panes], bench.width())
        return [
            Column(
                LETTERS[pane], left, pane, pane == bench.panes.view.reference,
                greyed=not bench.telling.is_current(pane), empty=bench.telling.is_other(pane),
            )
            for pane, left in zip(panes, lefts, strict=True)
        ]  # fmt: skip

    def _show_place(self, key: str) -> None:
        """Show on the pictures where a figure was read."""
        if ROWS[key].domain == "place":
            for number in range(self.bench.count):
                self.bench.view_of(number).point_out()
