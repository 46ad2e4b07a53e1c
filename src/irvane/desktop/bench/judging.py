"""Ways to look at what the panes hold: frames compared at once, judging spots, a station left out, loupe,
timed blink."""

from __future__ import annotations

from PySide6.QtCore import QObject, Qt, QTimer

from irvane.core.judge.spots import Spot
from irvane.core.line.clip_flags import Limits
from irvane.desktop.bench.bench import FEWEST, MOST, Bench
from irvane.desktop.bench.content import Content
from irvane.desktop.bench.limits import LimitsDialog
from irvane.desktop.bench.panes import BESIDE
from irvane.desktop.item import BARE

#: Milliseconds between two pictures of the timed blink.
BLINK_EVERY = 700


class Judging(QObject):
    """Acts on a bench."""

    def __init__(self, bench: Bench) -> None:
        super().__init__(bench)
        self.bench = bench
        self._spots: list[Spot] = []
        self._spot, self._step = -1, 1
        self._waiting = False
        self.loupe = False
        self._blinker = QTimer(self, interval=BLINK_EVERY)
        self._blinker.timeout.connect(lambda: bench.blink(not bench.blinking))
        bench.spotting.ready.connect(self._go_to_spot)
        bench.service.improved.connect(lambda _key: self._again())
        for view in bench.views:
            view.hovered.connect(self._hover)

    def compare(self, numbers: list[int]) -> None:
        """Frames side by side at 100 % on the spot that tells most."""
        numbers = numbers[:MOST]
        while self.bench.count > max(len(numbers), FEWEST):
            self.bench.contents.pop()
        while self.bench.count < len(numbers):
            self.bench.contents.append(Content())
        self.bench.panes.change(chosen=0)
        for pane, number in enumerate(numbers):
            self.bench.show_item(pane, number)
        self.bench.set_arrangement(BESIDE)
        self._spot = -1
        self._waiting = True
        self.step_spot(1)
        self.bench.chosen_changed.emit()

    def leave_out(self, station: str) -> None:
        """The other pane shows the chosen proof without a station; again: the whole proof."""
        own, other = self.bench.contents[self.bench.chosen], self.bench.contents[self.bench.panes.other]
        if own.item is None or own.proof == BARE:
            self.bench.said.emit("Choose a proof: one of its stations can then be left out beside it.")
            return
        left = "" if other.without == station and other.item == own.item else station
        item = self.bench.item(self.bench.chosen)
        if other.item != own.item or other.proof != own.proof:
            other.show_item(own.item, own.proof, item.preview if item is not None else None)
        self.show_without(self.bench.panes.other, left)

    def show_without(self, pane: int, station: str) -> None:
        """Show a pane's proof without a station."""
        content = self.bench.contents[pane]
        if content.proof == BARE:
            return
        content.without = station
        self.bench.controller.keep_own(pane)
        content.forget()
        self.bench.refresh()
        self.bench.controller.request()

    @property
    def blinks_by_itself(self) -> bool:
        """Do the panes change places by themselves?"""
        return self._blinker.isActive()

    def blink_timed(self) -> None:
        """Blink by itself, or stop."""
        if self._blinker.isActive():
            self._blinker.stop()
            self.bench.blink(False)
        else:
            self._blinker.start()
            self.bench.blink(True)

    def step_spot(self, direction: int) -> None:
        """Go to the next or previous judging spot at 100 %, in all panes."""
        self._step = direction
        self.bench.spotting.ask()

    def _again(self) -> None:
        if self._waiting:
            self.bench.spotting.ask()

    def _go_to_spot(self, spots: list[Spot]) -> None:
        if not spots and self._waiting:
            return  # asked again once the frame is developed
        self._waiting = False
        if not spots:
            self.bench.said.emit(
                "No judging spots yet: the frame is not developed, or there is nothing to be judged."
            )
            return
        if spots != self._spots:
            self._spots, self._spot = spots, -1 if self._step > 0 else 0
        self._spot = (self._spot + self._step) % len(spots)
        spot = spots[self._spot]
        view = self.bench.views[0]
        self.bench.zooming.set_free(False)
        if self.bench.viewport.zoom is None or self.bench.viewport.zoom < 1:
            self.bench.viewport.set_zoom(1.0, view.extent, view.device_size())
        self.bench.viewport.centre = (spot.x, spot.y)
        self.bench.viewport.changed.emit()
        h, w = view.extent
        self.bench.move_probe(spot.x * w, spot.y * h)
        self.bench.said.emit(
            f"Judging spot {self._spot + 1} of {len(spots)}: {spot.kind}. Space: the next one."
        )

    def set_loupe(self, on: bool) -> None:
        """A loupe that follows the pointer in all panes."""
        self.loupe = on
        if not on:
            self.bench.controller.loupe(None)
        for view in self.bench.views:
            view.loupe = on
            view.loupe_place = None
            view.update()

    def _hover(self, x: float, y: float) -> None:
        for view in self.bench.views:
            view.loupe_place = (x, y)
        self.bench.controller.loupe((x, y))

    def ask_limits(self) -> LimitsDialog:
        """The small window with the limits of the hatching; it stays open while the bench is used."""
        dialog = LimitsDialog(self.bench.panes.view.limits, self.bench)
        dialog.changed.connect(self._set_limits)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.show()
        self.bench.set_marks(True)
        return dialog

    def _set_limits(self, limits: Limits) -> None:
        self.bench.panes.change(limits=limits)
        self.bench.controller.request()

    def set_aligning(self, on: bool) -> None:
        """Lay frames of one scene on that of pane A, or show each by itself."""
        self.bench.panes.change(aligning=on)
        self.bench.said.emit(
            "Frames of one scene are laid on each other." if on else "Every frame is shown by itself."
        )
        self.bench.refresh()
        self.bench.controller.request()
