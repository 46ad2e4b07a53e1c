"""What panes wait for, and how long still: told as one wait of a pane, whatever its stages are."""

from __future__ import annotations

import time
from typing import Any

from PySide6.QtCore import QObject, QTimer, Signal

from irvane.core.waits import Wait
from irvane.desktop.bench.panes import Panes
from irvane.desktop.service import RenderService
from irvane.desktop.writing.strip import TICK


class PaneWaits(QObject):
    """Puts the words on what is being computed into the panes' contents.

    Signals
    -------
    repaint(pane) : its words changed.
    """

    repaint = Signal(int)

    def __init__(self, panes: Panes, service: RenderService, parent: QObject) -> None:
        super().__init__(parent)
        self.panes, self.progressive = panes, service.progressive
        self._ticking = QTimer(self, interval=TICK)
        self._ticking.timeout.connect(self._tell)
        service.busy.connect(self.report)

    @property
    def active(self) -> bool:
        """Does a pane wait for anything?"""
        return self._ticking.isActive()

    def report(self, job: tuple[Any, ...], words: str, share: float, left: float) -> None:
        """A job, as `busy` names it, is so far; share 1 ends it."""
        now = time.monotonic()
        for pane, content in enumerate(self.panes.contents):
            item, request = self.panes.item(pane), content.wished
            concerned = request is not None and self.progressive.concerns(job, request)
            if item is None or item.problem or request is None or not concerned:
                continue
            expected, key = (
                self.progressive.expected(request, content.extent),
                self.progressive.work_key(request),
            )
            if content.wait is None or content.wait_of != key:
                content.wait, content.wait_of = Wait(expected), key
            content.wait.replan(expected)
            if share >= 1:
                content.wait.finish(job[0])
            else:
                content.wait.report(job[0], share, now, left if share > 0 else None)
                content.working = words
            if content.wait.over:
                content.end_wait()
            self._tell()
            self.repaint.emit(pane)

    def _tell(self) -> None:
        """Time goes on: what is left is told anew."""
        now, waiting = time.monotonic(), False
        for pane, content in enumerate(self.panes.contents):
            if content.wait is not None:
                waiting, before = True, content.busy
                content.busy = content.wait.text(content.working, now)
                if content.busy != before:
                    self.repaint.emit(pane)
        if waiting != self._ticking.isActive():
            self._ticking.start() if waiting else self._ticking.stop()
