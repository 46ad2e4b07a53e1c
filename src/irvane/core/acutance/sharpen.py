"""Sharpening by scale with a noise floor and an overshoot limit.

Luminance is split into bands (differences of Gaussians, Burt & Adelson 1983). Each band is strengthened on
its own; differences below the noise floor are cored out (Lee 1981), and the result may leave the range of its
own 3×3 surroundings only by the overshoot limit. Colour ratios are kept.
"""

from __future__ import annotations

import cv2
import numpy as np

from irvane.core.image import LUMA_2020
from irvane.core.kernels import blank, flat, inline, multiply, serial
from irvane.core.powers import power
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

#: What proofs say of it: at first there was no guard of fine texture.
FIRST = "bands@1"
#: Pixels over which structure is judged; ratios of the finest band's contrast to the next one's from which it
#: counts as fine as pixels hold, and wholly so.
_AROUND, _AS_FINE = 3.0, (1.1, 1.8)

_LUMA = (float(LUMA_2020[0]), float(LUMA_2020[1]), float(LUMA_2020[2]))


@serial
def _encode(picture, out):
    for i in range(out.size):
        r, g, b = picture[3 * i], picture[3 * i + 1], picture[3 * i + 2]
        lum = np.float32(_LUMA[0]) * r + np.float32(_LUMA[1]) * g + np.float32(_LUMA[2]) * b
        out[i] = power(max(lum, np.float32(0)) + np.float32(_KNEE), _POWER)


@inline
def _core(difference, limit):
    square = difference * difference
    return difference * square / (square + limit * limit + np.float32(1e-20))


@serial
def _gains(p, g0, g1, g2, low, high, given, held, amounts, limits, noise_gain, noise_read2, overshoot, gains):
    """Factor of the light of every pixel; `low` and `high` are the extremes of its 3×3 surroundings, `given`
    the factor by which the lens correction has raised its light, and its noise; `held`: share of the fine
    band's strength."""
    base = np.float32(_KNEE**_POWER)
    a0, a1, a2 = amounts[0], amounts[1], amounts[2]
    l0, l1, l2 = limits[0], limits[1], limits[2]
    for i in range(p.size):
        v = p[i]
        lifted = power(v, 1 / _POWER)
        # noise of the luminance here, carried through the slope of the domain
        slope = np.float32(_POWER) * v / lifted
        signal = noise_gain * max(lifted - np.float32(_KNEE), np.float32(0))
        sigma = slope * np.sqrt(given[i] * (signal + given[i] * noise_read2))
        new = v + a0 * held[i] * _core(v - g0[i], l0 * sigma)
        new += a1 * _core(g0[i] - g1[i], l1 * sigma) + a2 * _core(g1[i] - g2[i], l2 * sigma)
        room = overshoot * (high[i] - low[i])
        new = max(min(max(new, low[i] - room), high[i] + room), base)
        gains[i] = power(new, 1 / _POWER) / lifted


def _guarded(
    p: np.ndarray, settings: Acutance, noise: tuple[float, float, float], given: np.ndarray, step: float
) -> np.ndarray:
    """Share of the fine band's strength at every pixel: less where structure is as fine as pixels can hold,
    noise not counted."""
    strength = np.float32(settings.texture_guard / 100)
    if settings.sharpened_by == FIRST or strength <= 0:
        return np.ones(p.shape, np.float32)
    first, second = (cv2.GaussianBlur(p, (0, 0), sigma / step) for sigma in SCALES[:2])
    light = np.maximum(p, np.float32(_KNEE**_POWER)) ** np.float32(1 / _POWER)
    slope = np.float32(_POWER) * p / light
    variance = slope**2 * given * (np.float32(noise[0]) * light + given * np.float32(noise[1]))
    around = _AROUND / step
    finest, next_ = (
        np.maximum(
            cv2.GaussianBlur(band * band - np.float32(share**2) * variance, (0, 0), around), np.float32(1e-9)
        )
        for band, share in ((p - first, _BAND_NOISE[0]), (first - second, _BAND_NOISE[1]))
    )
    low, high = _AS_FINE
    share = np.clip((np.sqrt(finest / next_) - low) / (high - low), 0, 1)
    return np.asarray(1 - strength * share * share * (3 - 2 * share), np.float32)


def is_on(settings: Acutance) -> bool:
    """May anything be sharpened at all?"""
    return settings.automatic != "off" or acts(settings)


def acts(settings: Acutance) -> bool:
    """Is there any strength?"""
    return any((settings.fine, settings.medium, settings.coarse))


def sharpen(
    picture: np.ndarray,
    settings: Acutance,
    noise: tuple[float, float],
    step: float,
    given: np.ndarray | None = None,
) -> np.ndarray:
    """Sharpen a scene-linear view.

    Parameters
    ----------
    picture : float32, H×W×3.
    settings : strengths in per cent, noise floor in σ, overshoot in per cent.
    noise : gain and read variance of the luminance noise that remains in this picture, at full resolution.
    step : full-resolution pixels per pixel of `picture`; radii shrink with it.
    given : float32 H×W, factor by which the lens correction has raised the light of each pixel; None:
        nowhere.

    Returns
    -------
    float32, H×W×3; the same array when nothing is switched on.
    """
    if not acts(settings):
        return picture
    amounts = np.array([settings.fine, settings.medium, settings.coarse], np.float32) / 100 * _FULL_STRENGTH
    p = np.empty(picture.shape[:2], np.float32)
    _encode(flat(picture), flat(p))
    scaled = np.array(SCALES) / step
    seen = scaled >= 0.3
    amounts[~seen] = 0
    blurred = []
    previous: np.ndarray = p
    for number, sigma in enumerate(scaled):
        # a blur is one end of its band, and of the next one
        if seen[number] and amounts[number : number + 2].any():
            previous = cv2.GaussianBlur(p, (0, 0), sigma, borderType=cv2.BORDER_REFLECT_101)
        blurred.append(previous)
    around = np.ones((3, 3), np.uint8)
    low = cv2.erode(p, around, borderType=cv2.BORDER_REPLICATE)
    high = cv2.dilate(p, around, borderType=cv2.BORDER_REPLICATE)
    limits = np.array(_BAND_NOISE, np.float32) * settings.noise_floor
    numbers = (noise[0] / step**2, noise[1] / step**2, settings.overshoot / 100)
    gains = np.empty(p.size, np.float32)
    given = np.ones(p.shape, np.float32) if given is None else given
    held = _guarded(p, settings, numbers, given, step) if seen[0] else np.ones(p.shape, np.float32)
    planes = (flat(plane) for plane in (p, *blurred, low, high, given, held))
    _gains(*planes, amounts, limits, *(np.float32(v) for v in numbers), gains)
    out = blank(picture)
    multiply(flat(picture), gains, flat(out))
    return out
