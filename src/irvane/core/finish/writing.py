"""A finished picture into a file: one way for every format, whoever asks for it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from irvane.core.files.carrying import Kept, exr_attributes
from irvane.core.files.other_writers import Carried, write_avif, write_jxl, write_png, write_radiance
from irvane.core.files.writers import Bands, write_exr, write_jpeg, write_tiff

#: Depth that stands for floating point of 16 bits; what is computed for each depth.
HALF = 17
DTYPES: dict[int, type] = {8: np.uint8, 10: np.uint16, 16: np.uint16, HALF: np.float32, 32: np.float32}


@dataclass(frozen=True)
class Told:
    """What is said of a picture in its file, and how it is coded.

    Attributes
    ----------
    space : its colour space. linear : is it light? raised : EV by which a camera's light was raised.
    source : the file whose metadata are carried over. description : what was done.
    depth : bits a channel. quality : of lossy formats, per cent. compress : of TIFF.
    """

    space: str
    source: Path
    description: str
    overwrite: bool
    depth: int = 16
    linear: bool = False
    raised: float = 0.0
    ppi: int = 300
    kept: Kept = Kept()
    quality: float = 92
    compress: bool = False


def whole_of(bands: Bands) -> np.ndarray:
    """All bands in one array."""
    pixels, first = np.empty((*bands.shape, 3), bands.dtype), 0
    for band in bands.bands:
        pixels[first : first + band.shape[0]] = band
        first += band.shape[0]
    return pixels


def _tiff(path: Path, bands: Bands, told: Told) -> None:
    write_tiff(
        path, bands, space=told.space, linear=told.linear, source=told.source, description=told.description,
        overwrite=told.overwrite, ppi=told.ppi, kept=told.kept, compress=told.compress,
    )  # fmt: skip


def _jpeg(path: Path, bands: Bands, told: Told) -> None:
    write_jpeg(
        path, whole_of(bands), space=told.space, quality=round(told.quality), source=told.source,
        description=told.description, overwrite=told.overwrite, ppi=told.ppi, kept=told.kept,
    )  # fmt: skip


def _png(path: Path, bands: Bands, told: Told) -> None:
    write_png(
        path, whole_of(bands), space=told.space, source=told.source, description=told.description,
        overwrite=told.overwrite, ppi=told.ppi, kept=told.kept,
    )  # fmt: skip


def _exr(path: Path, bands: Bands, told: Told) -> None:
    write_exr(
        path, whole_of(bands), space=told.space, description=told.description, overwrite=told.overwrite,
        half=told.depth == HALF, raised=told.raised, attributes=exr_attributes(told.source, told.kept),
    )  # fmt: skip


def _radiance(path: Path, bands: Bands, told: Told) -> None:
    light, words = whole_of(bands), told.description
    write_radiance(path, light, description=words, raised=told.raised, overwrite=told.overwrite)


def _carried(told: Told) -> Carried:
    return Carried(told.source, told.description, told.kept)


def _jxl(path: Path, bands: Bands, told: Told) -> None:
    pixels = whole_of(bands)
    write_jxl(path, pixels, quality=told.quality, overwrite=told.overwrite, carried=_carried(told))


def _avif(path: Path, bands: Bands, told: Told) -> None:
    write_avif(
        path, whole_of(bands), space=told.space, quality=told.quality, overwrite=told.overwrite,
        carried=_carried(told),
    )  # fmt: skip


_WRITERS: dict[str, Callable[[Path, Bands, Told], None]] = {
    "tiff": _tiff,
    "jpeg": _jpeg,
    "png": _png,
    "exr": _exr,
    "radiance": _radiance,
    "jxl": _jxl,
    "avif": _avif,
}


def write_picture(key: str, path: Path, bands: Bands, told: Told) -> None:
    """Write a picture in a format.

    Raises
    ------
    WriteError, Cancelled
    """
    _WRITERS[key](path, bands, told)
