"""Hot, stuck and dead pixels: found as single pixels that no light could have made, and replaced.

Light always spreads over neighbouring pixels through the lens; a pixel that stands alone, with unlit neighbours of
all colours, is a defect. Point lights therefore stay.
"""

from __future__ import annotations

import numba
import numpy as np

from irvane.core.image import Mosaic, NoiseModel
from irvane.core.kernels import kernel, serial

_SIGMAS = 8.0
_LEAST = 0.004  # of white: what is less is not worth replacing
_SPREAD = 0.12  # share of the excess that light would put into the pixels around


def _neighbours(cfa: np.ndarray, count: int = 8) -> np.ndarray:
    """The nearest same-colour offsets of every place in the array: int, places × count × 2."""
    period = cfa.shape[0]
    table = np.zeros((period * period, count, 2), np.int64)
    span = range(-4, 5)
    for place in range(period * period):
        y, x = divmod(place, period)
        same = [
            (j * j + i * i, j, i)
            for j in span
            for i in span
            if (j or i) and cfa[(y + j) % period, (x + i) % period] == cfa[y, x]
        ]
        table[place] = [(j, i) for _, j, i in sorted(same)[:count]]
    return table


@serial
def _stand_out(above, row, below, least, flags):
    """Which pixels of a Bayer row lie outside the range of their four nearest of the same colour by `least`?"""
    left, right, centre, up, down, out = row, row[4:], row[2:], above[2:], below[2:], flags[2:]
    for x in range(row.size - 4):
        highest = max(max(left[x], right[x]), max(up[x], down[x]))
        lowest = min(min(left[x], right[x]), min(up[x], down[x]))
        out[x] = (centre[x] - highest > least) | (lowest - centre[x] > least)


@kernel
def _repair(data, cfa, table, gain, variance, sigmas, out, found):
    h, w = data.shape
    p = cfa.shape[0]
    for y in numba.prange(h):
        flags = np.ones(w, np.uint8)
        if p == 2 and 2 <= y < h - 2:
            _stand_out(data[y - 2], data[y], data[y + 2], np.float32(_LEAST), flags)
        for x in range(w):
            if not flags[x]:
                continue
            v = data[y, x]
            place = (y % p) * p + x % p
            c = cfa[y % p, x % p]
            highest = np.float32(-1e9)
            lowest = np.float32(1e9)
            total = np.float32(0)
            count = 0
            for k in range(table.shape[1]):
                j = y + table[place, k, 0]
                i = x + table[place, k, 1]
                if j < 0 or i < 0 or j >= h or i >= w:
                    continue
                value = data[j, i]
                highest = max(highest, value)
                lowest = min(lowest, value)
                total += value
                count += 1
                if lowest <= v <= highest:  # not the extreme of its neighbourhood: nothing to look at
                    break
            if count < 3 or lowest <= v <= highest:
                continue
            sigma = np.sqrt(gain[c] * max(highest, np.float32(0)) + variance[c])
            limit = max(sigmas * sigma, np.float32(_LEAST)) + (highest - lowest)
            excess = v - highest
            lack = lowest - v
            if excess <= limit and lack <= limit:
                continue
            # light spreads: compare the pixels beside with those two steps away
            beside = np.float32(0)
            beyond = np.float32(0)
            near = 0
            for j in range(-1, 2):
                for i in range(-1, 2):
                    if (j == 0 and i == 0) or y + j < 0 or x + i < 0 or y + j >= h or x + i >= w:
                        continue
                    far_y = min(max(y + 3 * j, 0), h - 1)
                    far_x = min(max(x + 3 * i, 0), w - 1)
                    beside += data[y + j, x + i]
                    beyond += data[far_y, far_x]
                    near += 1
            if abs(beside - beyond) / near > np.float32(_SPREAD) * max(excess, lack):
                continue
            out[y, x] = total / count
            found[y] += 1


def repair_defects(mosaic: Mosaic, noise: NoiseModel) -> tuple[np.ndarray, int]:
    """Replace defective pixels by the mean of their same-colour neighbours.

    Returns
    -------
    The repaired mosaic (float32, H×W) and how many pixels were replaced.
    """
    out = mosaic.data.copy()
    found = np.zeros(out.shape[0], np.int64)
    cfa = np.ascontiguousarray(mosaic.cfa, dtype=np.int64)
    gain = np.array(noise.gain, np.float32)
    variance = np.array(noise.read, np.float32) ** 2
    _repair(mosaic.data, cfa, _neighbours(cfa), gain, variance, np.float32(_SIGMAS), out, found)
    return out, int(found.sum())
