"""Where compiled kernels are kept: they are code, so only where nobody else can have put them."""

from __future__ import annotations

import atexit
import grp
import hashlib
import os
import pwd
import shutil
import stat
import tempfile
from contextlib import suppress
from functools import lru_cache
from pathlib import Path

import platformdirs

#: Chooses another folder (tests; a package that brings kernels). It must be as private as any.
VARIABLE = "IRVANE_KERNELS"
#: Names of the folder in the user's cache: the second one where the first was open to others once.
_NAMES = ("kernels", "kernels-own")


def _open_to_others(status: os.stat_result) -> bool:
    """May anybody else write? A group of the user's own name is the user's alone, as most systems set them
    up."""
    if status.st_mode & stat.S_IWOTH:
        return True
    return bool(status.st_mode & stat.S_IWGRP) and not _is_own_group(status.st_gid)


def _is_own_group(group: int) -> bool:
    try:
        name, found = pwd.getpwuid(os.getuid()).pw_name, grp.getgrgid(group)
    except KeyError:
        return False
    return found.gr_name == name and set(found.gr_mem) <= {name}


def is_private(folder: Path) -> bool:
    """Can nobody but this user and root have put anything into a folder, or have exchanged it?

    It and every folder above it belong to this user or to root, and nobody else may write there; of those
    above, a folder that everybody may write to counts when its entries can be renamed by their owners alone
    (sticky).
    """
    try:
        real = folder.resolve(strict=True)
        for place in (real, *real.parents):
            status = place.stat()
            if status.st_uid not in (0, os.getuid()):
                return False
            if _open_to_others(status) and (place == real or not status.st_mode & stat.S_ISVTX):
                return False
    except OSError:
        return False
    return stat.S_ISDIR(real.stat().st_mode)


@lru_cache(maxsize=1)
def kernels_folder() -> Path:
    """A folder for compiled kernels: in the user's cache; where that cannot be written or is not his alone, a
    new one that goes when the program ends."""
    chosen, cache = os.environ.get(VARIABLE), platformdirs.user_cache_path("irvane")
    for folder in [Path(chosen)] if chosen else [cache / name for name in _NAMES]:
        with suppress(OSError):
            folder.mkdir(mode=0o700, parents=True, exist_ok=True)
            if is_private(folder):
                with tempfile.TemporaryFile(dir=folder):
                    return folder
    own = Path(tempfile.mkdtemp(prefix="irvane-kernels-"))
    atexit.register(shutil.rmtree, own, ignore_errors=True)
    return own


def own_folder() -> Path:
    """The folder in it for kernels of this copy of the program alone: two checkouts do not take each other's
    for stale."""
    place = str(Path(__file__).resolve().parents[2])
    return kernels_folder() / hashlib.blake2b(place.encode(), digest_size=6).hexdigest()
