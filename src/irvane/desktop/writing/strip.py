"""The progress of a file being written."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QProgressBar, QPushButton, QWidget


class WritingStrip(QWidget):
    """A slim bar with the time left and a cancel button; hidden while nothing is written."""

    cancel = Signal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._words = QLabel()
        self._bar = QProgressBar()
        self._bar.setRange(0, 1000)
        self._bar.setTextVisible(False)
        self._bar.setAccessibleName("Progress of writing")
        self._cancel = QPushButton("Cancel")
        self._cancel.clicked.connect(self.cancel)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(10, 2, 10, 2)
        layout.addWidget(self._words)
        layout.addWidget(self._bar, 1)
        layout.addWidget(self._cancel)
        self._name = ""
        self.hide()

    def begin(self, name: str) -> None:
        """A file is being written."""
        self._name = name
        self._words.setText(f"Writing {name} …")
        self._bar.setValue(0)
        self.show()

    def advance(self, share: float, left: float) -> None:
        """How far it is."""
        self._bar.setValue(round(share * 1000))
        self._words.setText(f"Writing {self._name}, {left:.0f} s left")
