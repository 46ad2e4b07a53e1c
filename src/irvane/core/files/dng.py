"""Writing mosaic DNG files (Adobe DNG specification 1.4) through tifffile, with lossless JPEG tiles.

The simulated camera writes with this; LibRaw and every DNG reader must open what it writes.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from irvane.core.files.info import FrameInfo, changed_metadata
from irvane.core.lazily import lazily
from irvane.core.store.atomic import atomic_file

if TYPE_CHECKING:
    import exiv2
    import imagecodecs
    import tifffile
else:
    exiv2 = lazily("exiv2")
    imagecodecs = lazily("imagecodecs")
    tifffile = lazily("tifffile")

_TILE, _SMALL_TILE = 256, 64  # LibRaw misreads pictures narrower than one tile
_LOSSLESS_JPEG = 7
_CFA_PHOTOMETRIC = 32803
#: EXIF light source codes used for calibration illuminants (DNG specification, CalibrationIlluminant1).
_STANDARD_A, _D65 = 17, 21


@dataclass(frozen=True)
class DngColour:
    """Colour data of a DNG: XYZ→camera matrices (3×3) for standard light A and D65, and the as-shot
    neutral."""

    matrix_a: np.ndarray
    matrix_d65: np.ndarray
    neutral: np.ndarray


def _tiles(mosaic: np.ndarray, side: int) -> Iterator[bytes]:
    h, w = mosaic.shape
    padded = np.pad(mosaic, ((0, -h % side), (0, -w % side)), mode="edge")
    for y in range(0, h, side):
        for x in range(0, w, side):
            tile = np.ascontiguousarray(padded[y : y + side, x : x + side])
            coded = imagecodecs.jpeg8_encode(
                tile.reshape(side, side // 2, 2),
                lossless=True,
                bitspersample=16,
                colorspace="unknown",
                outcolorspace="unknown",
            )
            yield bytes(coded)


def rationals(values: np.ndarray, signed: bool = False) -> tuple[str, int, tuple[int, ...]]:
    flat = np.asarray(values, dtype=float).ravel()
    parts: list[int] = []
    for value in flat:
        fraction = Fraction(float(value)).limit_denominator(1_000_000)
        parts += [fraction.numerator, fraction.denominator]
    return ("2i" if signed else "2I", len(flat), tuple(parts))


def write_dng(
    path: Path,
    mosaic: np.ndarray,
    cfa: np.ndarray,
    *,
    black: float,
    white: int,
    colour: DngColour,
    info: FrameInfo,
    noise_profile: tuple[float, float] | None,
    preview_jpeg: bytes,
    preview_shape: tuple[int, int],
    orientation: int = 1,
    masked: int = 0,
) -> None:
    """Write a mosaic as DNG, atomically.

    Parameters
    ----------
    mosaic : uint16, H×W, raw counts.
    cfa : int array, 2×2 or 6×6, 0 = red, 1 = green, 2 = blue.
    black, white : levels in counts.
    noise_profile : (S, O): variance = S·x + O on the signal scaled to 0…1; None leaves the tag out.
    masked : so many columns at the left see no light; the picture begins beside them.
    preview_jpeg : a baseline JPEG of `preview_shape` (height, width).

    Raises
    ------
    WriteError
        When the folder cannot be written or the disk is full.
    """
    ph, pw = cfa.shape
    side = _TILE if min(mosaic.shape) >= _TILE else _SMALL_TILE
    root_tags: list[tuple] = [
        (50706, "B", 4, (1, 4, 0, 0), True),
        (50707, "B", 4, (1, 4, 0, 0), True),
        (50708, "s", 0, f"{info.make} {info.model}".strip() or "Unknown", True),
        (271, "s", 0, info.make, True),
        (272, "s", 0, info.model, True),
        (274, "H", 1, orientation, True),
        (50721, *rationals(colour.matrix_a, True), True),
        (50722, *rationals(colour.matrix_d65, True), True),
        (50778, "H", 1, _STANDARD_A, True),
        (50779, "H", 1, _D65, True),
        (50728, *rationals(colour.neutral), True),
    ]
    if noise_profile is not None:
        root_tags.append((51041, "d", 2, tuple(float(v) for v in noise_profile), True))
    raw_tags: list[tuple] = [
        (33421, "H", 2, (ph, pw), True),
        (33422, "B", ph * pw, bytes(cfa.astype(np.uint8).ravel()), True),
        (50710, "B", 3, bytes((0, 1, 2)), True),
        (50711, "H", 1, 1, True),
        (50713, "H", 2, (1, 1), True),
        (50714, *rationals(np.array([black])), True),
        (50717, "I", 1, int(white), True),
    ]
    if masked:
        h, w = mosaic.shape
        raw_tags += [(50829, "I", 4, (0, masked, h, w), True), (50830, "I", 4, (0, 0, h, masked), True)]
    with atomic_file(path) as temporary:
        with temporary.open("w+b") as stream, tifffile.TiffWriter(stream) as writer:
            writer.write(
                iter([preview_jpeg]),
                shape=(*preview_shape, 3),
                dtype=np.uint8,
                photometric="ycbcr",
                compression="jpeg",
                rowsperstrip=preview_shape[0],
                subifds=1,
                subfiletype=1,
                extratags=root_tags,
                metadata=None,
                software=False,
            )
            writer.write(
                _tiles(mosaic, side),
                shape=mosaic.shape,
                dtype=np.uint16,
                photometric=_CFA_PHOTOMETRIC,
                compression=_LOSSLESS_JPEG,
                tile=(side, side),
                subfiletype=0,
                extratags=raw_tags,
                metadata=None,
                software=False,
            )
        add_exposure(temporary, info)


def add_exposure(path: Path, info: FrameInfo, more: Callable[[exiv2.Image], None] | None = None) -> None:
    """Note exposure, lens and time in a DNG that was written; readers look for them in the Exif part.

    `more`: adds what else is to be said.
    """
    with changed_metadata(path) as image:
        if more is not None:
            more(image)
        _add_exposure(image.exifData(), info)


def _add_exposure(data: exiv2.ExifData, info: FrameInfo) -> None:
    def rational(value: float) -> exiv2.URationalValue:
        part = Fraction(value).limit_denominator(100_000)
        return exiv2.URationalValue((part.numerator, part.denominator))

    if info.shutter:
        data["Exif.Photo.ExposureTime"] = rational(info.shutter)
    if info.aperture:
        data["Exif.Photo.FNumber"] = rational(info.aperture)
    if info.iso:
        data["Exif.Photo.ISOSpeedRatings"] = exiv2.UShortValue(min(int(info.iso), 65535))
    if info.focal:
        data["Exif.Photo.FocalLength"] = rational(info.focal)
    if info.lens:
        data["Exif.Photo.LensModel"] = exiv2.AsciiValue(info.lens)
    if info.bias is not None:
        bias = Fraction(info.bias).limit_denominator(100)
        data["Exif.Photo.ExposureBiasValue"] = exiv2.RationalValue((bias.numerator, bias.denominator))
    if info.taken:
        stamp = info.taken.strftime("%Y:%m:%d %H:%M:%S")
        data["Exif.Photo.DateTimeOriginal"] = exiv2.AsciiValue(stamp)
        data["Exif.Image.DateTime"] = exiv2.AsciiValue(stamp)
