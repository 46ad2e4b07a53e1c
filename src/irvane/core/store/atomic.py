"""Files appear whole or not at all: written beside the target, flushed, then renamed over it."""

from __future__ import annotations

import ctypes
import errno
import fcntl
import os
import tempfile
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from functools import lru_cache
from pathlib import Path
from typing import BinaryIO

from irvane.core.errors import WriteError

#: SYNC_FILE_RANGE_WRITE of <linux/fs.h>.
_WRITE = 2
#: AT_FDCWD of <fcntl.h> and RENAME_NOREPLACE of <linux/fs.h>.
_HERE, _UNLESS_TAKEN = -100, 1
#: Errors of a file system that does not know a way to move files.
_CANNOT = (errno.EINVAL, errno.ENOSYS, errno.ENOTSUP, errno.EOPNOTSUPP, errno.EPERM, errno.EMLINK)
#: How the names of unfinished files begin, and the seconds after which one is left over even where disks know
#: no locks.
_TEMPORARY, _STALE = ".irvane-", 86_400
#: Seconds after which an unfinished file is held by its writer, if it has one.
_JUST_MADE = 2.0
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
    return ctypes.CDLL(None, use_errno=True)


def begin_writing(stream: BinaryIO, first: int, count: int) -> None:
    """Let the disk begin with `count` bytes that were written from place `first` on, without waiting for it.

    The end of :func:`atomic_file` waits until all is on the disk: little is left then. Linux only
    (``sync_file_range``); elsewhere nothing is done, and an error is found at the end.
    """
    begin = getattr(_library(), "sync_file_range", None)
    if begin is not None:
        stream.flush()
        begin(stream.fileno(), ctypes.c_int64(first), ctypes.c_int64(count), ctypes.c_uint(_WRITE))


def _rename_unless_taken(source: Path, target: Path) -> None:
    """``renameat2`` with RENAME_NOREPLACE: one step, on FAT and exFAT too; raises OSError."""
    rename = getattr(_library(), "renameat2", None)
    if rename is None:
        raise OSError(errno.ENOSYS, os.strerror(errno.ENOSYS))
    ctypes.set_errno(0)
    if rename(_HERE, os.fsencode(source), _HERE, os.fsencode(target), ctypes.c_uint(_UNLESS_TAKEN)) != 0:
        number = ctypes.get_errno()
        raise OSError(number, os.strerror(number), str(target))


def _take_name(source: Path, target: Path) -> None:
    """For file systems with neither: the name is taken by an empty file, which the picture replaces."""
    os.close(os.open(target, os.O_CREAT | os.O_EXCL | os.O_WRONLY, 0o666))
    try:
        source.replace(target)
    except OSError:
        with suppress(OSError):
            target.unlink()
        raise


def _move_to_free_name(source: Path, target: Path) -> None:
    """Give a file a name that is free, in whatever way the file system can; raises FileExistsError when it is
    taken."""
    for move in (_rename_unless_taken, os.link):
        try:
            return move(source, target)
        except OSError as error:
            if error.errno not in _CANNOT:
                raise
    _take_name(source, target)


def _lock(handle: int) -> bool:
    """Hold a file, as long as its handle is open; False where somebody holds it, or its disk knows no
    locks."""
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        return False
    return True


def _is_left_over(entry: os.DirEntry[str]) -> bool:
    """Did an interrupted write leave this unfinished file: nobody holds it any more, or it is a day old?"""
    age = time.time() - entry.stat(follow_symlinks=False).st_mtime
    if age < _JUST_MADE or not entry.is_file(follow_symlinks=False):
        return False
    handle = os.open(entry.path, os.O_RDONLY | os.O_NONBLOCK | os.O_NOFOLLOW)
    try:
        return _lock(handle) or age > _STALE
    finally:
        os.close(handle)


def remove_stale(folder: Path) -> None:
    """Remove what interrupted writes left in a folder: unfinished files that nobody is writing any more."""
    with suppress(OSError), os.scandir(folder) as entries:
        for entry in entries:
            if entry.name.startswith(_TEMPORARY):
                with suppress(OSError):
                    if _is_left_over(entry):
                        os.unlink(entry.path)


#: State of each thread: the function that is called with a file's temporary and final name, before it gets
#: the final one.
_TOLD = threading.local()


@contextmanager
def announcing(tell: Callable[[Path, Path], None]) -> Iterator[None]:
    """Inside of it, `tell` is called with the temporary and the final path of every file of the present
    thread that is written whole and on the disk, before it gets its name: so that an interrupted rename can
    be made good."""
    _TOLD.tell = tell
    try:
        yield
    finally:
        _TOLD.tell = None


def finish_interrupted(temporary: Path, target: Path) -> None:
    """Give a file that was written whole its name, which must be free; raises FileExistsError, OSError."""
    _move_to_free_name(temporary, target)


@contextmanager
def atomic_file(target: Path, overwrite: bool = True, synced: bool = True) -> Iterator[Path]:
    """Give a temporary path beside `target`; on success it becomes the target, on any error it is removed.

    Without `synced` it is not waited for the disk: for what can be made again.
    With ``overwrite=False`` an existing target is never replaced, not even one that appears meanwhile.

    Raises
    ------
    WriteError
        When the folder cannot be written, the disk is full, or the target exists.
    """
    try:
        handle, name = tempfile.mkstemp(prefix=_TEMPORARY, suffix=target.suffix, dir=target.parent)
    except OSError as error:
        raise WriteError(target, write_reason(error)) from error
    _lock(handle)  # until it has its name: see remove_stale
    temporary = Path(name)
    try:
        yield temporary
        if synced:
            with temporary.open("rb+") as written:
                os.fsync(written.fileno())
        umask = os.umask(0)
        os.umask(umask)
        with suppress(PermissionError):  # FAT knows no permissions
            temporary.chmod(0o666 & ~umask)
        tell: Callable[[Path, Path], None] | None = getattr(_TOLD, "tell", None)
        if tell is not None:
            tell(temporary, target)
        if overwrite:
            temporary.replace(target)
        else:
            _move_to_free_name(temporary, target)
    except FileExistsError as error:
        raise WriteError(target, "exists already; it was not overwritten") from error
    except OSError as error:
        raise WriteError(target, write_reason(error)) from error
    finally:
        os.close(handle)
        with suppress(OSError):  # it has its name by now, or its trouble was told
            temporary.unlink()
