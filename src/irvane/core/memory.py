"""How much memory is free; what is not used any more goes back to the system."""

from __future__ import annotations

import ctypes
from collections.abc import Callable
from contextlib import suppress
from functools import lru_cache
from pathlib import Path
from typing import NamedTuple

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


def total() -> int:
    """Bytes of memory that the machine has, or that this process may use of it (control group, version 2)."""
    found = _ASSUMED
    with suppress(OSError, ValueError):
        for line in Path("/proc/meminfo").read_text("ascii").splitlines():
            if line.startswith("MemTotal:"):
                found = int(line.split()[1]) * 1024
    with suppress(OSError, ValueError):
        found = min(found, int(Path("/sys/fs/cgroup/memory.max").read_text("ascii")))
    return found


def usual_budget() -> int:
    """Bytes that this program takes by itself: a quarter of the machine's memory, 1 to 6 GB."""
    return int(min(max(total() / 4, 1e9), 6e9))


#: M_MMAP_THRESHOLD and M_ARENA_MAX of <malloc.h>. Arrays from so many bytes on have memory of their own,
#: which goes back when they are freed and does not stay in a heap that others have filled behind it; and
#: there are only so many heaps for all threads.
_THRESHOLD, _OWN, _HEAPS, _FEW = -3, 2 << 20, -8, 4


@lru_cache(maxsize=1)
def give_large_arrays_back() -> None:
    """From now on the memory of large arrays goes back to the system as soon as they are freed (GNU C
    library)."""
    library = ctypes.CDLL(None)
    if hasattr(library, "mallopt"):
        library.mallopt(_THRESHOLD, _OWN)
        library.mallopt(_HEAPS, _FEW)


def available() -> int:
    """Bytes of memory that are free for new work (Linux: MemAvailable)."""
    with suppress(OSError, ValueError):
        for line in Path("/proc/meminfo").read_text("ascii").splitlines():
            if line.startswith("MemAvailable:"):
                return int(line.split()[1]) * 1024
    return _ASSUMED


#: Bytes that the libraries, the window and what is being computed take beside the frames, of a budget for
#: all; frames have at least this much all the same.
_BESIDE, _LEAST = 700_000_000, 400_000_000
#: Share of a budget that frames may keep which no pane shows: they are made again in seconds, denoised from
#: disk.
_UNSEEN = 0.17
#: Share of it for results that are kept beside frames, part of what lies beside them, and the least that they
#: have.
_KEPT, _LEAST_KEPT = 0.06, 150_000_000


class Budgets(NamedTuple):
    """Bytes for frames, of these for frames that no pane shows, and for what is kept beside frames."""

    frames: int
    unseen: int
    kept: int


def budgets(whole: int | None = None) -> Budgets:
    """How the bytes that the program may take altogether (None: as the machine has it) are divided."""
    whole = usual_budget() if whole is None else whole
    frames = max(whole - _BESIDE, _LEAST)
    return Budgets(frames, min(frames, round(_UNSEEN * whole)), max(round(_KEPT * whole), _LEAST_KEPT))
