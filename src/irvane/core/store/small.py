"""Small files that anybody may have put there: sidecars, presets, settings, packets of metadata.

Only regular files are read, and no more of them than such a file can hold: a pipe of that name would wait for
ever, a device never end.
"""

from __future__ import annotations

import errno
import os
import stat
from pathlib import Path
from typing import NamedTuple

from irvane.core.errors import ReadError

_ABSENT = (errno.ENOENT, errno.ENOTDIR)
_KINDS = (
    (stat.S_ISDIR, "it is a folder, not a file"),
    (stat.S_ISFIFO, "it is a pipe, not a file"),
    (stat.S_ISSOCK, "it is a socket, not a file"),
    (lambda mode: not stat.S_ISREG(mode), "it is a device, not a file"),
)


class Position(NamedTuple):
    """A place in a file: the file's device and number there, and bytes from its beginning."""

    device: int
    number: int
    offset: int


def why_not_a_file(mode: int) -> str:
    """What something is instead of a regular file, by its mode; empty for a regular file."""
    return next((words for is_kind, words in _KINDS if is_kind(mode)), "")


def read_small(path: Path, most: int, kind: str = "such a file") -> bytes | None:
    """The whole of a small file; None where there is none.

    Parameters
    ----------
    most : bytes it may have. kind : what it should be, for the sentence when it has more.

    Raises
    ------
    ReadError
        When it is no regular file, too large, or cannot be read.
    """
    found = _read(path, None, most, kind)
    return None if found is None else found[1]


def read_on(path: Path, known: Position | None, most: int) -> tuple[Position, bytes] | None:
    """What a file has got since it was read up to `known`: from its beginning where that was another file, or
    a longer one.

    The position is where what was read begins. None where there is no file; raises ReadError as
    :func:`read_small` does.
    """
    return _read(path, known, most, "such a file")


def _read(path: Path, known: Position | None, most: int, kind: str) -> tuple[Position, bytes] | None:
    try:
        handle = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
    except OSError as error:
        if error.errno in _ABSENT:
            return None
        words = "it is no file" if error.errno == errno.ENXIO else f"it cannot be read ({error.strerror})"
        raise ReadError(path, words) from error
    try:
        told = os.fstat(handle)
        if words := why_not_a_file(told.st_mode):
            raise ReadError(path, words)
        begins = Position(told.st_dev, told.st_ino, 0)
        if known is not None and known[:2] == begins[:2] and known.offset <= told.st_size:
            begins = known
        with os.fdopen(handle, "rb", closefd=False) as stream:
            stream.seek(begins.offset)
            data = stream.read(most + 1)
    except OSError as error:
        raise ReadError(path, f"it cannot be read ({error.strerror})") from error
    finally:
        os.close(handle)
    if len(data) > most:
        raise ReadError(path, f"it is too large to be {kind}")
    return begins, data
