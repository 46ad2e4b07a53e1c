"""Writing finished pictures: TIFF, JPEG, OpenEXR, with ICC profile and metadata, atomically."""

from __future__ import annotations

from pathlib import Path

import imagecodecs
import numpy as np
import OpenEXR
import tifffile

from irvane import __version__
from irvane.core.colour.spaces import SPACES
from irvane.core.errors import WriteError
from irvane.core.files.atomic import atomic_file
from irvane.core.files.icc import profile
from irvane.core.files.info import copy_metadata

SOFTWARE = f"Irvane {__version__}"
_JPEG_SIDE = 65_500  # the format's limit
_EXIF_LIMIT = 2**32 - 2**20  # TIFF offsets are 32 bit; no BigTIFF


def quantise(encoded: np.ndarray, depth: int) -> np.ndarray:
    """Encoded 0…1 to whole numbers of 8 or 16 bits (clipped), or float32 as it is."""
    if depth == 32:
        return np.ascontiguousarray(encoded, np.float32)
    top = 2**depth - 1
    return np.rint(np.clip(encoded, 0, 1) * top).astype(np.uint8 if depth == 8 else np.uint16)


def _check(target: Path, overwrite: bool) -> None:
    if target.exists() and not overwrite:
        raise WriteError(target, "exists already; it was not overwritten")


def write_tiff(
    target: Path,
    pixels: np.ndarray,
    *,
    space: str,
    linear: bool = False,
    source: Path | None = None,
    description: str = "",
    overwrite: bool = False,
    ppi: int = 300,
) -> None:
    """Write an RGB TIFF.

    Parameters
    ----------
    pixels : H×W×3 of uint8, uint16 or float32, encoded for `space` (or linear).
    source : file whose metadata are carried over.
    description : what was done, for ImageDescription.

    Raises
    ------
    WriteError
        When the target exists (and `overwrite` is off) or cannot be written.
    """
    _check(target, overwrite)
    with atomic_file(target, overwrite) as temporary:
        tifffile.imwrite(
            temporary,
            np.ascontiguousarray(pixels),
            photometric="rgb",
            iccprofile=profile(space, linear),
            resolution=(ppi, ppi),
            resolutionunit="inch",
            metadata=None,
            software=False,
            bigtiff=pixels.nbytes > _EXIF_LIMIT,
        )
        if source is not None:
            copy_metadata(source, temporary, SOFTWARE, description)


def write_jpeg(
    target: Path,
    pixels: np.ndarray,
    *,
    space: str,
    quality: int,
    source: Path | None = None,
    description: str = "",
    overwrite: bool = False,
) -> None:
    """Write a baseline JPEG (4:4:4) from uint8 H×W×3; parameters as in :func:`write_tiff`."""
    _check(target, overwrite)
    if max(pixels.shape[:2]) > _JPEG_SIDE:
        raise WriteError(target, f"JPEG holds at most {_JPEG_SIDE} pixels a side; choose TIFF")
    coded = imagecodecs.jpeg8_encode(np.ascontiguousarray(pixels), level=int(quality), subsampling="444")
    coded = bytes(coded)
    with atomic_file(target, overwrite) as temporary:
        temporary.write_bytes(_with_profile(coded, profile(space)))
        if source is not None:
            copy_metadata(source, temporary, SOFTWARE, description)


def _with_profile(jpeg: bytes, icc: bytes) -> bytes:
    """Put an ICC profile (shorter than one segment) behind the first marker (ICC.1, annex B.4)."""
    body = b"ICC_PROFILE\0\x01\x01" + icc
    segment = b"\xff\xe2" + (len(body) + 2).to_bytes(2, "big") + body
    end = 2
    if jpeg[2:4] == b"\xff\xe0":  # keep the JFIF header first
        end = 4 + int.from_bytes(jpeg[4:6], "big")
    return jpeg[:end] + segment + jpeg[end:]


def write_exr(
    target: Path,
    pixels: np.ndarray,
    *,
    space: str = "rec2020",
    description: str = "",
    overwrite: bool = False,
) -> None:
    """Write scene-linear float32 H×W×3 as OpenEXR (32-bit float, ZIP) with the chromaticities of `space`."""
    _check(target, overwrite)
    chosen = SPACES[space]
    points = tuple(float(v) for xy in (*chosen.primaries, chosen.white) for v in xy)
    header = {
        "compression": OpenEXR.ZIP_COMPRESSION,
        "type": OpenEXR.scanlineimage,
        "chromaticities": points,
        "software": SOFTWARE,
        "comments": description,
    }
    channels = {"RGB": np.ascontiguousarray(pixels, np.float32)}
    with atomic_file(target, overwrite) as temporary:
        try:
            with OpenEXR.File(header, channels) as file:
                file.write(str(temporary))
        except (OSError, RuntimeError) as error:
            raise WriteError(target, "it cannot be written; check the space left on the disk") from error
