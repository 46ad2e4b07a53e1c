"""Seven steps through the job, shown on the first start above the bench. They are done by hand, and each
notices
when it is done."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from PySide6.QtCore import QTimer, Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QWidget

from irvane.core.line.merging import MergeSource
from irvane.desktop.item import BARE
from irvane.desktop.whole import Whole

#: Milliseconds after which it is looked whether a step is done, and that “Done” stays.
_LOOK, _DONE = 400, 1500


@dataclass(frozen=True)
class Step:
    """One step: what to do, and whether it is done."""

    words: str
    done: Callable[[Any], bool]


def _touched(window: Whole, *paths: str) -> bool:
    item = window.proofs.item()
    if item is None or window.proofs.number == BARE:
        return False
    settings = item.settings(window.proofs.number)
    return all(bool(settings.get(path)) for path in paths)


STEPS = (
    Step(
        "Two panes show the same frame: A is your proof, B the bare frame. Turn the wheel over a picture "
        "until "
        "you see single pixels (100 %); both follow.",
        lambda w: (w.bench.viewport.zoom or 0) >= 1,
    ),
    Step(
        "Choose another frame at the left. Its noise is measured and removed; the table below the panes "
        "says by "
        "how much. Drag the small square to another place: the figures follow.",
        lambda w: w.bench.panes.view.probe_placed,
    ),
    Step(
        "Click Light in the line at the bottom, and make the picture brighter: click on the value of "
        "Exposure, "
        "type +1 and press Return.",
        lambda w: _touched(w, "light.exposure"),
    ),
    Step(
        "Click “divided” above the panes: both proofs in one picture. Drag the line.",
        lambda w: w.bench.arrangement == "divided",
    ),
    Step(
        "Look for something by your own words: type “horizon” into Find, at the top right, and choose "
        "Straighten.",
        lambda w: w.band.station == "lens",
    ),
    Step(
        "At the left, click “merge” above the furnace frames: the bracket becomes one picture of more stops, "
        "through the same line.",
        lambda w: any(isinstance(i.source, MergeSource) for i in w.session.items.values()),
    ),
    Step(
        "Click Finish in the line: format, space and folder of the file, and the button that writes it. The "
        "handbook (menu Help) has a page for every job.",
        lambda w: w.band.station == "finish",
    ),
)


class PathStrip(QWidget):
    """One step at a time, with back, skip and close.

    Signals
    -------
    closed
    """

    closed = Signal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.step = 0
        #: The window whose steps they are; None: nobody looks.
        self.watched: Whole | None = None
        #: Was the step done before it was shown? Then it is not taken for done by itself.
        self._before = False
        self._count = QLabel()
        self._count.setObjectName("muted")
        self._words = QLabel()
        self._words.setWordWrap(True)
        self._back, self._next, close = QPushButton("Back"), QPushButton("Skip"), QPushButton("Close")
        for button, help, call in (
            (self._back, "The step before.", lambda: self.go(self.step - 1)),
            (self._next, "The next step, without doing this one.", lambda: self.go(self.step + 1)),
            (close, "The steps are in the menu Help again.", self._leave),
        ):
            button.setToolTip(help)
            button.clicked.connect(call)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(12, 4, 10, 4)
        layout.addWidget(self._count)
        layout.addWidget(self._words, 1)
        for button in (self._back, self._next, close):
            layout.addWidget(button)
        self._looking = QTimer(self, interval=_LOOK)
        self._looking.timeout.connect(self._look)
        self._on = QTimer(self, singleShot=True, interval=_DONE)
        self._on.timeout.connect(lambda: self.go(self.step + 1))
        self.go(0)

    def go(self, step: int) -> None:
        """Show a step; past the last one the strip closes."""
        self._on.stop()
        if step >= len(STEPS):
            self._leave()
            return
        self.step = max(step, 0)
        self._before = self._is_done()
        self._count.setText(f"{self.step + 1} of {len(STEPS)}")
        self._words.setText(STEPS[self.step].words)
        self._back.setEnabled(self.step > 0)
        self._back.setToolTip("The step before." if self.step else "This is the first step.")
        self._next.setText("Skip" if self.step < len(STEPS) - 1 else "Done")

    def _is_done(self) -> bool:
        return self.watched is not None and STEPS[self.step].done(self.watched)

    def _look(self) -> None:
        """Was the step done? It says so, and the next follows."""
        done = self._is_done()
        if done and not self._before and not self._on.isActive():
            self._count.setText(f"✓ {self.step + 1} of {len(STEPS)}")
            self._words.setText("Done.")
            self._on.start()
        self._before &= done

    def showEvent(self, _event: object) -> None:  # noqa: N802
        self._looking.start()

    def hideEvent(self, _event: object) -> None:  # noqa: N802
        self._looking.stop()

    def _leave(self) -> None:
        self.hide()
        self.closed.emit()
