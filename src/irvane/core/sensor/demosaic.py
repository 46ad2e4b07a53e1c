"""Choice of the demosaicing method by the sensor's array."""

from __future__ import annotations

import cv2
import numpy as np

from irvane.core.image import Mosaic
from irvane.core.kernels import fill, serial
from irvane.core.sensor.bayer import demosaic_bayer
from irvane.core.sensor.linear import interpolate_linear
from irvane.core.sensor.padding import ALL_BORDERS, Borders
from irvane.core.sensor.six_by_six import demosaic_six
from irvane.core.threads import share_out

#: Names and versions, part of cache keys and of proofs.
_NAMES = {2: "directional-bayer@3", 6: "classed-filters-6x6@3"}
AUTO, LINEAR = "auto", "linear"
#: Pixels around a place that the methods need, by the period of the array.
_REACH = {2: 12, 6: 24}


def method_name(cfa: np.ndarray, method: str) -> str:
    """Name and version of the method that a setting stands for (automatic: before it is refined)."""
    return "linear@2" if method == LINEAR else _NAMES[cfa.shape[0]]


def reach(cfa: np.ndarray) -> int:
    """Pixels around a place that its colours depend on, whatever the method."""
    return _REACH[cfa.shape[0]]


def demosaic(
    mosaic: Mosaic, gains: np.ndarray, knee: float, method: str = "auto", borders: Borders = ALL_BORDERS
) -> np.ndarray:
    """Full colour from a mosaic.

    Parameters
    ----------
    mosaic : Bayer or 6×6, at least 16 px a side.
    gains : reference white-balance gains of red, green, blue.
    knee : see :func:`irvane.core.sensor.encoding.knee_for`.
    method : ``"linear"``; all others are the directional one here (:mod:`irvane.core.sensor.refine` comes
        after it).
    borders : the sides at which the frame ends; beyond others it goes on, and what depends on that is not
        wanted.

    Returns
    -------
    float32, H×W×3, camera-linear.
    """
    if method == LINEAR:
        scale = np.asarray(gains, np.float32)
        balanced = mosaic.data * scale[mosaic.colours()]
        return cv2.merge(list(interpolate_linear(balanced, mosaic.cfa))) / scale
    if mosaic.is_bayer:
        return demosaic_bayer(mosaic.data, mosaic.cfa, gains, knee)
    return demosaic_six(mosaic.data, mosaic.cfa, gains, knee, borders)


@serial
def _add(source, step_in, weight, target, step_out, count):
    for k in range(count):
        target[k * step_out] += source[k * step_in] * weight


@serial
def _bin(begin, end, data, cfa, n, out):
    p = cfa.shape[0]
    cells = p // n  # cells after which the colours repeat
    for y in range(begin, end):
        row = out[y]
        fill(row, np.float32(0))
        for s in range(cells):
            seen = np.zeros(3, np.float32)
            for j in range(n):
                for i in range(n):
                    seen[cfa[(y * n + j) % p, (s * n + i) % p]] += 1
            count = (out.shape[1] // 3 - s + cells - 1) // cells
            for j in range(n):
                for i in range(n):
                    c = cfa[(y * n + j) % p, (s * n + i) % p]
                    _add(
                        data[y * n + j, s * n + i :],
                        cells * n,
                        1 / seen[c],
                        row[3 * s + c :],
                        3 * cells,
                        count,
                    )


def bin_colour(mosaic: Mosaic) -> np.ndarray:
    """A reduced picture straight from the mosaic: each 2×2 (Bayer) or 3×3 (6×6 array) cell becomes one pixel.

    Returns
    -------
    float32, (H // n)×(W // n)×3 with n = 2 or 3, camera-linear.
    """
    n = 2 if mosaic.is_bayer else 3
    h, w = (side // n for side in mosaic.data.shape)
    out = np.empty((h, w, 3), np.float32)
    share_out(
        _bin,
        h,
        np.ascontiguousarray(mosaic.data),
        np.ascontiguousarray(mosaic.cfa, dtype=np.int64),
        n,
        out.reshape(h, -1),
    )
    return out
