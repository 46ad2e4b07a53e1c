"""Writing PNG, JPEG XL, AVIF and Radiance HDR; parameters and errors as in
:mod:`irvane.core.files.writers`."""

from __future__ import annotations

import struct
import zlib
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

import cv2
import numpy as np

from irvane.core.colour.icc import profile
from irvane.core.errors import WriteError
from irvane.core.files.boxes import avif_with_metadata, jxl_with_metadata
from irvane.core.files.carrying import Form, Kept, copy_metadata, packed
from irvane.core.files.writers import SOFTWARE
from irvane.core.lazily import lazily
from irvane.core.store.atomic import atomic_file

if TYPE_CHECKING:
    import imagecodecs
else:
    imagecodecs = lazily("imagecodecs")

#: Codes of ITU-T H.273 by the space's key: primaries and transfer that AVIF states.
_CICP = {"srgb": (1, 13), "p3": (12, 13), "rec2020": (9, 14)}
_INCH_IN_METRES = 0.0254


def write_radiance(
    target: Path, light: np.ndarray, *, description: str, raised: float = 0.0, overwrite: bool
) -> None:
    """Write scene-linear light (float32 H×W×3, Rec. 709 primaries) as Radiance HDR (Ward 1991): shared
    exponents, nothing below 0.

    `raised`: EV by which a camera's light was raised so that 18 % grey lies at 0.18; noted as a comment.
    """
    if target.exists() and not overwrite:
        raise WriteError(target, "exists already; it was not overwritten")
    good, data = cv2.imencode(".hdr", np.ascontiguousarray(np.maximum(light, 0)[..., ::-1], np.float32))
    if not good:
        raise WriteError(target, "it cannot be written as Radiance HDR")
    head, _, rest = data.tobytes().partition(b"\n")
    with atomic_file(target, overwrite) as temporary:
        told = f"# {description}\n# baseExposure={raised:g} EV: 18 % grey is 0.18".encode("ascii", "replace")
        temporary.write_bytes(head + b"\n" + told + b"\n" + rest)


def _chunk(kind: bytes, body: bytes) -> bytes:
    return struct.pack(">I", len(body)) + kind + body + struct.pack(">I", zlib.crc32(kind + body))


def write_png(
    target: Path, pixels: np.ndarray, *, space: str, source: Path | None, description: str, overwrite: bool,
    ppi: int,
    kept: Kept,
) -> None:  # fmt: skip
    """PNG with 8 or 16 bits (uint8 or uint16 H×W×3), with ICC profile and resolution (PNG specification, iCCP
    and pHYs)."""
    coded = bytes(imagecodecs.png_encode(np.ascontiguousarray(pixels), level=6))
    header = 8 + 25  # signature and IHDR
    dots = round(ppi / _INCH_IN_METRES)
    more = _chunk(b"iCCP", b"ICC profile\0\0" + zlib.compress(profile(space)))
    more += _chunk(b"pHYs", struct.pack(">IIB", dots, dots, 1))
    with atomic_file(target, overwrite) as temporary:
        temporary.write_bytes(coded[:header] + more + coded[header:])
        if source is not None:
            h, w = pixels.shape[:2]
            copy_metadata(
                source, temporary, SOFTWARE, description, Form(w, h, space == "srgb", ppi=ppi), kept
            )


@dataclass(frozen=True)
class Carried:
    """Metadata for formats that hold them as they are: where from, what was done, what of it."""

    source: Path
    description: str
    kept: Kept

    def packed(self, pixels: np.ndarray, srgb: bool) -> tuple[bytes, bytes]:
        """Exif and XMP for a picture."""
        h, w = pixels.shape[:2]
        return packed(self.source, SOFTWARE, self.description, Form(w, h, srgb), self.kept)


def write_jxl(
    target: Path, pixels: np.ndarray, *, quality: float, overwrite: bool, carried: Carried | None = None
) -> None:
    """JPEG XL in sRGB (uint8 or uint16 H×W×3)."""
    coded = bytes(
        imagecodecs.jpegxl_encode(np.ascontiguousarray(pixels), level=int(quality), usecontainer=True)
    )
    if carried is not None:
        coded = jxl_with_metadata(coded, *carried.packed(pixels, True))
    with atomic_file(target, overwrite) as temporary:
        temporary.write_bytes(coded)


def write_avif(
    target: Path,
    pixels: np.ndarray,
    *,
    space: str,
    quality: float,
    overwrite: bool,
    carried: Carried | None = None,
) -> None:
    """AVIF with 10 bits (uint16 H×W×3, 0…65,535), its space by code (ITU-T H.273)."""
    if space not in _CICP:
        raise WriteError(target, "AVIF names sRGB, Display P3 and Rec. 2020 only; choose one of these")
    primaries, transfer = _CICP[space]
    ten = (pixels >> 6).astype(np.uint16)
    coded = bytes(imagecodecs.avif_encode(
        np.ascontiguousarray(ten), level=int(quality), speed=6, bitspersample=10, primaries=primaries,
        transfer=transfer,
        matrix=1 if space != "rec2020" else 9,
    ))  # fmt: skip
    if carried is not None:
        coded = avif_with_metadata(coded, *carried.packed(pixels, space == "srgb"))
    with atomic_file(target, overwrite) as temporary:
        temporary.write_bytes(coded)
