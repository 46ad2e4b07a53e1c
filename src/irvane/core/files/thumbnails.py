"""Embedded previews: what the camera put into the file, shown at once."""

from __future__ import annotations

import io
from dataclasses import dataclass, field
from pathlib import Path

import cv2
import numpy as np
import rawpy
from PIL import Image, UnidentifiedImageError

from irvane.core.errors import ReadError
from irvane.core.files.rendered import RENDERED_ENDINGS, decode_rendered
from irvane.core.orientation import upright

#: Longer side of the small form of a preview, for lists.
SMALL = 240


@dataclass(frozen=True)
class Preview:
    """An embedded preview.

    Attributes
    ----------
    pixels : uint8 H×W×3, upright.
    extent : height and width of the upright frame itself, as far as the file states it.
    small : the same, its longer side at most SMALL pixels.
    """

    pixels: np.ndarray
    extent: tuple[int, int]
    small: np.ndarray = field(init=False)

    def __post_init__(self) -> None:
        h, w = self.pixels.shape[:2]
        factor = min(1.0, SMALL / max(h, w))
        size = (max(1, round(w * factor)), max(1, round(h * factor)))
        object.__setattr__(self, "small", cv2.resize(self.pixels, size, interpolation=cv2.INTER_AREA))


_TURN = {
    3: Image.Transpose.ROTATE_180,
    6: Image.Transpose.ROTATE_270,
    8: Image.Transpose.ROTATE_90,
}
_FLIP_TO_ORIENTATION = {0: 1, 3: 3, 5: 8, 6: 6}


def _fit(image: Image.Image, longest: int, orientation: int) -> np.ndarray:
    image = image.convert("RGB")
    image.thumbnail((longest, longest), Image.Resampling.BILINEAR, reducing_gap=2.0)
    if orientation in _TURN:
        image = image.transpose(_TURN[orientation])
    return np.ascontiguousarray(np.asarray(image))


def _raw_preview(path: Path, longest: int) -> Preview:
    try:
        with rawpy.imread(str(path)) as raw:
            flip = int(raw.sizes.flip)
            extent = (raw.sizes.height, raw.sizes.width)
            extent = extent[::-1] if flip in (5, 6) else extent
            try:
                thumb = raw.extract_thumb()
            except (rawpy.LibRawNoThumbnailError, rawpy.LibRawUnsupportedThumbnailError):
                return Preview(_grey_mosaic(raw, longest), extent)
            orientation = _FLIP_TO_ORIENTATION.get(flip, 1)
            if thumb.format == rawpy.ThumbFormat.JPEG:
                with Image.open(io.BytesIO(bytes(thumb.data))) as image:
                    image.draft("RGB", (longest, longest))
                    pixels = _fit(image, longest, image.getexif().get(274, orientation))
                    return Preview(pixels, extent)
            return Preview(_fit(Image.fromarray(np.array(thumb.data)), longest, orientation), extent)
    except rawpy.LibRawError as error:
        raise ReadError(path, "it is not a raw file that can be decoded, or it is damaged") from error
    except (OSError, UnidentifiedImageError, ValueError) as error:
        raise ReadError(path, "its preview is damaged") from error


def _grey_mosaic(raw: rawpy.RawPy, longest: int) -> np.ndarray:
    """Without a preview: the mosaic itself, strongly reduced, as a grey picture."""
    counts = raw.raw_image_visible
    step = max(1, max(counts.shape[:2]) // longest)
    small = counts[::step, ::step].astype(np.float32)
    if small.ndim == 3:
        small = small[..., 1]
    small -= small.min()
    grey = np.sqrt(small / max(float(small.max()), 1.0)) * 255
    return np.repeat(grey.astype(np.uint8)[..., None], 3, axis=2)


def preview(path: Path, longest: int) -> Preview:
    """The embedded preview (or the reduced picture itself), upright, its longer side at most `longest` pixels.

    Raises
    ------
    ReadError
        When there is nothing to show.
    """
    if path.suffix.lower() not in RENDERED_ENDINGS:
        return _raw_preview(path, longest)
    if path.suffix.lower() in (".jpg", ".jpeg", ".png"):
        try:
            with Image.open(path) as image:
                image.draft("RGB", (longest, longest))
                orientation = image.getexif().get(274, 1)
                extent = image.size if orientation in (6, 8) else image.size[::-1]
                return Preview(_fit(image, longest, orientation), extent)
        except (OSError, UnidentifiedImageError, ValueError) as error:
            raise ReadError(path, "it is not a picture that can be decoded, or it is damaged") from error
    picture = decode_rendered(path)
    linear = upright(picture.linear, picture.flip)
    step = max(1, max(linear.shape[:2]) // longest)
    coded = np.sqrt(np.clip(linear[::step, ::step], 0, 1)) * 255
    return Preview(np.ascontiguousarray(coded.astype(np.uint8)), (linear.shape[0], linear.shape[1]))
