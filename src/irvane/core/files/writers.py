"""Writing finished pictures: TIFF, JPEG, OpenEXR, with ICC profile and metadata, atomically."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from pathlib import Path
from types import MappingProxyType
from typing import TYPE_CHECKING

import numpy as np

from irvane import __version__
from irvane.core.colour.icc import profile
from irvane.core.colour.spaces import SPACES
from irvane.core.errors import WriteError
from irvane.core.files.boundary import textual
from irvane.core.files.carrying import Form, Kept, copy_metadata
from irvane.core.lazily import lazily
from irvane.core.store.atomic import atomic_file, begin_writing

if TYPE_CHECKING:
    import imagecodecs
    import OpenEXR
    import tifffile
else:
    imagecodecs = lazily("imagecodecs")
    OpenEXR = lazily("OpenEXR")
    tifffile = lazily("tifffile")

SOFTWARE = f"Irvane {__version__}"
_JPEG_SIDE = 65_500  # the format's limit
#: Rows of a compressed strip.
_STRIP = 64
_EXIF_LIMIT = 2**32 - 2**20  # TIFF offsets are 32 bit; no BigTIFF


@dataclass(frozen=True)
class Bands:
    """A picture that is handed over in bands from top to bottom.

    Attributes
    ----------
    shape : height and width of the whole.
    dtype : of every band; each is rows×width×3.
    """

    shape: tuple[int, int]
    dtype: np.dtype | type
    bands: Iterable[np.ndarray]

    @property
    def nbytes(self) -> int:
        """Bytes of the whole picture."""
        return self.shape[0] * self.shape[1] * 3 * np.dtype(self.dtype).itemsize


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
    pixels: np.ndarray | Bands,
    *,
    space: str,
    linear: bool = False,
    source: Path | None = None,
    description: str = "",
    overwrite: bool = False,
    ppi: int = 300,
    kept: Kept = Kept(),
    compress: bool = False,
) -> None:
    """Write an RGB TIFF.

    Parameters
    ----------
    pixels : H×W×3 of uint8, uint16 or float32, encoded for `space` (or linear); whole or in bands.
    source : file whose metadata are carried over.
    description : what was done, for ImageDescription.
    compress : deflate in strips, with a predictor; smaller, and slower to write.

    Raises
    ------
    WriteError
        When the target exists (and `overwrite` is off) or cannot be written.
    """
    _check(target, overwrite)
    if isinstance(pixels, np.ndarray):
        pixels = Bands(pixels.shape[:2], pixels.dtype, [pixels])
    with atomic_file(target, overwrite) as temporary:
        # the metadata go into a file of one pixel: to put them into a whole one would write it twice
        # streams of our own: tifffile passes over errors when it closes a file
        with temporary.open("wb") as stream:
            tifffile.imwrite(
                stream,
                np.zeros((1, 1, 3), pixels.dtype),
                photometric="rgb",
                iccprofile=profile(space, linear),
                resolution=(ppi, ppi),
                resolutionunit="inch",
                metadata=None,
                software=False,
                bigtiff=pixels.nbytes > _EXIF_LIMIT,
                compression="zlib" if compress else None,
                predictor=compress and np.dtype(pixels.dtype).kind == "u",
            )
        if source is not None:
            h, w = pixels.shape
            copy_metadata(
                source, temporary, SOFTWARE, description, Form(w, h, space == "srgb" and not linear), kept
            )
        (_fill_compressed if compress else _fill)(temporary, pixels)


def _fill(path: Path, pixels: Bands) -> None:
    """Make a TIFF of one pixel a whole one: the bands go behind it, its size and place are set anew."""
    h, w = pixels.shape
    with path.open("ab") as stream:
        first = stream.tell() + stream.write(b"\0" * (-stream.tell() % 16))
        for band in pixels.bands:
            count = stream.write(np.ascontiguousarray(band).data)
            begin_writing(stream, stream.tell() - count, count)
        if stream.tell() - first != pixels.nbytes:
            raise ValueError("the bands do not make up the picture")
    places = {"ImageWidth": w, "ImageLength": h, "RowsPerStrip": h, "StripOffsets": first}
    with path.open("r+b") as written, tifffile.TiffFile(written) as file:
        tags, offset = file.pages.first.tags, 16 if file.is_bigtiff else 4
        for name, value in (places | {"StripByteCounts": pixels.nbytes}).items():
            tags[name].overwrite(value, dtype=offset)


def _strips(bands: Iterable[np.ndarray]) -> Iterator[np.ndarray]:
    """The rows of bands of any height, so many at once."""
    waiting: list[np.ndarray] = []
    count = 0
    for band in bands:
        waiting.append(band)
        count += band.shape[0]
        if count >= _STRIP:
            rows = np.concatenate(waiting)
            whole = count // _STRIP * _STRIP
            yield from (rows[k : k + _STRIP] for k in range(0, whole, _STRIP))
            waiting, count = [rows[whole:]], count - whole
    if count:
        yield np.concatenate(waiting)


def _fill_compressed(path: Path, pixels: Bands) -> None:
    """Like :func:`_fill`, in strips that are deflated, whole numbers with horizontal differences (TIFF 6.0,
    predictor 2)."""
    h, w = pixels.shape
    whole = np.dtype(pixels.dtype).kind == "u"
    offsets, counts = [], []
    with path.open("ab") as stream:
        stream.write(b"\0" * (-stream.tell() % 16))
        for strip in _strips(pixels.bands):
            values = np.ascontiguousarray(strip)
            if whole:
                values = imagecodecs.delta_encode(values, axis=1)
            offsets.append(stream.tell())
            counts.append(stream.write(bytes(imagecodecs.zlib_encode(values.tobytes(), level=4))))
    with path.open("r+b") as written, tifffile.TiffFile(written) as file:
        tags, offset = file.pages.first.tags, 16 if file.is_bigtiff else 4
        for name, value in {"ImageWidth": w, "ImageLength": h, "RowsPerStrip": _STRIP}.items():
            tags[name].overwrite(value, dtype=4)
        tags["StripOffsets"].overwrite(offsets, dtype=offset)
        tags["StripByteCounts"].overwrite(counts, dtype=offset)


def write_jpeg(
    target: Path,
    pixels: np.ndarray,
    *,
    space: str,
    quality: int,
    source: Path | None = None,
    description: str = "",
    overwrite: bool = False,
    ppi: int = 300,
    kept: Kept = Kept(),
) -> None:
    """Write a baseline JPEG (4:4:4) from uint8 H×W×3; parameters as in :func:`write_tiff`."""
    _check(target, overwrite)
    if max(pixels.shape[:2]) > _JPEG_SIDE:
        raise WriteError(target, f"JPEG holds at most {_JPEG_SIDE} pixels a side; choose TIFF")
    coded = imagecodecs.jpeg8_encode(np.ascontiguousarray(pixels), level=int(quality), subsampling="444")
    coded = bytes(coded)
    with atomic_file(target, overwrite) as temporary:
        temporary.write_bytes(_with_profile(_with_resolution(coded, ppi), profile(space)))
        if source is not None:
            h, w = pixels.shape[:2]
            copy_metadata(
                source, temporary, SOFTWARE, description, Form(w, h, space == "srgb", True, ppi), kept
            )


def _with_resolution(jpeg: bytes, ppi: int) -> bytes:
    """State the resolution in the JFIF header (JFIF 1.02), where there is one."""
    if jpeg[2:4] != b"\xff\xe0" or jpeg[6:11] != b"JFIF\0":
        return jpeg
    return jpeg[:13] + b"\x01" + 2 * ppi.to_bytes(2, "big") + jpeg[18:]


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
    half: bool = False,
    raised: float = 0.0,
    attributes: Mapping[str, float | str] = MappingProxyType({}),
) -> None:
    """Write scene-linear float32 H×W×3 as OpenEXR (32-bit float or half, ZIP) with the chromaticities of
    `space`.

    `raised`: EV by which a camera's light was raised so that 18 % grey lies at 0.18; noted as an attribute:
    values times 2^-`baseExposure` are shares of the sensor's clip.
    """
    _check(target, overwrite)
    chosen = SPACES[space]
    points = tuple(float(v) for xy in (*chosen.primaries, chosen.white) for v in xy)
    header = {
        "compression": OpenEXR.ZIP_COMPRESSION,
        "type": OpenEXR.scanlineimage,
        "chromaticities": points,
        "software": SOFTWARE,
        "comments": description,
        "baseExposure": float(raised),
        **attributes,
    }
    channels = {"RGB": np.ascontiguousarray(pixels, np.float16 if half else np.float32)}
    with atomic_file(target, overwrite) as temporary:
        try:
            with OpenEXR.File(header, channels) as file, textual(temporary) as name:
                file.write(name)
        except (OSError, RuntimeError) as error:
            raise WriteError(target, "it cannot be written; check the space left on the disk") from error
