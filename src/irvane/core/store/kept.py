"""What is kept of work that was done, beside whole frames: one store, one limit, the least recently used goes
first.

An entry lives as long as everything that it was made of: that is held weakly, and known by identity.
"""

from __future__ import annotations

import threading
import weakref
from collections import OrderedDict, deque
from collections.abc import Callable, Hashable, Sequence
from dataclasses import dataclass, fields, is_dataclass
from typing import Any, TypeVar

import numpy as np

Made = TypeVar("Made")
#: Kind, the identities of what it was made of, and all else that it depends on.
_Key = tuple[str, tuple[int, ...], Hashable]
#: Bytes counted for what holds no arrays.
_LITTLE = 200
#: Bytes of the store before a program says how much it has.
_USUAL = 300_000_000
#: Entries at most, however small.
_MOST = 2000


def bytes_of(made: Any) -> int:
    """Memory of the arrays that a value holds, in bytes."""
    if isinstance(made, np.ndarray):
        return int(made.nbytes)
    if is_dataclass(made) and not isinstance(made, type):
        return sum(bytes_of(getattr(made, one.name)) for one in fields(made))
    if isinstance(made, tuple | list):
        return sum(map(bytes_of, made))
    return _LITTLE


@dataclass
class _Entry:
    made: Any
    size: int
    of: tuple[weakref.ref[object], ...]


class Store:
    """Results by what they were made of. May be used from any thread.

    Attributes
    ----------
    limit : bytes; what was used least recently is given up beyond them.
    """

    def __init__(self, limit: int = _USUAL) -> None:
        self.limit = limit
        self._lock = threading.Lock()
        self._entries: OrderedDict[_Key, _Entry] = OrderedDict()
        self._under_way: dict[_Key, threading.Event] = {}
        # told by the garbage collector, in whatever thread and moment: taken out at the next call
        self._dead: deque[_Key] = deque()

    def kept(self, kind: str, of: Sequence[object], key: Hashable, make: Callable[[], Made]) -> Made:
        """What `make` gives, made once, whoever asks.

        Parameters
        ----------
        kind : of result, such as ``guide``. of : objects it is made of, by identity; None counts as nothing.
        key : all else that it depends on, by value.
        """
        name = _name(kind, of, key)
        while True:
            with self._lock:
                entry = self._entry(name)
                if entry is not None:
                    made: Made = entry.made
                    return made
                other = self._under_way.get(name)
                if other is None:
                    self._under_way[name] = threading.Event()
            if other is None:
                break
            other.wait()
        try:
            made = make()
            self._put(name, of, made)
            return made
        finally:
            with self._lock:
                self._under_way.pop(name).set()

    def found(self, kind: str, of: Sequence[object], key: Hashable) -> tuple[Any] | None:
        """What is there, in a tuple; None when nothing is."""
        with self._lock:
            entry = self._entry(_name(kind, of, key))
            return None if entry is None else (entry.made,)

    def _entry(self, name: _Key) -> _Entry | None:
        self._bury()
        entry = self._entries.get(name)
        if entry is not None:
            self._entries.move_to_end(name)
        return entry

    def _put(self, name: _Key, of: Sequence[object], made: object) -> None:
        tell = self._dead.append
        held = tuple(weakref.ref(one, lambda _gone: tell(name)) for one in of if one is not None)
        gone = []
        with self._lock:
            self._bury()
            self._entries[name] = _Entry(made, bytes_of(made), held)
            total = sum(entry.size for entry in self._entries.values())
            while len(self._entries) > 1 and (total > self.limit or len(self._entries) > _MOST):
                _, entry = self._entries.popitem(last=False)
                total -= entry.size
                gone.append(entry)
        gone.clear()  # freed after the lock: that takes a while

    def _bury(self) -> None:
        """Take out what was made of something that is no more; call with the lock held."""
        while self._dead:
            name = self._dead.popleft()
            entry = self._entries.get(name)
            # another object may have its identity by now
            if entry is not None and any(one() is None for one in entry.of):
                del self._entries[name]

    @property
    def nbytes(self) -> int:
        """Memory of what is kept."""
        return sum(self.by_kind().values())

    def by_kind(self) -> dict[str, int]:
        """Bytes that are kept, by kinds of results."""
        with self._lock:
            self._bury()
            found: dict[str, int] = {}
            for (kind, _, _), entry in self._entries.items():
                found[kind] = found.get(kind, 0) + entry.size
            return found

    def clear(self) -> None:
        """Nothing is kept any more; what is still needed is made again."""
        with self._lock:
            gone, self._entries = self._entries, OrderedDict()
        gone.clear()


def _name(kind: str, of: Sequence[object], key: Hashable) -> _Key:
    return kind, tuple(map(id, of)), key


#: The store of this process.
STORE = Store()
