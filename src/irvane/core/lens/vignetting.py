"""Vignetting set by hand."""

from __future__ import annotations

import numba
import numpy as np


@numba.njit(parallel=True, cache=True, nogil=True, fastmath=True)
def _brighten(picture, corner, top, left, step, height, width, out):
    half2 = np.float32(0.25) * (height * height + width * width)
    for y in numba.prange(picture.shape[0]):
        dy = top + (y + np.float32(0.5)) * step - height / 2
        for x in range(picture.shape[1]):
            dx = left + (x + np.float32(0.5)) * step - width / 2
            gain = np.exp2(corner * (dx * dx + dy * dy) / half2)
            for c in range(3):
                out[y, x, c] = picture[y, x, c] * gain


def correct_vignetting(
    picture: np.ndarray, corner: float, rect: tuple[float, float], step: float, extent: tuple[int, int]
) -> np.ndarray:
    """Give light back towards the corners, with the square of the distance from the centre.

    Parameters
    ----------
    picture : float32, H×W×3, linear.
    corner : EV in the corner; 0 returns the picture unchanged (same array).
    rect : top and left of the picture inside the whole frame, in frame pixels.
    step : frame pixels per pixel of `picture`.
    extent : height and width of the whole frame.
    """
    if corner == 0:
        return picture
    out = np.empty_like(picture)
    numbers = (np.float32(v) for v in (corner, rect[0], rect[1], step, extent[0], extent[1]))
    _brighten(picture, *numbers, out)
    return out
