"""Hot, stuck and dead pixels: single ones and pairs that no light could have made, found and replaced.

A defect stands out from its nearest neighbours of the same colour by more than noise explains, and much further than
these and the pixels beside it stand out from theirs: in fine texture everything does. Its neighbours of other colours
know nothing of it, while light always spreads over them through the lens; point lights therefore stay. One neighbour of
either kind may itself be a defect.
"""

from __future__ import annotations

import numba
import numpy as np

from irvane.core.image import Mosaic, NoiseModel
from irvane.core.kernels import kernel, serial

#: Standard deviations beyond the second most extreme neighbour from which a pixel is suspected. Eight neighbours of
#: pure noise put that one at 0.85 σ: with it, what is 8 σ above the mean is found in more than 99 of 100 cases.
_SIGMAS = 4.9
#: In texture everything stands out: how many times further than the oddest pixel around a defect does so, than the
#: second oddest (the oddest may be a defect itself), and than its neighbours differ from each other.
_ODDEST, _NEXT_ODDEST, _RANGE = 2.5, 6.0, 1.3
#: Standard deviations of what is odd that noise alone explains.
_ODD_BY_NOISE = 1.0
_LEAST = 0.0003  # of white: what is less is not worth replacing
_SPREAD = 0.05  # share of the excess that light would put into the pixels around
_DIP = 0.3  # share by which darker surroundings show a structure of their own
_SPREAD_SIGMAS = 3.5  # standard deviations of the mean spread below which it is chance
_REACH = 4
#: At most one pixel in so many of a row is replaced: what seems defective beyond that is no defect.
_MOST = 3


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


@serial
def _suspects(centre, a, b, c, d, step, gain, variance, flags, count):
    """Mark what lies outside of four neighbours, all but one, by more than noise."""
    limit = np.float32((_SIGMAS - 0.6) ** 2)
    for k in range(count):
        x = k * step
        low_ab, high_ab = min(a[x], b[x]), max(a[x], b[x])
        low_cd, high_cd = min(c[x], d[x]), max(c[x], d[x])
        high = max(min(high_ab, high_cd), max(low_ab, low_cd))
        low = min(max(low_ab, low_cd), min(high_ab, high_cd))
        v = centre[x]
        out = max(max(v - high, low - v), np.float32(0))
        flags[x] = (out > np.float32(_LEAST)) & (
            out * out > limit * (gain * max(high, np.float32(0)) + variance)
        )


@serial
def _flag_row(data, y, cfa, table, gain, variance, flags):
    """Suspects of a row; what is nearer to the rim than the neighbours reach is always looked at."""
    h, w = data.shape
    p = cfa.shape[0]
    flags[:] = 1
    if y < _REACH or y >= h - _REACH or w < 4 * _REACH:
        return
    for s in range(p):
        first = _REACH + (s - _REACH) % p
        count = (w - _REACH - first + p - 1) // p
        near = table[(y % p) * p + s]
        c = cfa[y % p, s]
        _suspects(
            data[y, first:], data[y + near[0, 0], first + near[0, 1] :], data[y + near[1, 0], first + near[1, 1] :],
            data[y + near[2, 0], first + near[2, 1] :], data[y + near[3, 0], first + near[3, 1] :],
            p, gain[c], variance[c], flags[first:], count,
        )  # fmt: skip


@serial
def _level(values, near, count, times):
    """Take the slope of the scene off the neighbours of a place (values at the offsets `near`).

    A plane that is fitted more times than once leaves out the value furthest from the one before, which may be a defect.
    """
    left_out = -1
    mean, slope_y, slope_x = np.float32(0), np.float32(0), np.float32(0)
    for _ in range(times):
        n, sy, sx, syy, sxx, syx = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
        sv, svy, svx = 0.0, 0.0, 0.0
        for k in range(count):
            if k != left_out:
                j, i, v = np.float64(near[k, 0]), np.float64(near[k, 1]), np.float64(values[k])
                n, sy, sx, sv = n + 1, sy + j, sx + i, sv + v
                syy, sxx, syx = syy + j * j, sxx + i * i, syx + j * i
                svy, svx = svy + v * j, svx + v * i
        a, b, c = syy - sy * sy / n, sxx - sx * sx / n, syx - sy * sx / n
        p, q = svy - sv * sy / n, svx - sv * sx / n
        det = a * b - c * c
        if det < 1e-3 * (a + b):
            return
        slope_y, slope_x = np.float32((b * p - c * q) / det), np.float32((a * q - c * p) / det)
        mean = np.float32((sv - slope_y * sy - slope_x * sx) / n)
        furthest = np.float32(-1)
        for k in range(count):
            off = abs(values[k] - mean - slope_y * near[k, 0] - slope_x * near[k, 1])
            if off > furthest:
                furthest, left_out = off, k
    for k in range(count):
        values[k] -= slope_y * near[k, 0] + slope_x * near[k, 1]


@serial
def _spread_of_light(data, y, x, sign, out, cfa, gain, variance, ring, apart):
    """How the pixels beside differ from those of the same colours `out` times as far: mean and standard deviation, and
    the standard deviation that noise alone gives their mean.

    A slope of the scene is taken off first. The one that differs most is left out: it may be a defect itself.
    """
    h, w = data.shape
    count, noise, p = 0, np.float32(0), cfa.shape[0]
    for j in range(-1, 2):
        for i in range(-1, 2):
            if (j == 0 and i == 0) or y + j < 0 or x + i < 0 or y + j >= h or x + i >= w:
                continue
            # beyond the rim: the same colour on the other side
            far_y = out * j if 0 <= y + out * j < h else (2 - out) * j
            far_x = out * i if 0 <= x + out * i < w else (2 - out) * i
            ring[count] = sign * (data[y + j, x + i] - data[y + far_y, x + far_x])
            c = cfa[(y + j) % p, (x + i) % p]
            noise += 2 * (gain[c] * max(data[y + far_y, x + far_x], np.float32(0)) + variance[c])
            apart[count, 0], apart[count, 1] = j - far_y, i - far_x
            count += 1
    _level(ring, apart, count, 1)
    total, square, most = np.float32(0), np.float32(0), np.float32(0)
    for k in range(count):
        more = ring[k]
        total += more
        square += more * more
        most = more if abs(more) > abs(most) else most
    count = max(count - 1, 1)
    mean = (total - most) / count
    variety = np.sqrt(max((square - most * most) / count - mean * mean, np.float32(0)))
    return mean, variety, np.sqrt(noise) / (count + 1)


@serial
def _residual(data, y, x, skip_y, skip_x, cfa, table, own):
    """How far a pixel is from the median of its nearest of the same colour, one place left out."""
    h, w = data.shape
    p = cfa.shape[0]
    count = 0
    for k in range(own.size):
        j, i = y + table[(y % p) * p + x % p, k, 0], x + table[(y % p) * p + x % p, k, 1]
        if (j != skip_y or i != skip_x) and j >= 0 and i >= 0 and j < h and i < w:
            at = count  # kept in order
            while at > 0 and own[at - 1] > data[j, i]:
                own[at] = own[at - 1]
                at -= 1
            own[at] = data[j, i]
            count += 1
    half = count // 2
    middle = own[half] if count % 2 else np.float32(0.5) * (own[half - 1] + own[half])
    return abs(data[y, x] - middle) if count > 2 else np.float32(0)


@serial
def _stands_alone(data, y, x, excess, by_noise, near, count, cfa, table, own):
    """Is a pixel further out than those around it are: the ones beside it, and its nearest of the same colour?"""
    h, w = data.shape
    first, second = np.float32(0), np.float32(0)
    for k in range(count + 9):
        j, i = y + k // 3 - 1, x + k % 3 - 1
        if k >= 9:
            j, i = y + near[k - 9, 0], x + near[k - 9, 1]
            if abs(j - y) <= 1 and abs(i - x) <= 1:
                continue  # seen already
        if (j == y and i == x) or j < 0 or i < 0 or j >= h or i >= w:
            continue
        found = _residual(data, j, i, y, x, cfa, table, own)
        if found > first:
            first, second = found, first
        elif found > second:
            second = found
        if excess <= min(
            np.float32(_ODDEST) * (first - by_noise), np.float32(_NEXT_ODDEST) * (second - by_noise)
        ):
            return False
    return True


@kernel
def _repair(data, cfa, table, gain, variance, places, values_there, found):
    """List the defects of every row: their columns and what they become."""
    h, w = data.shape
    p = cfa.shape[0]
    for y in numba.prange(h):
        flags = np.empty(w, np.uint8)
        _flag_row(data, y, cfa, table, gain, variance, flags)
        values = np.empty(table.shape[1], np.float32)
        near = np.empty((table.shape[1], 2), np.int64)
        own = np.empty(6, np.float32)
        ring, apart = np.empty(8, np.float32), np.empty((8, 2), np.int64)
        for x in range(w):
            if not flags[x]:
                continue
            v = data[y, x]
            c = cfa[y % p, x % p]
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
                _level(values, near, count, 2)
            values[:count].sort()
            low, high = values[1], values[count - 2]
            sign = np.float32(1) if v > high else np.float32(-1)
            excess = max(v - high, low - v)
            middle = values[count // 2]
            sigma = np.sqrt(gain[c] * max(middle, np.float32(0)) + variance[c])
            if excess <= max(
                np.float32(_SIGMAS) * sigma, np.float32(_LEAST), np.float32(_RANGE) * (high - low)
            ):
                continue
            around = _spread_of_light(
                data, y, x, sign, 3 if p == 2 else p + 1, cfa, gain, variance, ring, apart
            )
            spread, variety, chance = around
            chance = max(np.float32(_SPREAD_SIGMAS) * chance, variety)
            if spread > max(np.float32(_SPREAD) * excess, chance) or -spread > max(
                np.float32(_DIP) * excess, chance
            ):
                continue
            by_noise = np.float32(_ODD_BY_NOISE) * sigma
            if not _stands_alone(data, y, x, excess, by_noise, near, count, cfa, table, own):
                continue
            total = np.float32(0)
            for k in range(1, count - 1):
                total += values[k]
            if found[y] < places.shape[1]:
                places[y, found[y]] = x
                values_there[y, found[y]] = total / (count - 2)
                found[y] += 1


@serial
def _put(data, places, values, found):
    """Write the replacements back."""
    for y in range(data.shape[0]):
        for k in range(found[y]):
            data[y, places[y, k]] = values[y, k]


def repair_defects(mosaic: Mosaic, noise: NoiseModel) -> int:
    """Replace defective pixels by the mean of their same-colour neighbours, in place.

    Parameters
    ----------
    mosaic : of either array.
    noise : its noise model; what is no further out than noise explains is left alone.

    Returns
    -------
    How many pixels were replaced.
    """
    h, w = mosaic.data.shape
    room = max(16, w // _MOST)
    places, values, found = (
        np.empty((h, room), np.int32),
        np.empty((h, room), np.float32),
        np.zeros(h, np.int64),
    )
    cfa = np.ascontiguousarray(mosaic.cfa, dtype=np.int64)
    gain = np.array(noise.gain, np.float32)
    variance = np.array(noise.read, np.float32) ** 2
    _repair(mosaic.data, cfa, _neighbours(cfa), gain, variance, places, values, found)
    _put(mosaic.data, places, values, found)
    return int(found.sum())
