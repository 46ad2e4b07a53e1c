"""Sharpening by scale with a noise floor and an overshoot limit.

Luminance is split into bands (differences of Gaussians, Burt & Adelson 1983). Each band is strengthened on its own;
differences below the noise floor are cored out (Lee 1981), and the result may leave the range of its own 3×3
surroundings only by the overshoot limit. Colour ratios are kept.
"""

from __future__ import annotations

import cv2
import numba
import numpy as np

from irvane.core.image import LUMA_2020
from irvane.core.settings import Acutance

#: Standard deviations, in full-resolution pixels, between which the fine, medium and coarse band lie.
SCALES = (0.8, 1.6, 3.2)
#: Pixels around a place that its result depends on.
REACH = 16
#: Exponent of the domain in which differences are judged, and the signal below which it is straight.
_POWER = 0.4
_KNEE = 0.002
#: Factor on a band at 100 %.
_FULL_STRENGTH = 1.5
#: Share of white noise (standard deviation) that each band holds.
_BAND_NOISE = (0.75, 0.26, 0.12)

_LUMA = (float(LUMA_2020[0]), float(LUMA_2020[1]), float(LUMA_2020[2]))


@numba.njit(parallel=True, cache=True, nogil=True, fastmath=True)
def _encode(picture, out):
    for y in numba.prange(picture.shape[0]):
        for x in range(picture.shape[1]):
            lum = (
                np.float32(_LUMA[0]) * picture[y, x, 0]
                + np.float32(_LUMA[1]) * picture[y, x, 1]
                + np.float32(_LUMA[2]) * picture[y, x, 2]
            )
            out[y, x] = (max(lum, np.float32(0)) + np.float32(_KNEE)) ** np.float32(_POWER)


@numba.njit(inline="always")
def _core(difference, limit):
    square = difference * difference
    return difference * square / (square + limit * limit + np.float32(1e-20))


@numba.njit(parallel=True, cache=True, nogil=True, fastmath=True)
def _sharpen(picture, p, g0, g1, g2, amounts, limits, noise_gain, noise_read2, overshoot, out):
    h, w = p.shape
    for y in numba.prange(h):
        for x in range(w):
            v = p[y, x]
            lum = v ** np.float32(1 / _POWER) - np.float32(_KNEE)
            # noise of the luminance here, carried through the slope of the domain
            slope = np.float32(_POWER) * v / (max(lum, np.float32(0)) + np.float32(_KNEE))
            sigma = slope * np.sqrt(noise_gain * max(lum, np.float32(0)) + noise_read2)
            new = v
            new += amounts[0] * _core(v - g0[y, x], limits[0] * sigma)
            new += amounts[1] * _core(g0[y, x] - g1[y, x], limits[1] * sigma)
            new += amounts[2] * _core(g1[y, x] - g2[y, x], limits[2] * sigma)
            low = v
            high = v
            for j in range(max(y - 1, 0), min(y + 2, h)):
                for i in range(max(x - 1, 0), min(x + 2, w)):
                    low = min(low, p[j, i])
                    high = max(high, p[j, i])
            room = overshoot * (high - low)
            new = min(max(new, low - room), high + room)
            base = np.float32(_KNEE) ** np.float32(_POWER)
            new = max(new, base)
            target = new ** np.float32(1 / _POWER) - np.float32(_KNEE)
            gain = (target + np.float32(_KNEE)) / (max(lum, np.float32(0)) + np.float32(_KNEE))
            for c in range(3):
                out[y, x, c] = picture[y, x, c] * gain


def sharpen(picture: np.ndarray, settings: Acutance, noise: tuple[float, float], step: float) -> np.ndarray:
    """Sharpen a scene-linear view.

    Parameters
    ----------
    picture : float32, H×W×3.
    settings : strengths in per cent, noise floor in σ, overshoot in per cent.
    noise : gain and read variance of the luminance noise that remains in this picture, at full resolution.
    step : full-resolution pixels per pixel of `picture`; radii shrink with it.

    Returns
    -------
    float32, H×W×3; the same array when nothing is switched on.
    """
    amounts = np.array([settings.fine, settings.medium, settings.coarse], np.float32) / 100 * _FULL_STRENGTH
    if not amounts.any():
        return picture
    p = np.empty(picture.shape[:2], np.float32)
    _encode(picture, p)
    blurred = []
    previous: np.ndarray = p
    for number, sigma in enumerate(SCALES):
        scaled = sigma / step
        if scaled < 0.3:
            amounts[number] = 0
            blurred.append(previous)
            continue
        previous = cv2.GaussianBlur(p, (0, 0), scaled, borderType=cv2.BORDER_REFLECT_101)
        blurred.append(previous)
    limits = np.array(_BAND_NOISE, np.float32) * settings.noise_floor
    gain, read2 = noise[0] / step**2, noise[1] / step**2
    out = np.empty_like(picture)
    _sharpen(
        picture, p, *blurred, amounts, limits, np.float32(gain), np.float32(read2),
        np.float32(settings.overshoot / 100), out,
    )  # fmt: skip
    return out
