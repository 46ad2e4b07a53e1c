"""Steps of undo: what was changed in the proofs of an item, and which frames are a set."""

from __future__ import annotations

import time
from typing import Any

from PySide6.QtGui import QUndoCommand

from irvane.core.files.frame_sets import BRACKET
from irvane.core.files.proofs import Sidecar, gone_over, with_identities
from irvane.desktop.item import Item

#: Changes of one setting within this many seconds become one step of undo.
_ONE_GESTURE = 0.9
#: What an item is in: the members of its set, its EV among them, and the kind of the set.
Together = tuple[tuple[int, ...], float | None, str]


class Change(QUndoCommand):
    """One undoable change of an item's proofs."""

    def __init__(self, session: Any, item: Item, after: Sidecar, text: str, gesture: str) -> None:
        super().__init__(text)
        self._session, self._item = session, item
        self._before, self._after = item.sidecar, after
        self._gesture, self._time = gesture, time.monotonic()
        session.changes.add(self)

    def id(self) -> int:
        return 1 if self._gesture else -1

    def mergeWith(self, other: QUndoCommand) -> bool:  # noqa: N802
        if not isinstance(other, Change) or other._item is not self._item or other._gesture != self._gesture:
            return False
        if other._time - self._time > _ONE_GESTURE:
            return False
        self._after, self._time = other._after, other._time
        self.setText(other.text())
        return True

    def redo(self) -> None:
        self._go(self._before, self._after)

    def undo(self) -> None:
        self._go(self._after, self._before)

    def rename(self, item: Item, renamed: dict[str, str]) -> None:
        """Proofs of an item have other identities from now on."""
        if item is self._item:
            self._before = with_identities(self._before, renamed)
            self._after = with_identities(self._after, renamed)

    def _go(self, here: Sidecar, there: Sidecar) -> None:
        """From one state to another; what another window changed meanwhile stays."""
        now = self._item.sidecar
        self._session.put(self._item, there if now == here else gone_over(here, there, now))


class TogetherChange(QUndoCommand):
    """Frames become one set, or leave theirs."""

    def __init__(self, session: Any, numbers: tuple[int, ...]) -> None:
        super().__init__("one set" if len(numbers) > 1 else "out of its set")
        self._session = session
        items = session.items
        touched = {n for k in numbers for n in (*items[k].bracket, k) if n in items}
        self._before: dict[int, Together] = {
            n: (items[n].bracket, items[n].offset, items[n].set_kind) for n in touched
        }
        order = {n: place for place, n in enumerate(session.order)}
        members = tuple(sorted(numbers, key=lambda n: order.get(n, 0))) if len(numbers) > 1 else ()
        self._after: dict[int, Together] = {}
        for number in touched:
            left = tuple(n for n in items[number].bracket if n not in numbers)
            together = members if number in numbers else left if len(left) > 1 else ()
            kind = items[number].set_kind if together == left else BRACKET
            self._after[number] = (together, self._offset(number, together), kind)

    def _offset(self, number: int, members: tuple[int, ...]) -> float | None:
        values = [self._session.items[n].info.exposure_value for n in members]
        own = self._session.items[number].info.exposure_value
        known = sorted(v for v in values if v is not None)
        return None if own is None or not known else round(own - known[len(known) // 2], 2)

    def redo(self) -> None:
        self._session.put_together(self._after)

    def undo(self) -> None:
        self._session.put_together(self._before)
