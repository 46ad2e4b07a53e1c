"""Runs the queue in the background; what is looked at comes first."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QObject, Signal

from irvane.core.errors import IrvaneError
from irvane.core.finish.estimates import Estimate, estimated
from irvane.core.finish.journal import FAILED, RUNNING, Entry, Journal, Wanted
from irvane.core.finish.queue import next_waiting, write_entry
from irvane.core.line.jobs import Worker
from irvane.core.progress import Progress
from irvane.desktop.filework import unexpected

#: How much nicer the queue's thread is than the others.
_NICE = 15
#: Seconds a megapixel that are assumed before one was written here.
_PACE = 0.6


class QueueRunner(QObject):
    """The queue of this user, run by this window while it is not paused.

    Signals
    -------
    changed : entries or their states changed. advanced(share, seconds left) : of the entry that is being
        written.
    said(sentence). estimated : `expected` is new.
    """

    changed = Signal()
    advanced = Signal(float, float)
    said = Signal(str)
    estimated = Signal()
    _next = Signal()

    def __init__(self, parent: QObject, journal: Journal | None = None) -> None:
        super().__init__(parent)
        self.journal = journal or Journal()
        self._worker = Worker("queue", unexpected, nice=_NICE)
        self._estimator = Worker("estimates", unexpected, nice=_NICE)
        self.expected = Estimate()
        self.paused = True
        self.now: Entry | None = None
        self._held: Any = None
        self._next.connect(self._go_on)

    def entries(self) -> list[Entry]:
        """All entries, in their order."""
        return self.journal.entries()

    def make_good(self) -> None:
        """What a crash left half written waits again; not where another window is writing it."""
        with self.journal.running() as free:
            if free:
                self.journal.make_good()

    def add(self, wanted: list[Wanted], how: Any, at_once: bool = True) -> None:
        """Put files into the queue, and begin."""
        try:
            self.journal.add(wanted, how)
        except IrvaneError as error:
            self.said.emit(str(error))
            return
        self.changed.emit()
        if at_once:
            self.start()

    def start(self) -> None:
        """Begin, or go on."""
        if self._held is None:
            held = self.journal.running()
            if not held.__enter__():
                self.said.emit("Another window, or the command line, is writing this queue.")
                held.__exit__(None, None, None)
                return
            self._held = held
            self.journal.make_good()
        self.paused = False
        self._go_on()

    def pause(self) -> None:
        """Write no further file; the one that is being written is finished."""
        self.paused = True
        if self.now is not None:
            self.said.emit("The queue pauses after this file.")
        self.changed.emit()

    def stop_this(self) -> None:
        """Stop the file that is being written; it waits again."""
        self.paused = True
        self._worker.cancel(lambda _key: True)
        self._over()

    def _go_on(self) -> None:
        if self.now is not None:
            return
        if self.paused:
            self._over()
            return
        entry = next_waiting(self.journal)
        if entry is None:
            self._over()
            return
        self.now = entry

        def work(progress: Progress) -> Entry:
            return write_entry(self.journal, entry, progress)

        def done(made: Entry) -> None:
            self.now = None
            if made.state == FAILED:
                self.said.emit(made.reason)
            self._next.emit()
            self.changed.emit()

        def failed(error: IrvaneError) -> None:
            self.now, self.paused = None, True
            self.said.emit(str(error))
            self.changed.emit()

        self._worker.submit(("entry", entry.id), work, done, failed, 5, self.advanced.emit)
        self.changed.emit()

    def _over(self) -> None:
        """Nothing is written any more: others may run the queue."""
        self.now = None
        if self._held is not None:
            self._held.__exit__(None, None, None)
            self._held = None
        self.changed.emit()

    def cancel(self, ids: list[str]) -> None:
        """Do not write these; the one that is being written is stopped."""
        running = self.now is not None and self.now.id in ids
        was_paused = self.paused
        if running:
            self.stop_this()
        self.journal.cancel(ids)
        if running and not was_paused:
            self.start()
        self.changed.emit()

    def retry(self, ids: list[str]) -> None:
        """Put these back."""
        self.journal.retry(ids)
        self.changed.emit()
        if not self.paused:
            self.start()

    def move(self, ids: list[str], by: int) -> None:
        """Move entries up (−1), down (+1), or to the front (0)."""
        order = [entry.id for entry in self.entries()]
        if by == 0:
            order = [key for key in order if key in ids] + [key for key in order if key not in ids]
        for key in ids if by <= 0 else reversed(ids):
            if by:
                place = order.index(key)
                order.insert(min(max(place + by, 0), len(order) - 1), order.pop(place))
        self.journal.put_in_order(order)
        self.changed.emit()

    def clear(self) -> None:
        """Forget what is over."""
        self.journal.remove([entry.id for entry in self.entries() if entry.over])
        self.changed.emit()

    def estimate(self) -> None:
        """Estimate size and time of what waits, beside the window's work; `estimated` tells."""
        open_ = [entry for entry in self.entries() if not entry.over]

        def work(_progress: Progress) -> Estimate:
            return estimated(open_)

        self._estimator.submit(("estimate",), work, self._estimated, lambda _error: None, 5)

    def _estimated(self, told: Estimate) -> None:
        self.expected = told
        self.estimated.emit()

    def idle(self) -> bool:
        """True when nothing is being written."""
        return self.now is None and self._worker.idle()

    def close(self) -> None:
        """Stop; what was being written waits for the next start."""
        self.paused = True
        self._worker.close()
        self._estimator.close()
        for entry in self.entries():
            if entry.state == RUNNING and self._held is not None:
                self.journal.tell(entry, "waiting")
        if self._held is not None:
            self._held.__exit__(None, None, None)
            self._held = None
