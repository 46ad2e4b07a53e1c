"""Kill the queue at every system call that it makes with files, and let every one of them fail; each output must be whole, and
there once.

    python scripts/faults.py

About 3 s a fault; strace is needed.
"""

from __future__ import annotations

import sys
import tempfile
import time
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent.parent / "tests" / "core"))

import faulty


def main() -> None:
    wrong, count, began = [], 0, time.monotonic()
    with tempfile.TemporaryDirectory() as name:
        (Path(name) / "count").mkdir()
        for call, times in faulty.calls(Path(name) / "count").items():
            for what in ("signal=KILL", "error=EIO", "error=ENOSPC"):
                for number in range(1, times + 1):
                    folder = Path(name) / f"{call}-{what[-6:]}-{number}"
                    folder.mkdir()
                    wrong += [
                        f"{call} {number}, {what}: {words}"
                        for words in faulty.with_fault(folder, call, number, what)
                    ]
                    count += 1
            print(f"{call}: {times} times; {count} faults, {time.monotonic() - began:.0f} s", flush=True)
    print(f"{count} faults:", *(wrong or ["every file whole and there once"]), sep="\n")
    sys.exit(1 if wrong else 0)


if __name__ == "__main__":
    main()
