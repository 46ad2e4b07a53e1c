"""Saturation by range of hue: hues are those of Oklab, the change keeps luminance and dominant wavelength."""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from irvane.core.colour.spaces import WORKING, to_xyz
from irvane.core.image import LUMA_2020
from irvane.core.kernels import blank, flat, inline, serial
from irvane.core.powers import power

#: Oklab (Ottosson 2020): XYZ under D65 to cone responses, and their cube roots to the two colour axes.
_CONES = np.array(
    [
        [0.8189330101, 0.3618667424, -0.1288597137],
        [0.0329845436, 0.9293118715, 0.0361456387],
        [0.0482003018, 0.2643662691, 0.6338517070],
    ]
)
_AXES = np.array([[1.9779984951, -2.4285922050, 0.4505937099], [0.0259040371, 0.7827717662, -0.8086757660]])
#: Names of the ranges and the Oklab hue of their middle in degrees: those of the primary and secondary colours of sRGB.
RANGES = {"reds": 29.2, "yellows": 109.8, "greens": 142.5, "cyans": 194.8, "blues": 264.1, "purples": 328.4}
_PLACES = 360

_LUMA = (float(LUMA_2020[0]), float(LUMA_2020[1]), float(LUMA_2020[2]))


@lru_cache(maxsize=1)
def _to_cones() -> np.ndarray:
    return (_CONES @ to_xyz(WORKING)).astype(np.float32)


def hue_factors(changes: tuple[float, ...]) -> np.ndarray:
    """Factor of the distance from grey at every whole degree of hue (the first once more at the end): float32.

    Parameters
    ----------
    changes : per cent for each of RANGES, −100…100; between the middles they go over into each other.
    """
    middles = np.array(list(RANGES.values()))
    around = np.concatenate([middles[-1:] - 360, middles, middles[:1] + 360])
    values = np.array([changes[-1], *changes, changes[0]]) / 100
    degrees = np.arange(_PLACES + 1, dtype=float)
    below = np.clip(np.searchsorted(around, degrees, side="right") - 1, 0, len(around) - 2)
    share = (degrees - around[below]) / (around[below + 1] - around[below])
    smooth = share * share * (3 - 2 * share)
    return (1 + values[below] + smooth * (values[below + 1] - values[below])).astype(np.float32)


@inline
def _angle(y, x):
    """Angle of a direction in degrees, 0…360; a polynomial, so that the compiler uses vectors (error below 0.03°)."""
    low, high = min(abs(x), abs(y)), max(abs(x), abs(y))
    t = low / max(high, np.float32(1e-20))
    s = t * t
    turn = (
        (np.float32(-0.0464964749) * s + np.float32(0.15931422)) * s - np.float32(0.327622764)
    ) * s * t + t
    turn *= np.float32(180 / np.pi)
    turn = np.float32(90) - turn if abs(y) > abs(x) else turn
    turn = np.float32(180) - turn if x < 0 else turn
    return np.float32(360) - turn if y < 0 else turn


@serial
def _hues(picture, cones, axes, out):
    """Oklab hue of every pixel in degrees."""
    third = np.float32(1 / 3)
    for i in range(out.size):
        r, g, b = picture[3 * i], picture[3 * i + 1], picture[3 * i + 2]
        first = power(max(cones[0, 0] * r + cones[0, 1] * g + cones[0, 2] * b, np.float32(1e-9)), third)
        second = power(max(cones[1, 0] * r + cones[1, 1] * g + cones[1, 2] * b, np.float32(1e-9)), third)
        last = power(max(cones[2, 0] * r + cones[2, 1] * g + cones[2, 2] * b, np.float32(1e-9)), third)
        across = axes[0, 0] * first + axes[0, 1] * second + axes[0, 2] * last
        along = axes[1, 0] * first + axes[1, 1] * second + axes[1, 2] * last
        out[i] = _angle(along, across)


@serial
def _scale(picture, hues, factors, out):
    for i in range(hues.size):
        r, g, b = picture[3 * i], picture[3 * i + 1], picture[3 * i + 2]
        grey = np.float32(_LUMA[0]) * r + np.float32(_LUMA[1]) * g + np.float32(_LUMA[2]) * b
        place = min(np.int32(hues[i]), np.int32(factors.size - 2))
        factor = factors[place] + (hues[i] - place) * (factors[place + 1] - factors[place])
        out[3 * i] = grey + factor * (r - grey)
        out[3 * i + 1] = grey + factor * (g - grey)
        out[3 * i + 2] = grey + factor * (b - grey)


def hues_of(picture: np.ndarray) -> np.ndarray:
    """Oklab hue in degrees, 0…360, of scene-linear BT.2020 pixels (float32 H×W×3): float32 H×W."""
    out = np.empty(picture.shape[:2], np.float32)
    _hues(flat(picture), _to_cones(), _AXES.astype(np.float32), flat(out))
    return out


def saturate_hues(picture: np.ndarray, changes: tuple[float, ...]) -> np.ndarray:
    """Change the distance from grey by range of hue; the same array when nothing changes.

    Parameters
    ----------
    picture : float32 H×W×3, scene-linear.
    changes : per cent for each of RANGES, −100…100.

    References
    ----------
    Ottosson, "A perceptual color space for image processing", 2020.
    """
    if not any(changes):
        return picture
    out = blank(picture)
    _scale(flat(picture), flat(hues_of(picture)), hue_factors(changes), flat(out))
    return out
