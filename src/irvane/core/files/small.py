"""Small files that anybody may have put there: sidecars, presets, settings, packets of metadata.

Only regular files are read, and no more of them than such a file can hold: a pipe of that name would wait for ever, a
device never end.
"""

from __future__ import annotations

import errno
import os
import stat
from pathlib import Path

from irvane.core.errors import ReadError

_ABSENT = (errno.ENOENT, errno.ENOTDIR)
_KINDS = (
    (stat.S_ISDIR, "it is a folder, not a file"),
    (stat.S_ISFIFO, "it is a pipe, not a file"),
    (stat.S_ISSOCK, "it is a socket, not a file"),
    (lambda mode: not stat.S_ISREG(mode), "it is a device, not a file"),
)


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
    try:
        handle = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
    except OSError as error:
        if error.errno in _ABSENT:
            return None
        words = "it is no file" if error.errno == errno.ENXIO else f"it cannot be read ({error.strerror})"
        raise ReadError(path, words) from error
    try:
        words = why_not_a_file(os.fstat(handle).st_mode)
        if words:
            raise ReadError(path, words)
        with os.fdopen(handle, "rb", closefd=False) as stream:
            data = stream.read(most + 1)
    except OSError as error:
        raise ReadError(path, f"it cannot be read ({error.strerror})") from error
    finally:
        os.close(handle)
    if len(data) > most:
        raise ReadError(path, f"it is too large to be {kind}")
    return data
