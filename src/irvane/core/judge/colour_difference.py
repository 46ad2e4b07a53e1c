"""Colour differences: CIE 1976 L*a*b* of linear light and CIEDE2000 (CIE 142-2001; Sharma, Wu & Dalal
2005)."""

from __future__ import annotations

import numpy as np

from irvane.core.colour.spaces import WORKING, Space, to_xyz, xyz_of
from irvane.core.kernels import serial
from irvane.core.threads import share_out

_DELTA = 6 / 29
_25_7 = 25.0**7


def lab_of(light: np.ndarray, space: Space = WORKING) -> np.ndarray:
    """CIE L*a*b* under the space's own white of linear RGB (H×W×3 or N×3, 1 = white): float64, the same
    shape."""
    xyz = np.asarray(light, np.float64) @ to_xyz(space).T / xyz_of(space.white)
    # below the linear part's end, and for negative light, CIE 15 section 8.2.1.1
    f = np.where(xyz > _DELTA**3, np.cbrt(np.maximum(xyz, 0)), xyz / (3 * _DELTA**2) + 4 / 29)
    return np.stack(
        [116 * f[..., 1] - 16, 500 * (f[..., 0] - f[..., 1]), 200 * (f[..., 1] - f[..., 2])], axis=-1
    )


@serial
def _hue(a, b):
    """Hue angle in degrees, 0…360."""
    if a == 0 and b == 0:
        return 0.0
    angle = np.degrees(np.arctan2(b, a))
    return angle + 360 if angle < 0 else angle


@serial
def _ciede2000(one, two):
    mean_chroma = (np.hypot(one[1], one[2]) + np.hypot(two[1], two[2])) / 2
    seventh = mean_chroma**7
    g = 0.5 * (1 - np.sqrt(seventh / (seventh + _25_7)))
    a1, a2 = (1 + g) * one[1], (1 + g) * two[1]
    c1, c2 = np.hypot(a1, one[2]), np.hypot(a2, two[2])
    h1, h2 = _hue(a1, one[2]), _hue(a2, two[2])
    turn = h2 - h1
    if c1 * c2 == 0:
        turn = 0.0
    elif turn > 180:
        turn -= 360
    elif turn < -180:
        turn += 360
    lightness, chroma = two[0] - one[0], c2 - c1
    hue = 2 * np.sqrt(c1 * c2) * np.sin(np.radians(turn / 2))
    mean_l, mean_c = (one[0] + two[0]) / 2, (c1 + c2) / 2
    total = h1 + h2
    if c1 * c2 == 0:
        mean_h = total
    elif abs(h1 - h2) <= 180:
        mean_h = total / 2
    else:
        mean_h = (total + 360) / 2 if total < 360 else (total - 360) / 2
    t = (
        1
        - 0.17 * np.cos(np.radians(mean_h - 30))
        + 0.24 * np.cos(np.radians(2 * mean_h))
        + 0.32 * np.cos(np.radians(3 * mean_h + 6))
        - 0.20 * np.cos(np.radians(4 * mean_h - 63))
    )
    off = (mean_l - 50) ** 2
    s_l = 1 + 0.015 * off / np.sqrt(20 + off)
    s_c = 1 + 0.045 * mean_c
    s_h = 1 + 0.015 * mean_c * t
    seventh = mean_c**7
    rotation = -2 * np.sqrt(seventh / (seventh + _25_7))
    rotation *= np.sin(np.radians(60 * np.exp(-(((mean_h - 275) / 25) ** 2))))
    square = (lightness / s_l) ** 2 + (chroma / s_c) ** 2 + (hue / s_h) ** 2
    square += rotation * (chroma / s_c) * (hue / s_h)
    return np.sqrt(max(square, 0.0))


@serial
def _all(begin, end, one, two, out):
    for i in range(begin, end):
        out[i] = _ciede2000(one[i], two[i])


def delta_e(one: np.ndarray, two: np.ndarray) -> np.ndarray:
    """CIEDE2000 differences (kL = kC = kH = 1) of two arrays of L*a*b* (…×3): float64 without the last
    axis."""
    a = np.ascontiguousarray(one, np.float64).reshape(-1, 3)
    b = np.ascontiguousarray(two, np.float64).reshape(-1, 3)
    out = np.empty(len(a))
    share_out(_all, len(out), a, b, out)
    return out.reshape(one.shape[:-1])
