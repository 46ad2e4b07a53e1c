"""Tone curves through points, in EV around mid-grey, and the roll-off of the brightest tones.

A curve is a monotonic cubic through its points (Fritsch & Carlson 1980, SciPy's PCHIP); beyond the outermost
points it goes on as a constant shift, so that no light is lost. The common curve acts on luminance and keeps
colour ratios; those of the channels act on the channels.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from irvane.core.declaring import Curve
from irvane.core.image import LUMA_2020, MID_GREY
from irvane.core.kernels import blank, flat, read, serial
from irvane.core.powers import exp2, log2
from irvane.core.settings import Light

#: Range of the table in EV around mid-grey.
LOW, HIGH = -14.0, 10.0
_SIZE = 1537  # 64 entries per stop
_PER_STOP = (_SIZE - 1) / (HIGH - LOW)
#: The roll-off begins this many stops below paper white.
ROLL_OFF_RANGE = 2.0

#: Weights of the colours: luminance, and each colour alone.
_LUMA = tuple(np.float32(weight) for weight in LUMA_2020)
_ALONE = tuple(np.eye(3, dtype=np.float32))


def curve_shift(points: Curve, levels: np.ndarray) -> np.ndarray:
    """Change in EV that a curve makes at some levels (EV around mid-grey); 0 everywhere without points."""
    levels = np.asarray(levels, float)
    if not points:
        return np.zeros_like(levels)
    places, values = (np.array(side, float) for side in zip(*points, strict=True))
    if len(points) == 1:
        return np.full_like(levels, values[0] - places[0])
    from scipy.interpolate import PchipInterpolator  # takes a while: only when it is needed

    inside = np.clip(levels, places[0], places[-1])
    return PchipInterpolator(places, values)(inside) - inside


@lru_cache(maxsize=32)
def _table(points: Curve) -> np.ndarray:
    return curve_shift(points, np.linspace(LOW, HIGH, _SIZE)).astype(np.float32)


@serial
def _places(picture, red, green, blue, place):
    """Where a weighted sum of every pixel's colours lies in a table."""
    for i in range(place.size):
        value = red * picture[3 * i] + green * picture[3 * i + 1] + blue * picture[3 * i + 2]
        level = log2(max(value * np.float32(1 / MID_GREY), np.float32(1e-4)))
        found = (level - np.float32(LOW)) * np.float32(_PER_STOP)
        place[i] = min(max(found, np.float32(0)), np.float32(_SIZE - 1.001))


@serial
def _brighten(picture, shift, out):
    for i in range(shift.size):
        gain = exp2(shift[i])
        out[3 * i] = picture[3 * i] * gain
        out[3 * i + 1] = picture[3 * i + 1] * gain
        out[3 * i + 2] = picture[3 * i + 2] * gain


@serial
def _brighten_each(picture, red, green, blue, out):
    for i in range(red.size):
        out[3 * i] = picture[3 * i] * exp2(red[i])
        out[3 * i + 1] = picture[3 * i + 1] * exp2(green[i])
        out[3 * i + 2] = picture[3 * i + 2] * exp2(blue[i])


@serial
def _roll_off(picture, knee, bend, out):
    grey = np.float32(MID_GREY)
    for i in range(picture.size // 3):
        r, g, b = picture[3 * i], picture[3 * i + 1], picture[3 * i + 2]
        # the largest colour, as in the base rendering: no colour reaches white before the others
        level = log2(max(max(r, max(g, b)) / grey, np.float32(1e-4)))
        above = max(level - knee, np.float32(0))
        gain = exp2(above / (1 + bend * above) - above)
        out[3 * i] = r * gain
        out[3 * i + 1] = g * gain
        out[3 * i + 2] = b * gain


def apply_curves(picture: np.ndarray, light: Light) -> np.ndarray:
    """The curves of the station Light: scene-linear float32 H×W×3 in and out, unchanged (same array) without
    points."""
    count = picture.shape[0] * picture.shape[1]
    if light.curve:
        out, shift = blank(picture), np.empty(count, np.float32)
        _places(flat(picture), *_LUMA, shift)
        read(_table(light.curve), shift)
        _brighten(flat(picture), shift, flat(out))
        picture = out
    channels = (light.curve_red, light.curve_green, light.curve_blue)
    if any(channels):
        shifts = np.zeros((3, count), np.float32)
        for channel, points in enumerate(channels):
            if points:
                _places(flat(picture), *_ALONE[channel], shifts[channel])
                read(_table(points), shifts[channel])
        out = blank(picture)
        _brighten_each(flat(picture), *shifts, flat(out))
        picture = out
    return picture


def rolled_off(levels: np.ndarray, stops: float, white_ev: float) -> np.ndarray:
    """Levels (EV around mid-grey) after the roll-off: `stops` beyond paper white end at paper white."""
    knee, bend = _knee_and_bend(stops, white_ev)
    above = np.maximum(np.asarray(levels, float) - knee, 0)
    return levels - above + above / (1 + bend * above)


def _knee_and_bend(stops: float, white_ev: float) -> tuple[float, float]:
    # t / (1 + bend·t) has slope 1 at the knee and takes RANGE + stops to RANGE
    return white_ev - ROLL_OFF_RANGE, stops / (ROLL_OFF_RANGE * (ROLL_OFF_RANGE + stops))


def apply_roll_off(picture: np.ndarray, stops: float, white_ev: float) -> np.ndarray:
    """Bend the brightest tones so that light up to `stops` EV beyond paper white is still told apart.

    Parameters
    ----------
    picture : scene-linear, float32 H×W×3; returned as it is for 0 stops.
    white_ev : paper white in EV above mid-grey. What lies more than ROLL_OFF_RANGE below it stays.
    """
    if stops == 0:
        return picture
    knee, bend = _knee_and_bend(stops, white_ev)
    out = blank(picture)
    _roll_off(flat(picture), np.float32(knee), np.float32(bend), flat(out))
    return out
