"""The pixels around a place of a mosaic, and their colours."""

from __future__ import annotations

import numpy as np

from irvane.core.kernels import serial


@serial
def _inside(at, size, period):
    """The place of the same colour inside the rim."""
    while at < 0:
        at += period
    while at >= size:
        at -= period
    return at


@serial
def surroundings(data, y, x, period, reach, around):
    """The pixels up to `reach` around a place; beyond the rim stands the same colour inside, but never the
    place again."""
    h, w = data.shape
    side = 2 * reach + 1
    inner = reach <= y < h - reach and reach <= x < w - reach
    for k in range(side * side):
        j, i = y + k // side - reach, x + k % side - reach
        if not inner:
            j, i = max(_inside(j, h, period), 0), max(_inside(i, w, period), 0)
            if j == y and i == x and k != side * side // 2:
                i = i + period if i + period < w else max(i - period, 0)
        around[k] = data[j, i]


def colours_around(cfa: np.ndarray, reach: int) -> np.ndarray:
    """Colours of the pixels around every place of an array: int64, places × pixels."""
    period, offsets = cfa.shape[0], np.arange(-reach, reach + 1)
    places = np.arange(period)[:, None] + offsets
    around = cfa[places[:, None, :, None] % period, places[None, :, None, :] % period]
    return np.ascontiguousarray(around.reshape(period * period, -1), dtype=np.int64)
