"""What is wider than its place is moved sideways under a scroll bar, instead of widening the window.

That happens where the words are longer than ours (another language, a wider font) in a small window.
"""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject, QSize, Qt
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QScrollArea, QSizePolicy, QWidget


class Sideways(QScrollArea):
    """Holds a widget; it is shown and hidden with it.

    Parameters
    ----------
    held : what is shown. strip : it is as high as what it holds; else it takes what height there is.
    """

    def __init__(self, held: QWidget, strip: bool) -> None:
        super().__init__()
        self._held = held
        hidden = held.isHidden()
        self.setFrameShape(QScrollArea.Shape.NoFrame)
        self.setWidgetResizable(True)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        if strip:
            self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
            self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setWidget(held)
        held.setAutoFillBackground(False)
        if strip:
            held.setVisible(not hidden)
            self.setVisible(not hidden)
            held.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:  # noqa: N802
        if event.type() in (QEvent.Type.ShowToParent, QEvent.Type.HideToParent):
            self.setVisible(event.type() == QEvent.Type.ShowToParent)
        elif event.type() == QEvent.Type.LayoutRequest:
            self.updateGeometry()
        return super().eventFilter(watched, event)

    def resizeEvent(self, event: QResizeEvent) -> None:  # noqa: N802
        super().resizeEvent(event)
        self.updateGeometry()

    def _bar(self) -> int:
        """How high the scroll bar is, where there is one."""
        wider = self._held.minimumSizeHint().width() > self.width()
        return self.horizontalScrollBar().sizeHint().height() if wider else 0

    def sizeHint(self) -> QSize:  # noqa: N802
        hint = self._held.sizeHint()
        return QSize(hint.width(), hint.height() + self._bar())

    def minimumSizeHint(self) -> QSize:  # noqa: N802
        return QSize(120, self._held.minimumSizeHint().height() + self._bar())
