"""Writing linear DNG (Adobe DNG specification 1.4): demosaiced camera light that other programs develop on.

White balance, colour and tone stay editable there: the pixels are the camera's own red, green and blue, 0 is
black and 65,535 the sensor's clip. What was done to them is stated in the file; corrections of the lens that
are not in the pixels go along as opcodes, and those that are in them are guarded by a warp that changes
nothing, so that no reader corrects them again.
"""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from irvane.core.colour.camera import BASE_EXPOSURE
from irvane.core.files.carrying import Kept, carry_into_raw
from irvane.core.files.dng import add_exposure, rationals
from irvane.core.files.info import FrameInfo
from irvane.core.files.writers import SOFTWARE
from irvane.core.image import CameraColour
from irvane.core.lazily import lazily
from irvane.core.store.atomic import atomic_file

if TYPE_CHECKING:
    import imagecodecs
    import tifffile
else:
    imagecodecs = lazily("imagecodecs")
    tifffile = lazily("tifffile")

_TILE, _SMALL_TILE = 256, 64  # LibRaw misreads pictures narrower than one tile
_LOSSLESS_JPEG, _DEFLATE, _FLOATING, _LINEAR = 7, 8, 3, 34892
#: EXIF light sources of the two calibrations (DNG specification, CalibrationIlluminant1): those nearest to
#: the temperatures.
_LIGHTS = ((17, 2856.0), (21, 6504.0), (20, 5503.0), (23, 5003.0))


def _tiles(pixels: np.ndarray, side: int) -> Iterator[bytes]:
    h, w = pixels.shape[:2]
    for y in range(0, h, side):
        for x in range(0, w, side):
            tile = pixels[y : y + side, x : x + side]
            if tile.shape[:2] != (side, side):
                tile = np.pad(
                    tile, ((0, side - tile.shape[0]), (0, side - tile.shape[1]), (0, 0)), mode="edge"
                )
            yield bytes(
                imagecodecs.jpeg8_encode(
                    np.ascontiguousarray(tile), lossless=True, bitspersample=16, colorspace="unknown",
                    outcolorspace="unknown",
                )
            )  # fmt: skip


def _floats(light: np.ndarray, side: int) -> Iterator[bytes]:
    """Tiles of float32, deflated with differences of their bytes (DNG 1.4, predictor 3)."""
    h, w = light.shape[:2]
    for y in range(0, h, side):
        for x in range(0, w, side):
            tile = light[y : y + side, x : x + side]
            tile = np.pad(tile, ((0, side - tile.shape[0]), (0, side - tile.shape[1]), (0, 0)), mode="edge")
            coded = imagecodecs.floatpred_encode(np.ascontiguousarray(tile, np.float32), axis=-2)
            yield bytes(imagecodecs.zlib_encode(coded.tobytes(), level=4))


def _light(kelvin: float) -> int:
    return min(_LIGHTS, key=lambda light: abs(light[1] - kelvin))[0]


def write_linear_dng(
    target: Path, light: np.ndarray, *, colour: CameraColour, info: FrameInfo, baked: tuple[str, ...],
    denoised: bool,
    opcodes: bytes, preview_jpeg: bytes, preview_shape: tuple[int, int], overwrite: bool,
    floating: bool = False, source: Path | None = None, kept: Kept = Kept(),
) -> None:  # fmt: skip
    """Write camera-linear light.

    Parameters
    ----------
    light : float32 H×W×3, 1 = the sensor's clip; what lies above is cut off unless `floating`.
    baked : what is in the pixels already, in words.
    denoised : was noise removed? No reader shall do it again.
    opcodes : corrections of the lens that a reader is to apply (tag OpcodeList3); none when empty.
    floating : 32-bit floating point, which holds all light; otherwise 16-bit whole numbers, lossless.
    source : file whose metadata are carried over, as `kept` says.
    preview_jpeg : a baseline JPEG of `preview_shape` (height, width), encoded sRGB.

    Raises
    ------
    WriteError
    """
    side = _TILE if min(light.shape[:2]) >= _TILE else _SMALL_TILE
    kind: dict[str, Any]
    if floating:
        data, white = _floats(light, side), 1
        kind = {"dtype": np.float32, "compression": _DEFLATE, "predictor": _FLOATING}
    else:
        data, white = _tiles(np.rint(np.clip(light, 0, 1) * 65535).astype(np.uint16), side), 65535
        kind = {"dtype": np.uint16, "compression": _LOSSLESS_JPEG}
    told = f"{SOFTWARE}: {', '.join(baked)} done" if baked else SOFTWARE
    neutral = np.asarray(colour.neutral, float)
    root: list[tuple] = [
        (50706, "B", 4, (1, 4, 0, 0), True),
        (50707, "B", 4, (1, 2, 0, 0), True),
        (50708, "s", 0, f"{info.make} {info.model}".strip() or "Unknown", True),
        (270, "s", 0, told, True),
        (271, "s", 0, info.make, True),
        (272, "s", 0, info.model, True),
        (274, "H", 1, 1, True),
        (305, "s", 0, SOFTWARE, True),
        (50728, *rationals(neutral / neutral.max()), True),
        (
            50730,
            *rationals(np.array([BASE_EXPOSURE]), True),
            True,
        ),  # BaselineExposure: how far 18 % grey lies above the samples'
    ]
    if colour.matrix_warm is not None:
        root += [
            (50721, *rationals(colour.matrix_warm, True), True),
            (50778, "H", 1, _light(colour.warm_kelvin), True),
            (50722, *rationals(colour.matrix, True), True),
            (50779, "H", 1, _light(colour.cool_kelvin), True),
        ]
    else:
        root += [(50721, *rationals(colour.matrix, True), True), (50778, "H", 1, 21, True)]
    raw: list[tuple] = [
        (50713, "H", 2, (1, 1), True),
        (50714, *rationals(np.zeros(3)), True),
        (50717, "I", 3, (white,) * 3, True),
        (50935, *rationals(np.array([1.0 if denoised else 0.0])), True),
    ]
    if opcodes:
        raw.append((51022, 7, len(opcodes), opcodes, True))
    with atomic_file(target, overwrite) as temporary:
        with temporary.open("w+b") as stream, tifffile.TiffWriter(stream) as writer:
            writer.write(
                iter([preview_jpeg]), shape=(*preview_shape, 3), dtype=np.uint8, photometric="ycbcr",
                compression="jpeg",
                rowsperstrip=preview_shape[0], subifds=1, subfiletype=1, extratags=root, metadata=None,
                software=False,
            )  # fmt: skip
            writer.write(
                data, shape=light.shape, photometric=_LINEAR, tile=(side, side), subfiletype=0, extratags=raw,
                metadata=None, software=False, planarconfig="contig", **kind,
            )  # fmt: skip
        more = None if source is None else lambda image: carry_into_raw(source, image, SOFTWARE, told, kept)
        add_exposure(temporary, info, more)
