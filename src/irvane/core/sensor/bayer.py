"""Demosaicing of the 2×2 (Bayer) array.

Green is estimated along rows and columns as a colour difference (Hamilton & Adams 1997), and the directional
differences are blended with weights from their own gradients (Pekkucuksen & Altunbasak 2010, "Gradient based
threshold free color filter array interpolation"). Red and blue follow as differences to green, blended along
diagonals, rows and columns by inverse gradients. All of it happens in a ratio-preserving domain
(:mod:`irvane.core.sensor.encoding`).
"""

from __future__ import annotations

import numba
import numpy as np

from irvane.core.sensor.encoding import from_ratio, to_ratio

_TILE = 112
_HALO = 10
_EPS = np.float32(1e-4)


@numba.njit(inline="always")
def _mirror(i, n):
    """Index reflected at the border without repeating it, which keeps the colour of the filter."""
    if i < 0:
        i = -i
    if i >= n:
        i = 2 * n - 2 - i
    return i


@numba.njit(nogil=True, fastmath=True, cache=True)
def _differences(v, cfa, y0, x0, dh, dv):
    n, m = v.shape
    for y in range(2, n - 2):
        for x in range(2, m - 2):
            c = v[y, x]
            across = 0.5 * (v[y, x - 1] + v[y, x + 1]) + 0.25 * (2 * c - v[y, x - 2] - v[y, x + 2])
            down = 0.5 * (v[y - 1, x] + v[y + 1, x]) + 0.25 * (2 * c - v[y - 2, x] - v[y + 2, x])
            if cfa[(y0 + y) & 1, (x0 + x) & 1] == 1:
                dh[y, x] = c - across
                dv[y, x] = c - down
            else:
                dh[y, x] = across - c
                dv[y, x] = down - c


@numba.njit(nogil=True, fastmath=True, cache=True)
def _gradient_sums(dh, dv, rows_h, rows_v, box_h, box_v):
    """5×5 sums of the gradients of the directional differences."""
    n, m = dh.shape
    for y in range(2, n - 2):
        for x in range(5, m - 5):
            sum_h = np.float32(0)
            sum_v = np.float32(0)
            for i in range(-2, 3):
                sum_h += abs(dh[y, x + i - 1] - dh[y, x + i + 1])
                sum_v += abs(dv[y - 1, x + i] - dv[y + 1, x + i])
            rows_h[y, x] = sum_h
            rows_v[y, x] = sum_v
    for y in range(5, n - 5):
        for x in range(5, m - 5):
            box_h[y, x] = (
                rows_h[y - 2, x] + rows_h[y - 1, x] + rows_h[y, x] + rows_h[y + 1, x] + rows_h[y + 2, x]
            )
            box_v[y, x] = (
                rows_v[y - 2, x] + rows_v[y - 1, x] + rows_v[y, x] + rows_v[y + 1, x] + rows_v[y + 2, x]
            )


@numba.njit(nogil=True, fastmath=True, cache=True)
def _green(v, cfa, y0, x0, dh, dv, box_h, box_v, green):
    n, m = v.shape
    ninth = np.float32(1 / 9)
    for y in range(7, n - 7):
        for x in range(7, m - 7):
            if cfa[(y0 + y) & 1, (x0 + x) & 1] == 1:
                green[y, x] = v[y, x]
                continue
            up = box_v[y - 2, x] + _EPS
            down = box_v[y + 2, x] + _EPS
            left = box_h[y, x - 2] + _EPS
            right = box_h[y, x + 2] + _EPS
            up = 1 / (up * up)
            down = 1 / (down * down)
            left = 1 / (left * left)
            right = 1 / (right * right)
            v3 = dv[y, x] * 3
            h3 = dh[y, x] * 3
            from_up = v3 + (dv[y - 1, x] + dv[y - 2, x]) * 2 + dv[y - 3, x] + dv[y - 4, x]
            from_down = v3 + (dv[y + 1, x] + dv[y + 2, x]) * 2 + dv[y + 3, x] + dv[y + 4, x]
            from_left = h3 + (dh[y, x - 1] + dh[y, x - 2]) * 2 + dh[y, x - 3] + dh[y, x - 4]
            from_right = h3 + (dh[y, x + 1] + dh[y, x + 2]) * 2 + dh[y, x + 3] + dh[y, x + 4]
            blend = up * from_up + down * from_down + left * from_left + right * from_right
            green[y, x] = v[y, x] + ninth * blend / (up + down + left + right)


@numba.njit(nogil=True, fastmath=True, cache=True)
def _opposite(v, cfa, y0, x0, green, diff):
    """Colour minus green, at the pixels of the opposite colour: blended over both diagonals."""
    n, m = v.shape
    for y in range(8, n - 8):
        for x in range(8, m - 8):
            if cfa[(y0 + y) & 1, (x0 + x) & 1] == 1:
                continue
            nw = v[y - 1, x - 1] - green[y - 1, x - 1]
            ne = v[y - 1, x + 1] - green[y - 1, x + 1]
            sw = v[y + 1, x - 1] - green[y + 1, x - 1]
            se = v[y + 1, x + 1] - green[y + 1, x + 1]
            g = green[y, x]
            fall = abs(nw - se) + abs(g - green[y - 1, x - 1]) + abs(g - green[y + 1, x + 1]) + _EPS
            rise = abs(ne - sw) + abs(g - green[y - 1, x + 1]) + abs(g - green[y + 1, x - 1]) + _EPS
            diff[y, x] = 0.5 * ((nw + se) * rise + (ne + sw) * fall) / (fall + rise)


@numba.njit(nogil=True, fastmath=True, cache=True)
def _write(v, cfa, y0, x0, green, diff, knee, base, gains, out, top, left, bottom, right):
    """Fill in red and blue everywhere and leave the ratio domain."""
    for y in range(_HALO, _HALO + bottom - top):
        for x in range(_HALO, _HALO + right - left):
            g = green[y, x]
            colour = cfa[(y0 + y) & 1, (x0 + x) & 1]
            if colour == 1:
                # neighbours in the row are one colour, in the column the other
                row = cfa[(y0 + y) & 1, (x0 + x + 1) & 1]
                own_h = 0.5 * (v[y, x - 1] - green[y, x - 1] + v[y, x + 1] - green[y, x + 1])
                own_v = 0.5 * (v[y - 1, x] - green[y - 1, x] + v[y + 1, x] - green[y + 1, x])
                cross_h = 0.5 * (diff[y, x - 1] + diff[y, x + 1])
                cross_v = 0.5 * (diff[y - 1, x] + diff[y + 1, x])
                rough_h = abs(green[y, x - 1] - g) + abs(green[y, x + 1] - g) + _EPS
                rough_v = abs(green[y - 1, x] - g) + abs(green[y + 1, x] - g) + _EPS
                share = rough_v / (rough_h + rough_v)
                first = g + share * own_h + (1 - share) * cross_v
                second = g + (1 - share) * own_v + share * cross_h
                red = first if row == 0 else second
                blue = second if row == 0 else first
            elif colour == 0:
                red = v[y, x]
                blue = g + diff[y, x]
            else:
                blue = v[y, x]
                red = g + diff[y, x]
            ty = top + y - _HALO
            tx = left + x - _HALO
            out[ty, tx, 0] = from_ratio(red, knee, base) / gains[0]
            out[ty, tx, 1] = from_ratio(g, knee, base) / gains[1]
            out[ty, tx, 2] = from_ratio(blue, knee, base) / gains[2]


@numba.njit(parallel=True, cache=True, nogil=True, fastmath=True)
def _demosaic(mosaic, cfa, gains, knee, out):
    h, w = mosaic.shape
    down = (h + _TILE - 1) // _TILE
    across = (w + _TILE - 1) // _TILE
    base = knee ** np.float32(0.4)
    for tile in numba.prange(down * across):
        top = (tile // across) * _TILE
        left = (tile % across) * _TILE
        bottom = min(top + _TILE, h)
        right = min(left + _TILE, w)
        n = bottom - top + 2 * _HALO
        m = right - left + 2 * _HALO
        y0 = top - _HALO
        x0 = left - _HALO
        v = np.empty((n, m), np.float32)
        for y in range(n):
            sy = _mirror(y0 + y, h)
            for x in range(m):
                sx = _mirror(x0 + x, w)
                v[y, x] = to_ratio(mosaic[sy, sx] * gains[cfa[sy & 1, sx & 1]], knee)
        dh = np.empty((n, m), np.float32)
        dv = np.empty((n, m), np.float32)
        rows_h = np.empty((n, m), np.float32)
        rows_v = np.empty((n, m), np.float32)
        box_h = np.empty((n, m), np.float32)
        box_v = np.empty((n, m), np.float32)
        green = np.empty((n, m), np.float32)
        _differences(v, cfa, y0, x0, dh, dv)
        _gradient_sums(dh, dv, rows_h, rows_v, box_h, box_v)
        _green(v, cfa, y0, x0, dh, dv, box_h, box_v, green)
        _opposite(v, cfa, y0, x0, green, rows_h)
        _write(v, cfa, y0, x0, green, rows_h, knee, base, gains, out, top, left, bottom, right)


def demosaic_bayer(mosaic: np.ndarray, cfa: np.ndarray, gains: np.ndarray, knee: float) -> np.ndarray:
    """Demosaic a Bayer mosaic by directional colour differences in a ratio-preserving domain.

    Parameters
    ----------
    mosaic : float32, H×W, black 0, white 1; at least 16 px a side.
    cfa : int, 2×2.
    gains : three white-balance gains applied while interpolating (the reference gains of the camera).
    knee : signal below which the domain is linear, see :func:`irvane.core.sensor.encoding.knee_for`.

    Returns
    -------
    float32, H×W×3, camera-linear, the gains divided out again.

    References
    ----------
    Pekkucuksen & Altunbasak, ICIP 2010; Hamilton & Adams, US patent 5,629,734 (expired).
    """
    out = np.empty((*mosaic.shape, 3), np.float32)
    pattern = np.ascontiguousarray(cfa, dtype=np.int64)
    _demosaic(np.ascontiguousarray(mosaic), pattern, np.asarray(gains, np.float32), np.float32(knee), out)
    return out
