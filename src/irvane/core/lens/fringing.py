"""Coloured fringes beside light that is nearly clipped, taken away.

A place is beside such light when something within a few pixels is near the sensor's clip and much brighter
than itself. There what its colour (ratios to its luminance) has towards the hue of the fringes more than its
wider surroundings, which are not beside such light, is taken away: what is as violet as the fringe, but wide,
keeps its colour, and so does everything elsewhere. Luminance stays.
"""

from __future__ import annotations

import cv2
import numpy as np

from irvane.core.image import largest_colour
from irvane.core.pixels.places import FrameRegion, Patches

#: Pixels of the frame within which light counts as near, and over which the surroundings' colour is taken.
_NEAR, _WIDE = 7.0, 12.0
#: Pixels of the frame around a place that matter.
REACH = 44
#: Stops brighter that what is near must be (nothing, all), and how near to the clip.
_STOPS, _LIGHT = (0.6, 1.6), (0.45, 0.75)
#: From here on pixels do not lend their colour: they may be clipped.
_CLIPPED = 0.9
#: Hue of usual fringes, and the range that they lie in; side and number of the tiles that a frame's are
#: looked for in; share of all that a range of 45° must hold to stand out; darkest luminance that has a
#: colour.
USUAL_HUE, _USUAL, _TILE, _TILES, _STANDS_OUT, _DARKEST = 285.0, (262.0, 312.0), 96, 80, 0.15, 0.004
#: Ratios that differ less than this have no colour to speak of.
_COLOURED = 0.08
#: Axes of colour at equal mean: towards red, and from blue to green.
_RED_AXIS, _GREEN_AXIS = np.array([2, -1, -1]) / np.sqrt(6), np.array([0, 1, -1]) / np.sqrt(2)


def _smooth(values: np.ndarray, ends: tuple[float, float]) -> np.ndarray:
    t = np.clip((values - ends[0]) / (ends[1] - ends[0]), 0, 1)
    return t * t * (3 - 2 * t)


def hue_of(colour: np.ndarray) -> np.ndarray:
    """Hue of colours (…×3) in degrees: 0 red, 120 green, 240 blue."""
    r, g, b = np.moveaxis(colour, -1, 0)
    return np.degrees(np.arctan2(np.sqrt(3) * (g - b), 2 * r - g - b)) % 360


def picked_hue(picture: np.ndarray, gains: np.ndarray) -> float | None:
    """Hue of the fringe in the middle of a small picture: of its most coloured pixel near the middle, against
    the colour of all around. None where nothing is coloured.

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


def _direction(hue: float) -> np.ndarray:
    """Unit step of colour at equal mean towards a hue (degrees, see :func:`hue_of`)."""
    a = np.radians(hue)
    return (np.cos(a) * _RED_AXIS + np.sin(a) * _GREEN_AXIS).astype(np.float32)


def _beside(balanced: np.ndarray, top: np.ndarray, step: float) -> np.ndarray:
    """How much each pixel lies beside light that is nearly clipped and much brighter, 0…1."""
    luminance = balanced.mean(axis=2)
    near = max(1, round(_NEAR / step))
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * near + 1, 2 * near + 1))
    brightest, light = cv2.dilate(luminance, disc), cv2.dilate(top, disc)
    stops = np.log2(np.maximum(brightest, 1e-6) / np.maximum(luminance, 1e-6))
    return _smooth(stops, _STOPS) * _smooth(light, _LIGHT)


def _off(
    balanced: np.ndarray, top: np.ndarray, beside: np.ndarray, step: float
) -> tuple[np.ndarray, np.ndarray]:
    """Colour (ratios to the mean of the three) of the wider surroundings, and what each pixel's differs from
    it."""
    luminance = balanced.mean(axis=2)
    ratios = balanced / np.maximum(luminance, 1e-6)[..., None]
    lends = ((1 - beside) ** 4 * (top < _CLIPPED) * (luminance > 1e-4)).astype(np.float32)
    sigma = max(_WIDE / step, 0.6)
    weight = cv2.GaussianBlur(lends, (0, 0), sigma)
    around = cv2.GaussianBlur(ratios * lends[..., None], (0, 0), sigma)
    around = (around + 1e-3) / (weight + 1e-3)[..., None]  # where nothing lends its colour: grey
    return around, ratios - around


def fringe_hue(picture: Patches, clipped: np.ndarray | None, gains: np.ndarray) -> float:
    """Hue of a frame's fringes: of what the colours beside its brightest edges have that their surroundings
    have not.

    Parameters
    ----------
    picture : the developed frame, camera-linear. clipped : its clip bits. gains : reference gains.

    Returns
    -------
    Degrees; that of the usual violet ones where no hue stands out.
    """
    if clipped is None:
        return USUAL_HUE
    h, w = picture.shape
    rows, columns = h // _TILE, w // _TILE
    if rows < 1 or columns < 1:
        return USUAL_HUE
    cells = (
        (clipped[: rows * _TILE, : columns * _TILE] > 0)
        .reshape(rows, _TILE, columns, _TILE)
        .mean(axis=(1, 3))
    )
    mixed = np.argwhere((cells > 0.02) & (cells < 0.9))
    chosen = mixed[:: max(1, len(mixed) // _TILES)][:_TILES]
    votes = np.zeros(72)
    for j, i in chosen:
        place = FrameRegion(int(j) * _TILE, int(i) * _TILE, (int(j) + 1) * _TILE, (int(i) + 1) * _TILE)
        part = picture.read(place).pixels
        balanced, top = np.maximum(part, 0) * gains.astype(np.float32), largest_colour(part)
        beside = _beside(balanced, top, 1.0)
        _, off = _off(balanced, top, beside, 1.0)
        weight = beside * np.minimum(np.square(off).sum(axis=2), 1.0) * (balanced.mean(axis=2) > _DARKEST)
        votes += np.histogram(hue_of(off), bins=72, range=(0, 360), weights=weight)[0]
    smooth = np.convolve(np.concatenate([votes[-4:], votes, votes[:4]]), np.ones(9), "valid")
    # leaves are green beside every sky: only what lenses usually leave is looked for
    first, last = (int(edge / 5) for edge in _USUAL)
    usual = smooth[first:last]
    if usual.max() < _STANDS_OUT * votes.sum():
        return USUAL_HUE
    best = first + int(np.argmax(usual))
    return round(float((best * 5 + 2.5) % 360), 0)


def remove_fringes(
    picture: np.ndarray, gains: np.ndarray, strength: float, hue: float, step: float
) -> np.ndarray:
    """Take the colour of fringes away: only what points from the surroundings' colour towards the fringes'
    hue.

    Parameters
    ----------
    picture : float32 H×W×3, camera-linear, 1 = clipping point (rebuilt highlights may lie above).
    gains : reference gains that make neutral things neutral.
    strength : share that is taken away, 0…1; 0 returns the picture unchanged (same array).
    hue : degrees (see :func:`hue_of`) of the fringes.
    step : frame pixels per pixel of `picture`.
    """
    if strength == 0:
        return picture
    balanced, top = np.maximum(picture, 0) * gains.astype(np.float32), largest_colour(picture)
    beside = _beside(balanced, top, step)
    if not beside.any():
        return picture
    around, off = _off(balanced, top, beside, step)
    along = _direction(hue)
    taken = strength * beside * np.maximum(off @ along, 0)
    calm = around + off - taken[..., None] * along
    calm *= (3 / np.maximum(calm.sum(axis=2), 1e-6))[
        ..., None
    ]  # the mean of the ratios is 1: luminance stays
    luminance = balanced.mean(axis=2)[..., None]
    made = np.where(taken[..., None] > 1e-3, calm * luminance / gains.astype(np.float32), picture)
    return np.ascontiguousarray(made, dtype=np.float32)
