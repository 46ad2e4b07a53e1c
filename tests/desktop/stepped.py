"""Workers that go on only when they are told to, one step at a time: whatever order work takes, a number brings it back."""

from __future__ import annotations

import random
import threading
from collections.abc import Callable
from typing import Any

from irvane.core.errors import IrvaneError
from irvane.core.line.jobs import Work, Worker
from irvane.core.progress import Progress

#: Seconds after which a step that does not end is called a fault.
_LONGEST = 120.0


class Steps:
    """All workers of a window; :meth:`step` lets one of them, chosen by the seed, go on until its work next reports its share.

    A worker's thread and the caller never run at the same time.
    """

    def __init__(self, seed: int) -> None:
        self._chosen = random.Random(seed)
        self.workers: list[SteppedWorker] = []
        #: For :class:`irvane.core.line.jobs.Worker` in the modules of the window.
        self.worker = lambda *given, **named: SteppedWorker(self, *given, **named)

    def step(self) -> bool:
        """One step; False when there is nothing to be done."""
        able = [worker for worker in self.workers if not worker.idle()]
        if not able:
            return False
        self._chosen.choice(able).go_on()
        return True

    def end(self) -> None:
        """Let all go on by themselves, as at the end."""
        for worker in self.workers:
            worker.let_go()


class SteppedWorker(Worker):
    """A worker that waits before each job, and within a job wherever its share is told."""

    def __init__(
        self, steps: Steps, name: str, unexpected: Callable[[BaseException], IrvaneError], nice: int = 0
    ) -> None:
        self._go, self._there = threading.Semaphore(0), threading.Semaphore(0)
        self._one = threading.Lock()
        self._free = False
        super().__init__(name, unexpected)
        steps.workers.append(self)

    def submit(self, key: Any, work: Work, *given: Any, **named: Any) -> None:
        def stepped(progress: Progress) -> Any:
            def told(share: float) -> bool:
                self._pause()
                return progress(share)

            return work(told)

        super().submit(key, stepped, *given, **named)

    def _pause(self) -> None:
        with self._one:  # shares are told from several threads
            if not self._free:
                self._there.release()
                self._go.acquire()

    def _run(self) -> None:
        while True:
            self._go.acquire()
            with self._changed:
                job = self._take()
            if job is not None:
                self._do(job)
            elif not self._open:
                return
            if self._free:
                self._go.release()
                with self._changed:
                    while self._open and not self._waiting:
                        self._changed.wait()
            else:
                self._there.release()

    def go_on(self) -> None:
        """Work until a share is told or a job is done."""
        self._go.release()
        assert self._there.acquire(timeout=_LONGEST), f"a step of “{self._thread.name}” does not end"

    def let_go(self) -> None:
        """Go on without being told."""
        self._free = True
        self._go.release()
