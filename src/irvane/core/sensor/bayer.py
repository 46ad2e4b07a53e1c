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

_TILE = 200
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
    half = np.float32(0.5)
    quarter = np.float32(0.25)
    signs = np.empty(m, np.float32)
    for y in range(2, n - 2):
        # green minus the other colour, whichever of them stands here
        for x in range(m):
            signs[x] = np.float32(1) if cfa[(y0 + y) & 1, (x0 + x) & 1] == 1 else np.float32(-1)
        centre, sign, out_h, out_v = v[y, 2:], signs[2:], dh[y, 2:], dv[y, 2:]
        w2, w1, e1, e2 = v[y], v[y, 1:], v[y, 3:], v[y, 4:]
        n2, n1, s1, s2 = v[y - 2, 2:], v[y - 1, 2:], v[y + 1, 2:], v[y + 2, 2:]
        for x in range(m - 4):
            twice = 2 * centre[x]
            across = half * (w1[x] + e1[x]) + quarter * (twice - w2[x] - e2[x])
            down = half * (n1[x] + s1[x]) + quarter * (twice - n2[x] - s2[x])
            out_h[x] = sign[x] * (centre[x] - across)
            out_v[x] = sign[x] * (centre[x] - down)


@numba.njit(nogil=True, fastmath=True, cache=True)
def _sum_along(source, target):
    """Sums of five neighbours in a row."""
    s0, s1, s2, s3, s4, out = source[3:], source[4:], source[5:], source[6:], source[7:], target[5:]
    for x in range(source.size - 10):
        out[x] = s0[x] + s1[x] + s2[x] + s3[x] + s4[x]


@numba.njit(nogil=True, fastmath=True, cache=True)
def _sum_across(rows, y, target):
    """Sums of five neighbours in a column."""
    r0, r1, r2, r3, r4 = rows[y - 2], rows[y - 1], rows[y], rows[y + 1], rows[y + 2]
    for x in range(5, target.size - 5):
        target[x] = r0[x] + r1[x] + r2[x] + r3[x] + r4[x]


@numba.njit(nogil=True, fastmath=True, cache=True)
def _gradient_sums(dh, dv, rows_h, rows_v, box_h, box_v):
    """5×5 sums of the gradients of the directional differences, in box_h and box_v.

    Rows are taken as views, so that every index is a plain counter and the loops run on whole vectors.
    """
    n, m = dh.shape
    wide = m - 6
    for y in range(1, n - 1):
        before, after, across = dh[y, 2:], dh[y, 4:], box_h[y, 3:]
        above, below, down = dv[y - 1, 3:], dv[y + 1, 3:], box_v[y, 3:]
        for x in range(wide):
            across[x] = abs(before[x] - after[x])
            down[x] = abs(above[x] - below[x])
        _sum_along(box_h[y], rows_h[y])
        _sum_along(box_v[y], rows_v[y])
    for y in range(5, n - 5):
        _sum_across(rows_h, y, box_h[y])
        _sum_across(rows_v, y, box_v[y])


@numba.njit(nogil=True, fastmath=True, cache=True)
def _green(v, cfa, y0, x0, dh, dv, box_h, box_v, green):
    n, m = v.shape
    ninth = np.float32(1 / 9)
    for y in range(7, n - 7):
        for x in range(7, m - 7):
            green[y, x] = v[y, x]
        other = 7 + (cfa[(y0 + y) & 1, (x0 + 7) & 1] == 1)
        own, out, here_v, here_h = v[y, other:], green[y, other:], dv[y, other:], dh[y, other:]
        box_up, box_down = box_v[y - 2, other:], box_v[y + 2, other:]
        box_left, box_right = box_h[y, other - 2 :], box_h[y, other + 2 :]
        u1, u2, u3, u4 = dv[y - 1, other:], dv[y - 2, other:], dv[y - 3, other:], dv[y - 4, other:]
        d1, d2, d3, d4 = dv[y + 1, other:], dv[y + 2, other:], dv[y + 3, other:], dv[y + 4, other:]
        l1, l2, l3, l4 = dh[y, other - 1 :], dh[y, other - 2 :], dh[y, other - 3 :], dh[y, other - 4 :]
        r1, r2, r3, r4 = dh[y, other + 1 :], dh[y, other + 2 :], dh[y, other + 3 :], dh[y, other + 4 :]
        for k in range((m - 7 - other + 1) // 2):
            x = 2 * k
            up = box_up[x] + _EPS
            down = box_down[x] + _EPS
            left = box_left[x] + _EPS
            right = box_right[x] + _EPS
            up = 1 / (up * up)
            down = 1 / (down * down)
            left = 1 / (left * left)
            right = 1 / (right * right)
            v3 = here_v[x] * 3
            h3 = here_h[x] * 3
            from_up = v3 + (u1[x] + u2[x]) * 2 + u3[x] + u4[x]
            from_down = v3 + (d1[x] + d2[x]) * 2 + d3[x] + d4[x]
            from_left = h3 + (l1[x] + l2[x]) * 2 + l3[x] + l4[x]
            from_right = h3 + (r1[x] + r2[x]) * 2 + r3[x] + r4[x]
            blend = up * from_up + down * from_down + left * from_left + right * from_right
            out[x] = own[x] + ninth * blend / (up + down + left + right)


@numba.njit(nogil=True, fastmath=True, cache=True)
def _opposite(v, cfa, y0, x0, green, diff):
    """Colour minus green, at the pixels of the opposite colour: blended over both diagonals."""
    n, m = v.shape
    half = np.float32(0.5)
    for y in range(8, n - 8):
        other = 8 + (cfa[(y0 + y) & 1, (x0 + 8) & 1] == 1)
        v_nw, v_ne = v[y - 1, other - 1 :], v[y - 1, other + 1 :]
        v_sw, v_se = v[y + 1, other - 1 :], v[y + 1, other + 1 :]
        g_nw, g_ne = green[y - 1, other - 1 :], green[y - 1, other + 1 :]
        g_sw, g_se = green[y + 1, other - 1 :], green[y + 1, other + 1 :]
        here, out = green[y, other:], diff[y, other:]
        for k in range((m - 8 - other + 1) // 2):
            x = 2 * k
            nw = v_nw[x] - g_nw[x]
            ne = v_ne[x] - g_ne[x]
            sw = v_sw[x] - g_sw[x]
            se = v_se[x] - g_se[x]
            g = here[x]
            fall = abs(nw - se) + abs(g - g_nw[x]) + abs(g - g_se[x]) + _EPS
            rise = abs(ne - sw) + abs(g - g_ne[x]) + abs(g - g_sw[x]) + _EPS
            out[x] = half * ((nw + se) * rise + (ne + sw) * fall) / (fall + rise)


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
