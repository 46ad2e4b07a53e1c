"""Makes src/irvane/kernels.txt anew: every kernel that the rehearsal compiles, with its types and the seconds it took.

Run it (``scripts/kernels``, three minutes) after a kernel was added or its types have changed.
"""

from __future__ import annotations

import os
import tempfile
import time
from pathlib import Path
from typing import Any

_FOLDER = tempfile.TemporaryDirectory(prefix="irvane-kernels-")
os.environ["IRVANE_KERNELS"] = _FOLDER.name

from numba.core import event  # noqa: E402

from irvane import rehearsal, warm  # noqa: E402

_LIST = Path(warm.__file__).with_name("kernels.txt")


class _Recorder(event.Listener):
    """Notes the kernels that are compiled by themselves, not for one that calls them."""

    def __init__(self) -> None:
        self._begun: list[float] = []
        self.lines: list[str] = []

    def on_start(self, event: Any) -> None:
        self._begun.append(time.perf_counter())

    def on_end(self, event: Any) -> None:
        seconds = time.perf_counter() - self._begun.pop()
        function, types = event.data["dispatcher"].py_func, event.data["args"]
        if not self._begun and function.__module__.startswith("irvane."):
            text = str(tuple(types))
            assert warm.types_of(text) == tuple(types), text
            self.lines.append(f"{seconds:.2f} {function.__module__}.{function.__name__} {text}")


def main() -> None:
    """Write the list."""
    recorder = _Recorder()
    event.register("numba:compile", recorder)
    rehearsal.rehearse(first_only=True)
    recorder.lines.append(warm.REST)
    rehearsal.rehearse(progress=lambda share: print(f"\r{share:4.0%}", end="", flush=True) or True)
    _LIST.write_text("\n".join(recorder.lines) + "\n", "utf-8")
    print(f"\r{_LIST}: {len(recorder.lines) - 1} kernels")


if __name__ == "__main__":
    main()
