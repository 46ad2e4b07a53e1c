"""What the window says: a sentence over the top of the pictures that stays until it was seen.

Seen is what stood there long enough to be read, and after which the hand did something.
"""

from __future__ import annotations

import time
from collections import deque
from collections.abc import Callable

from PySide6.QtCore import QEvent, QObject, Qt, QTimer
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QWidget

from irvane.desktop import theme
from irvane.desktop.flat import flat_button
from irvane.desktop.plain import on_button

#: Seconds that every sentence is left standing, and those that a letter takes to be read.
_LEAST, _A_LETTER = 3.0, 0.055
#: A sentence that nobody acts after goes by itself after so many times its reading time.
_PATIENCE = 6
#: How many earlier ones are kept.
_KEPT = 60
_WIDEST, _BELOW_STRIP = 620, 34


class Message(QFrame):
    """A floating sentence, with one thing that can be done about it at most.

    Attributes
    ----------
    earlier : what was said, newest first.
    """

    def __init__(self, parent: QWidget, over: Callable[[], QWidget]) -> None:
        """`over` : the widget over whose top it stands now."""
        super().__init__(parent)
        self._over = over
        self.earlier: deque[str] = deque(maxlen=_KEPT)
        self._full, self._since = "", 0.0
        self.setObjectName("message")
        self.setStyleSheet(
            f"#message {{ background: {theme.RAISED.name()}; border: 1px solid {theme.ACCENT_DEEP.name()}; "
            "border-radius: 3px; }"
        )
        self.setAccessibleName("Message")
        self._words = QLabel()
        self._words.setTextFormat(Qt.TextFormat.PlainText)
        self._words.setWordWrap(True)
        self.act = QPushButton()
        self.act.setAccessibleName("What can be done about it")
        self.act.setToolTip("What can be done about it.")
        self.act.clicked.connect(self._do)
        self._call: Callable[[], object] | None = None
        self.away = flat_button("×", "Seen: take it away.")
        self.away.setAccessibleName("Take the message away")
        self.away.clicked.connect(lambda: self.set_full(""))
        row = QHBoxLayout(self)
        row.setContentsMargins(10, 4, 4, 4)
        row.addWidget(self._words, 1)
        row.addWidget(self.act)
        row.addWidget(self.away)
        self._gone = QTimer(self, singleShot=True)
        self._gone.timeout.connect(lambda: self.set_full(""))
        parent.installEventFilter(self)
        self.hide()

    def set_full(self, text: str, words: str = "", call: Callable[[], object] | None = None) -> None:
        """Show a sentence, with a button of these words that calls; an empty one takes it away."""
        self._full, self._since = text, time.monotonic()
        self._words.setText(text)
        self._call = call
        self.act.setText(on_button(words))
        self.act.setVisible(call is not None)
        self.setAccessibleDescription(text)
        self.setVisible(bool(text))
        if text:
            if not self.earlier or self.earlier[0] != text:
                self.earlier.appendleft(text)
            self._gone.start(int(1000 * _PATIENCE * self._reading()))
            self.place()

    def text_in_full(self) -> str:
        """The sentence that stands there."""
        return self._full

    text = text_in_full

    def seen(self) -> None:
        """The hand did something: what could be read by now goes."""
        if self._full and time.monotonic() - self._since > self._reading():
            self.set_full("")

    def _reading(self) -> float:
        return max(_LEAST, _A_LETTER * len(self._full))

    def _do(self) -> None:
        call = self._call
        self.set_full("")
        if call is not None:
            call()

    def place(self) -> None:
        """Stand over the top of what is shown now."""
        over, parent = self._over(), self.window()
        widest = max(min(_WIDEST, over.width() - 24), 120)
        beside = (self.act.sizeHint().width() + 6 if self._call else 0) + self.away.sizeHint().width() + 26
        natural = self._words.fontMetrics().horizontalAdvance(self._full) + 4
        inner = min(natural, widest - beside)
        self._words.setFixedWidth(inner)
        high = max(self._words.heightForWidth(inner), self.away.sizeHint().height())
        self.resize(inner + beside, high + 10)
        corner = over.mapTo(parent, over.rect().topLeft())
        self.move(corner.x() + (over.width() - self.width()) // 2, corner.y() + _BELOW_STRIP)
        self.raise_()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:  # noqa: N802
        if event.type() == QEvent.Type.Resize and self._full:
            self.place()
        return False
