"""Saturation in Oklab: as a whole, of pale colours, and by range of hue; lightness and hue of Oklab are kept.

References
----------
Ottosson, "A perceptual color space for image processing", 2020.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from irvane.core.colour.spaces import WORKING, to_xyz
from irvane.core.kernels import blank, flat, inline, read, serial
from irvane.core.powers import power

#: XYZ under D65 to cone responses, and their cube roots to lightness and the two colour axes.
_CONES = np.array(
    [
        [0.8189330101, 0.3618667424, -0.1288597137],
        [0.0329845436, 0.9293118715, 0.0361456387],
        [0.0482003018, 0.2643662691, 0.6338517070],
    ]
)
_LAB = np.array(
    [
        [0.2104542553, 0.7936177850, -0.0040720468],
        [1.9779984951, -2.4285922050, 0.4505937099],
        [0.0259040371, 0.7827717662, -0.8086757660],
    ]
)
#: Names of the ranges and the hue of their middle in degrees: those of the primary and secondary colours of
#: sRGB.
RANGES = {"reds": 29.2, "yellows": 109.8, "greens": 142.5, "cyans": 194.8, "blues": 264.1, "purples": 328.4}
#: Chroma over lightness from which a colour is no longer pale (sRGB's yellow has 0.22, its red 0.41).
PALE_UNTIL = 0.25
_PLACES = 360


@lru_cache(maxsize=1)
def _matrices() -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """Working space to cones, cube roots to Lab, and both back. Grey has three equal cones exactly."""
    cones = _CONES @ to_xyz(WORKING)
    cones /= cones.sum(axis=1, keepdims=True)
    found = cones, _LAB, np.linalg.inv(_LAB), np.linalg.inv(cones)
    return tuple(np.ascontiguousarray(m, np.float32) for m in found)  # type: ignore[return-value]


@lru_cache(maxsize=32)
def hue_factors(changes: tuple[float, ...]) -> np.ndarray:
    """Factor of the distance from grey at every whole degree of hue (the first once more at the end):
    float32.

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
    """Angle of a direction in degrees, 0…360; a polynomial, so that the compiler uses vectors (error below
    0.03°)."""
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


@inline
def _root(x):
    """Cube root of either sign."""
    root = power(max(abs(x), np.float32(1e-18)), np.float32(1 / 3))
    return root if x >= 0 else -root


@serial
def _to_lab(picture, cones, lab, lightness, across, along, hues):
    """Oklab of every pixel, and its hue in degrees."""
    for i in range(hues.size):
        r, g, b = picture[3 * i], picture[3 * i + 1], picture[3 * i + 2]
        first = _root(cones[0, 0] * r + cones[0, 1] * g + cones[0, 2] * b)
        second = _root(cones[1, 0] * r + cones[1, 1] * g + cones[1, 2] * b)
        third = _root(cones[2, 0] * r + cones[2, 1] * g + cones[2, 2] * b)
        x = lab[1, 0] * first + lab[1, 1] * second + lab[1, 2] * third
        y = lab[2, 0] * first + lab[2, 1] * second + lab[2, 2] * third
        lightness[i] = lab[0, 0] * first + lab[0, 1] * second + lab[0, 2] * third
        across[i] = x
        along[i] = y
        hues[i] = min(_angle(y, x), np.float32(_PLACES - 0.01))


@serial
def _from_lab(lightness, across, along, factors, share, pale, roots, back, out):
    """Light of Oklab colours that were moved away from grey or towards it."""
    for i in range(factors.size):
        x, y = across[i], along[i]
        limit = np.float32(PALE_UNTIL) * max(lightness[i], np.float32(1e-6))
        rest = max(1 - (x * x + y * y) / (limit * limit), np.float32(0))
        factor = share * (1 + pale * rest) * factors[i]
        x *= factor
        y *= factor
        first = roots[0, 0] * lightness[i] + roots[0, 1] * x + roots[0, 2] * y
        second = roots[1, 0] * lightness[i] + roots[1, 1] * x + roots[1, 2] * y
        third = roots[2, 0] * lightness[i] + roots[2, 1] * x + roots[2, 2] * y
        first, second, third = first * first * first, second * second * second, third * third * third
        out[3 * i] = back[0, 0] * first + back[0, 1] * second + back[0, 2] * third
        out[3 * i + 1] = back[1, 0] * first + back[1, 1] * second + back[1, 2] * third
        out[3 * i + 2] = back[2, 0] * first + back[2, 1] * second + back[2, 2] * third


def saturate(
    picture: np.ndarray, per_cent: float, pale: float = 0.0, changes: tuple[float, ...] = (0.0,) * 6
) -> np.ndarray:
    """Scale the distance from grey; the same array when nothing changes.

    Parameters
    ----------
    picture : float32 H×W×3, scene-linear BT.2020.
    per_cent : distance from grey, 0…200: 0 % is monochrome, 100 % leaves it.
    pale : −100…100 %; further change for pale colours, falling to none where chroma is PALE_UNTIL of
        lightness.
    changes : −100…100 % for each of RANGES.
    """
    if per_cent == 100 and pale == 0 and not any(changes):
        return picture
    out = blank(picture)
    cones, lab, roots, back = _matrices()
    *colours, factors = np.empty((4, picture.shape[0] * picture.shape[1]), np.float32)
    _to_lab(flat(picture), cones, lab, *colours, factors)
    read(hue_factors(changes), factors)
    _from_lab(*colours, factors, np.float32(per_cent / 100), np.float32(pale / 100), roots, back, flat(out))
    return out
