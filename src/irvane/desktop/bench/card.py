"""A small card over the window that says something in full, until it is clicked away."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QMouseEvent
from PySide6.QtWidgets import QFrame, QLabel, QVBoxLayout, QWidget

#: Widest text, in pixels: lines that are easily read.
_WIDE = 460


class Card(QFrame):
    """A title and paragraphs; a click or Esc closes it."""

    def __init__(self, title: str, paragraphs: Sequence[str], parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("floating")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setAccessibleName(title)
        self.setAccessibleDescription("\n".join(paragraphs))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(14, 10, 14, 12)
        layout.setSpacing(6)
        heading = QLabel(title)
        font = heading.font()
        font.setBold(True)
        heading.setFont(font)
        self.texts = (title, *paragraphs)
        for label in (heading, *(QLabel(text) for text in paragraphs)):
            label.setTextFormat(Qt.TextFormat.PlainText)
            label.setWordWrap(True)
            label.setMinimumWidth(_WIDE)
            label.setMaximumWidth(_WIDE)
            layout.addWidget(label)

    def show_at(self, place: QPoint) -> None:
        """Show it with its lower left corner at a place of the screen, kept on it."""
        self.adjustSize()
        screen = self.screen().availableGeometry()
        left = min(max(place.x(), screen.left()), screen.right() - self.width())
        top = min(max(place.y() - self.height(), screen.top()), screen.bottom() - self.height())
        self.move(left, top)
        self.show()

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        event.accept()
        self.close()
