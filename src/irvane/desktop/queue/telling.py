"""What the queue says of itself, the same on its button, in its window and in messages."""

from __future__ import annotations

import time

from PySide6.QtCore import QObject, QTimer, Signal

from irvane.core.finish.journal import CANCELLED, DONE, FAILED, RUNNING, WAITING, Entry
from irvane.core.waits import Countdown, left_text
from irvane.desktop.plain import counted
from irvane.desktop.queue.runner import QueueRunner
from irvane.desktop.writing.strip import TICK


class QueueTelling(QObject):
    """Counts, shares and times of the queue.

    Signals
    -------
    told : something of it is new.

    Attributes
    ----------
    entries : as they stand in the journal. share : of the file that is being written.
    """

    told = Signal()

    def __init__(self, runner: QueueRunner) -> None:
        super().__init__(runner)
        self.runner = runner
        self.entries: list[Entry] = []
        self.share = 0.0
        self._timed, self._countdown = "", Countdown(0.0)
        self._ticking = QTimer(self, interval=TICK)
        self._ticking.timeout.connect(self.told)
        runner.changed.connect(self.read)
        runner.changed.connect(runner.estimate)
        runner.estimated.connect(self.told)
        runner.advanced.connect(self._advance)
        self.read()
        runner.estimate()

    def read(self) -> None:
        """Read the entries anew."""
        self.entries = self.runner.entries()
        running = self.runner.now is not None
        if not running:
            self.share = 0.0
        if running != self._ticking.isActive():
            self._ticking.start() if running else self._ticking.stop()
        self.told.emit()

    def _advance(self, share: float, left: float) -> None:
        self.share = share
        self._countdown.report(share, time.monotonic(), left)
        self.told.emit()

    def count(self, *states: str) -> int:
        """How many entries are in these states."""
        return sum(entry.state in states for entry in self.entries)

    @property
    def waiting(self) -> int:
        """Files that are still to be written, the one that is being written among them."""
        return self.count(WAITING, RUNNING)

    @property
    def share_of_all(self) -> float:
        """Of the files in the list that were not cancelled."""
        total = len(self.entries) - self.count(CANCELLED)
        done = total - self.waiting
        return (done + (self.share if self.runner.now is not None else 0.0)) / total if total else 0.0

    def left_of_file(self) -> str:
        """Time left of the file that is being written; empty while it is not known."""
        running = self.runner.now
        if running is None:
            return ""
        if running.id != self._timed:
            self._timed, self._countdown = running.id, Countdown(time.monotonic())
        return left_text(self._countdown.left(time.monotonic()))

    def left_of_all(self) -> str:
        """Time left of all; empty while it is not known."""
        expected, waiting = self.runner.expected, self.waiting
        running = self.runner.now is not None
        known = expected.count == waiting and expected.timed == expected.count
        if waiting > running and known:
            done = self._countdown.share if running else 0.0
            return left_text(expected.seconds * (waiting - done) / waiting)
        return self.left_of_file() if waiting == 1 else ""

    def words(self) -> str:
        """``3 to be written, 2 written, about 40 MB, 4 min left``"""
        if not self.entries:
            return "The queue is empty. Write, at the top of the window, puts the selected frames into it."
        parts = [f"{self.waiting} to be written", f"{self.count(DONE)} written"]
        if self.count(FAILED):
            parts.append(f"{self.count(FAILED)} failed")
        expected = self.runner.expected
        if self.waiting and expected.count == self.waiting and expected.size_words():
            parts.append(expected.size_words())
        if left := self.left_of_all():
            parts.append(f"{left} for all" if self.waiting > 1 else left)
        if self.runner.now is not None and self.runner.paused:
            parts.append("pauses after this file")
        elif self.waiting and self.runner.paused:
            parts.append("paused" if self.count(DONE) else "not started")
        return ", ".join(parts)

    def short(self) -> str:
        """For its button: ``3, 4 min left``; nothing while nothing waits."""
        if not self.waiting:
            return f"{self.count(FAILED)} failed" if self.count(FAILED) else ""
        if self.runner.now is None:
            return f"{self.waiting} paused"
        left = self.left_of_all()
        return f"{self.waiting}, {left}" if left else f"{self.waiting}, {self.share_of_all:.0%}"

    def of_file(self) -> str:
        """What is being written, how far, and for how long."""
        running = self.runner.now
        if running is None:
            return ""
        name = running.paths[0].rpartition("/")[2]
        left = self.left_of_file()
        more = f" and {counted(len(running.paths) - 1, 'more file')}" if len(running.paths) > 1 else ""
        return f"{name}{more}: {self.share:.0%}" + (f", {left}" if left else "")
