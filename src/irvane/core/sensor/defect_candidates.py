"""Pixels that no noise explains: the suspects among which defects are looked for.

A suspect stands out from its nearest neighbours of the same colour, the slope of the scene taken off, by more
than noise explains. One of these neighbours may be a defect itself.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from irvane.core.image import Mosaic, NoiseModel
from irvane.core.kernels import fill, serial
from irvane.core.threads import share_out

#: Standard deviations beyond the second most extreme neighbour from which a pixel is suspected. Eight
#: neighbours of pure noise put that one at 0.85 σ: with it, what is 8 σ above the mean is found in more than
#: 99 of 100 cases.
_SIGMAS = 4.9
#: How many times further a defect stands out than its neighbours differ from each other: what does not is
#: texture.
_RANGE = 2.0
_LEAST = 0.0003  # of white: what is less is not worth replacing
_REACH = 4
#: At most one pixel in so many of a row is suspected: what seems defective beyond that is no defect.
_MOST = 3


@dataclass(frozen=True)
class Candidates:
    """Pixels that stand out, in reading order.

    Attributes
    ----------
    y, x : int64, N; their rows and columns.
    instead : float32, N; the mean of their neighbours of the same colour, without the lowest and the highest.
    excess : float32, N; how far they stand out, relative to white; negative below.
    spread : float32, N; difference between the second highest and second lowest neighbour.
    """

    y: np.ndarray
    x: np.ndarray
    instead: np.ndarray
    excess: np.ndarray
    spread: np.ndarray

    def only(self, which: np.ndarray) -> Candidates:
        """Some of them (int, N)."""
        return Candidates(
            *(values[which] for values in (self.y, self.x, self.instead, self.excess, self.spread))
        )


def _neighbours(cfa: np.ndarray, count: int = 8) -> np.ndarray:
    """The nearest same-colour offsets of every place in the array: int, places × count × 2."""
    period = cfa.shape[0]
    table = np.zeros((period * period, count, 2), np.int64)
    span = range(-_REACH, _REACH + 1)
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


def _kinds(table: np.ndarray, width: int) -> tuple[np.ndarray, np.ndarray]:
    """The different sets of four nearest neighbours in every row of the array, and which of them each column
    has.

    Rows are gone through once for each set: a loop over neighbouring pixels uses vector instructions.

    Returns
    -------
    int p×p×4×2, offsets of 0 beyond the last set of a row; uint8 p×`width`.
    """
    period = int(len(table) ** 0.5)
    nearest = table[:, :4].reshape(period, period, 4, 2)
    sets, kinds = np.zeros_like(nearest), np.empty((period, width), np.uint8)
    for row in range(period):
        different, which = np.unique(nearest[row], axis=0, return_inverse=True)
        sets[row, : len(different)] = different
        kinds[row] = np.resize(which.reshape(-1), width)
    return sets, kinds


@serial
def _suspects(centre, a, b, c, d, gain, variance, kinds, kind, flags):
    """Mark what lies outside of four neighbours, all but one, by more than noise, where these are its
    neighbours."""
    limit = np.float32((_SIGMAS - 0.6) ** 2)
    for x in range(flags.size):
        low_ab, high_ab = min(a[x], b[x]), max(a[x], b[x])
        low_cd, high_cd = min(c[x], d[x]), max(c[x], d[x])
        high = max(min(high_ab, high_cd), max(low_ab, low_cd))
        low = min(max(low_ab, low_cd), min(high_ab, high_cd))
        v = centre[x]
        out = max(max(v - high, low - v), np.float32(0))
        odd = (out > np.float32(_LEAST)) & (
            out * out > limit * (gain[x] * max(high, np.float32(0)) + variance[x])
        )
        flags[x] |= odd & (kinds[x] == kind)


@serial
def _flag_row(data, y, sets, gain, variance, kinds, flags):
    """Candidates of a row; what is nearer to the rim than the neighbours reach is always looked at.

    `sets` are the sets of neighbours that occur in it, `kinds` tells which of them is whose.
    """
    h, w = data.shape
    fill(flags, np.uint8(1))
    if y < _REACH or y >= h - _REACH or w < 4 * _REACH:
        return
    inner = slice(_REACH, w - _REACH)
    fill(flags[inner], np.uint8(0))
    count = w - 2 * _REACH
    for k in range(sets.shape[0]):
        near = sets[k]
        if not near.any():
            break
        _suspects(
            data[y, inner], data[y + near[0, 0], _REACH + near[0, 1] :][:count],
            data[y + near[1, 0], _REACH + near[1, 1] :][:count], data[y + near[2, 0], _REACH + near[2,
            1] :][:count],
            data[y + near[3, 0], _REACH + near[3, 1] :][:count], gain[inner], variance[inner], kinds[inner],
            k, flags[inner],
        )  # fmt: skip


@serial
def level(values, near, count, times):
    """Take the slope of the scene off the neighbours of a place (values at the offsets `near`).

    A plane that is fitted more times than once leaves out the value furthest from the one before, which may
    be a defect.
    """
    n, sy, sx, syy, sxx, syx = np.float64(count), 0.0, 0.0, 0.0, 0.0, 0.0
    sv, svy, svx = 0.0, 0.0, 0.0
    for k in range(count):
        j, i, v = np.float64(near[k, 0]), np.float64(near[k, 1]), np.float64(values[k])
        sy, sx, sv = sy + j, sx + i, sv + v
        syy, sxx, syx = syy + j * j, sxx + i * i, syx + j * i
        svy, svx = svy + v * j, svx + v * i
    slope_y, slope_x = np.float32(0), np.float32(0)
    left_out = -1
    for turn in range(times):
        m, my, mx, myy, mxx, myx, mv, mvy, mvx = n, sy, sx, syy, sxx, syx, sv, svy, svx
        if left_out >= 0:
            j, i, v = (
                np.float64(near[left_out, 0]),
                np.float64(near[left_out, 1]),
                np.float64(values[left_out]),
            )
            m, my, mx, mv = m - 1, my - j, mx - i, mv - v
            myy, mxx, myx = myy - j * j, mxx - i * i, myx - j * i
            mvy, mvx = mvy - v * j, mvx - v * i
        a, b, c = myy - my * my / m, mxx - mx * mx / m, myx - my * mx / m
        p, q = mvy - mv * my / m, mvx - mv * mx / m
        det = a * b - c * c
        if det < 1e-3 * (a + b):
            return
        slope_y, slope_x = np.float32((b * p - c * q) / det), np.float32((a * q - c * p) / det)
        if turn == times - 1:
            break
        mean = np.float32((mv - slope_y * my - slope_x * mx) / m)
        furthest = np.float32(-1)
        for k in range(count):
            off = abs(values[k] - mean - slope_y * near[k, 0] - slope_x * near[k, 1])
            if off > furthest:
                furthest, left_out = off, k
    for k in range(count):
        values[k] -= slope_y * near[k, 0] + slope_x * near[k, 1]


@serial
def sort(values, count):
    """In place, by insertion: the fastest way for so few."""
    for k in range(1, count):
        v, at = values[k], k
        while at > 0 and values[at - 1] > v:
            values[at] = values[at - 1]
            at -= 1
        values[at] = v


@serial
def _list(begin, end, data, table, sets, kinds, gain, variance, columns, figures, found):
    """List the suspects of every row: their columns, and what Candidates tells of them.

    Gain and variance (of the noise) are those of every column, for each row of the array.
    """
    h, w = data.shape
    p = sets.shape[0]
    for y in range(begin, end):
        flags = np.empty(w, np.uint8)
        gains, variances = gain[y % p], variance[y % p]
        _flag_row(data, y, sets[y % p], gains, variances, kinds[y % p], flags)
        values = np.empty(table.shape[1], np.float32)
        near = np.empty((table.shape[1], 2), np.int64)
        for x in range(w):
            if not flags[x]:
                continue
            v = data[y, x]
            count = 0
            for k in range(near.shape[0]):
                j, i = table[(y % p) * p + x % p, k]
                # beyond the rim: the same colour a period further inside
                j += p if y + j < 0 else (-p if y + j >= h else 0)
                i += p if x + i < 0 else (-p if x + i >= w else 0)
                if (j or i) and y + j >= 0 and x + i >= 0 and y + j < h and x + i < w:
                    values[count] = data[y + j, x + i]
                    near[count, 0], near[count, 1] = j, i
                    count += 1
            if count < 3:
                continue
            if count == near.shape[0]:
                level(values, near, count, 2)
            sort(values, count)
            low, high = values[1], values[count - 2]
            excess = max(v - high, low - v)
            middle = values[count // 2]
            sigma = np.sqrt(gains[x] * max(middle, np.float32(0)) + variances[x])
            if excess <= max(
                np.float32(_SIGMAS) * sigma, np.float32(_LEAST), np.float32(_RANGE) * (high - low)
            ):
                continue
            total = np.float32(0)
            for k in range(1, count - 1):
                total += values[k]
            if found[y] < columns.shape[1]:
                columns[y, found[y]] = x
                figures[y, found[y], 0] = total / (count - 2)
                figures[y, found[y], 1] = excess if v > high else -excess
                figures[y, found[y], 2] = high - low
                found[y] += 1


def defect_candidates(mosaic: Mosaic, noise: NoiseModel) -> Candidates:
    """Pixels of a mosaic of either array that stand out by more than its noise explains."""
    h, w = mosaic.data.shape
    room = max(16, w // _MOST)
    columns, figures = np.empty((h, room), np.int32), np.empty((h, room, 3), np.float32)
    found = np.zeros(h, np.int64)
    cfa = np.ascontiguousarray(mosaic.cfa, dtype=np.int64)
    table = _neighbours(cfa)
    sets, kinds = _kinds(table, w)
    colours = np.tile(cfa, (1, -(-w // cfa.shape[0])))[:, :w]
    gain = np.array(noise.gain, np.float32)[colours]
    variance = np.array(noise.read, np.float32)[colours] ** 2
    share_out(_list, h, mosaic.data, table, sets, kinds, gain, variance, columns, figures, found)
    y = np.repeat(np.arange(h), found)
    place = np.arange(y.size) - np.repeat(np.cumsum(found) - found, found)
    instead, excess, spread = figures[y, place].T
    return Candidates(y, columns[y, place].astype(np.int64), instead, excess, spread)
