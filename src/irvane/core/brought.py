"""Kernels that a package brings compiled: for which processors, and which of them this machine can use."""

from __future__ import annotations

import sys
from functools import lru_cache
from pathlib import Path

from irvane.core.installed import version_of
from irvane.core.processor import abilities

#: Kernels that a package brings: a folder for each kind of processor, the best first, and what such a one can
#: do (the levels v4 and v3 of the System V ABI for x86-64).
BROUGHT = Path(__file__).parent / "compiled"
_V3 = frozenset(["avx", "avx2", "bmi1", "bmi2", "f16c", "fma", "abm", "movbe"])
TARGETS = {
    "x86-64-v4": _V3 | frozenset(["avx512f", "avx512bw", "avx512cd", "avx512dq", "avx512vl"]),
    "x86-64-v3": _V3,
}


def made_for() -> str:
    """What compiled kernels depend on besides the processor: Python's and Numba's versions."""
    return f"py{sys.version_info[0]}{sys.version_info[1]}-numba{version_of('numba')}"


@lru_cache(maxsize=1)
def brought() -> tuple[str, ...]:
    """Kinds of processors that this package brings kernels for and this one belongs to, the best first."""
    return tuple(
        target
        for target, needed in TARGETS.items()
        if needed <= abilities() and (BROUGHT / target / made_for()).exists()
    )
