"""Saturation: distance from grey at constant luminance and hue."""

from __future__ import annotations

import numpy as np

from irvane.core.image import LUMA_2020
from irvane.core.kernels import blank, flat, serial

_LUMA = (float(LUMA_2020[0]), float(LUMA_2020[1]), float(LUMA_2020[2]))


@serial
def _saturate(picture, share, out):
    for i in range(picture.size // 3):
        r, g, b = picture[3 * i], picture[3 * i + 1], picture[3 * i + 2]
        grey = np.float32(_LUMA[0]) * r + np.float32(_LUMA[1]) * g + np.float32(_LUMA[2]) * b
        out[3 * i] = grey + share * (r - grey)
        out[3 * i + 1] = grey + share * (g - grey)
        out[3 * i + 2] = grey + share * (b - grey)


def saturate(picture: np.ndarray, per_cent: float) -> np.ndarray:
    """Scale the distance from grey: 0 % is monochrome, 100 % returns the picture unchanged (same array).

    Works on linear light, along lines of constant luminance (ITU-R BT.2020 weights) and dominant wavelength.
    """
    if per_cent == 100:
        return picture
    out = blank(picture)
    _saturate(flat(picture), np.float32(per_cent / 100), flat(out))
    return out
