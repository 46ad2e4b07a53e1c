"""Files appear whole or not at all: written beside the target, flushed, then renamed over it."""

from __future__ import annotations

import ctypes
import errno
import os
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from functools import lru_cache
from pathlib import Path
from typing import BinaryIO

from irvane.core.errors import WriteError

#: SYNC_FILE_RANGE_WRITE of <linux/fs.h>.
_WRITE = 2
_REASONS = {
    errno.ENOSPC: "the disk is full; free some space and write again",
    errno.EDQUOT: "your disk quota is used up; free some space and write again",
    errno.EROFS: "the disk is read-only; choose another folder",
    errno.EACCES: "the folder may not be written; choose another folder",
    errno.EPERM: "the folder may not be written; choose another folder",
    errno.ENOENT: "the folder does not exist",
    errno.ENOTDIR: "the folder is not a folder",
    errno.EISDIR: "there is a folder of that name",
    errno.ENAMETOOLONG: "the name is too long",
}


def write_reason(error: OSError) -> str:
    """A sentence part for why writing failed."""
    return _REASONS.get(error.errno or 0, f"it cannot be written ({error.strerror or error})")


def make_folder(folder: Path) -> None:
    """Make a folder and those above it; raises WriteError."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise WriteError(folder, write_reason(error)) from error


def safe_name(text: str) -> str:
    """A file's name from a title: letters, digits, blanks, - and _; other signs become -."""
    return "".join(c if c.isalnum() or c in "-_ " else "-" for c in text).strip()


@lru_cache(maxsize=1)
def _library() -> ctypes.CDLL:
    return ctypes.CDLL(None)


def begin_writing(stream: BinaryIO, first: int, count: int) -> None:
    """Let the disk begin with `count` bytes that were written from place `first` on, without waiting for it.

    The end of :func:`atomic_file` waits until all is on the disk: little is left then. Linux only
    (``sync_file_range``); elsewhere nothing is done, and an error is found at the end.
    """
    begin = getattr(_library(), "sync_file_range", None)
    if begin is not None:
        stream.flush()
        begin(stream.fileno(), ctypes.c_int64(first), ctypes.c_int64(count), ctypes.c_uint(_WRITE))


@contextmanager
def atomic_file(target: Path, overwrite: bool = True) -> Iterator[Path]:
    """Give a temporary path beside `target`; on success it becomes the target, on any error it is removed.

    With ``overwrite=False`` an existing target is never replaced, not even one that appears meanwhile.

    Raises
    ------
    WriteError
        When the folder cannot be written, the disk is full, or the target exists.
    """
    try:
        handle, name = tempfile.mkstemp(prefix=".irvane-", suffix=target.suffix, dir=target.parent)
    except OSError as error:
        raise WriteError(target, write_reason(error)) from error
    os.close(handle)
    temporary = Path(name)
    try:
        yield temporary
        with temporary.open("rb+") as written:
            os.fsync(written.fileno())
        umask = os.umask(0)
        os.umask(umask)
        temporary.chmod(0o666 & ~umask)
        if overwrite:
            temporary.replace(target)
        else:
            os.link(temporary, target)
    except FileExistsError as error:
        raise WriteError(target, "exists already; it was not overwritten") from error
    except OSError as error:
        raise WriteError(target, write_reason(error)) from error
    finally:
        with suppress(FileNotFoundError):
            temporary.unlink()
