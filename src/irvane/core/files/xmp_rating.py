"""Marks and stars as XMP rating beside a frame, for other programs; what such a file holds besides stays as
it is."""

from __future__ import annotations

from contextlib import suppress
from pathlib import Path
from typing import TYPE_CHECKING

from irvane.core.errors import ReadError, WriteError
from irvane.core.files.proofs import REJECT
from irvane.core.lazily import lazily
from irvane.core.store.atomic import atomic_file
from irvane.core.store.small import read_small

if TYPE_CHECKING:
    import exiv2
else:
    exiv2 = lazily("exiv2")

#: Rating of a rejected frame and the key (XMP Specification Part 1, ISO 16684-1: xmp:Rating, −1 rejected, 0
#: unrated, 1–5).
_REJECTED, _KEY, _CREATOR = -1, "Xmp.xmp.Rating", "Xmp.xmp.CreatorTool"
#: Larger files are no packets of metadata.
_LARGEST = 20_000_000


def rating_paths(frame: Path) -> tuple[Path, ...]:
    """Files beside a frame that carry its XMP: those there are, of ``NAME.xmp`` and ``NAME.EXT.xmp``; both
    where none is."""
    both = (frame.with_suffix(".xmp"), frame.with_name(frame.name + ".xmp"))
    return tuple(path for path in both if path.exists()) or both


def write_rating(frame: Path, mark: str, stars: int) -> tuple[Path, ...]:
    """Write a frame's rating beside it; the raw itself is never touched. Irvane's rating replaces the one of
    the file.

    Returns
    -------
    tuple of Path
        The files that were written.

    Raises
    ------
    WriteError
        When one cannot be written, or is there and cannot be understood: it is left alone then.
    """
    written = []
    for path in rating_paths(frame):
        held, data = _read(path)
        rating = _REJECTED if mark == REJECT else stars
        if path.exists() and _found(data) == rating:
            continue
        data[_KEY] = str(rating)
        if _CREATOR not in {datum.key() for datum in data}:
            data[_CREATOR] = "Irvane"
        trouble, packet = exiv2.XmpParser.encode(data, exiv2.XmpParser.XmpFormatFlags.useCompactFormat)
        del held  # its data was needed until here
        if trouble:
            raise WriteError(path, "its XMP cannot be kept whole; it was left as it is")
        with atomic_file(path) as temporary:
            temporary.write_text(packet, "utf-8")
        written.append(path)
    return tuple(written)


def _read(path: Path) -> tuple[exiv2.Image | None, exiv2.XmpData]:
    """What a file beside a frame holds; nothing where there is none. Raises WriteError."""
    try:
        packet = read_small(path, _LARGEST, "a packet of metadata")
    except ReadError as error:
        raise WriteError(path, f"{error.reason}; it was left as it is") from error
    if packet is None:
        return None, exiv2.XmpData()
    with suppress(exiv2.Exiv2Error):
        image = exiv2.ImageFactory.open(packet)
        image.readMetadata()
        data = image.xmpData()
        if not (data.empty() and b"Description" in packet):
            return image, data
    raise WriteError(path, "this is no XMP that can be read; it was left as it is")


def _found(data: exiv2.XmpData) -> int | None:
    with suppress(Exception):
        return int(float(str(data[_KEY].toString())))
    return None
