"""White balance and camera matrix in one pass: camera-linear to scene-linear."""

from __future__ import annotations

import numba
import numpy as np

from irvane.core.colour import whitebalance
from irvane.core.image import CameraColour
from irvane.core.settings import Colour

#: Scene-linear 0.18 lies this far below sensor white: ISO 12232 puts an 18 % reflector half a stop lower than
#: "100 % is white" would, as headroom, and so do camera meters. Everything but ``--flat`` is raised by it.
BASE_EXPOSURE = 0.5


#: Lights of the shot that were found already: finding one takes milliseconds, and every view asks for it.
_FOUND: dict[bytes, tuple[float, float]] = {}
_MOST_FOUND = 256


def _light_of_shot(colour: CameraColour) -> tuple[float, float]:
    warm = b"" if colour.matrix_warm is None else colour.matrix_warm.tobytes()
    key = colour.matrix.tobytes() + warm + colour.neutral.tobytes()
    key += np.array([colour.warm_kelvin, colour.cool_kelvin]).tobytes()
    found = _FOUND.get(key)
    if found is None:
        if len(_FOUND) > _MOST_FOUND:
            _FOUND.clear()
        found = _FOUND[key] = whitebalance.light_from_neutral(colour, colour.neutral)
    return found


def light_of(colour: CameraColour, settings: Colour) -> tuple[float, float]:
    """Temperature and tint in force: those set, or those of the shot."""
    kelvin, tint = _light_of_shot(colour)
    if settings.temperature is not None:
        kelvin = settings.temperature
    if settings.tint is not None:
        tint = settings.tint
    return kelvin, tint


def transform(
    colour: CameraColour, settings: Colour, space: str = "rec2020"
) -> tuple[np.ndarray, np.ndarray]:
    """White-balance gains (smallest 1) and 3×3 matrix of a proof."""
    kelvin, tint = light_of(colour, settings)
    if settings.temperature is None and settings.tint is None:
        neutral = colour.neutral
    else:
        neutral = whitebalance.neutral_from_light(colour, kelvin, tint)
    return whitebalance.gains(neutral), whitebalance.camera_to_working(colour, kelvin, space)


def flat_transform(colour: CameraColour, settings: Colour, space: str) -> tuple[np.ndarray, np.ndarray]:
    """Gains and matrix of the plain rendition for measuring: the file's D65 calibration whatever the light."""
    balance, _ = transform(colour, settings, space)
    return balance, whitebalance.camera_to_working(colour, colour.cool_kelvin, space)


@numba.njit(parallel=True, cache=True, nogil=True, fastmath=True)
def _apply(picture, gains, matrix, ceiling, out):
    for y in numba.prange(picture.shape[0]):
        for x in range(picture.shape[1]):
            r = min(picture[y, x, 0] * gains[0], ceiling)
            g = min(picture[y, x, 1] * gains[1], ceiling)
            b = min(picture[y, x, 2] * gains[2], ceiling)
            for c in range(3):
                out[y, x, c] = matrix[c, 0] * r + matrix[c, 1] * g + matrix[c, 2] * b


def apply_camera(
    picture: np.ndarray, gains: np.ndarray, matrix: np.ndarray, ceiling: float = np.inf
) -> np.ndarray:
    """Multiply by `gains`, cut at `ceiling`, then apply the 3×3 `matrix`: float32 H×W×3 in and out."""
    out = np.empty_like(picture)
    _apply(picture, gains.astype(np.float32), matrix.astype(np.float32), np.float32(min(ceiling, 3e38)), out)
    return out
