"""The memory that all running parts of the program take together: windows and commands know of each other.

Each has a file that says how much it takes, locked as long as it runs; what an ended one left behind counts
for nothing.
"""

from __future__ import annotations

import fcntl
import os
from contextlib import suppress
from pathlib import Path
from typing import IO

import platformdirs

from irvane.core.memory import usual_budget

#: Share of the whole that everyone gets however many there are.
_LEAST = 0.35


class MachineShare:
    """What this process takes of the memory for all of them.

    Parameters
    ----------
    folder : of the files; None: in the user's cache.
    """

    def __init__(self, folder: Path | None = None) -> None:
        self._folder = folder or platformdirs.user_cache_path("irvane") / "memory"
        self._own: IO[str] | None = None

    def take(self, whole: int | None = None) -> int:
        """Take what others leave of `whole` bytes (None: as the machine has it), at least a third; returns
        how much that is.

        May be called again: others come and go.
        """
        whole = usual_budget() if whole is None else whole
        try:
            taken = max(round(_LEAST * whole), whole - self._others())
            self._say(taken)
        except OSError:  # no place for files: as if nobody else ran
            taken = whole
        return taken

    def give_back(self) -> None:
        """Nothing is taken any more."""
        if self._own is not None:
            with suppress(OSError):
                os.unlink(self._own.name)
            self._own.close()
            self._own = None

    def _say(self, taken: int) -> None:
        if self._own is None:
            self._folder.mkdir(parents=True, exist_ok=True)
            self._own = open(self._folder / str(os.getpid()), "w", encoding="ascii")  # noqa: SIM115
            fcntl.flock(self._own, fcntl.LOCK_EX | fcntl.LOCK_NB)
        self._own.seek(0)
        self._own.truncate()
        self._own.write(str(taken))
        self._own.flush()

    def _others(self) -> int:
        total = 0
        for path in self._folder.glob("*") if self._folder.is_dir() else ():
            if path.name == str(os.getpid()):
                continue
            with suppress(OSError, ValueError), path.open("r+", encoding="ascii") as other:
                try:
                    fcntl.flock(other, fcntl.LOCK_EX | fcntl.LOCK_NB)
                except BlockingIOError:
                    total += int(other.read() or 0)
                    continue
                path.unlink()  # its process has ended
        return total


#: That of this process.
SHARE = MachineShare()
