"""The one resampling of a picture: windowed sinc over six pixels, held within what lies around.

Weights are those of a sinc windowed by its own main lobe over three pixels (Duchon 1979, "Lanczos
filtering"), normalised to a sum of one. Their overshoot beside strong edges is cut off: no value leaves the
range of the 4×4 pixels around its place. At a whole pixel the value is that pixel's, bit for bit.
"""

from __future__ import annotations

import numpy as np

from irvane.core.kernels import flat, inline, serial
from irvane.core.pixels.bending import REACH, Bending
from irvane.core.threads import share_out

_TAPS = 2 * REACH
#: Where places lie that there are none of.
_NOWHERE = -1e9
_U1, _U2, _U3, _U4, _U5 = (np.uintp(i) for i in range(1, 6))


def _coefficients() -> np.ndarray:
    """float64 6×6: of the pixels −2…3 around a place, their weights as polynomials of its share past pixel 0
    (power 0 to 5).

    The sum over the pixels is 1 at any share, since least squares are linear; at 0 and 1 they are exactly
    those of one pixel.
    """
    share = np.linspace(0, 1, 2049)
    distance = np.arange(1 - REACH, REACH + 1)[None, :] - share[:, None]
    values = np.sinc(distance) * np.sinc(distance / REACH)
    values /= values.sum(axis=1, keepdims=True)
    base = np.zeros((_TAPS, 2))  # value at 0, and what is added up to 1
    base[REACH - 1], base[REACH] = (1, -1), (0, 1)
    hump = (share * (1 - share))[:, None] * share[:, None] ** np.arange(4)[None, :]
    rest = values - (base[:, 0] + share[:, None] * base[:, 1])
    fitted, *_ = np.linalg.lstsq(hump, rest, rcond=None)
    made = np.zeros((_TAPS, 6))
    made[:, :2] = base
    made[:, 1:5] += fitted.T
    made[:, 2:6] -= fitted.T
    return made


#: The polynomials' coefficients, one after the other.
_C = tuple(np.float32(v) for v in _coefficients().ravel())
#: How far, as a share of the smaller step down on either side, a value between two pixels may exceed both: a
#: peak between them is real where they fall off on both sides, an overshoot where one side is level.
_PEAK = np.float32(0.65)


@inline
def _ratio(ratios, c, place):
    last = ratios.shape[1] - 2
    index = min(int(place), last)
    first = ratios[c, index]
    return first + (place - index) * (ratios[c, index + 1] - first)


@serial
def bend(matrix, ratios, p1, p2, unit, farthest, limit, cx, cy, x, y, c, out):
    """Place in the picture of the output place x, y for colour c, into out[0:2]; False where there is
    none."""
    w = matrix[2, 0] * x + matrix[2, 1] * y + matrix[2, 2]
    if w <= 1e-6:
        return False
    u = (matrix[0, 0] * x + matrix[0, 1] * y + matrix[0, 2]) / w
    v = (matrix[1, 0] * x + matrix[1, 1] * y + matrix[1, 2]) / w
    r2 = (u * u + v * v) / (unit * unit)
    if r2 > limit * limit:
        return False
    ratio = _ratio(ratios, c, r2 / (farthest * farthest) * (ratios.shape[1] - 1))
    dx = dy = 0.0
    if p1 != 0.0 or p2 != 0.0:
        a, b = u / unit, v / unit
        dx = (2 * p1 * a * b + p2 * (r2 + 2 * a * a)) * unit
        dy = (p1 * (r2 + 2 * b * b) + 2 * p2 * a * b) * unit
    out[0] = cx + u * ratio + dx
    out[1] = cy + v * ratio + dy
    return True


@inline
def _weighted(t, k, a0, a1, a2, a3, a4, a5):
    """Six values times their weights at the share t past the third, held between what neighbours allow."""
    w0 = t * (_C[1] + t * (_C[2] + t * (_C[3] + t * (_C[4] + t * _C[5]))))
    w1 = t * (_C[7] + t * (_C[8] + t * (_C[9] + t * (_C[10] + t * _C[11]))))
    w2 = _C[12] + t * (_C[13] + t * (_C[14] + t * (_C[15] + t * (_C[16] + t * _C[17]))))
    w3 = t * (_C[19] + t * (_C[20] + t * (_C[21] + t * (_C[22] + t * _C[23]))))
    w4 = t * (_C[25] + t * (_C[26] + t * (_C[27] + t * (_C[28] + t * _C[29]))))
    w5 = t * (_C[31] + t * (_C[32] + t * (_C[33] + t * (_C[34] + t * _C[35]))))
    value = w0 * a0 + w1 * a1 + w2 * a2 + w3 * a3 + w4 * a4 + w5 * a5
    left, right = a2 - a1, a3 - a4
    rise = max(min(left, right), np.float32(0))
    dip = max(min(-left, -right), np.float32(0))
    low, high = min(a2, a3) - k * dip, max(a2, a3) + k * rise
    return min(max(value, low), high)


@serial
def _run(plane, at, stride, tx, ty, first, count, out):
    """A run of places amid a plane (flat), one pixel after the other: `at` is the first of the 6×6 pixels of
    the first.

    All is a straight walk through memory, so that the compiler uses vector instructions; indices are
    unsigned: no time is lost on negative ones.
    """
    b = at + stride
    c = b + stride
    d = c + stride
    e = d + stride
    f = e + stride
    k = _PEAK
    for i in range(count):
        x = np.uintp(i)
        t = ty[first + x]
        p, q, r, s, u, v = at + x, b + x, c + x, d + x, e + x, f + x
        a0 = _weighted(t, k, plane[p], plane[q], plane[r], plane[s], plane[u], plane[v])
        a1 = _weighted(
            t,
            k,
            plane[p + _U1],
            plane[q + _U1],
            plane[r + _U1],
            plane[s + _U1],
            plane[u + _U1],
            plane[v + _U1],
        )
        a2 = _weighted(
            t,
            k,
            plane[p + _U2],
            plane[q + _U2],
            plane[r + _U2],
            plane[s + _U2],
            plane[u + _U2],
            plane[v + _U2],
        )
        a3 = _weighted(
            t,
            k,
            plane[p + _U3],
            plane[q + _U3],
            plane[r + _U3],
            plane[s + _U3],
            plane[u + _U3],
            plane[v + _U3],
        )
        a4 = _weighted(
            t,
            k,
            plane[p + _U4],
            plane[q + _U4],
            plane[r + _U4],
            plane[s + _U4],
            plane[u + _U4],
            plane[v + _U4],
        )
        a5 = _weighted(
            t,
            k,
            plane[p + _U5],
            plane[q + _U5],
            plane[r + _U5],
            plane[s + _U5],
            plane[u + _U5],
            plane[v + _U5],
        )
        out[first + x] = _weighted(tx[first + x], k, a0, a1, a2, a3, a4, a5)


@inline
def _mirrored(i, n):
    i = -1 - i if i < 0 else i
    i = 2 * n - 1 - i if i >= n else i
    return min(max(i, 0), n - 1)


@serial
def _read_rim(plane, wide, high, x0, y0, tx, ty, room):
    """A place at the rim: the picture goes on mirrored."""
    for i in range(_TAPS):
        x = _mirrored(x0 - 2 + i, wide)
        for j in range(_TAPS):
            room[j] = plane[_mirrored(y0 - 2 + j, high) * wide + x]
        room[_TAPS + i] = _weighted(ty, _PEAK, room[0], room[1], room[2], room[3], room[4], room[5])
    return _weighted(tx, _PEAK, room[6], room[7], room[8], room[9], room[10], room[11])


@serial
def _split(picture, out):
    for i in range(out.shape[1]):
        out[0, i] = picture[3 * i]
        out[1, i] = picture[3 * i + 1]
        out[2, i] = picture[3 * i + 2]


@serial
def _join(planes, out):
    for i in range(planes.shape[1]):
        out[3 * i] = planes[0, i]
        out[3 * i + 1] = planes[1, i]
        out[3 * i + 2] = planes[2, i]


@serial
def _places(matrix, ratios, p1, p2, unit, farthest, limit, cx, cy, x0, y, step, colours, xs, ys):
    """Places in the picture of a row of output pixels, for some colours; far outside where there is none."""
    last = ratios.shape[1] - 1
    dense = last / (farthest * farthest)
    unit2 = 1.0 / (unit * unit)
    for i in range(xs.shape[1]):
        x = x0 + (i + 0.5) * step
        w = matrix[2, 0] * x + matrix[2, 1] * y + matrix[2, 2]
        inverse = 1.0 / w
        u = (matrix[0, 0] * x + matrix[0, 1] * y + matrix[0, 2]) * inverse
        v = (matrix[1, 0] * x + matrix[1, 1] * y + matrix[1, 2]) * inverse
        r2 = (u * u + v * v) * unit2
        good = w > 1e-6 and r2 <= limit * limit
        a, b = u / unit, v / unit
        dx = cx + (2 * p1 * a * b + p2 * (r2 + 2 * a * a)) * unit
        dy = cy + (p1 * (r2 + 2 * b * b) + 2 * p2 * a * b) * unit
        spot = min(r2 * dense, last - 1e-9)
        index = np.uintp(spot)
        share = spot - index
        for c in range(colours):
            k = np.uintp(c)
            ratio = ratios[k, index]
            ratio += share * (ratios[k, index + _U1] - ratio)
            xs[k, i] = dx + u * ratio if good else _NOWHERE
            ys[k, i] = dy + v * ratio if good else _NOWHERE


@serial
def _whole(xs, ys, left, top, dense_y, dense_x, fw, fh, wide, high, x0, y0, tx, ty, kind):
    """Places of a row as whole pixels and shares, and whether each lies outside (0), at the rim (1) or amid
    the picture (2)."""
    for i in range(xs.size):
        fx, fy = xs[i], ys[i]
        sx, sy = (fx - left) * dense_x - 0.5, (fy - top) * dense_y - 0.5
        wx, wy = np.floor(sx), np.floor(sy)
        x, y = np.int32(wx), np.int32(wy)
        x0[i], y0[i] = x, y
        tx[i], ty[i] = np.float32(sx - wx), np.float32(sy - wy)
        inside = fx >= 0.0 and fx <= fw and fy >= 0.0 and fy <= fh
        amid = x >= 2 and y >= 2 and x + 3 < wide and y + 3 < high
        kind[i] = np.int8(0) if not inside else (np.int8(2) if amid else np.int8(1))


@serial
def _resample(
    begin,
    end,
    planes,
    wide,
    top,
    left,
    scales,
    matrix,
    ratios,
    p1,
    p2,
    unit,
    farthest,
    limit,
    cx,
    cy,
    extent,
    first,
    step,
    same,
    out,
):
    high = planes.shape[1] // wide
    fh, fw = extent
    count = out.shape[1]
    colours = 1 if same else 3
    dense_y, dense_x = 1.0 / scales[0], 1.0 / scales[1]
    for y in range(begin, end):
        line = out[y].reshape(-1)
        xs, ys = np.empty((colours, count), np.float64), np.empty((colours, count), np.float64)
        x0, y0 = np.empty(count, np.int32), np.empty(count, np.int32)
        tx, ty, made = (
            np.empty(count, np.float32),
            np.empty(count, np.float32),
            np.empty((3, count), np.float32),
        )
        kind, room = np.empty(count, np.int8), np.empty(2 * _TAPS, np.float32)
        _places(
            matrix,
            ratios,
            p1,
            p2,
            unit,
            farthest,
            limit,
            cx,
            cy,
            first[1],
            first[0] + (y + 0.5) * step,
            step,
            colours,
            xs,
            ys,
        )
        for c in range(3):
            plane, row = planes[c], made[c]
            if c < colours:
                _whole(xs[c], ys[c], left, top, dense_y, dense_x, fw, fh, wide, high, x0, y0, tx, ty, kind)
            i = 0
            while i < count:
                x, v = x0[i], y0[i]
                if kind[i] == 2:
                    n = 1
                    while i + n < count and kind[i + n] == 2 and x0[i + n] == x + n and y0[i + n] == v:
                        n += 1
                    _run(plane, np.uintp((v - 2) * wide + x - 2), np.uintp(wide), tx, ty, np.uintp(i), n, row)
                    i += n
                    continue
                row[i] = (
                    _read_rim(plane, wide, high, x, v, tx[i], ty[i], room) if kind[i] == 1 else np.float32(0)
                )
                i += 1
        _join(made, line)


def resample(
    picture: np.ndarray, corner: tuple[float, float], scale: tuple[float, float], bending: Bending,
    first: tuple[float, float], step: float, shape: tuple[int, int],
) -> np.ndarray:  # fmt: skip
    """A grid of output pixels, read from a part of a picture.

    Parameters
    ----------
    picture : float32 H×W×3.
    corner, scale : top and left of that part in the whole picture, and pixels of the whole picture per pixel
        of it, downwards and to the right.
    bending : where output places lie in the whole picture.
    first, step : top and left of the grid in the output, and output pixels per pixel of the grid.
    shape : height and width of the grid.

    Returns
    -------
    float32 of that shape ×3; 0 where the picture has nothing.
    """
    out = np.empty((*shape, 3), np.float32)
    wide = picture.shape[1]
    planes = np.empty((3, picture.shape[0] * wide), np.float32)
    _split(flat(picture), planes)
    share_out(
        _resample, len(out),
        planes, wide, float(corner[0]), float(corner[1]), (float(scale[0]), float(scale[1])), bending.matrix,
        bending.ratios,
        *bending.tangential, bending.unit, bending.farthest, bending.limit, *bending.centre, bending.extent,
        (float(first[0]), float(first[1])), float(step), bending.one_for_all, out,
    )  # fmt: skip
    return out


@serial
def _marks(begin, end, bits, matrix, ratios, p1, p2, unit, farthest, limit, cx, cy, first, step, out):
    h, w = bits.shape
    for y in range(begin, end):
        place = np.empty(2, np.float64)
        for x in range(out.shape[1]):
            ox, oy = first[1] + (x + 0.5) * step, first[0] + (y + 0.5) * step
            out[y, x] = 0
            found = 0
            for c in range(3):
                if not bend(matrix, ratios, p1, p2, unit, farthest, limit, cx, cy, ox, oy, c, place):
                    continue
                reach = 0.5 * step
                x0, x1 = int(np.floor(place[0] - reach + 0.5)), int(np.ceil(place[0] + reach - 0.5))
                y0, y1 = int(np.floor(place[1] - reach + 0.5)), int(np.ceil(place[1] + reach - 0.5))
                x1, y1 = max(x1, x0 + 1), max(y1, y0 + 1)
                for j in range(max(y0, 0), min(y1, h)):
                    for i in range(max(x0, 0), min(x1, w)):
                        found |= bits[j, i] & (1 << c)
            out[y, x] = found


def bent_marks(
    bits: np.ndarray, bending: Bending, first: tuple[float, float], step: float, shape: tuple[int, int]
) -> np.ndarray:
    """Clip flags (uint8, bit c for colour c, of the whole picture) at the pixels of an output grid: set when
    any pixel under one has it."""
    out = np.empty(shape, np.uint8)
    share_out(
        _marks, len(out),
        bits, bending.matrix, bending.ratios, *bending.tangential, bending.unit, bending.farthest,
        bending.limit, *bending.centre,
        (float(first[0]), float(first[1])), float(step), out,
    )  # fmt: skip
    return out
