"""Where compiled kernels are kept: they are code, so only where nobody else can have put them."""

from __future__ import annotations

import atexit
import os
import shutil
import stat
import tempfile
from functools import lru_cache
from pathlib import Path

import platformdirs

#: Chooses another folder (tests; a package that brings kernels). It must be as private as any.
VARIABLE = "IRVANE_KERNELS"
_OTHERS = stat.S_IWGRP | stat.S_IWOTH


def is_private(folder: Path) -> bool:
    """Can nobody but this user and root have put anything into a folder, or have exchanged it?

    It and every folder above it belong to this user or to root, and nobody else may write there; of those above, a folder
    that everybody may write to counts when its entries can be renamed by their owners alone (sticky).
    """
    try:
        real = folder.resolve(strict=True)
        for place in (real, *real.parents):
            status = place.stat()
            if status.st_uid not in (0, os.getuid()):
                return False
            if status.st_mode & _OTHERS and (place == real or not status.st_mode & stat.S_ISVTX):
                return False
    except OSError:
        return False
    return stat.S_ISDIR(real.stat().st_mode)


@lru_cache(maxsize=1)
def kernels_folder() -> Path:
    """A folder for compiled kernels: in the user's cache; where that cannot be written or is not his alone, a new one that goes
    when the program ends."""
    chosen = os.environ.get(VARIABLE)
    folder = Path(chosen) if chosen else platformdirs.user_cache_path("irvane") / "kernels"
    try:
        folder.mkdir(mode=0o700, parents=True, exist_ok=True)
        if is_private(folder):
            with tempfile.TemporaryFile(dir=folder):
                return folder
    except OSError:
        pass
    own = Path(tempfile.mkdtemp(prefix="irvane-kernels-"))
    atexit.register(shutil.rmtree, own, ignore_errors=True)
    return own
