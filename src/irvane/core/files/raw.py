"""Decoding raw files through LibRaw: counts, levels, pattern, colour data. No demosaicing happens here."""

from __future__ import annotations

import math
from dataclasses import dataclass
from pathlib import Path

import exiv2
import numpy as np
import rawpy
import tifffile

from irvane.core.errors import ReadError
from irvane.core.files.info import FrameInfo, open_metadata, read_info
from irvane.core.image import CameraColour, NoiseModel

#: Frames smaller than this cannot be demosaiced sensibly; larger ones than the second figure are not pictures.
MIN_SIDE, MAX_SIDE = 16, 65_000

#: DNG tag MaskedAreas: top, left, bottom, right of each.
_MASKED_AREAS = 50830
#: Rows and columns of margins that are left out at their edges.
_EDGE = 4

#: XYZ (D65) to linear sRGB primaries' inverse, IEC 61966-2-1; the camera matrix of a file without one.
_CAMERA_WITHOUT_MATRIX = np.array(
    [
        [3.2404542, -1.5371385, -0.4985314],
        [-0.9692660, 1.8760108, 0.0415560],
        [0.0556434, -0.2040259, 1.0572252],
    ]
)


@dataclass(frozen=True)
class RawFrame:
    """A decoded raw: counts of the active area, before any levels.

    Attributes
    ----------
    counts : uint16, H×W mosaic, or H×W×3 for linear (already demosaiced) raws.
    cfa : filter pattern at the top left active pixel, or None for linear and monochrome raws.
    black, white : levels per channel (red, green, blue) in counts.
    flip : 0, 3 (180°), 5 (90° counter-clockwise) or 6 (90° clockwise), LibRaw's codes.
    notes : sentences about fallbacks taken.
    masked : counts and colours (0 red, 1 green, 2 blue) of pixels that see no light, 1-D; None without such.
    """

    path: Path
    counts: np.ndarray
    cfa: np.ndarray | None
    black: np.ndarray
    white: np.ndarray
    colour: CameraColour
    noise: NoiseModel | None
    flip: int
    info: FrameInfo
    notes: tuple[str, ...]
    masked: tuple[np.ndarray, np.ndarray] | None = None


def _pattern(raw: rawpy.RawPy, path: Path) -> np.ndarray:
    colours = raw.raw_colors_visible
    description = raw.color_desc.decode("ascii", "replace")
    if set(description[: int(colours.max()) + 1]) - set("RGB"):
        raise ReadError(path, f"a sensor with the colours {description} is not supported")
    lookup = np.array([{"R": 0, "G": 1, "B": 2}[c] for c in description], dtype=np.int64)
    side = 6 if raw.raw_pattern is not None and raw.raw_pattern.shape[0] == 6 else 2
    if colours.shape[0] < 12 or colours.shape[1] < 12:
        raise ReadError(path, "the picture is too small to be a raw frame")
    cfa = lookup[colours[:side, :side]]
    if not np.array_equal(cfa, lookup[colours[side : 2 * side, :side]]):
        raise ReadError(path, "the colour filter pattern is of an unknown kind")
    if set(cfa.ravel().tolist()) != {0, 1, 2}:
        raise ReadError(path, "the colour filter pattern lacks a colour")
    return cfa


def _levels(raw: rawpy.RawPy, notes: list[str]) -> tuple[np.ndarray, np.ndarray]:
    # LibRaw lists R, G, B, second G; the two greens are averaged
    listed = [float(v) for v in raw.black_level_per_channel]
    while len(listed) < 4:
        listed.append(listed[-1] if listed else 0.0)
    black = np.array([listed[0], (listed[1] + listed[3]) / 2, listed[2]])
    white = np.full(3, float(raw.white_level or 0))
    if (white <= black + 15).any():
        white = np.full(3, float(np.iinfo(np.uint16).max))
        if (top := float(raw.raw_image_visible.max())) > black.max() + 15:
            white = np.full(3, top)
        notes.append("The file states no usable white level; the brightest value was taken.")
    return black, white


def _tag_matrix(data: exiv2.ExifData, name: str) -> np.ndarray | None:
    found = data.findKey(exiv2.ExifKey(f"Exif.Image.{name}"))
    if found == data.end():
        return None
    try:
        values = [_fraction(word) for word in str(found.toString()).split()]
    except ValueError:
        return None
    matrix = np.array(values)
    return matrix.reshape(3, 3) if matrix.size == 9 and np.isfinite(matrix).all() else None


def _fraction(word: str) -> float:
    top, _, bottom = word.partition("/")
    below = float(bottom or 1)
    if below == 0:
        raise ValueError(word)
    return float(top) / below


#: Correlated colour temperatures of EXIF light sources (CIE 15; DNG specification).
_LIGHT_KELVIN = {
    1: 5500.0,
    2: 4200.0,
    3: 2856.0,
    17: 2856.0,
    18: 4874.0,
    19: 6774.0,
    20: 5503.0,
    21: 6504.0,
    22: 7504.0,
    23: 5003.0,
    24: 3200.0,
}


def _light(data: exiv2.ExifData, name: str, default: float) -> float:
    found = data.findKey(exiv2.ExifKey(f"Exif.Image.{name}"))
    if found == data.end():
        return default
    try:
        return _LIGHT_KELVIN.get(int(str(found.toString())), default)
    except ValueError:
        return default


def _colour(raw: rawpy.RawPy, data: exiv2.ExifData | None, notes: list[str]) -> CameraColour:
    warm = cool = None
    warm_kelvin, cool_kelvin = 2856.0, 6504.0
    if data is not None:
        first, second = _tag_matrix(data, "ColorMatrix1"), _tag_matrix(data, "ColorMatrix2")
        if first is not None and second is not None:
            lights = (
                _light(data, "CalibrationIlluminant1", 2856.0),
                _light(data, "CalibrationIlluminant2", 6504.0),
            )
            pairs = sorted(zip(lights, (first, second), strict=True), key=lambda pair: pair[0])
            (warm_kelvin, warm), (cool_kelvin, cool) = pairs
        elif first is not None:
            cool = first
    if cool is None:
        listed = np.asarray(raw.rgb_xyz_matrix, dtype=float)[:3, :3]
        cool = listed if np.abs(listed).sum() > 0 else None
    stated = cool is not None and abs(np.linalg.det(cool)) > 1e-6
    if cool is None or not stated:
        cool, warm = _CAMERA_WITHOUT_MATRIX, None
        notes.append("The file carries no camera colour matrix; colours are approximate.")
    neutral = None
    for stated_gains in (raw.camera_whitebalance, raw.daylight_whitebalance):
        gains = np.array(stated_gains[:3], dtype=float)
        if np.isfinite(gains).all() and (gains > 0).all():
            neutral = 1.0 / gains
            break
        notes.append("The file states no white balance of the shot; daylight was taken.")
    if neutral is None:
        neutral = cool @ np.array([0.95047, 1.0, 1.08883])
        neutral = np.maximum(neutral, 1e-3)
    return CameraColour(cool, warm, warm_kelvin, cool_kelvin, neutral / neutral.max(), stated)


def _noise_profile(data: exiv2.ExifData | None) -> NoiseModel | None:
    """The DNG NoiseProfile (tag 51041): S and O once, or per colour plane."""
    if data is None:
        return None
    found = data.findKey(exiv2.ExifKey("Exif.Image.NoiseProfile"))
    if found == data.end():
        return None
    try:
        values = [float(word) for word in str(found.toString()).split()]
    except ValueError:
        return None
    if len(values) == 2:
        values = values * 3
    if len(values) != 6 or not all(math.isfinite(v) and v >= 0 for v in values) or min(values[0::2]) <= 0:
        return None
    gain = (values[0], values[2], values[4])
    read = (math.sqrt(values[1]), math.sqrt(values[3]), math.sqrt(values[5]))
    return NoiseModel(gain, read, "file")


def _masked_areas(path: Path, raw: rawpy.RawPy) -> list[tuple[slice, slice]]:
    """Rows and columns of the raw array that see no light: as a DNG states them, or the margins beside the picture."""
    sizes = raw.sizes
    try:
        with tifffile.TiffFile(path) as file:
            first = file.pages.first
            for page in (first, *(first.pages or ())):
                if _MASKED_AREAS in page.tags:
                    edges = np.ravel(page.tags[_MASKED_AREAS].value).reshape(-1, 4)
                    return [(slice(int(t), int(b)), slice(int(le), int(r))) for t, le, b, r in edges]
    except Exception:  # not a TIFF structure: the margins are what there is
        pass
    inside = slice(sizes.top_margin + _EDGE, sizes.top_margin + sizes.height - _EDGE)
    if sizes.left_margin < 3 * _EDGE:
        return []
    return [(inside, slice(_EDGE, sizes.left_margin - _EDGE))]


def _masked(path: Path, raw: rawpy.RawPy) -> tuple[np.ndarray, np.ndarray] | None:
    """Counts and colours of the pixels that see no light, if there are any."""
    areas = _masked_areas(path, raw)
    if not areas:
        return None
    colours = _colours_of(raw)
    found = [(raw.raw_image[area].ravel(), colours[area].ravel()) for area in areas]
    counts, places = (np.concatenate(parts) for parts in zip(*found, strict=True))
    return counts, places


def _colours_of(raw: rawpy.RawPy) -> np.ndarray:
    """Colour of every pixel of the raw array, margins included."""
    letters = raw.color_desc.decode("ascii", "replace")
    return np.array(["RGB".find(letter) for letter in letters], np.int8)[raw.raw_colors]


def _is_cut_off(path: Path) -> bool:
    """Does a DNG promise pixels beyond the end of the file? LibRaw fills some of those with zeros, silently."""
    size = path.stat().st_size
    try:
        with tifffile.TiffFile(path) as file:
            first = file.pages.first
            pages = [first, *(first.pages or ())]
            ends = [o + n for p in pages for o, n in zip(p.dataoffsets, p.databytecounts, strict=False)]
    except Exception:  # not even a TIFF structure: LibRaw's own sentence is better
        return False
    return bool(ends) and max(ends) > size


def decode_raw(path: Path) -> RawFrame:
    """Decode a raw file.

    Raises
    ------
    ReadError
        When the file is missing, not a raw, truncated, or of an unsupported kind.
    """
    notes: list[str] = []
    if path.suffix.lower() == ".dng" and path.is_file() and _is_cut_off(path):
        raise ReadError(path, "the file is cut off; copy it again from the card")
    info = read_info(path)
    try:
        data: exiv2.ExifData | None = open_metadata(path).exifData()
    except ReadError:
        data = None
    try:
        with rawpy.imread(str(path)) as raw:
            counts = raw.raw_image_visible.copy()
            if counts.ndim == 3:
                counts = counts[..., :3].copy()
                cfa = None
            elif raw.num_colors == 1:
                cfa = None
            elif raw.num_colors == 3:
                cfa = _pattern(raw, path)
            else:
                raise ReadError(path, f"a sensor with {raw.num_colors} filter colours is not supported")
            black, white = _levels(raw, notes)
            masked = None if cfa is None else _masked(path, raw)
            colour = _colour(raw, data, notes)
            flip = int(raw.sizes.flip)
    except rawpy.LibRawError as error:
        raise ReadError(path, _decode_reason(path)) from error
    h, w = counts.shape[:2]
    if min(h, w) < MIN_SIDE or max(h, w) > MAX_SIDE:
        raise ReadError(path, f"its size of {w} × {h} pixels is not plausible")
    if flip not in (0, 3, 5, 6):
        flip = 0
    noise = _noise_profile(data)
    return RawFrame(path, counts, cfa, black, white, colour, noise, flip, info, tuple(notes), masked)


def _decode_reason(path: Path) -> str:
    try:
        size = path.stat().st_size
    except OSError:
        return "the file is not there any more"
    if size == 0:
        return "the file is empty"
    return "it is not a raw file that can be decoded, or it is damaged"
