"""Coloured fringes beside light that is nearly clipped, taken away.

A place is beside such light when something within a few pixels is near the sensor's clip and much brighter than itself. There
its colour (ratios to its luminance) is drawn towards that of its wider surroundings which are not beside such light: what is
as violet as the fringe, but wide, keeps its colour, and so does everything elsewhere. Luminance stays.
"""

from __future__ import annotations

import cv2
import numpy as np

#: Pixels of the frame within which light counts as near, and over which the surroundings' colour is taken.
_NEAR, _WIDE = 7.0, 12.0
#: Pixels of the frame around a place that matter.
REACH = 44
#: Stops brighter that what is near must be (nothing, all), and how near to the clip.
_STOPS, _LIGHT = (0.6, 1.6), (0.45, 0.75)
#: From here on pixels do not lend their colour: they may be clipped.
_CLIPPED = 0.9
#: Ratios that differ less than this have no colour to speak of.
_COLOURED = 0.08
#: Half width of the range of hues around a chosen one, degrees.
_HUES = 50.0


def _smooth(values: np.ndarray, ends: tuple[float, float]) -> np.ndarray:
    t = np.clip((values - ends[0]) / (ends[1] - ends[0]), 0, 1)
    return t * t * (3 - 2 * t)


def hue_of(colour: np.ndarray) -> np.ndarray:
    """Hue of colours (…×3) in degrees: 0 red, 120 green, 240 blue."""
    r, g, b = np.moveaxis(colour, -1, 0)
    return np.degrees(np.arctan2(np.sqrt(3) * (g - b), 2 * r - g - b)) % 360


def picked_hue(picture: np.ndarray, gains: np.ndarray) -> float | None:
    """Hue of the fringe in the middle of a small picture: of its most coloured pixel near the middle, against the colour of all
    around. None where nothing is coloured.

    Parameters are those of :func:`remove_fringes`; a square of about 25 pixels.
    """
    balanced = np.maximum(picture, 0) * gains.astype(np.float32)
    ratios = balanced / np.maximum(balanced.mean(axis=2), 1e-6)[..., None]
    off = ratios - np.median(ratios, axis=(0, 1))
    h, w = off.shape[:2]
    near = off[h // 2 - 4 : h // 2 + 5, w // 2 - 4 : w // 2 + 5].reshape(-1, 3)
    strength = np.square(near).sum(axis=1)
    if strength.size == 0 or strength.max() < _COLOURED**2:
        return None
    strongest = near[np.argsort(-strength)[:6]].mean(axis=0)
    return round(float(hue_of(strongest[None])[0]), 0)


def remove_fringes(
    picture: np.ndarray, gains: np.ndarray, strength: float, hue: float | None, step: float
) -> np.ndarray:
    """Take the colour of fringes away.

    Parameters
    ----------
    picture : float32 H×W×3, camera-linear, 1 = clipping point (rebuilt highlights may lie above).
    gains : reference gains that make neutral things neutral.
    strength : share that is taken away, 0…1; 0 returns the picture unchanged (same array).
    hue : degrees (see :func:`hue_of`) of the fringes; None: any.
    step : frame pixels per pixel of `picture`.
    """
    if strength == 0:
        return picture
    balanced = np.maximum(picture, 0) * gains.astype(np.float32)
    luminance = balanced.mean(axis=2)
    near = max(1, round(_NEAR / step))
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * near + 1, 2 * near + 1))
    top = picture.max(axis=2)
    brightest, light = cv2.dilate(luminance, disc), cv2.dilate(top, disc)
    stops = np.log2(np.maximum(brightest, 1e-6) / np.maximum(luminance, 1e-6))
    beside = _smooth(stops, _STOPS) * _smooth(light, _LIGHT)
    if not beside.any():
        return picture
    ratios = balanced / np.maximum(luminance, 1e-6)[..., None]
    lends = ((1 - beside) ** 4 * (top < _CLIPPED) * (luminance > 1e-4)).astype(np.float32)
    sigma = max(_WIDE / step, 0.6)
    weight = cv2.GaussianBlur(lends, (0, 0), sigma)
    around = cv2.GaussianBlur(ratios * lends[..., None], (0, 0), sigma)
    # where nothing lends its colour: grey
    around = (around + 1e-3) / (weight + 1e-3)[..., None]
    off = ratios - around
    taken = strength * beside
    if hue is not None:
        apart = np.abs((hue_of(off) - hue + 180) % 360 - 180)
        taken = taken * (1 - _smooth(apart, (0.6 * _HUES, _HUES)))
    calm = around + off * (1 - taken[..., None])
    calm *= (3 / np.maximum(calm.sum(axis=2), 1e-6))[
        ..., None
    ]  # the mean of the ratios is 1: luminance stays
    made = np.where(beside[..., None] > 1e-3, calm * luminance[..., None] / gains.astype(np.float32), picture)
    return np.ascontiguousarray(made, dtype=np.float32)
