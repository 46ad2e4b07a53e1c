"""Exposure, tonal range and contrast in one pass over scene-linear light.

Every setting acts in EV on the local base brightness of the guide; fine detail rides on top unchanged, colour
ratios are kept. All curves are monotonic over their whole range, so gradients cannot turn round.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from irvane.core.colour.rendering import EXPONENT, Curve
from irvane.core.guidance import sample
from irvane.core.image import LUMA_2020, MID_GREY
from irvane.core.kernels import blank, flat, read, serial
from irvane.core.light.guide import FLOOR_EV, Guide
from irvane.core.powers import exp2, log2, power
from irvane.core.settings import Light

#: Highlights act with 1 − exp(−b²/2s²) above mid-grey, shadows likewise below it; deep black is left out.
HIGHLIGHT_SPREAD = 2.2
SHADOW_SPREAD = 3.2
BLACK_DEPTH = 11.0
#: Mid-tones act with exp(−b²/2s²); the other curves act on what comes of it, so that together they stay
#: monotonic.
MIDTONE_SPREAD = 2.0
#: Local contrast of structures weaker than this many EV is changed in full.
_LOCAL_MOST = 2.0
#: Display black lies this many stops below mid-grey when the black point is neutral.
BLACK_EV = -10.0
#: The local operator's name; stops that a squeezed scene spans, a little more than the base rendering shows
#: between black and white; EV around mid-grey at which the middle of an ordinary scene lies.
LOCAL, SHOWN_STOPS, ORDINARY_MIDDLE = "local", 9.0, -1.5

_LUMA = (float(LUMA_2020[0]), float(LUMA_2020[1]), float(LUMA_2020[2]))


def tonal_shift(base: np.ndarray, shadows: float, highlights: float, midtones: float = 0.0) -> np.ndarray:
    """Change in EV of a local base brightness (EV around mid-grey): the curve behind Shadows, Mid-tones,
    Highlights."""
    middle = midtones * np.exp(-(base**2) / (2 * MIDTONE_SPREAD**2))
    base = base + middle
    above, below = np.maximum(base, 0), np.minimum(base, 0)
    bright = 1 - np.exp(-(above**2) / (2 * HIGHLIGHT_SPREAD**2))
    dark = (1 - np.exp(-(below**2) / (2 * SHADOW_SPREAD**2))) * np.exp(-((below / BLACK_DEPTH) ** 4))
    return middle + highlights * bright + shadows * dark


#: The table of `tonal_shift` over local base brightness: its range in EV and entries per EV.
_TABLE_LOW, _TABLE_HIGH, _PER_EV = -26.0, 22.0, 64


@dataclass(frozen=True)
class Squeeze:
    """The local operator: brightness of whole areas is squeezed towards a middle, detail rides on top
    unchanged.

    Attributes
    ----------
    factor : EV of a squeezed area for every EV of the scene, 1: none. middle : EV that stays, but for the
        lift.
    lift : EV by which everything is moved.
    """

    factor: float = 1.0
    middle: float = 0.0
    lift: float = 0.0

    @staticmethod
    def for_scene(light: Light, guide: Guide) -> Squeeze:
        """How far a scene has to be squeezed to be seen whole, and where its middle goes."""
        if light.tone_map != LOCAL or light.tone_strength == 0:
            return Squeeze()
        share = light.tone_strength / 100
        span = max(guide.levels.brightest - guide.levels.darkest, 1.0)
        factor = 1 - share * (1 - min(1.0, SHOWN_STOPS / span))
        middle = guide.levels.p50 + light.exposure
        # a dark scene stays darker and a bright one brighter: half of the way to where an ordinary middle
        # lies
        lift = share * (0.5 * (ORDINARY_MIDDLE - middle) + light.tone_key)
        return Squeeze(factor, middle, lift)

    def shift(self, base: np.ndarray) -> np.ndarray:
        """Change in EV of a local base brightness; it rises everywhere with the base."""
        return (self.factor - 1) * (base - self.middle) + self.lift


@lru_cache(maxsize=64)
def _shifts(shadows: float, highlights: float, midtones: float, squeeze: Squeeze = Squeeze()) -> np.ndarray:
    base = np.linspace(_TABLE_LOW, _TABLE_HIGH, round((_TABLE_HIGH - _TABLE_LOW) * _PER_EV) + 1)
    first = squeeze.shift(base)
    return (first + tonal_shift(base + first, shadows, highlights, midtones)).astype(np.float32)


@serial
def _levels(picture, planes, exposure, small, large, level, place, detail):
    """Of every pixel: luminance (EV around mid-grey), place of its base in the table, and EV by which
    structures below the two radii of the guide shall stand out more."""
    floor, low = np.float32(FLOOR_EV), np.float32(_TABLE_LOW)
    last = np.float32((_TABLE_HIGH - _TABLE_LOW) * _PER_EV - 0.01)
    most, half = np.float32(_LOCAL_MOST), np.float32(0.5)
    for i in range(level.size):
        r, g, b = picture[3 * i], picture[3 * i + 1], picture[3 * i + 2]
        lum = np.float32(_LUMA[0]) * r + np.float32(_LUMA[1]) * g + np.float32(_LUMA[2]) * b
        ev = max(log2(max(lum * np.float32(1 / MID_GREY), np.float32(1e-4))), floor)
        level[i] = ev
        fine = planes[4 * i] * ev + planes[4 * i + 1]
        wide = planes[4 * i + 2] * ev + planes[4 * i + 3]
        base = half * (fine + wide) + exposure
        place[i] = min(max((base - low) * np.float32(_PER_EV), np.float32(0)), last)
        # strong structures are treated gently: they stand out already
        a, b = ev - fine, fine - wide
        detail[i] = small * a / (1 + abs(a) / most) + large * b / (1 + abs(b) / most)


@serial
def _brighten(picture, level, shift, detail, exposure, steepness, black, out):
    """Exposure, local shift, contrast around mid-grey, detail, and a black point with a soft toe instead of a
    cut."""
    floor, grey = np.float32(FLOOR_EV), np.float32(MID_GREY)
    for i in range(level.size):
        ev = exposure + shift[i]
        ev += steepness * min(max(level[i] + ev, floor), -floor) + detail[i]
        gain = exp2(ev)
        value = grey * exp2(level[i] + ev)
        lowered = value - black
        lowered = np.float32(0.5) * (lowered + np.sqrt(lowered * lowered + value * abs(black)))
        gain *= lowered / value
        out[3 * i] = picture[3 * i] * gain
        out[3 * i + 1] = picture[3 * i + 1] * gain
        out[3 * i + 2] = picture[3 * i + 2] * gain


def reads_guide(light: Light) -> bool:
    """Does any of the settings act by the local base brightness?"""
    local = (
        light.shadows,
        light.highlights,
        light.midtones,
        light.local_small,
        light.local_large,
        light.contrast,
        light.black,
    )
    return any(local) or (light.tone_map == LOCAL and light.tone_strength > 0)


def apply_tone(
    picture: np.ndarray, light: Light, guide: Guide, top: float, left: float, step: float
) -> np.ndarray:
    """Exposure, shadows, mid-tones, highlights, contrast whole and by scale, black point: scene-linear in and
    out.

    Parameters
    ----------
    picture : float32, H×W×3, a view of the frame.
    light : settings of the station.
    guide : the frame's guide.
    top, left, step : where the view lies in the frame, see :func:`irvane.core.guidance.sample`.
    """
    ends = light.shadows, light.highlights, light.midtones
    scales = light.local_small / 100, light.local_large / 100
    if not reads_guide(light):
        return picture if light.exposure == 0 else picture * np.float32(2.0**light.exposure)
    pixels = flat(picture)
    level, shift, detail = (np.empty(pixels.size // 3, np.float32) for _ in range(3))
    planes = flat(sample(guide.planes, guide.extent, top, left, step, picture.shape[:2]))
    exposure = np.float32(light.exposure)
    _levels(pixels, planes, exposure, np.float32(scales[0]), np.float32(scales[1]), level, shift, detail)
    read(_shifts(*ends, Squeeze.for_scene(light, guide)), shift)
    black = MID_GREY * (2.0 ** (BLACK_EV + light.black) - 2.0**BLACK_EV)
    steepness = 2.0 ** (light.contrast / 100) - 1
    out = blank(picture)
    _brighten(pixels, level, shift, detail, exposure, np.float32(steepness), np.float32(black), flat(out))
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

        A dark scene stays dark and a bright one bright: the key follows the place of the log average between
        the darkest and the brightest light (Reinhard 2002, "Parameter estimation for photographic tone
        reproduction").
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

    `picture` comes after exposure: the operator's key refers to the scene before it, so exposure still
    brightens.
    """
    if light.tone_map != "photographic" or light.tone_strength == 0:
        return picture
    operator = Operator.for_scene(light, guide)
    curve = Curve.for_white(white_ev)
    exponent = 1 / EXPONENT
    numbers = (operator.scale, operator.white**2, curve.a, curve.k, exponent, light.tone_strength / 100)
    out = blank(picture)
    _photographic(flat(picture), *(np.float32(v) for v in numbers), flat(out))
    return out
