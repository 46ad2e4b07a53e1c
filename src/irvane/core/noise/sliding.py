"""Sliding-window cosine-transform shrinkage of planes with known noise spectrum, in two passes.

The first pass keeps coefficients above a threshold, the second applies the empirical Wiener filter with the
first as pilot; overlapping windows are averaged with weights for how much noise each kept.

References
----------
Yaroslavsky 1996; Guleryuz 2007 ("Weighted averaging for denoising with overcomplete dictionaries"); the
two-pass scheme follows Dabov, Foi, Katkovnik & Egiazarian 2007; coarse scales follow Pierazzo, Morel &
Facciolo 2017.
"""

from __future__ import annotations

import cv2
import numpy as np

from irvane.core.kernels import inline, serial
from irvane.core.threads import share_out

SIDE = 8
#: Columns from one window to the next in its row.
STRIDE = 2
_BAND = 8  # window rows that one thread handles at a time
#: Windows side by side that are transformed together.
_BLOCK = 64

#: Orthonormal cosine basis: coefficient × place.
_BASIS = np.ascontiguousarray(cv2.dct(np.eye(SIDE, dtype=np.float32), flags=cv2.DCT_ROWS).T)
_A, _B, _C, _D, _E, _F, _G = (np.float32(_BASIS[k, 0]) for k in (4, 2, 6, 1, 3, 5, 7))

# Work arrays are flat. Each column parity of a block is a run; a line is two runs, that of the even columns
# and that of the odd ones; a spectrum is eight lines of eight runs, one for each coefficient. With known
# distances between runs the compiler sees that they do not overlap. They are no powers of two: runs would
# compete for the same lines of the cache.
_RUN = _BLOCK + 16
_LINE = 2 * _RUN
_OVER = SIDE // STRIDE - 1  # values of a run that windows see beyond their number
_U = np.uintp
_R1, _R2, _R3, _R4, _R5, _R6, _R7 = (_U(k * _RUN) for k in range(1, SIDE))
_L1, _L2, _L3, _L4, _L5, _L6, _L7 = (_U(k * _LINE) for k in range(1, SIDE))
_1, _2, _3, _4 = (_U(k) for k in range(1, 5))


def cosine_spectra(windows: np.ndarray) -> np.ndarray:
    """Orthonormal cosine transform of windows, …×8×8."""
    return np.einsum("ki,...ij,lj->...kl", _BASIS, windows, _BASIS, optimize=True)


@inline
def _forward(v0, v1, v2, v3, v4, v5, v6, v7):
    """Orthonormal cosine transform of eight values; sums and differences taken from both ends halve the work,
    twice."""
    s0, s1, s2, s3 = v0 + v7, v1 + v6, v2 + v5, v3 + v4
    d0, d1, d2, d3 = v0 - v7, v1 - v6, v2 - v5, v3 - v4
    p0, p1, m0, m1 = s0 + s3, s1 + s2, s0 - s3, s1 - s2
    return (
        _A * (p0 + p1),
        _D * d0 + _E * d1 + _F * d2 + _G * d3,
        _B * m0 + _C * m1,
        _E * d0 - _G * d1 - _D * d2 - _F * d3,
        _A * (p0 - p1),
        _F * d0 - _D * d1 + _G * d2 + _E * d3,
        _C * m0 - _B * m1,
        _G * d0 - _F * d1 + _E * d2 - _D * d3,
    )


@inline
def _backward(c0, c1, c2, c3, c4, c5, c6, c7):
    """The inverse of `_forward`."""
    p0, p1, m0, m1 = _A * (c0 + c4), _A * (c0 - c4), _B * c2 + _C * c6, _C * c2 - _B * c6
    s0, s1, s2, s3 = p0 + m0, p1 + m1, p1 - m1, p0 - m0
    d0 = _D * c1 + _E * c3 + _F * c5 + _G * c7
    d1 = _E * c1 - _G * c3 - _D * c5 - _F * c7
    d2 = _F * c1 - _D * c3 + _G * c5 + _E * c7
    d3 = _G * c1 - _F * c3 + _E * c5 - _D * c7
    return s0 + d0, s1 + d1, s2 + d2, s3 + d3, s3 - d3, s2 - d2, s1 - d1, s0 - d0


@serial
def _take(row, line, n):
    """Part `n` even and `n` odd columns of a row into the runs of a line."""
    for m in range(_U(n)):
        line[m] = row[_2 * m]
        line[m + _R1] = row[_2 * m + _1]


@serial
def _give(line, row, n):
    """Add a line to the columns that its runs belong to."""
    for m in range(_U(n)):
        row[_2 * m] += line[m]
        row[_2 * m + _1] += line[m + _R1]


@serial
def _give_both(run, row, n):
    """Add a run to even and odd columns alike."""
    for m in range(_U(n)):
        row[_2 * m] += run[m]
        row[_2 * m + _1] += run[m]


@serial
def _transform_columns(lines, out, back):
    """Cosine transform of the columns of eight lines, or its inverse."""
    for x in range(_U(_LINE)):
        v0, v1, v2, v3 = lines[x], lines[x + _L1], lines[x + _L2], lines[x + _L3]
        v4, v5, v6, v7 = lines[x + _L4], lines[x + _L5], lines[x + _L6], lines[x + _L7]
        if back:
            c0, c1, c2, c3, c4, c5, c6, c7 = _backward(v0, v1, v2, v3, v4, v5, v6, v7)
        else:
            c0, c1, c2, c3, c4, c5, c6, c7 = _forward(v0, v1, v2, v3, v4, v5, v6, v7)
        out[x], out[x + _L1], out[x + _L2], out[x + _L3] = c0, c1, c2, c3
        out[x + _L4], out[x + _L5], out[x + _L6], out[x + _L7] = c4, c5, c6, c7


@serial
def _transform_across(line, out, n):
    """Cosine transform of `n` windows of a line, one every second column: a run for each coefficient."""
    for x in range(_U(n)):
        c0, c1, c2, c3, c4, c5, c6, c7 = _forward(
            line[x], line[x + _R1], line[x + _1], line[x + _R1 + _1],
            line[x + _2], line[x + _R1 + _2], line[x + _3], line[x + _R1 + _3],
        )  # fmt: skip
        out[x], out[x + _R1], out[x + _R2], out[x + _R3] = c0, c1, c2, c3
        out[x + _R4], out[x + _R5], out[x + _R6], out[x + _R7] = c4, c5, c6, c7


@serial
def _transform_back_across(spectrum, share, out, n):
    """The inverse of `_transform_across`, each window times its share: a run for each place, from its fifth
    value on."""
    for x in range(_U(n)):
        w, to = share[x], x + _4
        c0, c1, c2, c3, c4, c5, c6, c7 = _backward(
            w * spectrum[x], w * spectrum[x + _R1], w * spectrum[x + _R2], w * spectrum[x + _R3],
            w * spectrum[x + _R4], w * spectrum[x + _R5], w * spectrum[x + _R6], w * spectrum[x + _R7],
        )  # fmt: skip
        out[to], out[to + _R1], out[to + _R2], out[to + _R3] = c0, c1, c2, c3
        out[to + _R4], out[to + _R5], out[to + _R6], out[to + _R7] = c4, c5, c6, c7


@serial
def _overlap(places, line, n):
    """Sums of what windows give for each column: the reverse of how `_transform_across` sees a line."""
    for m in range(_U(n)):
        a, b, c, d = m + _4, m + _3, m + _2, m + _1
        line[m] = places[a] + places[b + _R2] + places[c + _R4] + places[d + _R6]
        line[m + _R1] = places[a + _R1] + places[b + _R3] + places[c + _R5] + places[d + _R7]


@serial
def _overlap_shares(share, run, n):
    """Adds up the weights of the windows that cover each pixel (from the fifth value on)."""
    for m in range(_U(n)):
        run[m] = share[m + _1] + share[m + _2] + share[m + _3] + share[m + _4]


@serial
def _spectra(plane, y, x0, n, lines, vertical, spectrum):
    """Spectra of the windows whose top left corners are (y, x0), (y, x0 + 2), …: by coefficient down and
    across, and window."""
    for i in range(SIDE):
        _take(plane[y + i, x0:], lines[i * _LINE :], n + _OVER)
    _transform_columns(lines, vertical, False)
    for u in range(SIDE):
        _transform_across(vertical[u * _LINE :], spectrum[u * SIDE * _RUN :], n)


@serial
def _add_windows(spectrum, share, y, x0, n, lines, vertical, places, total, weight):
    """Add the windows' inverse transforms, each times its share, to total, and the shares to weight."""
    over = n + _OVER
    for k in range(SIDE):
        places[k * _RUN + 4 + n : k * _RUN + 8 + n] = 0
    share[4 + n : 8 + n] = 0
    for u in range(SIDE):
        _transform_back_across(spectrum[u * SIDE * _RUN :], share[4:], places, n)
        _overlap(places, vertical[u * _LINE :], over)
    _transform_columns(vertical, lines, True)
    _overlap_shares(share, places, over)
    for i in range(SIDE):
        _give(lines[i * _LINE :], total[y + i, x0:], over)
        _give_both(places, weight[y + i, x0:], over)
    places[:4] = 0


@serial
def _keep_strong(run, limit, noise, kept, n):
    for x in range(n):
        strong = np.float32(1) if abs(run[x]) >= limit else np.float32(0)
        run[x] *= strong
        kept[x] += strong * noise


@serial
def _wiener(run, pilot, noise, kept, n):
    for x in range(n):
        power = pilot[x] * pilot[x]
        share = power / (power + noise)
        run[x] *= share
        kept[x] += share * share * noise


@serial
def _shares(kept, n):
    for x in range(n):
        kept[x] = 1 / (kept[x] + np.float32(1e-6))


@serial
def _pass(begin, end, plane, pilot, use_pilot, limits, noises, step, total, weight, parity):
    h, w = plane.shape
    rows = (h - SIDE) // step + 1
    columns = (w - SIDE) // STRIDE + 1
    for half in range(begin, end):
        band = 2 * half + parity
        lines, vertical = np.zeros(SIDE * _LINE, np.float32), np.zeros(SIDE * _LINE, np.float32)
        spectrum = np.zeros(SIDE * SIDE * _RUN, np.float32)
        guide = np.zeros(SIDE * SIDE * _RUN, np.float32)
        places, share = np.zeros(SIDE * _RUN, np.float32), np.zeros(_RUN, np.float32)
        for row in range(band * _BAND, min(rows, band * _BAND + _BAND)):
            y = row * step
            for first in range(0, columns, _BLOCK):
                n, x0 = min(_BLOCK, columns - first), STRIDE * first
                _spectra(plane, y, x0, n, lines, vertical, spectrum)
                if use_pilot:
                    _spectra(pilot, y, x0, n, lines, vertical, guide)
                kept = share[4:]
                kept[:n] = 0
                for c in range(SIDE * SIDE):
                    run = spectrum[c * _RUN :]
                    if use_pilot and c > 0:
                        _wiener(run, guide[c * _RUN :], noises[c], kept, n)
                    else:
                        _keep_strong(run, limits[c], noises[c], kept, n)
                _shares(kept, n)
                _add_windows(spectrum, share, y, x0, n, lines, vertical, places, total, weight)


def _shrink(
    plane: np.ndarray, pilot: np.ndarray | None, sigma: np.ndarray, threshold: float, step: int
) -> tuple[np.ndarray, np.ndarray]:
    """Sums of what windows give for every pixel, and of their weights: 0 where there is no window."""
    total = np.zeros_like(plane)
    weight = np.zeros_like(plane)
    guide = plane if pilot is None else pilot
    limits, noises = np.float32(threshold) * sigma.ravel(), sigma.ravel() ** 2
    limits[0] = 0  # the mean stays
    bands = -(-((plane.shape[0] - SIDE) // step + 1) // _BAND)
    for parity in (0, 1):  # neighbouring bands overlap: never at the same time
        share_out(
            _pass,
            (bands + 1 - parity) // 2,
            plane,
            guide,
            pilot is not None,
            limits,
            noises,
            step,
            total,
            weight,
            parity,
        )
    return total, weight


def denoise_plane(
    plane: np.ndarray, sigma: np.ndarray, threshold: float = 2.7, step: int = 2, passes: int = 2
) -> np.ndarray:
    """Denoise one plane whose noise has standard deviation `sigma` per 8×8 cosine coefficient.

    Parameters
    ----------
    plane : float32, H×W.
    sigma : float32, 8×8.
    threshold : multiple of sigma below which a coefficient counts as noise in the first pass.
    passes : 2, or 1 without the Wiener filter, in less than half of the time.
    step : distance between rows of windows in pixels (along a row, every second pixel starts a window).
    """
    h, w = plane.shape
    inside = np.s_[SIDE : SIDE + h, SIDE : SIDE + w]
    padded = cv2.copyMakeBorder(plane, SIDE, SIDE + -h % step, SIDE, SIDE + -w % STRIDE, cv2.BORDER_REFLECT)
    noise = np.ascontiguousarray(sigma, dtype=np.float32)
    total, weight = _shrink(padded, None, noise, threshold, step)
    if passes == 2:
        total, weight = _shrink(padded, total / np.maximum(weight, 1e-9), noise, threshold, step)
    return cv2.divide(total[inside], weight[inside])
