"""What a file is recognised by, whatever it is called and wherever it lies."""

from __future__ import annotations

import hashlib
from pathlib import Path

from irvane.core.errors import ReadError
from irvane.core.store.small import why_not_a_file

_CHUNK = 1 << 20


def content_hash(path: Path) -> str:
    """Hash of a file's size, first, middle and last megabyte: identity that survives renaming.

    Raises
    ------
    ReadError
        When the file cannot be read.
    """
    try:
        status = path.stat()
        if words := why_not_a_file(status.st_mode):
            raise ReadError(path, words)
        size = status.st_size
        digest = hashlib.blake2b(str(size).encode(), digest_size=16)
        with path.open("rb") as stream:
            for start in sorted({0, max(0, size // 2), max(0, size - _CHUNK)}):
                stream.seek(start)
                digest.update(stream.read(_CHUNK))
    except FileNotFoundError as error:
        raise ReadError(path, "the file is not there") from error
    except OSError as error:
        raise ReadError(path, f"it cannot be read ({error.strerror})") from error
    return digest.hexdigest()
