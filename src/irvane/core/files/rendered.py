"""Reading rendered pictures (TIFF, JPEG, PNG) and scene-linear OpenEXR."""

from __future__ import annotations

import io
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from PIL import Image

from irvane.core.colour.icc import profile
from irvane.core.colour.spaces import D65, SPACES, WORKING, Space, adaptation, between, to_xyz
from irvane.core.errors import ReadError
from irvane.core.files.boundary import check_size, reading, textual
from irvane.core.files.formats import RENDERED_KINDS
from irvane.core.files.info import FrameInfo, read_info
from irvane.core.files.raw import MAX_SIDE
from irvane.core.image import finite
from irvane.core.lazily import lazily

if TYPE_CHECKING:
    import imagecodecs
    import OpenEXR
    import tifffile
else:
    imagecodecs = lazily("imagecodecs")
    OpenEXR = lazily("OpenEXR")
    tifffile = lazily("tifffile")

Image.MAX_IMAGE_PIXELS = None  # size is checked here, with a sentence


@dataclass(frozen=True)
class RenderedPicture:
    """A decoded rendered picture.

    Attributes
    ----------
    linear : float32, H×W×3, linear BT.2020; display light 0…1, or scene light for OpenEXR.
    scene : True when the light is scene-linear.
    flip : orientation to apply, LibRaw's codes (see RawFrame).
    """

    path: Path
    linear: np.ndarray
    scene: bool
    flip: int
    info: FrameInfo
    notes: tuple[str, ...]


#: EXIF orientation to LibRaw's flip codes; mirrored ones are not produced by cameras.
_FLIPS = {1: 0, 3: 3, 6: 6, 8: 5}


def _to_working(encoded: np.ndarray, icc: bytes | None, notes: list[str]) -> np.ndarray:
    if icc and icc != profile("srgb"):
        for key in SPACES:
            if icc == profile(key):
                return _from_space(encoded, SPACES[key])
        try:
            out = imagecodecs.cms_transform(
                np.ascontiguousarray(encoded, np.float32),
                icc,
                profile("rec2020", linear=True),
                colorspace="rgb",
                outcolorspace="rgb",
            )
            return np.ascontiguousarray(out, np.float32)
        except Exception:  # a damaged profile must not stop the picture; imagecodecs raises various types
            notes.append("The colour profile inside the file cannot be used; sRGB was taken.")
    return _from_space(encoded, SPACES["srgb"])


def _from_space(encoded: np.ndarray, space: Space) -> np.ndarray:
    return space.decode(encoded) @ between(space, WORKING).T.astype(np.float32)


def _three_channels(picture: np.ndarray, path: Path) -> np.ndarray:
    if picture.ndim == 2:
        return np.repeat(picture[..., None], 3, axis=2)
    if picture.ndim == 3 and picture.shape[2] in (3, 4):
        return picture[..., :3]
    if picture.ndim == 3 and picture.shape[2] == 2:
        return np.repeat(picture[..., :1], 3, axis=2)
    raise ReadError(path, f"a picture with the layout {picture.shape} is not supported")


def _scaled(picture: np.ndarray, path: Path) -> np.ndarray:
    if picture.dtype == np.uint8:
        return picture.astype(np.float32) / 255
    if picture.dtype == np.uint16:
        return picture.astype(np.float32) / 65535
    if picture.dtype.kind == "f":
        return picture.astype(np.float32)
    if picture.dtype == bool:
        return picture.astype(np.float32)
    raise ReadError(path, f"pixels of the type {picture.dtype} are not supported")


def _read_tiff(path: Path) -> tuple[np.ndarray, bytes | None, int]:
    with tifffile.TiffFile(path) as file:
        page = file.pages.first
        check_size(path, page.imagewidth, page.imagelength)
        if page.photometric.name not in ("RGB", "MINISBLACK", "YCBCR"):
            raise ReadError(path, f"a TIFF of the kind {page.photometric.name} is not supported")
        picture = page.asarray()
        if page.planarconfig == 2 and picture.ndim == 3:
            picture = np.moveaxis(picture, 0, -1)
        orientation = page.tags.valueof(274, 1)
        return picture, page.tags.valueof(34675), int(orientation)


def _read_pillow(path: Path) -> tuple[np.ndarray, bytes | None, int]:
    with Image.open(path) as image:
        check_size(path, *image.size)
        orientation = int(image.getexif().get(274, 1))
        icc = image.info.get("icc_profile")
        if image.mode in ("CMYK", "YCCK", "LAB"):
            raise ReadError(path, f"pictures in {image.mode} are not supported")
        if image.mode in ("I;16", "I;16B"):
            return np.asarray(image).astype(np.uint16), icc, orientation
        if image.mode not in ("L", "RGB", "RGBA"):
            image = image.convert("RGB")
        return np.asarray(image), icc, orientation


def _read_png(path: Path) -> tuple[np.ndarray, bytes | None, int]:
    # Pillow reduces 16-bit colour PNG to 8 bits: the pixels come from imagecodecs
    with Image.open(path) as image:
        check_size(path, *image.size)
    content = path.read_bytes()
    with Image.open(io.BytesIO(content)) as image:
        icc = image.info.get("icc_profile")
        palette = image.mode == "P"
        if palette:
            return np.asarray(image.convert("RGB")), icc, 1
    return imagecodecs.png_decode(content), icc, 1


def _read_exr(path: Path) -> np.ndarray:
    with textual(path) as name:
        return _read_exr_named(path, name)


def _read_exr_named(path: Path, name: str) -> np.ndarray:
    with OpenEXR.File(name, header_only=True) as file:
        if not file.parts:
            raise ReadError(path, "the file is damaged")
        corner, end = file.header()["dataWindow"]
        check_size(path, int(end[0]) - int(corner[0]) + 1, int(end[1]) - int(corner[1]) + 1)
    with OpenEXR.File(name) as file:
        if not file.parts:
            raise ReadError(path, "the file is damaged")
        channels = file.channels()
        for kind in ("RGB", "RGBA"):
            if kind in channels:
                picture = np.array(channels[kind].pixels[..., :3], np.float32)
                break
        else:
            if not all(kind in channels for kind in "RGB"):
                raise ReadError(path, "it holds no red, green and blue channels")
            picture = np.stack([np.array(channels[kind].pixels, np.float32) for kind in "RGB"], axis=-1)
        chroma = file.header().get("chromaticities")
    if chroma is None:
        return picture @ between(SPACES["srgb"], WORKING).T.astype(np.float32)
    points = np.asarray(chroma, dtype=float).ravel()
    pairs = [(float(points[i]), float(points[i + 1])) for i in range(0, 8, 2)]
    space = Space("file", "file", (pairs[0], pairs[1], pairs[2]), pairs[3], (1, 1, 0, 1, 0))
    matrix = np.linalg.solve(to_xyz(WORKING), adaptation(space.white, D65) @ to_xyz(space))
    return picture @ matrix.T.astype(np.float32)


def decode_rendered(path: Path) -> RenderedPicture:
    """Decode a TIFF, JPEG, PNG or OpenEXR file into linear BT.2020.

    Raises
    ------
    ReadError
        When the file is missing, damaged, or of an unsupported kind.
    """
    notes: list[str] = []
    kind = RENDERED_KINDS.get(path.suffix.lower(), "")
    with reading(path):
        if kind == "exr":
            linear, scene, orientation = _read_exr(path), True, 1
        else:
            reader = {"tiff": _read_tiff, "png": _read_png}.get(kind, _read_pillow)
            picture, icc, orientation = reader(path)
            if max(picture.shape[:2]) > MAX_SIDE or min(picture.shape[:2]) < 1:
                raise ReadError(
                    path, f"its size of {picture.shape[1]} × {picture.shape[0]} pixels is not plausible"
                )
            encoded = finite(_scaled(_three_channels(picture, path), path))[0]
            linear, scene = _to_working(encoded, icc, notes), False
    linear, replaced = finite(np.ascontiguousarray(linear, np.float32))
    if replaced:
        notes.append(f"{replaced} values that are not numbers were replaced.")
    return RenderedPicture(path, linear, scene, _FLIPS.get(orientation, 0), read_info(path), tuple(notes))
