"""A label that is shortened to the room it has."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLabel, QSizePolicy

#: What stands between figures.
_BETWEEN = " · "


class Elided(QLabel):
    """A label that may be narrower than its text; the full text is in the tool tip.

    Figures are shown whole or not at all: half a number would be another one.
    """

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
        parts = self._full.split(_BETWEEN)
        shown = self._full
        while len(parts) > 1 and self._cut(shown) != shown:
            parts.pop()
            shown = _BETWEEN.join([*parts, "…"])
        self.setText(self._cut(shown))

    def _cut(self, text: str) -> str:
        return self.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, self.width())

    def resizeEvent(self, event: object) -> None:  # noqa: N802
        self._fit()
