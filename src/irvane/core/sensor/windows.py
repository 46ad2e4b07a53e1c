"""Linear filters over square windows, another one for every pixel: what interpolation of the 6×6 array is
made of.

Nine rows are written column after column first: every window is then a run of values, and a filter's sum a
single loop that the compiler turns into vector instructions.
"""

from __future__ import annotations

import numpy as np

from irvane.core.kernels import serial

REACH = 4
WINDOW = 2 * REACH + 1
_TAPS = WINDOW * WINDOW
_PADDED = 96  # taps, filled up to whole vectors


def prepared(taps: np.ndarray) -> np.ndarray:
    """Filters in the form that :func:`filter_rows` takes.

    Parameters
    ----------
    taps : N×classes×81×3; they act on the window less its mean, which is added to the sum again.

    Returns
    -------
    float32, N×classes×3×96: taps for the window as it is, by columns.
    """
    whole = taps + (1 - taps.sum(axis=2, keepdims=True)) / _TAPS
    by_columns = whole.reshape(*taps.shape[:2], WINDOW, WINDOW, 3).transpose(0, 1, 4, 3, 2)
    padded = np.zeros((*taps.shape[:2], 3, _PADDED), np.float32)
    padded[..., :_TAPS] = by_columns.reshape(*by_columns.shape[:3], _TAPS)
    return padded


def windows(filters: np.ndarray) -> np.ndarray:
    """Filters as `prepared` gives them, …×96, by rows and columns of their windows: …×9×9."""
    return filters[..., :_TAPS].reshape(*filters.shape[:-1], WINDOW, WINDOW).swapaxes(-1, -2)


@serial
def _by_columns(r0, r1, r2, r3, r4, r5, r6, r7, r8, out):
    for x in range(np.uintp(r0.size)):
        at = np.uintp(WINDOW) * x
        out[at] = r0[x]
        out[at + np.uintp(1)] = r1[x]
        out[at + np.uintp(2)] = r2[x]
        out[at + np.uintp(3)] = r3[x]
        out[at + np.uintp(4)] = r4[x]
        out[at + np.uintp(5)] = r5[x]
        out[at + np.uintp(6)] = r6[x]
        out[at + np.uintp(7)] = r7[x]
        out[at + np.uintp(8)] = r8[x]


@serial
def _filter_row(columns, classes, filters, column0, out):
    place = column0
    for x in range(classes.size):
        window = columns[x * WINDOW : x * WINDOW + _PADDED]
        taps = filters[place, classes[x]]
        red = np.float32(0)
        green = np.float32(0)
        blue = np.float32(0)
        for k in range(_PADDED):
            red += window[k] * taps[0, k]
            green += window[k] * taps[1, k]
            blue += window[k] * taps[2, k]
        out[x, 0] = red
        out[x, 1] = green
        out[x, 2] = blue
        place = place + 1 if place < 5 else 0


@serial
def filter_rows(v, classes, filters, row0, column0, out):
    """Full colour of a 6×6 mosaic.

    `v` (float32) goes REACH beyond `out` (H×W×3) on every side; `classes` (uint8 H×W) choose among the
    `filters` of a place; `out` begins at the place (`row0`, `column0`) of the array.
    """
    columns = np.zeros(v.shape[1] * WINDOW + _PADDED, np.float32)
    for y in range(out.shape[0]):
        _by_columns(
            v[y], v[y + 1], v[y + 2], v[y + 3], v[y + 4], v[y + 5], v[y + 6], v[y + 7], v[y + 8], columns
        )
        first = (row0 + y) % 6 * 6
        _filter_row(columns, classes[y], filters[first : first + 6], column0 % 6, out[y])
