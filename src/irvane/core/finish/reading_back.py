"""Reading a written file again, by another library than wrote it where there is one, and comparing it with
what was written."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import TYPE_CHECKING

import cv2
import numpy as np
from PIL import Image

from irvane.core.errors import WriteError
from irvane.core.files.boundary import reading, textual
from irvane.core.finish.destination import Destination
from irvane.core.lazily import lazily

if TYPE_CHECKING:
    import imagecodecs
    import OpenEXR
    import rawpy
    import tifffile
else:
    imagecodecs = lazily("imagecodecs")
    OpenEXR = lazily("OpenEXR")
    rawpy = lazily("rawpy")
    tifffile = lazily("tifffile")

#: Side of the blocks whose means are compared where a format loses something, and by how much (share of
#: white) they may differ: the coarsest quality that is offered stays below.
_BLOCK, _NEAR = 32, 0.02


class Witness:
    """Sees the bands of a picture on their way to the writer."""

    def __init__(self) -> None:
        self._digest = hashlib.blake2b(digest_size=16)
        self._sums: list[np.ndarray] = []
        self._rest: np.ndarray | None = None
        self.shape = (0, 0)

    def watch(self, bands: Iterator[np.ndarray]) -> Iterator[np.ndarray]:
        """The same bands."""
        rows = 0
        for band in bands:
            self._digest.update(np.ascontiguousarray(band).tobytes())
            rows += band.shape[0]
            self.shape = (rows, band.shape[1])
            self._take(band)
            yield band

    def _take(self, band: np.ndarray) -> None:
        whole = band if self._rest is None else np.concatenate([self._rest, band])
        count = whole.shape[0] // _BLOCK * _BLOCK
        if count:
            self._sums.append(_blocks(whole[:count]))
        self._rest = whole[count:].copy()

    @property
    def digest(self) -> str:
        return self._digest.hexdigest()

    @property
    def blocks(self) -> np.ndarray:
        """Means of whole blocks, as shares of white."""
        return np.concatenate(self._sums) if self._sums else np.zeros((0, 0, 3), np.float32)


def _blocks(pixels: np.ndarray) -> np.ndarray:
    h, w = (side // _BLOCK * _BLOCK for side in pixels.shape[:2])
    top = float(np.iinfo(pixels.dtype).max) if pixels.dtype.kind == "u" else 1.0
    whole = pixels[:h, :w].reshape(h // _BLOCK, _BLOCK, w // _BLOCK, _BLOCK, 3)
    return (whole.mean(axis=(1, 3), dtype=np.float64) / top).astype(np.float32)


def _exr(path: Path) -> np.ndarray:
    with textual(path) as name, OpenEXR.File(name) as file:
        return np.asarray(file.channels()["RGB"].pixels)


def _dng(path: Path) -> np.ndarray:
    with tifffile.TiffFile(path) as file:
        page = file.pages.first.pages[0]
        if page.sampleformat == 3:
            return np.asarray(page.asarray())
    with textual(path) as name, rawpy.imread(name) as raw:
        return np.asarray(raw.raw_image_visible)[..., :3].copy()


def _png(path: Path) -> np.ndarray:
    found = cv2.imdecode(np.fromfile(path, np.uint8), cv2.IMREAD_UNCHANGED)
    if found is None:
        raise ValueError("no picture")
    return np.ascontiguousarray(found[..., ::-1])


_READERS: dict[str, Callable[[Path], np.ndarray]] = {
    "tiff": lambda path: np.asarray(tifffile.imread(path)),
    "jpeg": lambda path: np.asarray(Image.open(path).convert("RGB")),
    "png": _png,
    "exr": _exr,
    "dng": _dng,
    "jxl": lambda path: np.asarray(imagecodecs.jpegxl_decode(path.read_bytes())),
    "avif": lambda path: np.asarray(imagecodecs.avif_decode(path.read_bytes())),
}
_LOSSLESS = ("tiff", "png", "dng")


def read_back(path: Path, how: Destination, witness: Witness) -> str:
    """Compare a written file with what was handed to its writer; returns a sentence on what was found.

    Raises
    ------
    WriteError
        When it cannot be read, or is not what was written. It is left where it is.
    """
    try:
        with reading(path):
            found = _READERS[how.format](path)
    except Exception as error:
        raise WriteError(path, f"it was written, but cannot be read again ({error})") from error
    if found.shape[:2] != witness.shape:
        raise WriteError(path, "what was read back has another size than what was written")
    exact = how.format in _LOSSLESS or (how.format == "exr" and how.depth == 32)
    if exact:
        if (
            hashlib.blake2b(np.ascontiguousarray(found).tobytes(), digest_size=16).hexdigest()
            != witness.digest
        ):
            raise WriteError(path, "what was read back is not what was written")
        return "Read back: every pixel is what was written."
    if how.format == "avif":
        found = (found.astype(np.uint32) * 65535 // 1023).astype(np.uint16)
    ours, theirs = witness.blocks, _blocks(found)
    largest = float(np.abs(ours - theirs[: ours.shape[0]]).max(initial=0.0))
    if largest > _NEAR:
        raise WriteError(path, f"what was read back differs from what was written by {largest:.1%} of white")
    return f"Read back: means of {_BLOCK} × {_BLOCK} pixels differ by {largest:.2%} of white at most."
