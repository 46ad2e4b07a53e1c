"""Giving memory back to the system after heavy work."""

from __future__ import annotations

import ctypes


def release_memory() -> None:
    """Return what was freed in small pieces; the C library keeps it otherwise. Does nothing where it cannot."""
    try:
        ctypes.CDLL(None).malloc_trim(0)
    except (AttributeError, OSError):
        return
