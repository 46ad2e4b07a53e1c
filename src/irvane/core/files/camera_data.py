"""What the tags of a raw file say of its camera: colour matrices, white balance, noise."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np

from irvane.core.image import CameraColour, NoiseModel
from irvane.core.lazily import lazily

if TYPE_CHECKING:
    import exiv2
else:
    exiv2 = lazily("exiv2")

#: XYZ (D65) to linear sRGB primaries' inverse, IEC 61966-2-1; the camera matrix of a file without one.
_CAMERA_WITHOUT_MATRIX = np.array(
    [
        [3.2404542, -1.5371385, -0.4985314],
        [-0.9692660, 1.8760108, 0.0415560],
        [0.0556434, -0.2040259, 1.0572252],
    ]
)


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


def camera_colour(
    listed: np.ndarray | None,
    shots: Sequence[np.ndarray],
    data: exiv2.ExifData | None,
    notes: list[str],
) -> CameraColour:
    """Colour of a camera: matrices from the file's tags, else `listed`; white balance the first usable of
    `shots`.

    Parameters
    ----------
    listed : XYZ→camera 3×3 as LibRaw knows it for the model; all 0 or None when it does not.
    shots : camera values of a neutral object, the best known first; those with values that are no light are
        passed over.
    notes : sentences about fallbacks are added here.
    """
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
    if cool is None and listed is not None:
        cool = listed if np.abs(listed).sum() > 0 else None
    stated = cool is not None and abs(np.linalg.det(cool)) > 1e-6
    if cool is None or not stated:
        cool, warm = _CAMERA_WITHOUT_MATRIX, None
        notes.append("The file carries no camera colour matrix; colours are approximate.")
    neutral = None
    for shot in shots:
        if np.isfinite(shot).all() and (shot > 0).all():
            neutral = shot
            break
        notes.append("The file states no white balance of the shot; daylight was taken.")
    if neutral is None:
        neutral = np.maximum(cool @ np.array([0.95047, 1.0, 1.08883]), 1e-3)
    return CameraColour(cool, warm, warm_kelvin, cool_kelvin, neutral / neutral.max(), stated)


def noise_profile(data: exiv2.ExifData | None) -> NoiseModel | None:
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
