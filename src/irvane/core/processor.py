"""What the machine's processor is and can do, as the system tells it."""

from __future__ import annotations

import platform
from functools import lru_cache
from pathlib import Path

_CPUINFO = Path("/proc/cpuinfo")


@lru_cache(maxsize=1)
def _told() -> dict[str, str]:
    """What the system says of the first core; nothing where it says nothing."""
    try:
        first = _CPUINFO.read_text("utf-8", "replace").split("\n\n")[0]
    except OSError:
        return {}
    pairs = (line.partition(":") for line in first.splitlines())
    return {name.strip(): value.strip() for name, _, value in pairs}


def abilities() -> frozenset[str]:
    """Names of its instruction sets, as the kernel of the system calls them (avx2, fma, avx512f, …)."""
    return frozenset(_told().get("flags", "").split())


def kind() -> str:
    """Words for its kind: two machines of the same kind run the same compiled code."""
    numbers = (_told().get(name, "") for name in ("vendor_id", "cpu family", "model", "model name"))
    return " ".join((platform.machine(), *numbers)).strip()
