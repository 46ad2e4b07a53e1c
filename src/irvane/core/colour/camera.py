"""White balance and camera matrix in one pass: camera-linear to scene-linear."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from typing import Any

import numpy as np

from irvane.core.colour import whitebalance
from irvane.core.image import CameraColour
from irvane.core.kernels import blank, flat, serial
from irvane.core.settings import Colour

#: Scene-linear 0.18 lies this far below sensor white: ISO 12232 puts an 18 % reflector half a stop lower than
#: "100 % is white" would, as headroom, and so do camera meters. Everything but ``--flat`` is raised by it.
BASE_EXPOSURE = 0.5


#: Lights and transforms that were found already: finding one takes milliseconds, and every view asks for
#: them.
_FOUND: dict[Hashable, Any] = {}
_MOST_FOUND = 256


def _remembered(colour: CameraColour, what: Hashable, find: Callable[[], Any]) -> Any:
    """What `find` gives, from memory when it was asked for before: it depends on a camera's colour and on
    `what`."""
    warm = b"" if colour.matrix_warm is None else colour.matrix_warm.tobytes()
    own = colour.matrix.tobytes(), warm, colour.neutral.tobytes(), colour.warm_kelvin, colour.cool_kelvin
    found = _FOUND.get((own, what))
    if found is None:
        if len(_FOUND) > _MOST_FOUND:
            _FOUND.clear()
        found = _FOUND[own, what] = find()
    return found


def _light_of_shot(colour: CameraColour) -> tuple[float, float]:
    kelvin, tint = _remembered(
        colour, "shot", lambda: whitebalance.light_from_neutral(colour, colour.neutral)
    )
    return kelvin, tint


def light_of(colour: CameraColour, settings: Colour) -> tuple[float, float]:
    """Temperature and tint in force: those set, or those of the named light, or those of the shot."""
    if settings.light == "shot":
        kelvin, tint = _light_of_shot(colour)
    else:
        kelvin, tint = whitebalance.temperature_from_xy(whitebalance.LIGHTS[settings.light])
    if settings.temperature is not None:
        kelvin = settings.temperature
    if settings.tint is not None:
        tint = settings.tint
    return kelvin, tint


def is_as_shot(settings: Colour) -> bool:
    """Is the white balance that of the shot?"""
    return settings.light == "shot" and settings.temperature is None and settings.tint is None


def transform(
    colour: CameraColour, settings: Colour, space: str = "rec2020"
) -> tuple[np.ndarray, np.ndarray]:
    """White-balance gains (smallest 1) and 3×3 matrix of a proof."""
    key = settings.light, settings.temperature, settings.tint, space
    balance, matrix = _remembered(colour, key, lambda: _transform(colour, settings, space))
    return balance.copy(), matrix.copy()


def _transform(colour: CameraColour, settings: Colour, space: str) -> tuple[np.ndarray, np.ndarray]:
    kelvin, tint = light_of(colour, settings)
    if is_as_shot(settings):
        neutral = colour.neutral
    else:
        neutral = whitebalance.neutral_from_light(colour, kelvin, tint)
    return whitebalance.gains(neutral), whitebalance.camera_to_working(colour, neutral, kelvin, space)


def flat_transform(colour: CameraColour, settings: Colour, space: str) -> tuple[np.ndarray, np.ndarray]:
    """Gains and matrix of the plain rendition for measuring: the file's D65 calibration whatever the
    light."""
    balance, _ = transform(colour, settings, space)
    return balance, whitebalance.camera_to_working_plain(colour, colour.cool_kelvin, space)


@serial
def _apply(picture, gains, matrix, ceiling, out):
    k0, k1, k2 = gains[0], gains[1], gains[2]
    m00, m01, m02 = matrix[0, 0], matrix[0, 1], matrix[0, 2]
    m10, m11, m12 = matrix[1, 0], matrix[1, 1], matrix[1, 2]
    m20, m21, m22 = matrix[2, 0], matrix[2, 1], matrix[2, 2]
    for i in range(picture.size // 3):
        r = min(picture[3 * i] * k0, ceiling)
        g = min(picture[3 * i + 1] * k1, ceiling)
        b = min(picture[3 * i + 2] * k2, ceiling)
        out[3 * i] = m00 * r + m01 * g + m02 * b
        out[3 * i + 1] = m10 * r + m11 * g + m12 * b
        out[3 * i + 2] = m20 * r + m21 * g + m22 * b


def apply_camera(
    picture: np.ndarray, gains: np.ndarray, matrix: np.ndarray, ceiling: float = np.inf
) -> np.ndarray:
    """Multiply by `gains`, cut at `ceiling`, then apply the 3×3 `matrix`: float32 H×W×3 in and out."""
    out = blank(picture)
    limit = np.float32(min(ceiling, 3e38))
    _apply(flat(picture), gains.astype(np.float32), matrix.astype(np.float32), limit, flat(out))
    return out
