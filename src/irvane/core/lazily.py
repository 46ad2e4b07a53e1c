"""Libraries that are loaded when they are first used: what does without them starts sooner."""

from __future__ import annotations

from importlib import import_module
from typing import Any


class _Library:
    """Stands for a module until something of it is asked for."""

    def __init__(self, name: str) -> None:
        self._name = name

    def __getattr__(self, name: str) -> Any:
        found = getattr(import_module(self._name), name)
        setattr(self, name, found)
        return found


def lazily(name: str) -> Any:
    """The module of this name, loaded with the first look into it."""
    return _Library(name)
