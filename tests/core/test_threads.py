"""Work shared among threads: what is done meanwhile, and how it is stopped."""

from __future__ import annotations

import os
import threading
import time
from collections.abc import Callable
from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest
import shots

from irvane.core.errors import Cancelled, IrvaneError
from irvane.core.image import BAYER, SIX_BY_SIX, Mosaic
from irvane.core.line.jobs import Worker
from irvane.core.noise.denoise import BEST, FAST, denoise_mosaic, method_for
from irvane.core.threads import CORES, each, share_out, stopping, strips

GAINS = 1 / shots.NEUTRAL


def test_other_work_is_done_meanwhile_by_other_threads() -> None:
    """What waits for all threads of the present one would wait for ever if the meanwhile used the same."""
    free, nested = threading.Event(), []

    def wait(number: int) -> int:
        assert free.wait(20)
        return number

    def meanwhile() -> None:
        nested.extend(each(lambda n: n * n, range(5)))
        free.set()

    assert list(each(wait, range(6), meanwhile)) == list(range(6))
    assert nested[:5] == [0, 1, 4, 9, 16]


def test_what_is_not_wanted_is_stopped_in_the_middle() -> None:
    begun, ended = threading.Event(), []

    def work(number: int) -> None:
        over = threading.Event()
        with stopping(over.set):
            begun.set()
            ended.append((number, over.wait(20)))

    def meanwhile() -> None:
        if begun.is_set():
            raise Cancelled

    with pytest.raises(Cancelled):
        list(each(work, range(40), meanwhile))
    assert 1 <= len(ended) < 40
    assert all(stopped for _, stopped in ended)


def test_what_begins_too_late_is_stopped_at_once() -> None:
    late = threading.Event()
    threads = []

    def work(_number: int) -> None:
        threads.append(threading.current_thread())
        assert late.wait(20)
        over = threading.Event()
        with stopping(over.set):
            assert over.is_set()

    def meanwhile() -> None:
        threading.Timer(0.1, late.set).start()
        raise Cancelled

    with pytest.raises(Cancelled):
        list(each(work, range(2), meanwhile))
    assert threads


def test_nothing_stops_work_that_is_nobodys() -> None:
    with stopping(lambda: pytest.fail("nobody asked for it")):
        pass


@pytest.mark.parametrize("cfa", [BAYER, SIX_BY_SIX], ids=["bayer", "six"])
def test_denoising_ends_in_the_middle_of_a_network(cfa: np.ndarray) -> None:
    """OpenVINO gives up between two layers; no tile is finished."""
    finished: list[int] = []
    usual = method_for(cfa, BEST)

    def tile(*given: object) -> np.ndarray:
        result = usual.tile(*given)  # type: ignore[arg-type]
        finished.append(1)
        return result

    calls = iter([True, True])
    dirty = Mosaic(np.full((1056, 1056), 0.2, np.float32), cfa)
    with pytest.raises(Cancelled):
        denoise_mosaic(
            dirty, shots.noise_of(6400), GAINS, progress=lambda _share: next(calls, False),
            method=replace(usual, tile=tile),
        )  # fmt: skip
    assert not finished


def test_urgent_work_does_not_wait_for_a_tile() -> None:
    order: list[str] = []
    over = threading.Event()
    worker = Worker("test", lambda error: IrvaneError(str(error)))
    dirty = Mosaic(np.full((1056, 1056), 0.2, np.float32), BAYER)

    def denoise(kind: str) -> Callable[[Callable[[float], bool]], object]:
        method = method_for(BAYER, kind)
        return lambda progress: denoise_mosaic(
            dirty, shots.noise_of(6400), GAINS, progress=progress, method=method
        )

    def begin(progress: Callable[[float], bool]) -> object:
        worker.submit("fast", denoise(FAST), lambda _: order.append(FAST), lambda _: None, urgency=1)
        return denoise(BEST)(progress)

    def done(_made: object) -> None:
        order.append(BEST)
        over.set()

    worker.submit("best", begin, done, lambda _: None, urgency=5)
    assert over.wait(60)
    worker.close()
    assert order == [FAST, BEST]


def test_what_follows_too_fast_is_seen_all_the_same() -> None:
    """Jobs that take longer than the next one is away: those that run are finished, those that wait are replaced."""
    worker = Worker("test", lambda error: IrvaneError(str(error)))
    told: list[int] = []
    begun = threading.Semaphore(0)
    go_on = threading.Semaphore(0)

    def work(number: int) -> int:
        begun.release()
        assert go_on.acquire(timeout=20)
        return number

    for number in range(4):
        worker.submit("view", lambda _p, n=number: work(n), told.append, lambda _: None, let_finish=True)
        if number == 0:
            assert begun.acquire(timeout=20)
    go_on.release(2)
    assert begun.acquire(timeout=20)
    while not worker.idle():
        threading.Event().wait(0.01)
    assert told == [0, 3]
    worker.submit("view", lambda _p: work(5), told.append, lambda _: None)
    assert begun.acquire(timeout=20)
    worker.cancel(lambda key: key == "view", running=False)
    assert worker.has("view")
    worker.cancel(lambda key: key == "view")
    go_on.release()
    worker.close()
    assert told == [0, 3], "cancelled"


def test_what_is_done_meanwhile_has_the_higher_priority() -> None:
    # setpriority(2): on Linux a thread has a nice value of its own; larger is less urgent
    def priority(_item: int = 0) -> int:
        return os.getpriority(os.PRIO_PROCESS, threading.get_native_id())

    def slow(_item: int) -> int:
        time.sleep(0.2)
        return priority()

    found: dict[str, list[int]] = {"meanwhile": []}

    def background() -> None:
        os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), 5)
        found["own"] = [priority()]
        found["plain"] = list(each(priority, range(4)))
        found["long"] = list(each(slow, range(2), lambda: found["meanwhile"].extend(each(priority, [1, 2]))))

    thread = threading.Thread(target=background)
    thread.start()
    thread.join()
    assert found["own"] == [5]
    assert set(found["plain"]) == set(found["meanwhile"]) == {5}, "no lower than who asked"
    assert min(found["long"]) > 5


def test_the_foreground_keeps_its_priority() -> None:
    def priority(_item: int = 0) -> int:
        return os.getpriority(os.PRIO_PROCESS, threading.get_native_id())

    if priority():
        pytest.skip("these tests run in the background")
    assert list(each(priority, range(2), lambda: None)) == [0, 0]


def test_a_loop_is_shared_out_once_and_only_among_idle_cores() -> None:
    done: list[tuple[int, int]] = []

    def kernel(begin: int, end: int, more: int) -> None:
        done.append((begin, end))
        assert more == 7

    share_out(kernel, 1000, 7)
    assert sorted(done)[0][0] == 0 and sorted(done)[-1][1] == 1000
    assert all(a[1] == b[0] for a, b in pairwise(sorted(done)))
    assert len(done) > 1 or CORES == 1

    def parts_within(items: int) -> int:
        done.clear()
        list(
            each(
                lambda number: share_out(kernel, 1000, 7) if number == 0 else None,
                list(range(items)),
                lambda: None,
            )
        )
        return len(done)

    assert parts_within(CORES) == 1, "the others are at work, too"
    assert parts_within(1) == len(strips(1000, 8)), "it works alone for another thread"
