"""Memory that is not used any more goes back to the system."""

from __future__ import annotations

import ctypes
from collections.abc import Callable
from functools import lru_cache


@lru_cache(maxsize=1)
def _trim() -> Callable[[int], int] | None:
    try:
        return ctypes.CDLL(None).malloc_trim  # of the GNU C library
    except (AttributeError, OSError):
        return None


def give_back() -> None:
    """Return freed memory: the C library keeps what large pictures were made in, up to a gigabyte of it."""
    trim = _trim()
    if trim is not None:
        trim(0)
