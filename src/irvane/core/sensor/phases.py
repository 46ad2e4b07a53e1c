"""Linear filters of the 6×6 array that are the same wherever the array is: one for each of its places.

Every sixth pixel of a row has the same filter. Rows are parted into six runs, one of every sixth pixel: a
filter's sum is then the same for a whole run, and loops go over values that lie side by side. Runs lie a
known distance apart in one flat array: only then does the compiler see that they do not overlap and use
vector instructions.
"""

from __future__ import annotations

import numpy as np

from irvane.core.kernels import serial
from irvane.core.sensor.windows import REACH, WINDOW

_PERIOD = 6
#: Distance between runs of values. No power of two: runs would compete for the same lines of the processor's
#: cache.
_RUN = 208
#: Runs of a row: the six, and again as far as windows reach, one value further on.
_RUNS = _PERIOD + WINDOW - 1
#: Values that are worked on by one instruction: loops over a multiple of them leave no rest.
_VECTOR = 8
#: Columns that are worked on at once.
WIDE = _PERIOD * (_RUN - _VECTOR)

_U = np.uintp
_1, _2, _3, _4, _5, _6, _7, _8 = (_U(k * _RUN) for k in range(1, 9))


@serial
def _part(row, runs, count):
    """Values 0, 6, 12, … of a row into the first run, 1, 7, 13, … into the second: `count` into each."""
    for j in range(_U(count)):
        i = _U(_PERIOD) * j
        runs[j] = row[i]
        runs[j + _1] = row[i + _U(1)]
        runs[j + _2] = row[i + _U(2)]
        runs[j + _3] = row[i + _U(3)]
        runs[j + _4] = row[i + _U(4)]
        runs[j + _5] = row[i + _U(5)]


@serial
def _join(runs, row, count):
    """The reverse of `_part`."""
    for j in range(_U(count)):
        i = _U(_PERIOD) * j
        row[i] = runs[j]
        row[i + _U(1)] = runs[j + _1]
        row[i + _U(2)] = runs[j + _2]
        row[i + _U(3)] = runs[j + _3]
        row[i + _U(4)] = runs[j + _4]
        row[i + _U(5)] = runs[j + _5]


@serial
def _copy(values, out, count):
    for x in range(count):
        out[x] = values[x]


@serial
def _add_row(runs, taps, sums, count):
    """Add what a row of windows, which begins at the first of `runs`, gives to three sums."""
    a0, a1, a2, a3, a4 = taps[0, 0], taps[0, 1], taps[0, 2], taps[0, 3], taps[0, 4]
    a5, a6, a7, a8 = taps[0, 5], taps[0, 6], taps[0, 7], taps[0, 8]
    b0, b1, b2, b3, b4 = taps[1, 0], taps[1, 1], taps[1, 2], taps[1, 3], taps[1, 4]
    b5, b6, b7, b8 = taps[1, 5], taps[1, 6], taps[1, 7], taps[1, 8]
    c0, c1, c2, c3, c4 = taps[2, 0], taps[2, 1], taps[2, 2], taps[2, 3], taps[2, 4]
    c5, c6, c7, c8 = taps[2, 5], taps[2, 6], taps[2, 7], taps[2, 8]
    for x in range(_U(count)):
        v0, v1, v2, v3, v4 = runs[x], runs[x + _1], runs[x + _2], runs[x + _3], runs[x + _4]
        v5, v6, v7, v8 = runs[x + _5], runs[x + _6], runs[x + _7], runs[x + _8]
        sums[x] += a0 * v0 + a1 * v1 + a2 * v2 + a3 * v3 + a4 * v4 + a5 * v5 + a6 * v6 + a7 * v7 + a8 * v8
        sums[x + _6] += (
            b0 * v0 + b1 * v1 + b2 * v2 + b3 * v3 + b4 * v4 + b5 * v5 + b6 * v6 + b7 * v7 + b8 * v8
        )
        sums[x + _U(12 * _RUN)] += (
            c0 * v0 + c1 * v1 + c2 * v2 + c3 * v3 + c4 * v4 + c5 * v5 + c6 * v6 + c7 * v7 + c8 * v8
        )


@serial
def _rows(whole, filters, row0, column0, out):
    """Up to WIDE columns; `whole` goes on for a few columns more, which are worked on in vain."""
    wide = whole.shape[1]
    count = (out.shape[2] + _PERIOD * _VECTOR - 1) // (_PERIOD * _VECTOR) * _VECTOR
    seen = count + 2  # values of a run that windows see
    line = np.zeros(_PERIOD * seen + WINDOW, np.float32)
    runs = np.zeros((whole.shape[0], _RUNS * _RUN), np.float32)
    sums = np.empty(3 * _PERIOD * _RUN, np.float32)
    joined = np.empty(_PERIOD * count, np.float32)
    for y in range(whole.shape[0]):
        _copy(whole[y], line, wide)
        own = runs[y]
        _part(line, own, seen)
        for k in range(_PERIOD, _RUNS):
            _copy(own[(k - _PERIOD) * _RUN + 1 :], own[k * _RUN :], seen - 1)
    for y in range(out.shape[1]):
        sums[:] = 0
        place = (row0 + y) % _PERIOD * _PERIOD
        for j in range(WINDOW):
            for c in range(_PERIOD):
                taps = filters[place + (column0 + c) % _PERIOD, j]
                _add_row(runs[y + j, c * _RUN :], taps, sums[c * _RUN :], count)
        for k in range(3):
            _join(sums[k * _PERIOD * _RUN :], joined, count)
            _copy(joined, out[k, y], out.shape[2])


def filter_everywhere(
    whole: np.ndarray, filters: np.ndarray, row0: int, column0: int, out: np.ndarray
) -> None:
    """Filter a 6×6 mosaic.

    Parameters
    ----------
    whole : float32, H+8×W+8; REACH beyond `out` on every side.
    filters : float32, 36×9×3×9; by place in the array, row of the window, sum, and column.
    row0, column0 : where in the array `out` begins.
    out : float32, 3×H×W.
    """
    for first in range(0, out.shape[2], WIDE):
        last = min(first + WIDE, out.shape[2])
        _rows(whole[:, first : last + 2 * REACH], filters, row0, column0 + first, out[:, :, first:last])
