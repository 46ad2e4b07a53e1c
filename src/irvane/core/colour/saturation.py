"""Saturation: distance from grey at constant luminance and hue."""

from __future__ import annotations

import numba
import numpy as np

from irvane.core.image import LUMA_2020

_LUMA = (float(LUMA_2020[0]), float(LUMA_2020[1]), float(LUMA_2020[2]))


@numba.njit(parallel=True, cache=True, nogil=True, fastmath=True)
def _saturate(picture, share, out):
    for y in numba.prange(picture.shape[0]):
        for x in range(picture.shape[1]):
            r, g, b = picture[y, x, 0], picture[y, x, 1], picture[y, x, 2]
            grey = np.float32(_LUMA[0]) * r + np.float32(_LUMA[1]) * g + np.float32(_LUMA[2]) * b
            out[y, x, 0] = grey + share * (r - grey)
            out[y, x, 1] = grey + share * (g - grey)
            out[y, x, 2] = grey + share * (b - grey)


def saturate(picture: np.ndarray, per_cent: float) -> np.ndarray:
    """Scale the distance from grey: 0 % is monochrome, 100 % returns the picture unchanged (same array).

    Works on linear light, along lines of constant luminance (ITU-R BT.2020 weights) and dominant wavelength.
    """
    if per_cent == 100:
        return picture
    out = np.empty_like(picture)
    _saturate(picture, np.float32(per_cent / 100), out)
    return out
