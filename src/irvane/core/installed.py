"""Versions of the packages that Irvane stands on."""

from __future__ import annotations

from functools import lru_cache
from importlib.util import find_spec
from pathlib import Path


@lru_cache(maxsize=8)
def version_of(package: str) -> str:
    """From the name of its folder of facts: neither it nor a reader of such folders is loaded for that. Empty
    without one."""
    found = find_spec(package)
    if found is None or found.origin is None:
        return ""
    facts = Path(found.origin).parents[1].glob(f"{package}-*.dist-info")
    return next((f.name.removeprefix(f"{package}-").removesuffix(".dist-info") for f in facts), "")
