"""Exposure, tonal range and contrast in one pass over scene-linear light.

Every setting acts in EV on the local base brightness of the guide; fine detail rides on top unchanged, colour
ratios are kept. All curves are monotonic over their whole range, so gradients cannot turn round.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from irvane.core.colour.rendering import EXPONENT, Curve
from irvane.core.guidance import sample
from irvane.core.image import LUMA_2020, MID_GREY
from irvane.core.kernels import blank, flat, inline, multiply, serial
from irvane.core.light.guide import FLOOR_EV, Guide
from irvane.core.powers import exp2, log2, power
from irvane.core.settings import Light

#: Highlights act with 1 − exp(−b²/2s²) above mid-grey, shadows likewise below it; deep black is left out.
HIGHLIGHT_SPREAD = 2.2
SHADOW_SPREAD = 3.2
BLACK_DEPTH = 11.0
#: Mid-tones act with exp(−b²/2s²); the other curves act on what comes of it, so that together they stay monotonic.
MIDTONE_SPREAD = 2.0
#: Local contrast of structures weaker than this many EV is changed in full.
_LOCAL_MOST = 2.0
#: Display black lies this many stops below mid-grey when the black point is neutral.
BLACK_EV = -10.0

_LUMA = (float(LUMA_2020[0]), float(LUMA_2020[1]), float(LUMA_2020[2]))


_TO_2 = 1 / np.log(2)  # from powers of e to powers of 2


def tonal_shift(base: np.ndarray, shadows: float, highlights: float, midtones: float = 0.0) -> np.ndarray:
    """Change in EV of a local base brightness (EV around mid-grey): the curve behind Shadows, Mid-tones, Highlights."""
    middle = midtones * np.exp(-(base**2) / (2 * MIDTONE_SPREAD**2))
    base = base + middle
    above, below = np.maximum(base, 0), np.minimum(base, 0)
    bright = 1 - np.exp(-(above**2) / (2 * HIGHLIGHT_SPREAD**2))
    dark = (1 - np.exp(-(below**2) / (2 * SHADOW_SPREAD**2))) * np.exp(-((below / BLACK_DEPTH) ** 4))
    return middle + highlights * bright + shadows * dark


@inline
def _level(r, g, b, grey, floor):
    """Luminance in EV around mid-grey, limited below."""
    lum = np.float32(_LUMA[0]) * r + np.float32(_LUMA[1]) * g + np.float32(_LUMA[2]) * b
    return max(log2(max(lum / grey, np.float32(1e-4))), floor)


@serial
def _local_gains(picture, slope, offset, exposure, shadows, midtones, highlights, contrast, gains):
    """Factors of exposure, shadows, mid-tones, highlights and contrast together."""
    floor, grey = np.float32(FLOOR_EV), np.float32(MID_GREY)
    for i in range(gains.size):
        level = _level(picture[3 * i], picture[3 * i + 1], picture[3 * i + 2], grey, floor)
        base = slope[i] * level + offset[i] + exposure
        middle = midtones * exp2(-base * base * np.float32(_TO_2 * 0.5 / MIDTONE_SPREAD**2))
        base += middle
        above = max(base, np.float32(0))
        below = min(base, np.float32(0))
        bright = 1 - exp2(-above * above * np.float32(_TO_2 * 0.5 / HIGHLIGHT_SPREAD**2))
        quart = below * np.float32(1 / BLACK_DEPTH)
        quart = quart * quart
        dark = 1 - exp2(-below * below * np.float32(_TO_2 * 0.5 / SHADOW_SPREAD**2))
        dark *= exp2(-quart * quart * np.float32(_TO_2))
        ev = exposure + middle + highlights * bright + shadows * dark
        ev += (contrast - 1) * min(max(level + ev, floor), -floor)
        gains[i] = exp2(ev)


@serial
def _local_contrast(picture, fine_slope, fine_offset, wide_slope, wide_offset, small, large, gains):
    """Change factors so that structures below the two radii of the guide stand out more, or less."""
    floor, grey, most = np.float32(FLOOR_EV), np.float32(MID_GREY), np.float32(_LOCAL_MOST)
    for i in range(gains.size):
        level = _level(picture[3 * i], picture[3 * i + 1], picture[3 * i + 2], grey, floor)
        fine = fine_slope[i] * level + fine_offset[i]
        wide = wide_slope[i] * level + wide_offset[i]
        # strong structures are treated gently: they stand out already
        a, b = level - fine, fine - wide
        a /= 1 + abs(a) / most
        b /= 1 + abs(b) / most
        gains[i] *= exp2(small * a + large * b)


@serial
def _global_gains(picture, exposure, contrast, gains):
    """Factors of exposure and contrast."""
    floor, grey = np.float32(FLOOR_EV), np.float32(MID_GREY)
    for i in range(gains.size):
        level = _level(picture[3 * i], picture[3 * i + 1], picture[3 * i + 2], grey, floor) + exposure
        gains[i] = exp2(exposure + (contrast - 1) * min(max(level, floor), -floor))


@serial
def _lower_black(picture, black, gains):
    """Change factors so that light loses `black`, with a soft toe instead of a hard cut."""
    for i in range(gains.size):
        r, g, b = picture[3 * i], picture[3 * i + 1], picture[3 * i + 2]
        lum = np.float32(_LUMA[0]) * r + np.float32(_LUMA[1]) * g + np.float32(_LUMA[2]) * b
        value = max(lum * gains[i], np.float32(1e-9))
        lowered = value - black
        lowered = np.float32(0.5) * (lowered + np.sqrt(lowered * lowered + value * abs(black)))
        gains[i] *= lowered / value


def apply_tone(
    picture: np.ndarray, light: Light, guide: Guide, top: float, left: float, step: float
) -> np.ndarray:
    """Exposure, shadows, mid-tones, highlights, contrast whole and by scale, black point: scene-linear in and out.

    Parameters
    ----------
    picture : float32, H×W×3, a view of the frame.
    light : settings of the station.
    guide : the frame's guide.
    top, left, step : where the view lies in the frame, see :func:`irvane.core.light.guide.sample`.
    """
    local = light.shadows or light.midtones or light.highlights
    by_scale = light.local_small or light.local_large
    if not (local or by_scale or light.exposure or light.contrast or light.black):
        return picture
    exposure, contrast = np.float32(light.exposure), np.float32(2.0 ** (light.contrast / 100))
    shape, pixels = picture.shape[:2], flat(picture)
    gains = np.full(shape[0] * shape[1], np.float32(2.0**light.exposure))

    def at(plane: np.ndarray) -> np.ndarray:
        return flat(sample(plane, guide.extent, top, left, step, shape))

    if local:
        slope, offset = at(guide.slope), at(guide.offset)
        ends = np.float32(light.shadows), np.float32(light.midtones), np.float32(light.highlights)
        _local_gains(pixels, slope, offset, exposure, *ends, contrast, gains)
    elif light.contrast:
        _global_gains(pixels, exposure, contrast, gains)
    if by_scale:
        scales = np.float32(light.local_small / 100), np.float32(light.local_large / 100)
        _local_contrast(pixels, *map(at, (*guide.fine, *guide.wide)), *scales, gains)
    if light.black:
        black = MID_GREY * (2.0 ** (BLACK_EV + light.black) - 2.0**BLACK_EV)
        _lower_black(pixels, np.float32(black), gains)
    out = blank(picture)
    multiply(pixels, gains, flat(out))
    return out


@dataclass(frozen=True)
class Operator:
    """The photographic operator of Reinhard, Stark, Shirley & Ferwerda 2002 (their equation 4).

    Attributes
    ----------
    scale : factor that puts the scene's log average at the key value.
    white : smallest scaled luminance that becomes white.
    """

    scale: float
    white: float

    @staticmethod
    def for_scene(light: Light, guide: Guide) -> Operator:
        """Key and white from the whole frame, brightened by the proof's key.

        A dark scene stays dark and a bright one bright: the key follows the place of the log average between the
        darkest and the brightest light (Reinhard 2002, "Parameter estimation for photographic tone reproduction").
        """
        span = max(guide.levels.brightest - guide.levels.darkest, 1.0)
        place = (2 * guide.log_average - guide.levels.darkest - guide.levels.brightest) / span
        shift = light.tone_key + 2.0 * place - guide.log_average
        scale = 2.0**shift
        white = MID_GREY * 2.0 ** (guide.peak + shift)
        return Operator(scale, max(white, 1.0))


@serial
def _photographic(picture, scale, white2, a, k, exponent, strength, out):
    for i in range(picture.size // 3):
        r, g, b = picture[3 * i], picture[3 * i + 1], picture[3 * i + 2]
        # the largest colour, as in the base rendering: no colour reaches white before the others
        largest = max(r, max(g, b))
        lum = max(largest, np.float32(1e-9))
        scaled = lum * scale
        shown = scaled * (1 + scaled / white2) / (1 + scaled)
        shown = min(shown, np.float32(0.9999) * a)
        # the base rendering follows: hand it the light that it will turn into `shown`
        wanted = power(k * shown / (a - shown), exponent)
        gain = power(wanted / lum, strength)
        gain = gain if largest > np.float32(1e-9) else np.float32(1)
        out[3 * i] = r * gain
        out[3 * i + 1] = g * gain
        out[3 * i + 2] = b * gain


def apply_operator(picture: np.ndarray, light: Light, guide: Guide, white_ev: float) -> np.ndarray:
    """Global tone mapping of scene-linear light; unchanged (same array) when no operator is chosen.

    `picture` comes after exposure: the operator's key refers to the scene before it, so exposure still brightens.
    """
    if light.tone_map == "none" or light.tone_strength == 0:
        return picture
    operator = Operator.for_scene(light, guide)
    curve = Curve.for_white(white_ev)
    exponent = 1 / EXPONENT
    numbers = (operator.scale, operator.white**2, curve.a, curve.k, exponent, light.tone_strength / 100)
    out = blank(picture)
    _photographic(flat(picture), *(np.float32(v) for v in numbers), flat(out))
    return out
