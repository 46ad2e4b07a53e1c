"""Linear interpolation of a mosaic: quality is secondary, known noise is what it is for."""

from __future__ import annotations

import cv2
import numpy as np

from irvane.core.image import GREEN
from irvane.core.sensor import six_by_six
from irvane.core.sensor.windows import REACH, filter_rows
from irvane.core.threads import each

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


_BAND = 64


def _six(mosaic: np.ndarray, cfa: np.ndarray) -> np.ndarray:
    row0, column0 = six_by_six.phase(cfa)
    h, w = mosaic.shape
    out = np.empty((h, w, 3), np.float32)
    whole = six_by_six.extend(mosaic, REACH, (row0, column0))
    classes, filters = np.zeros((_BAND, w), np.uint8), six_by_six.plain_filters()

    def work(first: int) -> None:
        last = min(h, first + _BAND)
        part = whole[first : last + 2 * REACH]
        filter_rows(part, classes, filters, row0 + first, column0, out[first:last])

    list(each(work, range(0, h, _BAND)))
    return out


def interpolate_linear(mosaic: np.ndarray, cfa: np.ndarray) -> np.ndarray:
    """Interpolate a mosaic (float32 H×W) with one fixed linear filter per place of the array: float32 H×W×3."""
    if cfa.shape == (2, 2):
        return _bayer(mosaic, cfa)
    return _six(mosaic, cfa)
