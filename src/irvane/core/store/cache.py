"""Expensive results on disk, so that they survive a restart: within a size limit, the least recently used go
first.

What is in the cache can be lost at any time without harm. Trouble with it (full disk, damaged file, folder
gone) is therefore never an error: the result is simply computed again.
"""

from __future__ import annotations

import hashlib
import os
import shutil
from contextlib import suppress
from pathlib import Path
from typing import Literal

import numpy as np
import platformdirs

from irvane.core.errors import WriteError
from irvane.core.store.atomic import atomic_file

#: Bytes that results may occupy, and the share of the free disk that they may fill.
LIMIT = 8_000_000_000
_SHARE_OF_FREE = 0.5
_ENDING = ".npy"


class ResultCache:
    """Arrays by key in a folder.

    Parameters
    ----------
    folder : made when needed; the user's cache folder when None.
    limit : bytes that the arrays may occupy together.
    """

    def __init__(self, folder: Path | None = None, limit: int = LIMIT) -> None:
        self.folder = folder or platformdirs.user_cache_path("irvane") / "results"
        self.limit = limit

    def _path(self, key: str) -> Path:
        return self.folder / (hashlib.blake2b(key.encode(), digest_size=20).hexdigest() + _ENDING)

    def get(self, key: str) -> np.ndarray | None:
        """The array with this key, or None; a damaged one is removed."""
        return self._found(key, None)

    def mapped(self, key: str) -> np.ndarray | None:
        """The same, read from disk as it is needed: it takes no memory for long, and must not be written
        to."""
        return self._found(key, "r")

    def _found(self, key: str, mode: Literal["r"] | None) -> np.ndarray | None:
        path = self._path(key)
        try:
            found = np.load(path, mmap_mode=mode, allow_pickle=False)
        except FileNotFoundError:
            return None
        except (OSError, ValueError, EOFError):
            with suppress(OSError):
                path.unlink()
            return None
        with suppress(OSError):
            os.utime(path)  # used just now
        return found

    def put(self, key: str, array: np.ndarray) -> bool:
        """Keep an array; returns False when there is no room or the folder cannot be written."""
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
            free = shutil.disk_usage(self.folder).free
        except OSError:
            return False
        if array.nbytes > min(self.limit, _SHARE_OF_FREE * free):
            return False
        try:
            with atomic_file(self._path(key)) as temporary, temporary.open("wb") as stream:
                np.save(stream, array, allow_pickle=False)
        except WriteError:
            return False
        make_room(self.folder, f"*{_ENDING}", self.limit)
        return True

    def clear(self) -> None:
        """Remove everything."""
        for path in self.folder.glob(f"*{_ENDING}"):
            with suppress(OSError):
                path.unlink()


def make_room(folder: Path, pattern: str, limit: int) -> None:
    """Remove the files of a folder that were not used longest, until the rest takes no more than the limit in
    bytes."""
    files: list[tuple[float, int, Path]] = []
    for path in folder.glob(pattern):
        with suppress(OSError):  # gone meanwhile
            stat = path.stat()
            files.append((stat.st_mtime, stat.st_size, path))
    total = sum(size for _, size, _ in files)
    for _, size, path in sorted(files):
        if total <= limit:
            return
        with suppress(OSError):
            path.unlink()
        total -= size
