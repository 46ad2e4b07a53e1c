"""The boundary to files: whatever a decoder makes of a damaged file becomes one sentence of the project's
own.

Decoders raise what they like (`struct.error`, `SyntaxError`, `RecursionError`, …). Here, and only here,
anything is turned into a ReadError; the cause stays chained to it and goes into the log. Sizes are judged
before anything is decoded.
"""

from __future__ import annotations

import logging
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

from irvane.core.errors import IrvaneError, ReadError
from irvane.core.files.formats import kind_of
from irvane.core.files.preferences import preferences
from irvane.core.memory import available
from irvane.core.store.small import why_not_a_file

log = logging.getLogger("irvane")

#: Share of the free memory that one picture may take while it is decoded, and bytes of a pixel then.
_SHARE, BYTES_DECODED = 0.8, 28
#: Bytes of a pixel of a preview, which is decoded in full but kept small.
BYTES_PREVIEW = 4
#: A byte of a JPEG (ITU-T T.81) holds no more pixels: three blocks of 8×8 with nothing in them take 18 bits.
_JPEG_PIXELS = 64 * 8
_DAMAGED = "it is not a picture that can be decoded, or it is damaged"


def reason(path: Path, otherwise: str = _DAMAGED) -> str:
    """Why a file cannot be read: it is gone, it is empty, or what is said otherwise."""
    try:
        status = path.stat()
    except OSError:
        return "the file is not there any more"
    return why_not_a_file(status.st_mode) or ("the file is empty" if status.st_size == 0 else otherwise)


@contextmanager
def textual(path: Path) -> Iterator[str]:
    """A path that libraries can take for text, to the same file: links stand in for names that are none."""
    try:
        str(path).encode("utf-8")
    except UnicodeEncodeError:
        with tempfile.TemporaryDirectory(prefix="irvane-") as folder:
            try:
                path.name.encode("utf-8")
                place = Path(folder) / "folder"
                place.symlink_to(path.parent.absolute(), target_is_directory=True)
                yield str(place / path.name)
            except UnicodeEncodeError:
                link = Path(folder) / f"picture{path.suffix if path.suffix.isascii() else ''}"
                link.symlink_to(path.absolute())
                yield str(link)
    else:
        yield str(path)


@contextmanager
def reading(path: Path, otherwise: str = _DAMAGED) -> Iterator[None]:
    """Reading a file; everything that goes wrong inside becomes a ReadError (the project's own errors stay).

    Parameters
    ----------
    otherwise : the reason when the file is there and holds something.
    """
    with suppress(OSError):  # that it is gone is told by what reads it
        if words := why_not_a_file(path.stat().st_mode):
            raise ReadError(path, words)
    try:
        yield
    except IrvaneError:
        raise
    except MemoryError as error:
        raise ReadError(path, "there is not enough memory for this picture") from error
    except Exception as error:
        log.info("%s: %s: %s", path, type(error).__name__, str(error)[:500])
        raise ReadError(path, reason(path, otherwise)) from error


def largest_megapixels(bytes_each: int = BYTES_DECODED) -> float:
    """Size up to which pictures are decoded: what the free memory holds, or the size that was chosen in the
    preferences."""
    chosen = preferences().largest_megapixels
    return chosen if chosen is not None else _SHARE * available() / bytes_each / 1e6


def check_size(path: Path, width: int, height: int, bytes_each: int = BYTES_DECODED) -> None:
    """Refuse a picture that would not fit into memory, before it is decoded.

    Raises
    ------
    ReadError
        When it is too large, or has no pixels.
    """
    if min(width, height) < 1:
        raise ReadError(path, f"its size of {width} × {height} pixels is not plausible")
    if kind_of(path) == "jpeg" and width * height > _JPEG_PIXELS * path.stat().st_size:
        raise ReadError(
            path, f"it states a size of {width} × {height} pixels, which so small a file cannot hold"
        )
    limit = largest_megapixels(bytes_each)
    if width * height > limit * 1e6:
        raise ReadError(
            path,
            f"it states a size of {width} × {height} pixels; {limit:.0f} megapixels fit into the free memory "
            "(a limit that the preferences can raise)",
        )
