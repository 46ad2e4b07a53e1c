"""Mosaics of ordinary DNG files (Adobe DNG specification 1.4), decoded on all cores.

LibRaw reads every kind of raw on one core. The commonest DNG by far, a mosaic of one sample per pixel in
lossless JPEG tiles or strips without a linearisation table, is read here in a third of the time; whatever is
unusual is left to LibRaw, and the tests hold both against each other.
"""

from __future__ import annotations

import os
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from irvane.core.errors import ReadError
from irvane.core.files.boundary import check_size
from irvane.core.lazily import lazily
from irvane.core.threads import each

if TYPE_CHECKING:
    import imagecodecs
    import tifffile
else:
    imagecodecs = lazily("imagecodecs")
    tifffile = lazily("tifffile")

_CFA, _LOSSLESS_JPEG = 32803, 7
#: Tags of the raw page that change what the samples mean in a way that is not done here: linearisation table,
#: black levels by row and by column, opcodes of the raw samples.
_UNUSUAL = (50712, 50715, 50716, 51008)
_ANALOG_BALANCE = 50727
_FLIPS = {1: 0, 3: 3, 6: 6, 8: 5}
_SIGNED, _UNSIGNED = 10, 5  # TIFF types of rational numbers


@dataclass(frozen=True)
class PlainMosaic:
    """What an ordinary DNG holds.

    Attributes
    ----------
    counts : uint16 of the whole raw array.
    active : rows and columns of the picture in it.
    cfa, black : colours (0 red, 1 green, 2 blue) and black levels in counts, repeating from the first active
        pixel.
    white : white level in counts.
    neutral : camera values of a neutral object in the light of the shot.
    flip : LibRaw's code of the orientation.
    masked : areas of the raw array that see no light.
    """

    counts: np.ndarray
    active: tuple[slice, slice]
    cfa: np.ndarray
    black: np.ndarray
    white: float
    neutral: np.ndarray
    flip: int
    masked: tuple[tuple[slice, slice], ...]


def read_plain_dng(path: Path) -> PlainMosaic | None:
    """Read a DNG, or None when it is of an unusual kind or damaged and LibRaw should say what it can."""
    try:
        with tifffile.TiffFile(path) as file:
            first = file.pages.first
            pages = [p for p in (first, *(first.pages or ())) if p.photometric == _CFA and p.subfiletype == 0]
            for page in pages:
                check_size(path, page.imagewidth, page.imagelength)
            if len(pages) != 1 or not _is_ordinary(pages[0]) or _ANALOG_BALANCE in first.tags:
                return None
            return _read(path, first, pages[0])
    except ReadError:
        raise
    except Exception:  # whatever is wrong with it, LibRaw knows more, or has the sentence for it
        return None


def _is_ordinary(page: tifffile.TiffPage) -> bool:
    return (
        page.compression == _LOSSLESS_JPEG
        and page.samplesperpixel == 1
        and page.bitspersample <= 16
        and page.sampleformat == 1
        and not any(tag in page.tags for tag in _UNUSUAL)
        and int(page.tags[50711].value if 50711 in page.tags else 1) == 1
    )


def _numbers(page: tifffile.TiffPage, tag: int, default: tuple[float, ...]) -> np.ndarray:
    if tag not in page.tags:
        return np.array(default, float)
    found = page.tags[tag]
    values = np.ravel(np.frombuffer(found.value, np.uint8) if isinstance(found.value, bytes) else found.value)
    if found.dtype in (_SIGNED, _UNSIGNED):
        return values[0::2].astype(float) / values[1::2]
    return values.astype(float)


def _read(path: Path, first: tifffile.TiffPage, page: tifffile.TiffPage) -> PlainMosaic | None:
    h, w = page.imagelength, page.imagewidth
    top, left, bottom, right = (int(v) for v in _numbers(page, 50829, (0, 0, h, w)))
    side = _numbers(page, 33421, ()).astype(int)
    planes = _numbers(page, 50710, (0, 1, 2)).astype(int)
    codes = _numbers(page, 33422, ()).astype(int)
    repeat = _numbers(page, 50713, (1, 1)).astype(int)
    black = _numbers(page, 50714, (0,))
    white = float(_numbers(page, 50717, (2**page.bitspersample - 1,))[0])
    neutral = _numbers(first, 50728, ())
    flip = _FLIPS.get(int(_numbers(first, 274, (1,))[0]))
    usual = tuple(side) in ((2, 2), (6, 6)) and codes.size == side.prod() and planes.tolist() == [0, 1, 2]
    usual = usual and set(codes.tolist()) == {0, 1, 2} and black.size == repeat.prod()
    usual = usual and all(s % r == 0 for s, r in zip(side, repeat, strict=True)) and flip is not None
    usual = usual and neutral.size == 3 and bool((neutral > 0).all()) and 0 <= top < bottom <= h
    if not usual or not 0 <= left < right <= w or white <= black.max() + 15:
        return None
    counts = _samples(path, page)
    if counts is None:
        return None
    masked = _numbers(page, 50830, ()).astype(int).reshape(-1, 4)
    assert flip is not None
    return PlainMosaic(
        counts,
        (slice(top, bottom), slice(left, right)),
        codes.reshape(side).astype(np.int64),
        np.tile(black.reshape(repeat), tuple(side // repeat)),
        white,
        neutral,
        flip,
        tuple((slice(t, b), slice(le, r)) for t, le, b, r in masked.tolist()),
    )


def _samples(path: Path, page: tifffile.TiffPage) -> np.ndarray | None:
    """Decode all tiles (or strips); None when they are packed in an unusual way."""
    h, w = page.imagelength, page.imagewidth
    tiled = page.is_tiled
    th, tw = (page.tilelength, page.tilewidth) if tiled else (min(page.rowsperstrip, h), w)
    across = -(-w // tw)
    offsets, sizes = page.dataoffsets, page.databytecounts
    if len(offsets) != across * -(-h // th):
        return None
    counts = np.empty((h, w), np.uint16)
    handle = os.open(path, os.O_RDONLY)

    def decode(row: int) -> bool:
        for k in range(across):
            i = row * across + k
            tile = imagecodecs.ljpeg_decode(os.pread(handle, sizes[i], offsets[i]))
            target = counts[row * th : (row + 1) * th, k * tw : (k + 1) * tw]
            high = th if tiled else target.shape[0]
            if tile.dtype != np.uint16 or tile.shape not in ((high, tw), (high, tw // 2, 2)):
                return False
            target[:] = tile.reshape(high, tw)[: target.shape[0], : target.shape[1]]
        return True

    try:
        return counts if all(each(decode, range(-(-h // th)))) else None
    finally:
        os.close(handle)
