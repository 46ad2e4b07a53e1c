"""What is kept beside frames: once for all, as long as what it was made of, within a limit; and what several processes share."""

from __future__ import annotations

import gc
import subprocess
import sys
import threading
from pathlib import Path

import numpy as np
import pytest

from irvane.core.machine_share import MachineShare
from irvane.core.store.kept import Store, bytes_of


class _Thing:
    """Something that results are made of."""


def test_a_result_is_made_once_for_all_who_ask() -> None:
    store, thing, made = Store(), _Thing(), []
    ready = threading.Barrier(4)

    def make() -> np.ndarray:
        made.append(1)
        return np.ones(10)

    def ask() -> None:
        ready.wait()
        store.kept("tile", (thing,), (1, 2), make)

    threads = [threading.Thread(target=ask) for _ in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert len(made) == 1
    store.kept("tile", (thing,), (1, 3), make)
    store.kept("tile", (_Thing(),), (1, 2), make)
    assert len(made) == 3, "another key, another thing"
    assert store.found("tile", (thing,), (1, 2)) is not None and store.found("tile", (thing,), 5) is None


def test_it_goes_with_what_it_was_made_of() -> None:
    store, thing, other = Store(), _Thing(), _Thing()
    store.kept("tile", (thing, None, other), 1, lambda: np.zeros(1000))
    assert store.by_kind() == {"tile": 8000}
    del other
    gc.collect()
    assert store.nbytes == 0
    for _ in range(50):  # identities are used again
        fresh = _Thing()
        assert store.kept("tile", (fresh,), 1, lambda one=fresh: id(one)) == id(fresh)
        del fresh


def test_the_least_recently_used_goes_first() -> None:
    store, thing = Store(limit=25_000), _Thing()
    for number in range(3):
        store.kept("tile", (thing,), number, lambda: np.zeros(1000))
    store.kept("tile", (thing,), 0, lambda: pytest.fail("it is there"))
    store.kept("tile", (thing,), 3, lambda: np.zeros(1000))
    assert store.found("tile", (thing,), 1) is None and store.found("tile", (thing,), 0) is not None
    assert store.nbytes <= 25_000


def test_what_fails_is_tried_again_by_the_next() -> None:
    store, thing = Store(), _Thing()
    with pytest.raises(ZeroDivisionError):
        store.kept("tile", (thing,), 1, lambda: 1 // 0)
    assert store.kept("tile", (thing,), 1, lambda: 7) == 7


def test_bytes_are_those_of_arrays() -> None:
    assert bytes_of((np.zeros((10, 10), np.float32), [np.zeros(5, np.uint8)])) == 405


_OTHER = """
import sys, pathlib
from irvane.core.machine_share import MachineShare
share = MachineShare(pathlib.Path(sys.argv[1]))
print(share.take(int(sys.argv[2])), flush=True)
sys.stdin.read()
"""


def test_processes_share_what_the_machine_has(tmp_path: Path) -> None:
    one = MachineShare(tmp_path)
    assert one.take(1000) == 1000
    one.give_back()
    other = subprocess.Popen(
        [sys.executable, "-c", _OTHER, str(tmp_path), "600"], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
    )  # fmt: skip
    assert other.stdout is not None and other.stdin is not None
    assert int(other.stdout.readline()) == 600
    assert one.take(1000) == 400, "what the other leaves"
    assert one.take(700) == round(0.35 * 700), "and a third in any case"
    other.kill()
    other.wait()
    assert one.take(1000) == 1000, "one that was killed takes nothing"
    one.give_back()
    nowhere = tmp_path / "file"
    nowhere.write_text("")
    assert MachineShare(nowhere / "below").take(1000) == 1000, "without a place for files everyone is alone"
