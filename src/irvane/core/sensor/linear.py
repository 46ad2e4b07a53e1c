"""Linear interpolation of a mosaic: quality is secondary, known noise is what it is for."""

from __future__ import annotations

import cv2
import numba
import numpy as np

from irvane.core.image import GREEN
from irvane.core.kernels import kernel
from irvane.core.sensor import six_by_six

#: Green at red and blue places (Malvar, He & Cutler 2004, the green kernel).
_GREEN_KERNEL = (
    np.array(
        [[0, 0, -1, 0, 0], [0, 0, 2, 0, 0], [-1, 2, 4, 2, -1], [0, 0, 2, 0, 0], [0, 0, -1, 0, 0]], np.float32
    )
    / 8
)
#: Along rows and along columns: differences to green at every place from those known at one in four.
_DIFFERENCE_TAPS = np.array([1, 2, 1], np.float32) / 2


def _bayer(mosaic: np.ndarray, cfa: np.ndarray) -> np.ndarray:
    places = {colour: [(y, x) for y, x in np.ndindex(2, 2) if cfa[y, x] == colour] for colour in range(3)}
    green = cv2.filter2D(mosaic, -1, _GREEN_KERNEL)
    for y, x in places[GREEN]:
        green[y::2, x::2] = mosaic[y::2, x::2]
    apart = cv2.subtract(mosaic, green)
    planes = {GREEN: green}
    for colour in (0, 2):
        known = np.zeros_like(mosaic)
        for y, x in places[colour]:
            known[y::2, x::2] = apart[y::2, x::2]
        planes[colour] = cv2.add(green, cv2.sepFilter2D(known, -1, _DIFFERENCE_TAPS, _DIFFERENCE_TAPS))
    return cv2.merge([planes[colour] for colour in range(3)])


@kernel
def _six(v, filters, row0, column0, halo, out):
    h, w = out.shape[:2]
    side = six_by_six.WINDOW
    reach = six_by_six.REACH
    for y in numba.prange(h):
        window = np.zeros(filters.shape[2], np.float32)
        for x in range(w):
            mean = np.float32(0)
            for j in range(side):
                for i in range(side):
                    value = v[y + halo + j - reach, x + halo + i - reach]
                    window[j * side + i] = value
                    mean += value
            mean /= side * side
            for k in range(side * side):
                window[k] -= mean
            taps = filters[(row0 + y) % 6 * 6 + (column0 + x) % 6]
            red = np.float32(0)
            green = np.float32(0)
            blue = np.float32(0)
            for k in range(window.size):
                red += window[k] * taps[0, k]
                green += window[k] * taps[1, k]
                blue += window[k] * taps[2, k]
            out[y, x, 0] = mean + red
            out[y, x, 1] = mean + green
            out[y, x, 2] = mean + blue


def interpolate_linear(mosaic: np.ndarray, cfa: np.ndarray) -> np.ndarray:
    """Interpolate a mosaic (float32 H×W) with one fixed linear filter per place of the array: float32 H×W×3."""
    if cfa.shape == (2, 2):
        return _bayer(mosaic, cfa)
    row0, column0 = six_by_six.phase(cfa)
    halo = six_by_six.REACH
    out = np.empty((*mosaic.shape, 3), np.float32)
    _six(
        six_by_six.extend(mosaic, halo, (row0, column0)), six_by_six.plain_filters(), row0, column0, halo, out
    )
    return out
