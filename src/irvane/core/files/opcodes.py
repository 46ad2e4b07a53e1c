"""Corrections that a DNG carries: opcode lists (DNG specification 1.7, chapter "Opcodes").

Unknown ones are named and not applied, whether the file calls them optional or not.
"""

from __future__ import annotations

import struct
from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from irvane.core.errors import ReadError
from irvane.core.files.boundary import reading
from irvane.core.files.formats import kind_of
from irvane.core.files.info import FrameInfo
from irvane.core.lazily import lazily
from irvane.core.lens.optics import BadPixels, Correction, GainGrid, Optics, RadialGain, Warp

if TYPE_CHECKING:
    import tifffile
else:
    tifffile = lazily("tifffile")

#: Tags OpcodeList1…3.
_LISTS = (51008, 51009, 51022)
_ACTIVE_AREA = 50829
_NAMES = {
    6: "TrimBounds", 7: "MapTable", 8: "MapPolynomial", 10: "DeltaPerRow", 11: "DeltaPerColumn",
    12: "ScalePerRow",
    13: "ScalePerColumn", 14: "WarpRectilinear2",
}  # fmt: skip
#: More values than a damaged list may make us read.
_MOST = 4_000_000


def _operations(data: bytes) -> Iterator[tuple[int, bytes]]:
    (count,) = struct.unpack_from(">I", data, 0)
    place = 4
    for _ in range(min(count, 1000)):
        code, _version, _flags, size = struct.unpack_from(">IIII", data, place)
        place += 16
        if place + size > len(data):
            raise ValueError("an opcode ends beyond its list")
        yield code, data[place : place + size]
        place += size


def _warp(body: bytes, fisheye: bool) -> Warp:
    (planes,) = struct.unpack_from(">I", body, 0)
    if planes not in (1, 3):
        raise ValueError(f"a warp of {planes} planes")
    count = 4 if fisheye else 6
    values = struct.unpack_from(f">{count * planes + 2}d", body, 4)
    each = tuple(tuple(values[count * k : count * (k + 1)]) for k in range(planes))
    return Warp(each, (values[-2], values[-1]), fisheye)


def _bad_list(body: bytes) -> BadPixels:
    _phase, points, rectangles = struct.unpack_from(">III", body, 0)
    if points + rectangles > _MOST:
        raise ValueError("a list of bad pixels that is too long")
    flat = struct.unpack_from(f">{2 * points}I", body, 12)
    rest = struct.unpack_from(f">{4 * rectangles}I", body, 12 + 8 * points)
    return BadPixels(
        tuple(zip(flat[::2], flat[1::2], strict=True)),
        tuple(zip(rest[::4], rest[1::4], rest[2::4], rest[3::4], strict=True)),
    )


def _grid(body: bytes, cfa: np.ndarray | None) -> GainGrid:
    top, left, _bottom, _right, plane, planes, pitch_y, pitch_x, rows, columns = struct.unpack_from(
        ">10I", body, 0
    )
    spacing_y, spacing_x, origin_y, origin_x = struct.unpack_from(">4d", body, 40)
    (depth,) = struct.unpack_from(">I", body, 72)
    if not 0 < rows * columns * depth <= _MOST:
        raise ValueError("a gain map without a sensible size")
    values = np.array(struct.unpack_from(f">{rows * columns * depth}f", body, 76)).reshape(
        rows, columns, depth
    )
    if cfa is not None and (pitch_y > 1 or pitch_x > 1):
        colours: tuple[int, ...] = (int(cfa[top % cfa.shape[0], left % cfa.shape[1]]),)
    else:
        colours = tuple(range(plane, min(plane + planes, 3))) if cfa is None else (0, 1, 2)
    return GainGrid(
        colours,
        (rows, columns),
        (spacing_y, spacing_x),
        (origin_y, origin_x),
        tuple(values[..., 0].ravel().tolist()),
    )


def parse(data: bytes, cfa: np.ndarray | None) -> tuple[list[Correction], list[str]]:
    """The corrections of one opcode list, in their order, and the names of those that are not known here.

    Parameters
    ----------
    data : the tag's bytes (big endian, whatever the file is).
    cfa : colour array of the mosaic (colours 0…2), None for a linear DNG.

    Raises
    ------
    ValueError, struct.error
        When the list is damaged.
    """
    found: list[Correction] = []
    skipped: list[str] = []
    for code, body in _operations(data):
        if code in (1, 2):
            found.append(_warp(body, code == 2))
        elif code == 3:
            values = struct.unpack_from(">7d", body, 0)
            found.append(RadialGain(values[:5], (values[5], values[6])))
        elif code == 4:
            found.append(BadPixels(constant=struct.unpack_from(">I", body, 0)[0]))
        elif code == 5:
            found.append(_bad_list(body))
        elif code == 9:
            found.append(_grid(body, cfa))
        else:
            skipped.append(_NAMES.get(code, f"opcode {code}"))
    return found, skipped


def optics_of(
    info: FrameInfo, corrections: tuple[Correction, ...] = (), skipped: tuple[str, ...] = ()
) -> Optics:
    """What a file says of the lens."""
    return Optics(
        info.make,
        info.model,
        info.lens,
        info.focal,
        info.focal_full,
        info.aperture,
        info.distance,
        corrections,
        skipped,
    )


def read_corrections(path: Path, cfa: np.ndarray | None) -> tuple[tuple[Correction, ...], tuple[str, ...]]:
    """The corrections that a DNG carries for its raw picture; none for other files, and for lists that are
    damaged."""
    if kind_of(path) != "dng":
        return (), ()
    found: list[Correction] = []
    skipped: list[str] = []
    try:
        with reading(path), tifffile.TiffFile(path) as file:
            first = file.pages.first
            pages = [page for page in (first, *(first.pages or ())) if hasattr(page, "tags")]
            for code in _LISTS:
                for page in pages:
                    tag = page.tags.get(code)
                    if tag is None:
                        continue
                    more, unknown = parse(bytes(tag.value), cfa)
                    found += [_of_active(one, page) if code == _LISTS[0] else one for one in more]
                    skipped += unknown
    except ReadError:
        return (), ("damaged corrections",) if path.exists() else ()
    return tuple(found), tuple(skipped)


def _of_active(one: Correction, page: tifffile.TiffPage) -> Correction:
    """Places of the first list count from the corner of all pixels that are stored, not of the active
    ones."""
    area = page.tags.get(_ACTIVE_AREA)
    if area is None or not isinstance(one, BadPixels):
        return one
    top, left = (int(v) for v in area.value[:2])
    points = tuple((y - top, x - left) for y, x in one.points)
    boxes = tuple((y0 - top, x0 - left, y1 - top, x1 - left) for y0, x0, y1, x1 in one.rectangles)
    return BadPixels(points, boxes, one.constant)
