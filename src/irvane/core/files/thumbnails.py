"""Embedded previews: what the camera put into the file, shown at once."""

from __future__ import annotations

import io
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

import cv2
import numpy as np
from PIL import ExifTags, Image

from irvane.core.colour.spaces import SPACES, to_xyz
from irvane.core.files.boundary import BYTES_PREVIEW, check_size, reading, textual
from irvane.core.files.formats import RENDERED_ENDINGS, kind_of
from irvane.core.files.rendered import decode_rendered
from irvane.core.lazily import lazily
from irvane.core.orientation import upright
from irvane.core.sensor.white import clipping_white

if TYPE_CHECKING:
    import imagecodecs
    import rawpy
else:
    imagecodecs = lazily("imagecodecs")
    rawpy = lazily("rawpy")

#: Quality of the JPEG that previews are kept as.
_QUALITY = 90


@dataclass(frozen=True)
class Preview:
    """An embedded preview, kept coded: thousands fit into memory.

    Attributes
    ----------
    coded : JPEG, upright.
    extent : height and width of the upright frame itself, as far as the file states it.
    """

    coded: bytes
    extent: tuple[int, int]

    @staticmethod
    def of(pixels: np.ndarray, extent: tuple[int, int], longest: int | None = None) -> Preview:
        """From uint8 H×W×3, upright; reduced until its longer side is no more than `longest` pixels."""
        rgb = np.ascontiguousarray(pixels[..., :3])
        h, w = rgb.shape[:2]
        if longest is not None and max(h, w) > longest:
            size = (max(1, round(w * longest / max(h, w))), max(1, round(h * longest / max(h, w))))
            rgb = np.asarray(cv2.resize(rgb, size, interpolation=cv2.INTER_AREA))
        return Preview(bytes(imagecodecs.jpeg8_encode(rgb, level=_QUALITY)), extent)

    @property
    def pixels(self) -> np.ndarray:
        """uint8 H×W×3; decoded each time. ValueError where that is not possible."""
        return _decoded(self.coded, cv2.IMREAD_COLOR_RGB)

    @property
    def small(self) -> np.ndarray:
        """The same at half the size, for lists: decoded faster."""
        return _decoded(self.coded, cv2.IMREAD_REDUCED_COLOR_2)[..., ::-1].copy()


def _decoded(coded: bytes, way: int) -> np.ndarray:
    pixels = cv2.imdecode(np.frombuffer(coded, np.uint8), way) if coded else None
    if pixels is None:
        raise ValueError("this is no JPEG")
    return np.asarray(pixels)


class Pictures(Sequence[np.ndarray | None]):
    """The pixels of previews, decoded when they are asked for."""

    def __init__(self, previews: Sequence[Preview | None]) -> None:
        self.previews = previews

    def __len__(self) -> int:
        return len(self.previews)

    def __getitem__(self, index: Any) -> Any:
        one = self.previews[index]
        return None if one is None else one.pixels


#: Tags of the thumbnail in the second directory, and what Exif begins with in a JPEG (Exif 2.32, 4.6 and
#: 4.7.2); how far its shape may be off.
_THUMB_AT, _THUMB_BYTES, _EXIF, _SHAPE = 513, 514, b"Exif\0\0", 0.02
#: Lift of the middle of a raw without a preview, since exposures leave room for highlights (common practice).
_LIFT = 1.6
#: One group of rows of so many is looked at for where the sensor clips.
_ROWS = 4
#: Quarter turns to the left by the orientation that is noted (Exif 2.32).
_TURN = {3: 2, 6: 3, 8: 1}
_FLIP_TO_ORIENTATION = {0: 1, 3: 3, 5: 8, 6: 6}


def _fit(image: Image.Image, longest: int, orientation: int) -> np.ndarray:
    pixels = np.asarray(image.convert("RGB") if image.mode != "RGB" else image)
    factor = longest / max(pixels.shape[:2])
    if factor < 1:
        h, w = (max(1, round(side * factor)) for side in pixels.shape[:2])
        pixels = np.asarray(cv2.resize(pixels, (w, h), interpolation=cv2.INTER_AREA))
    return np.ascontiguousarray(np.rot90(pixels, _TURN.get(orientation, 0)))


def _raw_preview(path: Path, longest: int) -> Preview:
    with textual(path) as name, rawpy.imread(name) as raw:
        check_size(path, raw.sizes.width, raw.sizes.height, BYTES_PREVIEW)
        flip = int(raw.sizes.flip)
        extent = (raw.sizes.height, raw.sizes.width)
        extent = extent[::-1] if flip in (5, 6) else extent
        try:
            thumb = raw.extract_thumb()
        except (rawpy.LibRawNoThumbnailError, rawpy.LibRawUnsupportedThumbnailError):
            return Preview.of(_own_colour(raw, longest), extent)
        orientation = _FLIP_TO_ORIENTATION.get(flip, 1)
        if thumb.format == rawpy.ThumbFormat.JPEG:
            with Image.open(io.BytesIO(bytes(thumb.data))) as image:
                check_size(path, image.size[0], image.size[1], BYTES_PREVIEW)
                image.draft("RGB", (longest, longest))
                pixels = _fit(image, longest, image.getexif().get(274, orientation))
                return Preview.of(pixels, extent)
        return Preview.of(_fit(Image.fromarray(np.array(thumb.data)), longest, orientation), extent)


def _own_colour(raw: rawpy.RawPy, longest: int) -> np.ndarray:
    """Without a preview: the raw itself, strongly reduced, in the colours and as bright as it was shot
    (frames of a bracket differ in it), what is full in one channel without the others' excess: a white that
    clips stays white."""
    counts = raw.raw_image_visible
    step, white = max(1, max(counts.shape[:2]) // longest), float(raw.white_level)
    black = np.array([*raw.black_level_per_channel, 0, 0, 0, 0], np.float32)[:4]
    gains = np.array([*raw.camera_whitebalance, 1, 1, 1, 1], np.float32)[:4]
    if not (gains[:3] > 0).all():
        gains = np.array([*raw.daylight_whitebalance, 1, 1, 1, 1], np.float32)[:4]
    gains = np.where(gains > 0, gains, gains[1])
    if counts.ndim == 3:
        light = counts[::step, ::step, :3].astype(np.float32) - black[:3]
        light *= gains[:3] / gains[:3].min()
    elif raw.num_colors == 1:
        light = np.repeat(counts[::step, ::step, None].astype(np.float32) - black[0], 3, axis=2)
    else:
        colours = raw.raw_colors_visible  # made anew each time it is asked for
        light = _binned(counts, colours, max(step, 2), black, gains / gains[:3].min())
        white = _clips_at(counts, colours, black, white)
    light = np.minimum(light / max(white - float(black.min()), 1.0), 1.0)
    if raw.num_colors == 3:
        matrix = np.array(raw.rgb_xyz_matrix, float)[:3, :3]
        if np.isfinite(matrix).all() and abs(np.linalg.det(matrix)) > 1e-6:
            to_camera = matrix @ to_xyz(SPACES["srgb"])
            light = light @ np.linalg.inv(to_camera / to_camera.sum(axis=1, keepdims=True)).T.astype(
                np.float32
            )
    light = np.clip(light, 0, 1)
    coded = SPACES["srgb"].encode((light * _LIFT / (1 + (_LIFT - 1) * light)).astype(np.float32))
    flip = int(raw.sizes.flip)
    return np.ascontiguousarray(
        upright(np.rint(coded * 255).astype(np.uint8), flip if flip in (3, 5, 6) else 0)
    )


def _clips_at(counts: np.ndarray, colours: np.ndarray, black: np.ndarray, white: float) -> float:
    """The stated white, or where a sample of the frame's rows piles up below it."""
    side = 2 if counts.shape[1] < 12 or np.array_equal(colours[:2, :2], colours[:2, 2:4]) else 6
    rows = np.flatnonzero(np.arange(counts.shape[0]) // side % _ROWS == 0)
    cfa = np.where(colours[:side, :side] == 3, 1, colours[:side, :side])
    return float(clipping_white(counts[rows], cfa, black[:3].astype(float), np.full(3, white)).min())


def _binned(
    counts: np.ndarray, colours: np.ndarray, step: int, black: np.ndarray, gains: np.ndarray
) -> np.ndarray:
    """Means of each colour in cells that hold them all: float32 H×W×3."""
    side = -(-step // 6) * 6 if step > 2 else 6
    h, w = (n // side for n in counts.shape)
    places = colours[:side, :side]
    cells = counts[: h * side, : w * side].reshape(h, side, w, side)
    light = np.empty((h, w, 3), np.float32)
    for c in range(3):
        kinds = [k for k in range(4) if k == c or (c == 1 and k == 3)]
        where = np.argwhere(np.isin(places, kinds))[:12]
        total = sum(
            (cells[:, j, :, i].astype(np.float32) - black[places[j, i]]) * gains[places[j, i]]
            for j, i in where
        )
        light[..., c] = total / max(len(where), 1)
    return light


def preview(path: Path, longest: int) -> Preview:
    """The embedded preview (or the reduced picture itself), upright, its longer side at most `longest`
    pixels.

    Raises
    ------
    ReadError
        When there is nothing to show.
    """
    with reading(path):
        return _preview(path, longest)


def exif_preview(path: Path) -> Preview | None:
    """The small picture that a camera puts into a JPEG's Exif part, upright: found without decoding the
    picture itself; None where there is none.

    Raises
    ------
    ReadError
        When it is no picture.
    """
    if kind_of(path) != "jpeg":
        return None
    with reading(path), Image.open(path) as image:
        exif = image.getexif()
        small = exif.get_ifd(ExifTags.IFD.IFD1)
        first, count = small.get(_THUMB_AT), small.get(_THUMB_BYTES)
        orientation = exif.get(274, 1)
        extent = image.size if orientation in (6, 8) else image.size[::-1]
        data = image.info.get("exif", b"")[len(_EXIF) :][first or 0 :][: count or 0]
        with (
            suppress(OSError, ValueError, Image.DecompressionBombError),
            Image.open(io.BytesIO(data)) as thumb,
        ):
            shape = thumb.size if orientation not in (6, 8) else thumb.size[::-1]
            # of another shape than the picture there are bars in it
            if abs(shape[0] * extent[0] / (shape[1] * extent[1]) - 1) < _SHAPE:
                return Preview.of(_fit(thumb, max(thumb.size), orientation), extent)
    return None


def _preview(path: Path, longest: int) -> Preview:
    if path.suffix.lower() not in RENDERED_ENDINGS:
        return _raw_preview(path, longest)
    if kind_of(path) in ("jpeg", "png"):
        with Image.open(path) as image:
            check_size(path, image.size[0], image.size[1], BYTES_PREVIEW)
            image.draft("RGB", (longest, longest))
            orientation = image.getexif().get(274, 1)
            extent = image.size if orientation in (6, 8) else image.size[::-1]
            return Preview.of(_fit(image, longest, orientation), extent)
    picture = decode_rendered(path)
    linear = upright(picture.linear, picture.flip)
    step = max(1, max(linear.shape[:2]) // longest)
    coded = np.sqrt(np.clip(linear[::step, ::step], 0, 1)) * 255
    return Preview.of(np.ascontiguousarray(coded.astype(np.uint8)), (linear.shape[0], linear.shape[1]))
