"""Demosaicing of the 2×2 (Bayer) array.

Green is estimated along rows and columns as a colour difference (Hamilton & Adams 1997), and the directional
differences are blended with weights from their own gradients (Pekkucuksen & Altunbasak 2010, "Gradient based
threshold free color filter array interpolation"). Red and blue follow as differences to green, blended along
diagonals, rows and columns by inverse gradients. All of it happens in a ratio-preserving domain
(:mod:`irvane.core.sensor.encoding`).
"""

from __future__ import annotations

import numpy as np

from irvane.core.kernels import copy, inline, serial
from irvane.core.powers import power
from irvane.core.sensor.encoding import from_ratio, to_ratio
from irvane.core.threads import share_out

_TILE = 200
_HALO = 10
_EPS = np.float32(1e-4)
#: Pixels inside of the rim whose differences across it are doubted, and by how much.
_RIM = 4
_RIM_DOUBT = np.float32(1.8)


@inline
def _mirror(i, n):
    """Index reflected at the border without repeating it, which keeps the colour of the filter."""
    if i < 0:
        i = -i
    if i >= n:
        i = 2 * n - 2 - i
    return i


@serial
def _load_row(row, left, gains, knee, buffer, out):
    """A row in the ratio domain, continued by reflection; `gains` per place."""
    w, m = row.size, out.size
    first, last = max(0, -left), min(m, w - left)
    for x in range(first):
        buffer[x] = row[_mirror(left + x, w)]
    for x in range(last, m):
        buffer[x] = row[_mirror(left + x, w)]
    copy(row[left + first : left + last], buffer[first:last])
    for x in range(m):
        out[x] = to_ratio(buffer[x] * gains[x], knee)


@serial
def _differences_row(n2, n1, v, s1, s2, signs, dh, dv):
    """Green minus the other colour along the row and the column, whichever of them stands here."""
    half, quarter = np.float32(0.5), np.float32(0.25)
    centre, sign, out_h, out_v = v[2:], signs[2:], dh[2:], dv[2:]
    w1, e1, e2 = v[1:], v[3:], v[4:]
    a2, a1, b1, b2 = n2[2:], n1[2:], s1[2:], s2[2:]
    for x in range(v.size - 4):
        twice = 2 * centre[x]
        across = half * (w1[x] + e1[x]) + quarter * (twice - v[x] - e2[x])
        down = half * (a1[x] + b1[x]) + quarter * (twice - a2[x] - b2[x])
        out_h[x] = sign[x] * (centre[x] - across)
        out_v[x] = sign[x] * (centre[x] - down)


@serial
def _distance(first, second, out):
    for x in range(out.size):
        out[x] = abs(first[x] - second[x])


@serial
def _sum_along(row, out):
    """Sums of five neighbours in a row."""
    for x in range(out.size):
        out[x] = row[x] + row[x + 1] + row[x + 2] + row[x + 3] + row[x + 4]


@serial
def _sum_across(a, b, c, d, e, out):
    """Sums of five neighbours in a column."""
    for x in range(out.size):
        out[x] = a[x] + b[x] + c[x] + d[x] + e[x]


@serial
def _gradient_sums(dh, dv, rows_h, rows_v, box_h, box_v):
    """5×5 sums of the gradients of the directional differences, in box_h and box_v."""
    n, m = dh.shape
    for y in range(1, n - 1):
        _distance(dh[y, 2 : m - 4], dh[y, 4 : m - 2], box_h[y, 3 : m - 3])
        _distance(dv[y - 1, 3 : m - 3], dv[y + 1, 3 : m - 3], box_v[y, 3 : m - 3])
        _sum_along(box_h[y, 3 : m - 3], rows_h[y, 5 : m - 5])
        _sum_along(box_v[y, 3 : m - 3], rows_v[y, 5 : m - 5])
    for y in range(5, n - 5):
        for rows, box in ((rows_h, box_h), (rows_v, box_v)):
            _sum_across(rows[y - 2], rows[y - 1], rows[y], rows[y + 1], rows[y + 2], box[y])


@serial
def _doubt(row):
    for x in range(row.size):
        row[x] *= _RIM_DOUBT


@serial
def _doubt_reflections(box_h, box_v, rims):
    """At the rim, differences across it are calm because the margin is a reflection: they are trusted
    less."""
    n, m = box_h.shape
    near, far = _HALO - _RIM, _HALO + _RIM
    for k in range(near, far):
        if rims[0]:
            _doubt(box_v[k])
        if rims[1]:
            _doubt(box_v[n - 1 - k])
    for y in range(n):
        if rims[2]:
            _doubt(box_h[y, near:far])
        if rims[3]:
            _doubt(box_h[y, m - far : m - near])


@serial
def _green_row(v, other, dh, box_h, up, box_up, down, box_down, dv, u, d, out):
    """Green of a row: its own where `other` is 0, else own value plus a blend of differences from four sides.

    `up` and `down` are the differences of the rows next to this one, `u` and `d` those further away.
    """
    ninth = np.float32(1 / 9)
    u1, u2, u3 = u
    d1, d2, d3 = d
    for x in range(out.size):
        i = x + 7
        north = box_up[i] + _EPS
        south = box_down[i] + _EPS
        west = box_h[i - 2] + _EPS
        east = box_h[i + 2] + _EPS
        north = 1 / (north * north)
        south = 1 / (south * south)
        west = 1 / (west * west)
        east = 1 / (east * east)
        v3 = dv[i] * 3
        h3 = dh[i] * 3
        from_north = v3 + (up[i] + u1[i]) * 2 + u2[i] + u3[i]
        from_south = v3 + (down[i] + d1[i]) * 2 + d2[i] + d3[i]
        from_west = h3 + (dh[i - 1] + dh[i - 2]) * 2 + dh[i - 3] + dh[i - 4]
        from_east = h3 + (dh[i + 1] + dh[i + 2]) * 2 + dh[i + 3] + dh[i + 4]
        blend = north * from_north + south * from_south + west * from_west + east * from_east
        out[x] = v[i] + other[i] * (ninth * blend / (north + south + west + east))


@serial
def _opposite_row(v_up, v_down, g_up, g, g_down, out):
    """The other of red and blue minus green, at the places of one of them: blended over both diagonals."""
    half = np.float32(0.5)
    for x in range(out.size):
        nw = v_up[x] - g_up[x]
        ne = v_up[x + 2] - g_up[x + 2]
        sw = v_down[x] - g_down[x]
        se = v_down[x + 2] - g_down[x + 2]
        here = g[x + 1]
        fall = abs(nw - se) + abs(here - g_up[x]) + abs(here - g_down[x + 2]) + _EPS
        rise = abs(ne - sw) + abs(here - g_up[x + 2]) + abs(here - g_down[x]) + _EPS
        out[x] = half * ((nw + se) * rise + (ne + sw) * fall) / (fall + rise)


@serial
def _colour_row(v_up, v, v_down, g_up, g, g_down, d_up, d, d_down, other, red_row, knee, base, gains, out):
    """Fill in red and blue of a row and leave the ratio domain; `other` is 0 at green places.

    `red_row` tells that this row's other colour is red. All rows begin one place before the first of `out`.
    """
    half = np.float32(0.5)
    k0, k1, k2 = 1 / gains[0], 1 / gains[1], 1 / gains[2]
    for x in range(out.size // 3):
        i = x + 1
        green = g[i]
        # at green places: neighbours in the row are one colour, in the column the other
        own_h = half * (v[i - 1] - g[i - 1] + v[i + 1] - g[i + 1])
        own_v = half * (v_up[i] - g_up[i] + v_down[i] - g_down[i])
        cross_h = half * (d[i - 1] + d[i + 1])
        cross_v = half * (d_up[i] + d_down[i])
        rough_h = abs(g[i - 1] - green) + abs(g[i + 1] - green) + _EPS
        rough_v = abs(g_up[i] - green) + abs(g_down[i] - green) + _EPS
        share = rough_v / (rough_h + rough_v)
        known = other[i] > 0
        first = v[i] if known else green + share * own_h + (1 - share) * cross_v
        second = green + (d[i] if known else (1 - share) * own_v + share * cross_h)
        red = first if red_row else second
        blue = second if red_row else first
        out[3 * x] = from_ratio(red, knee, base) * k0
        out[3 * x + 1] = from_ratio(green, knee, base) * k1
        out[3 * x + 2] = from_ratio(blue, knee, base) * k2


@serial
def _interpolate(v, others, red_rows, rims, knee, base, gains, target, left, right):
    """One tile: `v` with a margin of _HALO in the ratio domain, into rows of `target`.

    `rims` tells which of the top, bottom, left and right margins are reflections at the frame's rim.
    """
    n, m = v.shape
    dh, dv = np.empty((n, m), np.float32), np.empty((n, m), np.float32)
    rows_h, rows_v = np.empty((n, m), np.float32), np.empty((n, m), np.float32)
    box_h, box_v = np.empty((n, m), np.float32), np.empty((n, m), np.float32)
    for y in range(2, n - 2):
        signs = 1 - 2 * others[y & 1]
        _differences_row(v[y - 2], v[y - 1], v[y], v[y + 1], v[y + 2], signs, dh[y], dv[y])
    _gradient_sums(dh, dv, rows_h, rows_v, box_h, box_v)
    _doubt_reflections(box_h, box_v, rims)
    green = rows_v  # not needed any more
    for y in range(7, n - 7):
        above, below = (dv[y - 2], dv[y - 3], dv[y - 4]), (dv[y + 2], dv[y + 3], dv[y + 4])
        _green_row(
            v[y], others[y & 1], dh[y], box_h[y], dv[y - 1], box_v[y - 2], dv[y + 1], box_v[y + 2], dv[y],
            above, below, green[y, 7 : m - 7],
        )  # fmt: skip
    opposite = rows_h
    for y in range(8, n - 8):
        rows = v[y - 1, 7 : m - 7], v[y + 1, 7 : m - 7]
        greens = green[y - 1, 7 : m - 7], green[y, 7 : m - 7], green[y + 1, 7 : m - 7]
        _opposite_row(*rows, *greens, opposite[y, 8 : m - 8])
    first, last = _HALO - 1, m - _HALO + 1
    for y in range(_HALO, n - _HALO):
        _colour_row(
            v[y - 1, first:last], v[y, first:last], v[y + 1, first:last],
            green[y - 1, first:last], green[y, first:last], green[y + 1, first:last],
            opposite[y - 1, first:last], opposite[y, first:last], opposite[y + 1, first:last],
            others[y & 1, first:last], red_rows[y & 1], knee, base, gains,
            target[y - _HALO, 3 * left : 3 * right],
        )  # fmt: skip


@serial
def _demosaic(begin, end, mosaic, cfa, gains, knee, out):
    h, w = mosaic.shape
    across = (w + _TILE - 1) // _TILE
    base = power(knee, 0.4)
    for tile in range(begin, end):
        top = (tile // across) * _TILE
        left = (tile % across) * _TILE
        bottom = min(top + _TILE, h)
        right = min(left + _TILE, w)
        n = bottom - top + 2 * _HALO
        m = right - left + 2 * _HALO
        y0 = top - _HALO
        x0 = left - _HALO
        # per row of the pattern: gains, and 1 at red and blue places
        scales, others = np.empty((2, m), np.float32), np.empty((2, m), np.float32)
        red_rows = np.zeros(2, np.bool_)
        for j in range(2):
            for x in range(m):
                colour = cfa[(y0 + j) & 1, (x0 + x) & 1]
                scales[j, x] = gains[colour]
                others[j, x] = colour != 1
                red_rows[j] |= colour == 0
        v = np.empty((n, m), np.float32)
        buffer = np.empty(m, np.float32)
        for y in range(n):
            _load_row(mosaic[_mirror(y0 + y, h)], x0, scales[y & 1], knee, buffer, v[y])
        rims = (top == 0, bottom == h, left == 0, right == w)
        _interpolate(v, others, red_rows, rims, knee, base, gains, out[top:bottom], left, right)


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
    h, w = mosaic.shape
    out = np.empty((h, w, 3), np.float32)
    pattern = np.ascontiguousarray(cfa, dtype=np.int64)
    numbers = np.asarray(gains, np.float32), np.float32(knee)
    share_out(
        _demosaic,
        -(-h // _TILE) * -(-w // _TILE),
        np.ascontiguousarray(mosaic),
        pattern,
        *numbers,
        out.reshape(h, 3 * w),
    )
    return out
