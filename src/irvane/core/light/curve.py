"""Tone curves through points, in EV around mid-grey, and the roll-off of the brightest tones.

A curve is a monotonic cubic through its points (Fritsch & Carlson 1980, SciPy's PCHIP); beyond the outermost points it
goes on as a constant shift, so that no light is lost. The common curve acts on luminance and keeps colour ratios;
those of the channels act on the channels.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from scipy.interpolate import PchipInterpolator

from irvane.core.image import LUMA_2020, MID_GREY
from irvane.core.kernels import blank, flat, inline, serial
from irvane.core.powers import exp2, log2
from irvane.core.settings import Light
from irvane.core.stations import Curve

#: Range of the table in EV around mid-grey.
LOW, HIGH = -14.0, 10.0
_SIZE = 1537  # 64 entries per stop
_PER_STOP = (_SIZE - 1) / (HIGH - LOW)
#: The roll-off begins this many stops below paper white.
ROLL_OFF_RANGE = 2.0

_LUMA = (float(LUMA_2020[0]), float(LUMA_2020[1]), float(LUMA_2020[2]))


def curve_shift(points: Curve, levels: np.ndarray) -> np.ndarray:
    """Change in EV that a curve makes at some levels (EV around mid-grey); 0 everywhere without points."""
    levels = np.asarray(levels, float)
    if not points:
        return np.zeros_like(levels)
    places, values = (np.array(side, float) for side in zip(*points, strict=True))
    if len(points) == 1:
        return np.full_like(levels, values[0] - places[0])
    inside = np.clip(levels, places[0], places[-1])
    return PchipInterpolator(places, values)(inside) - inside


@lru_cache(maxsize=32)
def _table(points: Curve) -> np.ndarray:
    return curve_shift(points, np.linspace(LOW, HIGH, _SIZE)).astype(np.float32)


@inline
def _shift(table, value, grey):
    """Change in EV of a light, read from a table."""
    level = log2(max(value / grey, np.float32(1e-4)))
    place = (level - np.float32(LOW)) * np.float32(_PER_STOP)
    place = min(max(place, np.float32(0)), np.float32(_SIZE - 1.001))
    index = np.int32(place)
    return table[index] + (place - index) * (table[index + 1] - table[index])


@serial
def _whole(picture, table, out):
    grey = np.float32(MID_GREY)
    for i in range(picture.size // 3):
        r, g, b = picture[3 * i], picture[3 * i + 1], picture[3 * i + 2]
        lum = np.float32(_LUMA[0]) * r + np.float32(_LUMA[1]) * g + np.float32(_LUMA[2]) * b
        gain = exp2(_shift(table, lum, grey))
        out[3 * i] = r * gain
        out[3 * i + 1] = g * gain
        out[3 * i + 2] = b * gain


@serial
def _channels(picture, red, green, blue, out):
    grey = np.float32(MID_GREY)
    for i in range(picture.size // 3):
        r, g, b = picture[3 * i], picture[3 * i + 1], picture[3 * i + 2]
        out[3 * i] = r * exp2(_shift(red, r, grey))
        out[3 * i + 1] = g * exp2(_shift(green, g, grey))
        out[3 * i + 2] = b * exp2(_shift(blue, b, grey))


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
    """The curves of the station Light: scene-linear float32 H×W×3 in and out, unchanged (same array) without points."""
    if light.curve:
        out = blank(picture)
        _whole(flat(picture), _table(light.curve), flat(out))
        picture = out
    if light.curve_red or light.curve_green or light.curve_blue:
        out = blank(picture)
        tables = (_table(points) for points in (light.curve_red, light.curve_green, light.curve_blue))
        _channels(flat(picture), *tables, flat(out))
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
