"""Sliding-window cosine-transform shrinkage of planes with known noise spectrum, in two passes.

The first pass keeps coefficients above a threshold, the second applies the empirical Wiener filter with the first
as pilot; overlapping windows are averaged with weights for how much noise each kept.

References
----------
Yaroslavsky 1996; Guleryuz 2007 ("Weighted averaging for denoising with overcomplete dictionaries"); the two-pass
scheme follows Dabov, Foi, Katkovnik & Egiazarian 2007; coarse scales follow Pierazzo, Morel & Facciolo 2017.
"""

from __future__ import annotations

import cv2
import numba
import numpy as np

from irvane.core.kernels import kernel, serial

SIDE = 8
HALF = SIDE // 2
#: Columns from one window to the next in its row.
STRIDE = 2
_BAND = 8  # window rows that one thread handles at a time
_BLOCK = (
    128  # windows side by side that are transformed together, so that every loop runs over contiguous pixels
)

#: Orthonormal cosine basis: coefficient × place.
_BASIS = np.ascontiguousarray(cv2.dct(np.eye(SIDE, dtype=np.float32), flags=cv2.DCT_ROWS).T)


def cosine_spectra(windows: np.ndarray) -> np.ndarray:
    """Orthonormal cosine transform of windows, …×8×8."""
    return np.einsum("ki,...ij,lj->...kl", _BASIS, windows, _BASIS, optimize=True)


@serial
def _fold(lines, folded, n):
    """Sums and differences of the eight inputs taken from both ends: halves the work of the transform."""
    for i in range(HALF):
        first = lines[i]
        last = lines[SIDE - 1 - i]
        total = folded[i]
        apart = folded[HALF + i]
        for x in range(n):
            total[x] = first[x] + last[x]
            apart[x] = first[x] - last[x]


@serial
def _combine(basis, folded, k, out, n):
    """One cosine coefficient of every column of `folded`."""
    start = HALF * (k & 1)
    b0, b1, b2, b3 = basis[k, 0], basis[k, 1], basis[k, 2], basis[k, 3]
    f0, f1, f2, f3 = folded[start], folded[start + 1], folded[start + 2], folded[start + 3]
    for x in range(n):
        out[x] = b0 * f0[x] + b1 * f1[x] + b2 * f2[x] + b3 * f3[x]


@serial
def _part_columns(line, parted, n):
    """Even and odd columns of a line, `n` of each: then every second window is worked on without gaps."""
    even, odd = parted[0], parted[1]
    for x in range(n):
        even[x] = line[2 * x]
        odd[x] = line[2 * x + 1]


@serial
def _forward(plane, y, x0, n, basis, lines, folded, vertical, parted, spectrum):
    """Spectra of the windows whose top left corners are (y, x0), (y, x0 + 2), …: spectrum[u, k, window]."""
    wide = 2 * n + SIDE - STRIDE
    for i in range(SIDE):
        source = plane[y + i]
        line = lines[i]
        for x in range(wide):
            line[x] = source[x0 + x]
    _fold(lines, folded, wide)
    for u in range(SIDE):
        _combine(basis, folded, u, vertical[u], wide)
    for u in range(SIDE):
        _part_columns(vertical[u], parted, n + HALF - 1)
        for i in range(HALF):
            last = SIDE - 1 - i
            near, far = parted[i & 1], parted[last & 1]
            total = folded[i]
            apart = folded[HALF + i]
            j, k = i // 2, last // 2
            for x in range(n):
                total[x] = near[x + j] + far[x + k]
                apart[x] = near[x + j] - far[x + k]
        for k in range(SIDE):
            _combine(basis, folded, k, spectrum[u, k], n)


@serial
def _backward(spectrum, y, x0, n, basis, folded, vertical, parted, lines, share, total, weight):
    """Add the windows' inverse transforms, each times its share, to total and weight."""
    wide, half = 2 * n + SIDE - STRIDE, n + HALF - 1
    for u in range(SIDE):
        parted[:, :half] = 0
        for start in range(2):
            for i in range(HALF):
                s0, s1, s2, s3 = (
                    spectrum[u, start],
                    spectrum[u, start + 2],
                    spectrum[u, start + 4],
                    spectrum[u, start + 6],
                )
                b0, b1, b2, b3 = (
                    basis[start, i],
                    basis[start + 2, i],
                    basis[start + 4, i],
                    basis[start + 6, i],
                )
                out = folded[start * HALF + i]
                for x in range(n):
                    out[x] = b0 * s0[x] + b1 * s1[x] + b2 * s2[x] + b3 * s3[x]
        for i in range(HALF):
            last = SIDE - 1 - i
            even, odd = folded[i], folded[HALF + i]
            near, far = parted[i & 1], parted[last & 1]
            j, k = i // 2, last // 2
            for x in range(n):
                near[x + j] += even[x] + odd[x]
            for x in range(n):
                far[x + k] += even[x] - odd[x]
        _join_columns(parted, vertical[u], half)
    for i in range(SIDE):
        out = total[y + i]
        for u in range(SIDE):
            b = basis[u, i]
            line = vertical[u]
            for x in range(wide):
                out[x0 + x] += b * line[x]
    parted[:, :half] = 0
    for i in range(SIDE):
        to, j = parted[i & 1], i // 2
        for x in range(n):
            to[x + j] += share[x]
    sums = lines[0]
    _join_columns(parted, sums, half)
    for i in range(SIDE):
        out = weight[y + i]
        for x in range(wide):
            out[x0 + x] += sums[x]


@serial
def _join_columns(parted, line, n):
    """Put even and odd columns together again."""
    even, odd = parted[0], parted[1]
    for x in range(n):
        line[2 * x] = even[x]
        line[2 * x + 1] = odd[x]


@serial
def _keep_strong(spectrum, sigma, threshold, n, kept):
    for u in range(SIDE):
        for k in range(SIDE):
            if u + k == 0:
                continue
            limit = threshold * sigma[u, k]
            noise = sigma[u, k] * sigma[u, k]
            line = spectrum[u, k]
            for x in range(n):
                strong = np.float32(1) if abs(line[x]) >= limit else np.float32(0)
                line[x] *= strong
                kept[x] += strong * noise


@serial
def _wiener(spectrum, guide, sigma, n, kept):
    for u in range(SIDE):
        for k in range(SIDE):
            if u + k == 0:
                continue
            noise = sigma[u, k] * sigma[u, k]
            line = spectrum[u, k]
            pilot = guide[u, k]
            for x in range(n):
                power = pilot[x] * pilot[x]
                share = power / (power + noise)
                line[x] *= share
                kept[x] += share * share * noise


@kernel
def _pass(plane, pilot, use_pilot, sigma, threshold, step, basis, total, weight, parity):
    h, w = plane.shape
    rows = (h - SIDE) // step + 1
    columns = (w - SIDE) // STRIDE + 1
    bands = (rows + _BAND - 1) // _BAND
    for half in numba.prange((bands + 1 - parity) // 2):
        band = 2 * half + parity
        lines = np.empty((SIDE, STRIDE * _BLOCK + SIDE), np.float32)
        folded = np.empty((SIDE, STRIDE * _BLOCK + SIDE), np.float32)
        vertical = np.empty((SIDE, STRIDE * _BLOCK + SIDE), np.float32)
        parted = np.empty((STRIDE, _BLOCK + SIDE), np.float32)
        spectrum = np.empty((SIDE, SIDE, _BLOCK), np.float32)
        guide = np.empty((SIDE, SIDE, _BLOCK), np.float32)
        kept = np.empty(_BLOCK, np.float32)
        for row in range(band * _BAND, min(rows, band * _BAND + _BAND)):
            y = row * step
            for first in range(0, columns, _BLOCK):
                n, x0 = min(_BLOCK, columns - first), STRIDE * first
                for x in range(n):
                    kept[x] = sigma[0, 0] * sigma[0, 0]
                _forward(plane, y, x0, n, basis, lines, folded, vertical, parted, spectrum)
                if use_pilot:
                    _forward(pilot, y, x0, n, basis, lines, folded, vertical, parted, guide)
                    _wiener(spectrum, guide, sigma, n, kept)
                else:
                    _keep_strong(spectrum, sigma, threshold, n, kept)
                for x in range(n):
                    kept[x] = 1 / (kept[x] + np.float32(1e-6))
                for u in range(SIDE):
                    for k in range(SIDE):
                        line = spectrum[u, k]
                        for x in range(n):
                            line[x] *= kept[x]
                _backward(spectrum, y, x0, n, basis, folded, vertical, parted, lines, kept, total, weight)


def _shrink(
    plane: np.ndarray, pilot: np.ndarray | None, sigma: np.ndarray, threshold: float, step: int
) -> tuple[np.ndarray, np.ndarray]:
    """Sums of what windows give for every pixel, and of their weights: 0 where there is no window."""
    total = np.zeros_like(plane)
    weight = np.zeros_like(plane)
    guide = plane if pilot is None else pilot
    for parity in (0, 1):  # neighbouring bands overlap: never at the same time
        _pass(
            plane, guide, pilot is not None, sigma, np.float32(threshold), step, _BASIS, total, weight, parity
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
