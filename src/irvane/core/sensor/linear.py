"""Linear interpolation of a mosaic: quality is secondary, known noise is what it is for."""

from __future__ import annotations

import cv2
import numpy as np

from irvane.core.image import GREEN
from irvane.core.kernels import flat, serial
from irvane.core.sensor import six_by_six
from irvane.core.sensor.phases import filter_everywhere
from irvane.core.sensor.windows import REACH
from irvane.core.threads import each

#: Planes of red, green, and blue.
COLOURS = np.eye(3, dtype=np.float32)

#: Green at red and blue places (Malvar, He & Cutler 2004, the green kernel).
_GREEN_KERNEL = (
    np.array(
        [[0, 0, -1, 0, 0], [0, 0, 2, 0, 0], [-1, 2, 4, 2, -1], [0, 0, 2, 0, 0], [0, 0, -1, 0, 0]], np.float32
    )
    / 8
)
#: Along rows and along columns: differences to green at every place from those known at one in four.
_DIFFERENCE_TAPS = np.array([1, 2, 1], np.float32) / 2


@serial
def _mix(red, green, blue, shares, out):
    r, g, b = shares[0], shares[1], shares[2]
    for i in range(out.size):
        out[i] = r * red[i] + g * green[i] + b * blue[i]


def _bayer(mosaic: np.ndarray, cfa: np.ndarray, axes: np.ndarray) -> np.ndarray:
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
    out = np.empty((3, *mosaic.shape), np.float32)
    for shares, to in zip(axes, out, strict=True):
        _mix(*(flat(planes[colour]) for colour in range(3)), shares, flat(to))
    return out


_BAND = 64


def _six(mosaic: np.ndarray, cfa: np.ndarray, axes: np.ndarray) -> np.ndarray:
    row0, column0 = six_by_six.phase(cfa)
    h, w = mosaic.shape
    out = np.empty((3, h, w), np.float32)
    whole = six_by_six.extend(mosaic, REACH, (row0, column0))
    filters = np.ascontiguousarray(np.einsum("kc,pcyx->pykx", axes, six_by_six.plain_filters()))

    def work(first: int) -> None:
        last = min(h, first + _BAND)
        filter_everywhere(whole[first : last + 2 * REACH], filters, row0 + first, column0, out[:, first:last])

    list(each(work, range(0, h, _BAND)))
    return out


def interpolate_linear(mosaic: np.ndarray, cfa: np.ndarray, axes: np.ndarray = COLOURS) -> np.ndarray:
    """Interpolate a mosaic with one fixed linear filter per place of the array.

    Parameters
    ----------
    mosaic : float32, H×W.
    axes : float32, 3×3; what each of the three planes is made of: shares of red, green, and blue.

    Returns
    -------
    float32, 3×H×W.
    """
    return (_bayer if cfa.shape == (2, 2) else _six)(mosaic, cfa, axes)
