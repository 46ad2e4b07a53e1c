"""Libraries that are loaded when they are first used: what does without them starts sooner."""

from __future__ import annotations

from importlib import import_module
from typing import Any


def _muted(exiv2: Any) -> None:
    """Damaged files are told in our own sentences."""
    exiv2.LogMsg.setLevel(exiv2.LogMsg.Level.mute)


#: What is done with a library as soon as it is loaded.
_AT_FIRST = {"exiv2": _muted}


class _Library:
    """Stands for a module until something of it is asked for."""

    def __init__(self, name: str) -> None:
        self._name = name

    def __getattr__(self, name: str) -> Any:
        module = import_module(self._name)
        if self._name in _AT_FIRST:
            _AT_FIRST[self._name](module)
        found = getattr(module, name)
        setattr(self, name, found)
        return found


def lazily(name: str) -> Any:
    """The module of this name, loaded with the first look into it."""
    return _Library(name)
