"""White balance: light by temperature and tint, the camera's response to it, and back.

Temperature follows the black-body locus in the CIE 1960 diagram (Krystek 1985); tint is the distance from it,
in thousandths of Duv, positive towards green light (so that a positive tint takes green out of the picture).
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from irvane.core.colour.spaces import SPACES, adaptation, to_xyz, xyz_of
from irvane.core.image import CameraColour

COLDEST, WARMEST = 20_000.0, 1_800.0
#: Chromaticities of named lights: CIE 15 for D55, D65, D75, A and F2; flash is close to D55 (DNG
#: specification).
LIGHTS = {
    "daylight": (0.33242, 0.34743),
    "cloud": (0.31271, 0.32902),
    "shade": (0.29902, 0.31485),
    "tungsten": (0.44757, 0.40745),
    "fluorescent": (0.37208, 0.37529),
    "flash": (0.33242, 0.34743),
}
_MIRED = np.linspace(1e6 / COLDEST, 1e6 / WARMEST, 1200)


def _locus_uv(kelvin: np.ndarray | float) -> np.ndarray:
    """CIE 1960 u, v of a black body (Krystek 1985, valid 1,000–15,000 K; used slightly beyond)."""
    t = np.asarray(kelvin, dtype=float)
    u = (0.860117757 + 1.54118254e-4 * t + 1.28641212e-7 * t**2) / (
        1 + 8.42420235e-4 * t + 7.08145163e-7 * t**2
    )
    v = (0.317398726 + 4.22806245e-5 * t + 4.20481691e-8 * t**2) / (
        1 - 2.89741816e-5 * t + 1.61456053e-7 * t**2
    )
    return np.stack([u, v], axis=-1)


@lru_cache(maxsize=1)
def _table() -> tuple[np.ndarray, np.ndarray]:
    points = _locus_uv(1e6 / _MIRED)
    tangents = np.gradient(points, axis=0)
    tangents /= np.linalg.norm(tangents, axis=1, keepdims=True)
    # turned so that it points to greener light (larger v)
    normals = np.stack([-tangents[:, 1], tangents[:, 0]], axis=1)
    normals *= np.sign(normals[:, 1:2])
    return points, normals


def xy_from_temperature(kelvin: float, tint: float = 0.0) -> tuple[float, float]:
    """Chromaticity of a light of `kelvin` (1,800–20,000) and `tint` (thousandths of Duv)."""
    mired = np.clip(1e6 / kelvin, _MIRED[0], _MIRED[-1])
    _, normals = _table()
    normal = np.array([np.interp(mired, _MIRED, normals[:, k]) for k in range(2)])
    normal /= np.linalg.norm(normal)
    u, v = _locus_uv(1e6 / mired) + normal * tint / 1000
    down = 2 * u - 8 * v + 4
    return float(3 * u / down), float(2 * v / down)


def temperature_from_xy(xy: tuple[float, float]) -> tuple[float, float]:
    """Nearest temperature (K) and tint (thousandths of Duv) of a chromaticity."""
    x, y = xy
    down = -2 * x + 12 * y + 3
    uv = np.array([4 * x / down, 6 * y / down])
    points, normals = _table()
    along = np.sum((uv - points)[:, ::1] * np.stack([normals[:, 1], -normals[:, 0]], 1), axis=1)
    # where the offset is square to the locus; the first guess is the nearest point
    nearest = int(np.argmin(np.sum((uv - points) ** 2, axis=1)))
    mired = _MIRED[nearest]
    for step in (-1, 1):
        other = nearest + step
        if 0 <= other < len(_MIRED) and along[nearest] * along[other] < 0:
            share = along[nearest] / (along[nearest] - along[other])
            mired = _MIRED[nearest] + share * (_MIRED[other] - _MIRED[nearest])
            break
    base = _locus_uv(1e6 / mired)
    normal = np.array([np.interp(mired, _MIRED, normals[:, k]) for k in range(2)])
    return float(1e6 / mired), float(np.dot(uv - base, normal) * 1000)


def matrix_at(colour: CameraColour, kelvin: float) -> np.ndarray:
    """XYZ→camera at a temperature: the two calibrations mixed by inverse temperature (DNG specification, ch.
    6)."""
    if colour.matrix_warm is None:
        return colour.matrix
    warm, cool = 1 / colour.warm_kelvin, 1 / colour.cool_kelvin
    share = float(np.clip((1 / kelvin - cool) / (warm - cool), 0, 1))
    return share * colour.matrix_warm + (1 - share) * colour.matrix


def neutral_from_light(colour: CameraColour, kelvin: float, tint: float) -> np.ndarray:
    """Camera response to a neutral object under a light, largest component 1."""
    response = matrix_at(colour, kelvin) @ xyz_of(xy_from_temperature(kelvin, tint))
    response = np.maximum(response, 1e-3)
    return response / response.max()


def light_from_neutral(colour: CameraColour, neutral: np.ndarray) -> tuple[float, float]:
    """Temperature and tint of the light for which the camera answers `neutral` (fixed point, as in the DNG
    spec)."""
    kelvin, tint = 5500.0, 0.0
    for _ in range(30):
        xyz = np.linalg.solve(matrix_at(colour, kelvin), neutral)
        total = xyz.sum()
        if total <= 0 or xyz[1] <= 0:
            return kelvin, tint
        new_kelvin, tint = temperature_from_xy((float(xyz[0] / total), float(xyz[1] / total)))
        if abs(new_kelvin - kelvin) < 0.01:
            break
        kelvin = new_kelvin
    return new_kelvin, tint


def gains(neutral: np.ndarray) -> np.ndarray:
    """White-balance gains of a neutral: smallest gain 1."""
    values = 1.0 / np.maximum(np.asarray(neutral, float), 1e-4)
    return values / values.min()


def camera_to_working(
    colour: CameraColour, neutral: np.ndarray, kelvin: float, space: str = "rec2020"
) -> np.ndarray:
    """3×3 from white-balanced camera colours to a linear RGB space: rows sum to one (white stays white).

    The file's matrix at this temperature leads to the XYZ of the scene, whose white (the one that the camera
    answers with `neutral`) is then adapted to that of the space (Bradford; DNG specification, "Mapping camera
    color space").
    """
    to_scene = np.linalg.inv(matrix_at(colour, kelvin))
    white = to_scene @ neutral
    if white.min() <= 0:  # no light looks like this: no adaptation can be stated
        return camera_to_working_plain(colour, kelvin, space)
    xy = (float(white[0] / white.sum()), float(white[1] / white.sum()))
    target = SPACES[space]
    matrix = np.linalg.inv(to_xyz(target)) @ adaptation(xy, target.white) @ to_scene * neutral / white[1]
    return matrix / matrix.sum(axis=1, keepdims=True)


def camera_to_working_plain(colour: CameraColour, kelvin: float, space: str = "rec2020") -> np.ndarray:
    """The same without chromatic adaptation: the file's matrix at this temperature with rows scaled to sum to
    one.

    White stays white, and under the light of the calibration both agree. LibRaw does so too.
    """
    from_rgb = matrix_at(colour, kelvin) @ to_xyz(SPACES[space])
    from_rgb = from_rgb / from_rgb.sum(axis=1, keepdims=True)
    return np.linalg.inv(from_rgb)
