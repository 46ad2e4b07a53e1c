"""The commands, a file each: its name is the word (a dash for a line below), ``add_parser`` says what it
takes, ``run`` does it.

A command that computes pictures says so by ``COMPUTES``. Files whose names begin with a line below are what
commands share.
"""

from __future__ import annotations

from importlib import import_module
from pkgutil import iter_modules
from typing import Any


def words() -> tuple[str, ...]:
    """The words of all commands."""
    names = (module.name for module in iter_modules(__path__))
    return tuple(name.replace("_", "-") for name in names if not name.startswith("_"))


def command(word: str) -> Any:
    """The module of a command, loaded when it is asked for: each needs other libraries."""
    return import_module(f"{__name__}.{word.replace('-', '_')}")
