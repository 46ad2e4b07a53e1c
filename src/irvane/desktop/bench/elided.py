"""A label that is shortened to the room it has."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLabel, QSizePolicy


class Elided(QLabel):
    """A label that may be narrower than its text; the full text is in the tool tip."""

    def __init__(self, name: str = "") -> None:
        super().__init__()
        self.setObjectName(name)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self._full = ""

    def set_full(self, text: str) -> None:
        """Show a text, shortened to the width."""
        self._full = text
        self.setToolTip(text)
        self._fit()

    def text_in_full(self) -> str:
        """The whole text."""
        return self._full

    def _fit(self) -> None:
        self.setText(self.fontMetrics().elidedText(self._full, Qt.TextElideMode.ElideRight, self.width()))

    def resizeEvent(self, event: object) -> None:  # noqa: N802
        self._fit()
