"""A worker thread that always does the most urgent job; the interface and the queue hand it their work.

A newer job with the key of an older one supersedes it, or takes the place of one that waits. Long jobs report
their share through a callback; there the worker also does more urgent jobs that came in meanwhile, so what is
visible is never behind a whole frame.
"""

from __future__ import annotations

import itertools
import os
import threading
import time
from collections.abc import Callable, Hashable
from contextlib import suppress
from dataclasses import dataclass, field
from typing import Any

from irvane.core.errors import Cancelled, IrvaneError
from irvane.core.progress import Progress

Work = Callable[[Progress], Any]

#: Seconds between two reports of a job's share.
_REPORT_EVERY = 0.1


@dataclass(order=True)
class _Job:
    urgency: int
    number: int
    key: Hashable = field(compare=False)
    work: Work = field(compare=False)
    done: Callable[[Any], None] = field(compare=False)
    failed: Callable[[IrvaneError], None] = field(compare=False)
    report: Callable[[float, float], None] | None = field(compare=False)
    cancelled: bool = field(default=False, compare=False)
    over: bool = field(default=False, compare=False)
    share: float = field(default=0.0, compare=False)


class Worker:
    """One thread with a queue of jobs.

    Parameters
    ----------
    name : name of the thread.
    unexpected : called with any exception that is not an :class:`IrvaneError`; its sentence is what fails the
        job.
    nice : added to the niceness of the thread (and of those it starts), so that it yields to more urgent
        threads.
    """

    def __init__(self, name: str, unexpected: Callable[[BaseException], IrvaneError], nice: int = 0) -> None:
        self._unexpected = unexpected
        self._nice = nice
        self._waiting: list[_Job] = []
        self._running: list[_Job] = []
        self._numbers = itertools.count()
        self._changed = threading.Condition()
        self._open = True
        self._thread = threading.Thread(target=self._run, name=name, daemon=True)
        self._thread.start()

    def submit(
        self,
        key: Hashable,
        work: Work,
        done: Callable[[Any], None],
        failed: Callable[[IrvaneError], None],
        urgency: int = 5,
        report: Callable[[float, float], None] | None = None,
        let_finish: bool = False,
    ) -> None:
        """Queue a job; smaller `urgency` goes first.

        With `let_finish` an older job of this key that runs already is finished and its result told: while
        they follow each other faster than they can be done, something is seen.

        `work` gets a progress callback and its result goes to `done`; both run in the worker's thread. A
        cancelled job calls neither `done` nor `failed`. `report` gets the share done and the seconds left.
        """
        with self._changed:
            self._cancel(lambda other: other == key, not let_finish)
            self._waiting.append(_Job(urgency, next(self._numbers), key, work, done, failed, report))
            self._changed.notify()

    def has(self, key: Hashable) -> bool:
        """Is a job with this key waiting or running (and not cancelled)?"""
        return self.share(key) is not None

    def share(self, key: Hashable) -> float | None:
        """The share of a job that is done; None when no job with this key waits or runs."""
        with self._changed:
            under_way = (
                job for job in (*self._waiting, *self._running) if not job.cancelled and not job.over
            )
            jobs = (job for job in under_way if job.key == key)
            return next((job.share for job in jobs), None)

    def cancel(self, chosen: Callable[[Any], bool], running: bool = True) -> None:
        """Cancel the jobs whose key is `chosen`; those that run already only if `running`."""
        with self._changed:
            self._cancel(chosen, running)

    def idle(self) -> bool:
        """True when nothing waits or runs."""
        with self._changed:
            return not self._waiting and not self._running

    def close(self, finish: Callable[[Any], bool] = lambda _key: False, seconds: float = 10.0) -> None:
        """End the thread: jobs whose key is to `finish` are still done, all others are cancelled."""
        with self._changed:
            self._open = False
            self._cancel(lambda key: not finish(key))
            self._changed.notify()
        self._thread.join(seconds)

    def _cancel(self, chosen: Callable[[Any], bool], running: bool = True) -> None:
        self._waiting = [job for job in self._waiting if not chosen(job.key)]
        for job in self._running if running else ():
            if chosen(job.key):
                job.cancelled = True

    def _take(self, more_urgent_than: int | None = None) -> _Job | None:
        """The next job, moved to the running ones; call with the lock held."""
        if not self._waiting:
            return None
        job = min(self._waiting)
        if more_urgent_than is not None and job.urgency >= more_urgent_than:
            return None
        self._waiting.remove(job)
        self._running.append(job)
        return job

    def _run(self) -> None:
        if self._nice and hasattr(os, "setpriority"):
            with suppress(OSError):  # without it everything works, only less smoothly
                os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), self._nice)
        while True:
            with self._changed:
                while self._open and not self._waiting:
                    self._changed.wait()
                job = self._take()
                if job is None:
                    return
            self._do(job)
            job = None  # while nothing is to be done, what it worked on is not kept

    def _do(self, job: _Job) -> None:
        started = time.monotonic()
        lent = 0.0  # seconds given to more urgent jobs
        reported = 0.0

        def progress(share: float) -> bool:
            nonlocal lent, reported
            further, job.share = share > job.share, share
            while not job.cancelled:
                with self._changed:
                    urgent = self._take(job.urgency)
                if urgent is None:
                    break
                begun = time.monotonic()
                self._do(urgent)
                lent += time.monotonic() - begun
            now = time.monotonic()
            if job.report is not None and further and now - reported > _REPORT_EVERY:
                reported = now
                job.report(share, (now - started - lent) * (1 - share) / share)
            return not job.cancelled

        try:
            result = job.work(progress)
        except Cancelled:
            pass
        except IrvaneError as error:
            self._finish(job, job.failed, error)
        except Exception as error:  # a fault in one job must not end the thread
            self._finish(job, job.failed, self._unexpected(error))
        else:
            job.over = True  # who hears of it may ask for the next one of this key
            self._finish(job, job.done, result)
        finally:
            with self._changed:
                self._running.remove(job)

    @staticmethod
    def _finish(job: _Job, tell: Callable[[Any], None], what: Any) -> None:
        if not job.cancelled:
            tell(what)
