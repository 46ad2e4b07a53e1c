"""The order of names: p1, p2, p10."""

from __future__ import annotations

import re

_NUMBER = re.compile(r"(\d+)")


def natural_key(name: str) -> tuple[tuple[tuple[int, int, str], ...], str]:
    """What names are sorted by: numbers in them by their value, letters whatever their case; names that are
    the same so far by their signs."""
    parts = _NUMBER.split(name.casefold())
    return tuple((0, int(p), "") if p.isdecimal() else (1, 0, p) for p in parts if p), name
