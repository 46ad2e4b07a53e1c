"""What the header of a file says of its picture, without decoding it."""

from __future__ import annotations

import math
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from irvane.core.errors import ReadError
from irvane.core.files.boundary import reading, textual
from irvane.core.files.formats import kind_of
from irvane.core.files.info import FrameInfo, open_metadata, read_info
from irvane.core.lazily import lazily

if TYPE_CHECKING:
    import exiv2
else:
    exiv2 = lazily("exiv2")

#: How a picture enters the line (:mod:`irvane.core.line.source` has the same words).
_MOSAIC, _CAMERA, _SCENE, _DISPLAY = "mosaic", "camera", "scene", "display"


@dataclass(frozen=True)
class Header:
    """Size and kind of a picture.

    Attributes
    ----------
    width, height : of the upright picture.
    kind : mosaic (a raw that is no DNG counts as one until it is decoded), camera (demosaiced already), scene
        or display.
    array : the colour filter array, rows of letters; None without one, or when the header does not say.
    """

    width: int
    height: int
    kind: str
    array: tuple[str, ...] | None = None


def read_header(path: Path) -> Header:
    """Read it.

    Raises
    ------
    ReadError
        When the file is missing, damaged or no picture.
    """
    if not path.is_file():
        raise ReadError(path, "the file is not there")
    with reading(path):
        kind = kind_of(path)
        reads = {"tiff": _tiff, "jpeg": _pillow, "png": _pillow, "exr": _exr}
        header = reads.get(kind, _raw)(path)
        if min(header.width, header.height) < 1:
            raise ReadError(path, f"its size of {header.width} × {header.height} pixels is not plausible")
        return header


def _tiff(path: Path) -> Header:
    import tifffile

    with tifffile.TiffFile(path) as file:
        page = file.pages.first
        turned = int(page.tags.valueof(274, 1)) in (6, 8)
        size = (page.imagelength, page.imagewidth) if turned else (page.imagewidth, page.imagelength)
    return Header(*size, _DISPLAY)


def _pillow(path: Path) -> Header:
    from PIL import Image

    with Image.open(path) as image:
        turned = image.getexif().get(274, 1) in (6, 8)
        width, height = image.size
        return Header(height, width, _DISPLAY) if turned else Header(width, height, _DISPLAY)


def _exr(path: Path) -> Header:
    import OpenEXR

    with textual(path) as name, OpenEXR.File(name, header_only=True) as file:
        corner, end = file.header()["dataWindow"]
        return Header(int(end[0]) - int(corner[0]) + 1, int(end[1]) - int(corner[1]) + 1, _SCENE)


#: Photometric kinds of raw pages (DNG 1.4).
_CFA, _LINEAR = 32803, 34892
#: Where exiv2 finds the pages of a DNG: the first, and those below it.
_PAGES = ("Exif.Image", *(f"Exif.SubImage{number}" for number in range(1, 10)))


def _raw(path: Path) -> Header:
    if kind_of(path) == "dng" and (found := _dng(path)) is not None:
        return found
    import rawpy

    raw = rawpy.RawPy()
    try:
        with textual(path) as name:
            raw.open_file(name)
        sizes = raw.sizes  # anything else would unpack the whole raw
        if sizes.flip in (5, 6):
            return Header(sizes.height, sizes.width, _MOSAIC)
        return Header(sizes.width, sizes.height, _MOSAIC)
    finally:
        raw.close()


def _dng(path: Path) -> Header | None:
    """What the header of a DNG says; None when it is unusual and left to LibRaw."""
    try:
        tags = open_metadata(path).exifData()
    except ReadError:
        return None  # LibRaw may know it

    def numbers(page: str, name: str) -> tuple[int, ...]:
        found = tags.findKey(exiv2.ExifKey(f"{page}.{name}"))
        return () if found == tags.end() else tuple(int(found.toInt64(k)) for k in range(found.count()))

    def extent(page: str) -> tuple[int, ...]:
        return numbers(page, "ImageLength") + numbers(page, "ImageWidth")

    kinds = {page: numbers(page, "PhotometricInterpretation") for page in _PAGES}
    pages = [p for p, kind in kinds.items() if kind in ((_CFA,), (_LINEAR,)) and len(extent(p)) == 2]
    if not pages:
        return None
    page = max(pages, key=lambda p: math.prod(extent(p)))
    area = numbers(page, "ActiveArea")
    top, left, bottom, right = area if len(area) == 4 else (0, 0, *extent(page))
    height, width = bottom - top, right - left
    if numbers(_PAGES[0], "Orientation") in ((6,), (8,)):
        height, width = width, height
    if kinds[page] == (_LINEAR,):
        return Header(width, height, _CAMERA)
    sides, codes = numbers(page, "CFARepeatPatternDim"), numbers(page, "CFAPattern")
    if len(sides) != 2 or len(codes) != math.prod(sides) or not set(codes) <= {0, 1, 2}:
        return None
    letters = "".join("RGB"[c] for c in codes)
    rows = tuple(letters[k : k + sides[1]] for k in range(0, len(letters), sides[1]))
    return Header(width, height, _MOSAIC, rows)


def header_facts(path: Path) -> dict[str, Any]:
    """What ``irvane info`` says at once about a file; raises ReadError."""
    header = read_header(path)
    info = read_info(path)
    return {
        "path": str(path),
        "width": header.width,
        "height": header.height,
        "kind": header.kind,
        "bytes": path.stat().st_size,
        "array": None if header.array is None else list(header.array),
        **info.as_dict(),
        "lens": _lens(path, header, info),
    }


def _lens(path: Path, header: Header, info: FrameInfo) -> dict[str, Any]:
    """Profile and field of view kept, as far as the header tells (what is measured is not there)."""
    from irvane.core.files.opcodes import optics_of, read_corrections
    from irvane.core.lens.corrections import LensFacts
    from irvane.core.lens.facts import lens_facts

    raw = header.kind in (_MOSAIC, _CAMERA)
    optics = optics_of(info, *(read_corrections(path, None) if raw else ((), ())))
    return lens_facts(LensFacts((header.height, header.width), 0, raw, optics))
