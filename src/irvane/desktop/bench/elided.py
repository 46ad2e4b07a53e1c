"""Labels that fit themselves to the room they have."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt
from PySide6.QtWidgets import QLabel, QSizePolicy

from irvane.desktop.plain import tip

#: What stands between figures.
BETWEEN = " · "


class Elided(QLabel):
    """A label that may be narrower than its text; the full text is in the tool tip.

    Figures are shown whole or not at all: half a number would be another one. Those that come first matter
    most; they are laid out in as many lines as there are.

    Parameters
    ----------
    name : the object's name, which gives it its style. lines : how many there are.
    ends : a name, of which both ends are kept.
    """

    def __init__(self, name: str = "", lines: int = 1, ends: bool = False) -> None:
        super().__init__()
        self.setObjectName(name)
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self._lines = lines
        self._mode = Qt.TextElideMode.ElideMiddle if ends else Qt.TextElideMode.ElideRight
        self._full = ""
        if lines > 1:
            self.setFixedHeight(lines * self.fontMetrics().lineSpacing() + 2)
            self.setAlignment(Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft)

    def set_full(self, text: str) -> None:
        """Show a text, fitted to the room."""
        self._full = text
        self.setToolTip(tip(text))
        self._fit()

    def text_in_full(self) -> str:
        """The whole text."""
        return self._full

    def _fit(self) -> None:
        parts = self._full.split(BETWEEN)
        lines: list[str] = []
        while parts and len(lines) < self._lines:
            line = parts.pop(0)
            while parts and self._fits(f"{line}{BETWEEN}{parts[0]}"):
                line += BETWEEN + parts.pop(0)
            lines.append(line)
        if parts:  # what matters least is left out, and that is seen
            while BETWEEN in lines[-1] and not self._fits(f"{lines[-1]}{BETWEEN}…"):
                lines[-1] = lines[-1].rpartition(BETWEEN)[0]
            lines[-1] += f"{BETWEEN}…"
        if BETWEEN in self._full:  # not even the first figure has room
            lines = [line if self._fits(line) else "…" for line in lines]
        self.setText("\n".join(self._cut(line) for line in lines))

    def _fits(self, text: str) -> bool:
        return self._cut(text) == text

    def _cut(self, text: str) -> str:
        return self.fontMetrics().elidedText(text, self._mode, self.width())

    def sizeHint(self) -> QSize:  # noqa: N802
        return QSize(self.minimumWidth(), super().sizeHint().height())

    def resizeEvent(self, event: object) -> None:  # noqa: N802
        self._fit()
