"""Garbage is collected when nobody waits for the window."""

from __future__ import annotations

import gc
import weakref

import pytest
from PySide6.QtCore import QObject

from irvane.desktop import idle_collection
from irvane.desktop.idle_collection import IdleCollection


class _Knot:
    """An object that only a full collection frees."""

    def __init__(self) -> None:
        self.itself = self


def _much_made() -> None:
    """So many objects that the interpreter would begin a full collection by itself."""
    kept = []
    for _ in range(idle_collection._WORTH + 5):
        for _ in range(12):
            kept.append([[] for _ in range(1000)])


@pytest.mark.usefixtures("garbage_as_before", "qapp")
def test_nothing_is_collected_fully_while_the_window_is_at_work():
    parent, full = QObject(), []
    one = IdleCollection(lambda: False, parent)

    def noted(phase: str, info: dict[str, int]) -> None:
        if phase == "start" and info["generation"] == 2:
            full.append(1)

    gc.callbacks.append(noted)
    try:
        _much_made()
        one.look()
    finally:
        gc.callbacks.remove(noted)
    assert not full
    assert gc.get_count()[2] >= idle_collection._WORTH


@pytest.mark.usefixtures("garbage_as_before", "qapp")
def test_garbage_is_collected_once_the_window_rests():
    resting, parent = [False], QObject()
    one = IdleCollection(lambda: resting[0], parent)
    knot = _Knot()
    gone = weakref.ref(knot)
    gc.collect(1)  # it has grown old
    gc.collect(1)
    del knot
    _much_made()
    one.look()
    assert gone() is not None
    resting[0] = True
    one.look()
    assert gone() is None


@pytest.mark.usefixtures("garbage_as_before", "qapp")
def test_what_was_loaded_before_is_not_looked_through_again():
    parent = QObject()
    IdleCollection(lambda: True, parent)
    assert gc.get_freeze_count() > 10_000
    assert len(gc.get_objects()) < 5_000
