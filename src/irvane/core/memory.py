"""How much memory is free; what is not used any more goes back to the system."""

from __future__ import annotations

import ctypes
from collections.abc import Callable
from contextlib import suppress
from functools import lru_cache
from pathlib import Path

#: Bytes taken for free where the system does not tell.
_ASSUMED = 4_000_000_000


@lru_cache(maxsize=1)
def _trim() -> Callable[[int], int] | None:
    try:
        return ctypes.CDLL(None).malloc_trim  # of the GNU C library
    except (AttributeError, OSError):
        return None


def trim_heap() -> None:
    """Return freed memory: the C library keeps what large pictures were made in, up to a gigabyte of it."""
    trim = _trim()
    if trim is not None:
        trim(0)


def available() -> int:
    """Bytes of memory that are free for new work (Linux: MemAvailable)."""
    with suppress(OSError, ValueError):
        for line in Path("/proc/meminfo").read_text("ascii").splitlines():
            if line.startswith("MemAvailable:"):
                return int(line.split()[1]) * 1024
    return _ASSUMED
