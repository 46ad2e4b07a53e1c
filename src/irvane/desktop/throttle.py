"""What is done a little later, once for every time it was asked for until then."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QObject, QTimer

#: Milliseconds of a frame on a usual monitor: what the eye does not miss.
FRAME = 16


class Throttle(QTimer):
    """Calls a function so many milliseconds after it was first asked for.

    Being asked again meanwhile does not put it off: begun anew by every step of a slider that is dragged, it
    would wait for a pause.
    """

    def __init__(self, parent: QObject, function: Callable[[], object], milliseconds: int = 0) -> None:
        super().__init__(parent, singleShot=True, interval=milliseconds)
        self.timeout.connect(function)

    def ask(self) -> None:
        """Have it called."""
        if not self.isActive():
            self.start()
