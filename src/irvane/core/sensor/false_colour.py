"""Cleaning up false colour and moiré after demosaicing.

Where texture is as fine as the filter array, interpolation invents colour. Colour differences (in the domain
in which they were interpolated) are replaced by their median over a neighbourhood, which keeps edges of
colour (Freeman, US patent 4,724,395, 1988). Moiré is wider than that: its colour differences are reduced
first. It is done only where green has more texture at the finest scale than at the next ones: coloured things
have outlines at all scales.
"""

from __future__ import annotations

import cv2
import numpy as np

from irvane.core.kernels import blank, flat, serial
from irvane.core.powers import power
from irvane.core.sensor.encoding import from_ratio, to_ratio
from irvane.core.threads import each

#: Pixels around a place that its result depends on, at the largest width.
REACH = 36
#: A multiple of every scale, so that reduced pixels lie in the same places whatever the strip.
_BAND = 192
#: Standard deviations of the scales that are compared, and of the neighbourhood, in pixels.
_FINE, _MEDIUM, _AROUND = 0.7, 2.2, 3.0
#: Ratio of their contrasts from which texture counts as fine, and fully.
_RATIO = (0.7, 1.2)
_WINDOW = 5


@serial
def _split(picture, gains, knee, green, red, blue):
    for i in range(green.size):
        g = to_ratio(picture[3 * i + 1] * gains[1], knee)
        green[i] = g
        red[i] = to_ratio(picture[3 * i] * gains[0], knee) - g
        blue[i] = to_ratio(picture[3 * i + 2] * gains[2], knee) - g


@serial
def _join(green, red, blue, gains, knee, picture, out):
    base = power(knee, 0.4)
    for i in range(green.size):
        out[3 * i] = from_ratio(green[i] + red[i], knee, base) / gains[0]
        out[3 * i + 1] = picture[3 * i + 1]
        out[3 * i + 2] = from_ratio(green[i] + blue[i], knee, base) / gains[2]


def _fineness(green: np.ndarray) -> np.ndarray:
    """Where texture is as fine as the filter array: 0…1 per pixel."""
    fine, medium = (cv2.GaussianBlur(green, (0, 0), sigma) for sigma in (_FINE, _MEDIUM))
    finest = cv2.GaussianBlur((green - fine) ** 2, (0, 0), _AROUND)
    next_one = cv2.GaussianBlur((fine - medium) ** 2, (0, 0), _AROUND)
    low, high = _RATIO
    return np.clip((np.sqrt(finest / (next_one + 1e-6)) - low) / (high - low), 0, 1)


def _calm(difference: np.ndarray, scale: int) -> np.ndarray:
    """Median of colour differences at the full scale, and before it at a reduced one."""
    if scale > 1:
        h, w = difference.shape
        size = (-(-w // scale), -(-h // scale))
        padded = np.pad(difference, ((0, size[1] * scale - h), (0, size[0] * scale - w)), mode="edge")
        small = cv2.resize(padded, size, interpolation=cv2.INTER_AREA)
        change = cv2.medianBlur(small, _WINDOW) - small
        large = cv2.resize(change, (size[0] * scale, size[1] * scale), interpolation=cv2.INTER_LINEAR)
        difference = difference + large[:h, :w]
    return cv2.medianBlur(difference, _WINDOW)


def clean_colour(
    picture: np.ndarray, gains: np.ndarray, knee: float, amount: float, width: float
) -> np.ndarray:
    """Take false colour away.

    Parameters
    ----------
    picture : float32 H×W×3, camera-linear; it begins at a multiple of 12 pixels of its frame.
    gains : reference white-balance gains.
    knee : see :func:`irvane.core.sensor.encoding.knee_for`.
    amount : share 0…1 of the change that is made; 0 returns the picture.
    width : width of the widest coloured fringes in pixels, 2…16.
    """
    if amount <= 0:
        return picture
    scale = min(max(round(width / 4), 1), 4)
    factors, small = np.asarray(gains, np.float32), np.float32(knee)
    h = picture.shape[0]
    out = blank(picture)

    def work(first: int) -> None:
        top, bottom, last = max(0, first - REACH), min(h, first + _BAND + REACH), min(h, first + _BAND)
        part = picture[top:bottom]
        green, red, blue = (np.empty(part.shape[:2], np.float32) for _ in range(3))
        _split(flat(part), factors, small, flat(green), flat(red), flat(blue))
        weight = np.float32(amount) * _fineness(green)
        for plane in (red, blue):
            plane += weight * (_calm(plane, scale) - plane)
        inner = slice(first - top, last - top)
        _join(
            flat(green[inner]), flat(red[inner]), flat(blue[inner]), factors, small,
            flat(part[inner]), flat(out[first:last]),
        )  # fmt: skip

    for _ in each(work, range(0, h, _BAND)):
        pass
    return out
