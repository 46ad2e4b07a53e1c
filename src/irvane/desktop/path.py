"""The two-minute path through the job, shown on the first start above the bench."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QWidget

STEPS = (
    "Two panes show the same frame: A is your proof, B the bare frame. Turn the wheel over a picture to "
    "come closer; both follow.",
    "Choose “bench-iso6400” in the rail. Its noise is measured and removed; the captions give σ and SNR at "
    "the small square. Drag the square to another place.",
    "Press 4 for Light and lift Exposure and Shadows. Station by station, the band at the bottom says what "
    "is done.",
    "Press V for a dividing line and drag it; hold Q to see the other pane in the same place; press E for "
    "equal brightness.",
    "Press N for another proof of this frame: it costs nothing, and the caption says in what it differs.",
    "In the rail, click “merge” above the furnace frames: five exposures become one of more stops, through "
    "the same line.",
    "Press 7 for Finish and write the proof; or Ctrl+Return. F1 lists all keys.",
)


class PathStrip(QWidget):
    """One sentence at a time, with back, next and close."""

    closed = Signal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.step = 0
        self._count = QLabel()
        self._count.setObjectName("muted")
        self._words = QLabel()
        self._words.setWordWrap(True)
        self._back, self._next, close = QPushButton("Back"), QPushButton("Next"), QPushButton("Close")
        self._back.clicked.connect(lambda: self.go(self.step - 1))
        self._next.clicked.connect(lambda: self.go(self.step + 1))
        close.clicked.connect(self._leave)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(12, 4, 10, 4)
        layout.addWidget(self._count)
        layout.addWidget(self._words, 1)
        for button in (self._back, self._next, close):
            layout.addWidget(button)
        self.go(0)

    def go(self, step: int) -> None:
        """Show a step; past the last one the strip closes."""
        if step >= len(STEPS):
            self._leave()
            return
        self.step = max(step, 0)
        self._count.setText(f"{self.step + 1} of {len(STEPS)}")
        self._words.setText(STEPS[self.step])
        self._back.setEnabled(self.step > 0)
        self._next.setText("Next" if self.step < len(STEPS) - 1 else "Done")

    def _leave(self) -> None:
        self.hide()
        self.closed.emit()
