"""Keeps the interpreter's collection of garbage cycles from stopping the window.

A full collection looks at every object of the process with all threads at rest: 130 ms once the libraries and
their kernels are loaded, at any moment. Here what has been loaded is set aside for good, and the rest is
looked through while nothing is computed.
"""

from __future__ import annotations

import gc
import time
from collections.abc import Callable

from PySide6.QtCore import QObject, QTimer

#: Milliseconds between two looks.
_EVERY = 2000
#: Small collections of young objects since the last full one, before another is worth it.
_WORTH = 20
#: Seconds of a full collection from which on what survived it is set aside: it is what was loaded meanwhile.
_LONG = 0.02
#: Full collections do not begin by themselves any more.
_NEVER = 1_000_000_000


class IdleCollection(QObject):
    """Collects garbage while `idle` says that nothing is computed; made once everything at the start is
    loaded."""

    def __init__(self, idle: Callable[[], bool], parent: QObject) -> None:
        super().__init__(parent)
        self._idle = idle
        gc.collect()
        gc.freeze()
        young, middle, _ = gc.get_threshold()
        gc.set_threshold(young, middle, _NEVER)
        self._timer = QTimer(self, interval=_EVERY)
        self._timer.timeout.connect(self.look)
        self._timer.start()

    def look(self) -> None:
        """Collect, when there is something and nobody is kept waiting."""
        if gc.get_count()[2] < _WORTH or not self._idle():
            return
        start = time.perf_counter()
        gc.collect()
        if time.perf_counter() - start > _LONG:
            gc.freeze()
