"""The commands of the contact sheet: showing it, going from frame to frame, marks."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QObject, Qt, Signal
from PySide6.QtWidgets import QWidget

from irvane.core.files.proofs import KEEP, REJECT
from irvane.desktop.bench.bench import Bench
from irvane.desktop.culling import Culling
from irvane.desktop.line.band import Band
from irvane.desktop.opening import Opening
from irvane.desktop.plain import counted
from irvane.desktop.rail.rail import Rail
from irvane.desktop.session import Session
from irvane.desktop.sheet.sheet import Sheet

#: What is said of a mark.
_MARKED = {KEEP: "Kept", REJECT: "Rejected", "": "No mark any more"}


class Sheeting(QObject):
    """Frames chosen in the rail or on the sheet, whichever is seen.

    Signals
    -------
    marked(sentence) : which mark was given to what.
    """

    marked = Signal(str)

    def __init__(
        self,
        session: Session,
        rail: Rail,
        bench: Bench,
        opening: Opening,
        band: Band,
        culling: Culling,
        parent: QWidget,
    ) -> None:
        super().__init__(parent)
        self.session, self.rail, self.bench, self.opening = session, rail, bench, opening
        self.band, self.culling = band, culling
        self.sheet = Sheet(session)
        self.sheet.hide()
        self.sheet.opened.connect(self._open)
        # settings are changed where their picture is seen
        band.chosen.connect(lambda station: self.sheet.open_chosen() if station and self.on else None)
        self.sheet.seen.connect(lambda: opening.look_at(self.sheet.visible_items()))
        self.sheet.measuring.connect(self._measure)
        self.sheet.stopped.connect(opening.service.files.stop_measuring)
        opening.service.files.measured.connect(session.measured)

    @property
    def on(self) -> bool:
        """Is the sheet seen?"""
        return not self.sheet.isHidden()

    def targets(self) -> dict[str, Callable[[], object]]:
        """What the commands do."""
        stars = {f"stars_{n}": (lambda n=n: self._mark(stars=n)) for n in range(6)}
        return {
            "sheet": self.toggle, "previous": lambda: self.step(-1), "next": lambda: self.step(1),
            "keep": lambda: self._mark(KEEP), "reject": lambda: self._mark(REJECT),
            "unmark": lambda: self._mark(""),
            "ratings": self._rate, "cull": self.cull, **stars,
        }  # fmt: skip

    def toggle(self) -> None:
        """The sheet in the place of the bench, or the bench again."""
        on = not self.on
        item = self.bench.item(self.bench.chosen)
        leave, enter = (
            ((self.bench, self.rail), (self.sheet,)) if on else ((self.sheet,), (self.bench, self.rail))
        )
        for widget in leave:  # first, or the window grows to hold both
            widget.hide()
        for widget in enter:
            widget.show()
        self.bench.controller.rest(on)
        if on:
            self.culling.leave()
            if self.band.station:
                self.band.toggle(self.band.station)
            if item is not None:
                self.sheet.choose(item.number)
            self.sheet.list.setFocus()
            self.opening.look_at(self.sheet.visible_items())
        else:
            self.bench.view_of(self.bench.chosen).setFocus()

    def _open(self, number: int) -> None:
        if self.on:
            self.toggle()
        if number in self.session.items:
            self.rail.choose(number)

    def step(self, direction: int) -> None:
        """The next or previous frame."""
        (self.sheet if self.on else self.rail).step(direction)

    def selected_items(self) -> list[int]:
        """Items that are selected where one looks."""
        return self.sheet.selected() if self.on else self.rail.selected_items()

    def cull(self) -> None:
        """Choose among alike frames: those selected, or those around the present one."""
        item = self.bench.item(self.bench.chosen)
        on = self.on
        order = self.sheet.frames.numbers if on else self.session.order
        index = self.sheet.list.currentIndex()
        current = int(index.data(Qt.ItemDataRole.UserRole)) if on and index.isValid() else None
        if not on and item is not None:
            current = item.number
        if self.culling.start(list(order), self.selected_items(), current) and on:
            self.toggle()

    def _mark(self, mark: str | None = None, stars: int | None = None) -> None:
        """Mark what is selected on the sheet, or the chosen pane's frame; after keep and reject of one the
        next is shown."""
        numbers = self.meant()
        if not numbers:
            return
        self.mark(numbers, mark, stars)
        if mark and not self.on and numbers[0] in self.culling.group:
            self.culling.marked(numbers[0])
            return
        if mark and len({self._leader(n) for n in numbers}) == 1:
            self.step(1)

    def mark(self, numbers: list[int], mark: str | None = None, stars: int | None = None) -> None:
        """Mark frames, and say so."""
        self.session.mark(numbers, mark, stars)
        told = _MARKED[mark] if mark is not None else counted(stars, "star") if stars else "No stars any more"
        self.marked.emit(f"{told}: {self._names(numbers)}.")

    def _names(self, numbers: list[int]) -> str:
        names = [self.session.items[n].source.name for n in numbers]
        return names[0] if len(names) == 1 else counted(len(names), "frame")

    def _leader(self, number: int) -> object:
        item = self.session.items[number]
        if self.sheet.frames.folded and item.bracket:
            return item.bracket
        return number if item.leads else item.pair

    def _measure(self) -> None:
        """Read the figures that frames are chosen by, of all frames that lack them."""
        for number in self.session.order:
            item = self.session.items[number]
            if item.measured is None and item.ready and item.leads and not (item.is_merge or item.problem):
                self.opening.service.files.measure(number, item.source)

    def meant(self) -> list[int]:
        """What is selected on the sheet, or the chosen pane's frame; of one shot both its pictures."""
        item = self.bench.item(self.bench.chosen)
        numbers = self.sheet.selected() if self.on else ([item.number] if item is not None else [])
        pairs = [self.session.items[n].pair for n in numbers]
        both = [
            *numbers,
            *(n for n in pairs if n is not None and n in self.session.items and n not in numbers),
        ]
        return [n for n in both if self.session.items[n].ready]

    def several(self) -> list[int]:
        """What is selected where one looks, the chosen pane's frame among it."""
        item = self.bench.item(self.bench.chosen)
        selected = self.selected_items()
        own = [] if item is None or self.on or item.number in selected else [item.number]
        return [n for n in (*selected, *own) if n in self.session.items and self.session.items[n].ready]

    def _rate(self) -> None:
        """Write marks and stars of what is selected for other programs."""
        items = [self.session.items[n] for n in self.meant()]
        frames = [(i.path, i.sidecar.mark, i.sidecar.stars) for i in items if len(i.source.paths) == 1]
        if frames:
            self.opening.service.files.rate(frames)
