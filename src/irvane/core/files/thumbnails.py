"""Embedded previews: what the camera put into the file, shown at once."""

from __future__ import annotations

import io
from pathlib import Path

import numpy as np
import rawpy
from PIL import Image, UnidentifiedImageError

from irvane.core.errors import ReadError
from irvane.core.files.rendered import RENDERED_ENDINGS, decode_rendered

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


def _raw_preview(path: Path, longest: int) -> np.ndarray:
    try:
        with rawpy.imread(str(path)) as raw:
            flip = int(raw.sizes.flip)
            try:
                thumb = raw.extract_thumb()
            except (rawpy.LibRawNoThumbnailError, rawpy.LibRawUnsupportedThumbnailError):
                return _grey_mosaic(raw, longest)
            orientation = _FLIP_TO_ORIENTATION.get(flip, 1)
            if thumb.format == rawpy.ThumbFormat.JPEG:
                with Image.open(io.BytesIO(bytes(thumb.data))) as image:
                    image.draft("RGB", (longest, longest))
                    return _fit(image, longest, image.getexif().get(274, orientation))
            return _fit(Image.fromarray(np.array(thumb.data)), longest, orientation)
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


def preview(path: Path, longest: int) -> np.ndarray:
    """The embedded preview (or the reduced picture itself), upright: uint8 H×W×3, longer side at most `longest`.

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
                return _fit(image, longest, image.getexif().get(274, 1))
        except (OSError, UnidentifiedImageError, ValueError) as error:
            raise ReadError(path, "it is not a picture that can be decoded, or it is damaged") from error
    linear = decode_rendered(path).linear
    step = max(1, max(linear.shape[:2]) // longest)
    coded = np.sqrt(np.clip(linear[::step, ::step], 0, 1)) * 255
    return np.ascontiguousarray(coded.astype(np.uint8))
