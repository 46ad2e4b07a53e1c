"""How all panes are seen: looks, hatching, what is made equal, the kind of difference, deblurring that
waits."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from irvane.core.judge.matching import Match
from irvane.core.line.looks import FITTING, LOOKS, PICTURE, look_of, origin_words
from irvane.desktop.bench.controller import ViewController
from irvane.desktop.bench.panes import Panes
from irvane.desktop.bench.strip import BenchStrip


class Looking(QObject):
    """Changes how a bench is looked at; nothing in the results changes.

    Signals
    -------
    said(sentence). refreshed : captions are to be written anew.
    """

    said = Signal(str)
    refreshed = Signal()

    def __init__(self, panes: Panes, strip: BenchStrip, controller: ViewController, parent: QObject) -> None:
        super().__init__(parent)
        self.panes, self.strip, self.controller = panes, strip, controller
        self._before_fitting = ""

    def set_difference(self, kind: str, amplified: float) -> None:
        """Kind and amplification of the difference picture."""
        self.panes.change(difference=(kind, amplified))
        self.strip.show_difference(kind, amplified)
        self.controller.request()

    def set_matching(self, on: bool) -> None:
        """Match the brightness of all panes to pane A."""
        self.match_in("brightness", on)

    def match_in(self, kind: str, on: bool) -> None:
        """Make the views of all panes equal to that of pane A in a respect, or not any more."""
        self.panes.change(
            matched=self.panes.view.matched | {kind} if on else self.panes.view.matched - {kind}
        )
        self.strip.show_matched(self.panes.view.matched)
        for content in self.panes.contents:
            if not on or content is self.panes.contents[0]:
                content.match = Match()
        self.refreshed.emit()
        self.controller.request()

    def set_look(self, look: str) -> None:
        """See all panes in another way; nothing in the results changes."""
        self.panes.change(look=look)
        self.strip.show_look(look)
        self.controller.request()
        self._tell_origin()

    def _tell_origin(self) -> None:
        """Which tint stands for which frame of the chosen merge, while that is seen."""
        item, settings = self.panes.item(self.panes.view.chosen), self.panes.settings(self.panes.view.chosen)
        if look_of(self.panes.view.look).origin and item is not None and settings is not None:
            frame = self.controller.service.engine.best(item.source, settings.sensor)
            if frame is not None and frame.developed.origin is not None:
                self.said.emit(f"What came from where. {origin_words(frame.developed.origin)}.")

    def show_fitting_look(self, path: str, on: bool) -> None:
        """While a control is moved, the look that shows best what it does."""
        if on and path in FITTING and self.panes.view.look == PICTURE:
            self._before_fitting = self.panes.view.look
            self.set_look(FITTING[path])
        elif not on and self._before_fitting:
            self.set_look(self._before_fitting)
            self._before_fitting = ""

    def step_look(self, direction: int) -> None:
        """The next or previous look."""
        keys = list(LOOKS)
        self.set_look(
            keys[
                ((keys.index(self.panes.view.look) if self.panes.view.look in keys else 0) + direction)
                % len(keys)
            ]
        )

    def set_marks(self, on: bool) -> None:
        """Hatch what is clipped."""
        self.panes.change(marks=on)
        self.strip.marks_button.setChecked(on)
        self.controller.request()

    def deblur_when_asked(self) -> None:
        """Deblurring waits until it is asked for, or is computed at once again."""
        waiting = self.panes.waiting
        waiting.on = not waiting.on
        self.said.emit(
            "Deblurring waits now: Shift+Y computes it for the chosen pane. Files are always deblurred."
            if waiting.on
            else "Deblurring is computed at once."
        )
        self.controller.request()

    def deblur_now(self) -> None:
        """Compute the deblurring of the chosen pane, where it waits."""
        settings = self.panes.settings(self.panes.view.chosen)
        if settings is not None and self.panes.waiting.waits(settings):
            self.panes.waiting.ask(settings)
            self.controller.request()
        else:
            self.said.emit("Nothing waits here.")
