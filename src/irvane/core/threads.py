"""One budget of threads: strips of a picture side by side, each worked on by one thread.

A strip passes through all steps in its thread, so that threads wait for each other once per picture and not
once per step. OpenCV is kept to the calling thread; kernels that need the whole frame at once are spread over
all cores.
"""

from __future__ import annotations

import os
import threading
from collections import deque
from collections.abc import Callable, Iterable, Iterator, Sized
from concurrent.futures import Future, ThreadPoolExecutor, wait
from contextlib import contextmanager, nullcontext, suppress
from itertools import pairwise
from typing import Any, TypeVar

import cv2

Item = TypeVar("Item")
Result = TypeVar("Result")

CORES = max(1, len(os.sched_getaffinity(0)))

cv2.setNumThreads(1)


#: State of each thread: the threads that help it, the check that stops work it does for another thread, and
#: how many cores that work may use.
_OWN = threading.local()
#: Seconds between two calls of what is done while others work.
_LOOK_UP = 0.03
#: Rows (or whatever a kernel goes through) that are worth a thread.
_SMALLEST = 8
#: How much nicer threads are that give way to what is done meanwhile, and less so with every step that this
#: is nested.
_GIVING_WAY, _DEEPER = 5, 3


class _Stop:
    """Whether a piece of work is still wanted, and what to call once it is not."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._calls: list[Callable[[], None]] = []
        self._stopped = False

    def fire(self) -> None:
        with self._lock:
            self._stopped = True
            for call in self._calls:
                call()

    @contextmanager
    def calling(self, call: Callable[[], None]) -> Iterator[None]:
        with self._lock:
            if self._stopped:
                call()
            self._calls.append(call)
        try:
            yield
        finally:
            with self._lock:
                self._calls.remove(call)


@contextmanager
def stopping(call: Callable[[], None]) -> Iterator[None]:
    """Inside of it, `call` is called (by another thread) when what the present thread works at is not wanted
    any more."""
    stop: _Stop | None = getattr(_OWN, "stop", None)
    with nullcontext() if stop is None else stop.calling(call):
        yield


def _room() -> int:
    """How many cores the present thread may use: those that others like it do not work on."""
    return int(getattr(_OWN, "room", CORES))


def _pool(gives_way: bool) -> ThreadPoolExecutor:
    """Threads that work for the present one; others for what it does meanwhile.

    Those of background work that gives way to other work have a lower priority than what is done meanwhile.
    """
    pools: dict[tuple[int, bool], ThreadPoolExecutor] = _OWN.__dict__.setdefault("pools", {})
    depth: int = getattr(_OWN, "depth", 0)
    if (depth, gives_way) not in pools:
        lower = max(_GIVING_WAY - _DEEPER * depth, 0) if gives_way else 0
        pools[depth, gives_way] = ThreadPoolExecutor(CORES, initializer=_lower_priority, initargs=(lower,))
    return pools[depth, gives_way]


def _lower_priority(by: int) -> None:
    thread = threading.get_native_id()
    if by and hasattr(os, "setpriority") and (now := os.getpriority(os.PRIO_PROCESS, thread)) > 0:
        with suppress(OSError):  # without it everything works, only less smoothly
            os.setpriority(os.PRIO_PROCESS, thread, now + by)


def _result(future: Future[Result], meanwhile: Callable[[], None] | None) -> Result:
    while meanwhile is not None and not wait((future,), _LOOK_UP).done:
        _OWN.depth = getattr(_OWN, "depth", 0) + 1
        try:
            meanwhile()
        finally:
            _OWN.depth -= 1
    return future.result()


def each(
    work: Callable[[Item], Result], items: Iterable[Item], meanwhile: Callable[[], None] | None = None
) -> Iterator[Result]:
    """Results of `work` on items, in their order, made by as many threads as there are cores.

    No more than two items per core are under way at a time. A single item is done in the calling thread;
    other threads are kept for the next call from the same thread, whose priority they have. `meanwhile` is
    called again and again while the calling thread waits; it may do other work, with other threads. An
    exception of `work` or `meanwhile`, or closing the iterator, drops what has not begun and stops what can
    be stopped.
    """
    if meanwhile is None and isinstance(items, Sized) and len(items) == 1:
        yield from map(work, items)
        return
    pool, stop = _pool(meanwhile is not None), _Stop()
    beside = len(items) if isinstance(items, Sized) else CORES
    room = max(1, _room() // max(1, min(beside, CORES)))

    def stoppable(item: Item) -> Result:
        _OWN.stop, _OWN.room = stop, room
        try:
            return work(item)
        finally:
            _OWN.stop, _OWN.room = None, CORES

    under_way: deque[Future[Result]] = deque()
    try:
        for item in items:
            under_way.append(pool.submit(stoppable, item))
            if len(under_way) >= 2 * CORES:
                yield _result(under_way.popleft(), meanwhile)
        while under_way:
            yield _result(under_way.popleft(), meanwhile)
    finally:
        for future in under_way:
            future.cancel()
        stop.fire()
        wait(under_way)


def share_out(kernel: Callable[..., None], count: int, *given: object) -> None:
    """Call ``kernel(begin, end, *given)`` for parts of ``range(count)`` that make up all of it, on all
    threads.

    Where as many threads as there are cores work beside this one already, it is called once.
    """
    parts = [(0, count)] if _room() == 1 else strips(count, _SMALLEST)
    for _ in each(lambda part: kernel(*part, *given), parts):
        pass


def together(first: Callable[[], Item], second: Callable[[], Result]) -> tuple[Item, Result]:
    """Results of two pieces of work that do not depend on each other."""
    works: tuple[Callable[[], Any], ...] = (first, second)
    one, other = each(lambda work: work(), works)
    return one, other


def strips(rows: int, smallest: int) -> list[tuple[int, int]]:
    """Half-open ranges that share out rows among the cores, two for each, none much smaller than
    `smallest`."""
    count = max(1, min(2 * CORES, rows // smallest))
    edges = [rows * k // count for k in range(count + 1)]
    return list(pairwise(edges))
