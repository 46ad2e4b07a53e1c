"""A network may leave the picture it was given only as far as that picture's own surroundings allow.

Where a network meets what it was not trained on, it can invent colour. Interpolation by rule is the second
opinion: around a pixel it gives a range of brightness and of colour differences. Inside of that range, and a
little beyond, the network is free; what goes further is compressed, smoothly, to that little.
"""

from __future__ import annotations

import cv2
import numpy as np

from irvane.core.kernels import serial

#: Pixels around a place whose range counts.
REACH = 1
#: How far beyond the range: as a share of it, and in units of the interpolation domain.
_SHARE, _ALWAYS = 0.1, 0.003


@serial
def _compress(value, low, high, share, always, out):
    """`value` where it lies between the limits; beyond them it approaches a margin that it never reaches."""
    for i in range(value.size):
        margin = share * (high[i] - low[i]) + always
        over = max(value[i] - high[i], np.float32(0))
        under = max(low[i] - value[i], np.float32(0))
        inside = min(max(value[i], low[i]), high[i])
        out[i] = inside + margin * over / (margin + over) - margin * under / (margin + under)


def _limited(before: np.ndarray, after: np.ndarray) -> np.ndarray:
    around = np.ones((2 * REACH + 1, 2 * REACH + 1), np.uint8)
    low, high = cv2.erode(before, around), cv2.dilate(before, around)
    out = np.empty_like(after)
    margins = np.float32(_SHARE), np.float32(_ALWAYS)
    _compress(after.ravel(), low.ravel(), high.ravel(), *margins, out.ravel())
    return out


def bounded(before: np.ndarray, after: np.ndarray) -> np.ndarray:
    """What a network made of a picture, held to what the picture's surroundings allow.

    Parameters
    ----------
    before, after : float32 3×H×W, red, green and blue in the domain of interpolation: as interpolated, and as
        the network would have it.

    Returns
    -------
    float32 3×H×W: green in the range that green has in the 3×3 pixels around, and a tenth of it beyond; red
    and blue likewise in their differences to green.
    """
    green = _limited(np.ascontiguousarray(before[1]), np.ascontiguousarray(after[1]))
    red, blue = (green + _limited(before[c] - before[1], after[c] - after[1]) for c in (0, 2))
    return np.stack([red, green, blue])
