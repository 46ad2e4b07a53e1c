"""One budget of threads: strips of a picture side by side, each worked on by one thread.

A strip passes through all steps in its thread, so that threads wait for each other once per picture and not once per
step. OpenCV is kept to the calling thread; kernels that need the whole frame at once use all cores by themselves.
"""

from __future__ import annotations

import os
import threading
from collections import deque
from collections.abc import Callable, Iterable, Iterator, Sized
from concurrent.futures import Future, ThreadPoolExecutor, wait
from itertools import pairwise
from typing import Any, TypeVar

import cv2

Item = TypeVar("Item")
Result = TypeVar("Result")

CORES = max(1, len(os.sched_getaffinity(0)))

cv2.setNumThreads(1)


#: The threads that work for the present one.
_OWN = threading.local()


def each(work: Callable[[Item], Result], items: Iterable[Item]) -> Iterator[Result]:
    """Results of `work` on items, in their order, made by as many threads as there are cores.

    No more than two items per core are under way at a time. A single item is done in the calling thread; other threads
    are kept for the next call from the same thread, whose priority they have. An exception of `work`, or closing the
    iterator, drops what has not begun.
    """
    if isinstance(items, Sized) and len(items) == 1:
        yield from map(work, items)
        return
    pool = getattr(_OWN, "pool", None)
    if pool is None:
        pool = _OWN.pool = ThreadPoolExecutor(CORES)
    under_way: deque[Future[Result]] = deque()
    try:
        for item in items:
            under_way.append(pool.submit(work, item))
            if len(under_way) >= 2 * CORES:
                yield under_way.popleft().result()
        while under_way:
            yield under_way.popleft().result()
    finally:
        for future in under_way:
            future.cancel()
        wait(under_way)


def together(first: Callable[[], Item], second: Callable[[], Result]) -> tuple[Item, Result]:
    """Results of two pieces of work that do not depend on each other."""
    works: tuple[Callable[[], Any], ...] = (first, second)
    one, other = each(lambda work: work(), works)
    return one, other


def strips(rows: int, smallest: int) -> list[tuple[int, int]]:
    """Half-open ranges that share out rows among the cores, two for each, none much smaller than `smallest`."""
    count = max(1, min(2 * CORES, rows // smallest))
    edges = [rows * k // count for k in range(count + 1)]
    return list(pairwise(edges))
