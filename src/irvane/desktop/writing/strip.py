"""The progress of long work: a file being written, the demo pictures being made."""

from __future__ import annotations

import time
from collections.abc import Callable

from PySide6.QtCore import QTimer, Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QProgressBar, QPushButton, QWidget

from irvane.core.waits import Countdown, wait_text

#: Milliseconds after which a time left is told anew by itself.
TICK = 500


class WritingStrip(QWidget):
    """A slim bar with words, the time left and a cancel button; hidden while there is nothing to tell.

    Signals
    -------
    cancel : the button was pressed. busy(on) : long work begins, or is over.
    """

    cancel = Signal()
    busy = Signal(bool)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._words = QLabel()
        self._bar = QProgressBar()
        self._bar.setRange(0, 1000)
        self._bar.setTextVisible(False)
        self._bar.setAccessibleName("Progress")
        self._cancel = QPushButton("Cancel")
        self._cancel.setToolTip("Stop it; nothing half done is left behind.")
        self._cancel.clicked.connect(self.cancel)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(10, 2, 10, 2)
        layout.addWidget(self._words)
        layout.addWidget(self._bar, 1)
        layout.addWidget(self._cancel)
        self._what, self._countdown = "", Countdown(0.0)
        self._ticking = QTimer(self, interval=TICK)
        self._ticking.timeout.connect(self._tell)
        self.hide()

    def taken(self, said: Callable[[str], None]) -> bool:
        """Is other long work going on? Says so."""
        if not self.isHidden():
            said("Something long is being done already; wait for it, or cancel it.")
        return not self.isHidden()

    def begin(self, words: str) -> None:
        """Work begins; `words` say which."""
        self._what, self._countdown = words, Countdown(time.monotonic())
        self._tell()
        self._ticking.start()
        self._bar.setValue(0)
        self.show()
        self.busy.emit(True)

    def end(self) -> None:
        """The work is over."""
        self.hide()
        self._ticking.stop()
        self.busy.emit(False)

    def advance(self, share: float, left: float) -> None:
        """How far it is."""
        self._bar.setValue(round(share * 1000))
        self._countdown.report(share, time.monotonic(), left)
        self._tell()

    def _tell(self) -> None:
        now = time.monotonic()
        self._words.setText(wait_text(self._what, self._countdown.share, self._countdown.left(now)))
