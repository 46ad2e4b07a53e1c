"""Vignetting set by hand."""

from __future__ import annotations

import numpy as np

from irvane.core.kernels import blank, flat, serial
from irvane.core.powers import exp2


@serial
def _brighten(picture, columns, corner, top, left, step, height, width, out):
    half2 = np.float32(0.25) * (height * height + width * width)
    for y in range(picture.size // (3 * columns)):
        dy = top + (np.float32(y) + np.float32(0.5)) * step - height / 2
        row, target = picture[3 * columns * y :], out[3 * columns * y :]
        for x in range(columns):
            dx = left + (np.float32(x) + np.float32(0.5)) * step - width / 2
            gain = exp2(corner * (dx * dx + dy * dy) / half2)
            target[3 * x] = row[3 * x] * gain
            target[3 * x + 1] = row[3 * x + 1] * gain
            target[3 * x + 2] = row[3 * x + 2] * gain


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
    out = blank(picture)
    numbers = (np.float32(v) for v in (corner, rect[0], rect[1], step, extent[0], extent[1]))
    _brighten(flat(picture), picture.shape[1], *numbers, flat(out))
    return out
