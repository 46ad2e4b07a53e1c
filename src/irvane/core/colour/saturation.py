"""Saturation: distance from grey at constant luminance and hue."""

from __future__ import annotations

import numpy as np

from irvane.core.image import LUMA_2020
from irvane.core.kernels import blank, flat, serial

_LUMA = (float(LUMA_2020[0]), float(LUMA_2020[1]), float(LUMA_2020[2]))


@serial
def _saturate(picture, share, pale, out):
    for i in range(picture.size // 3):
        r, g, b = picture[3 * i], picture[3 * i + 1], picture[3 * i + 2]
        grey = np.float32(_LUMA[0]) * r + np.float32(_LUMA[1]) * g + np.float32(_LUMA[2]) * b
        largest, smallest = max(r, max(g, b)), min(r, min(g, b))
        rest = min(max(smallest, np.float32(0)) / max(largest, np.float32(1e-9)), np.float32(1))
        factor = share * (1 + pale * rest * rest)
        out[3 * i] = grey + factor * (r - grey)
        out[3 * i + 1] = grey + factor * (g - grey)
        out[3 * i + 2] = grey + factor * (b - grey)


def saturate(picture: np.ndarray, per_cent: float, pale: float = 0.0) -> np.ndarray:
    """Scale the distance from grey: 0 % is monochrome, 100 % returns the picture unchanged (same array).

    Works on linear light, along lines of constant luminance (ITU-R BT.2020 weights) and dominant wavelength.

    Parameters
    ----------
    picture : float32 H×W×3, scene-linear.
    per_cent : distance from grey, 0…200.
    pale : −100…100 %; further change for pale colours. It falls with the square of smallest / largest component, from
        the whole for grey to none for a pure colour.
    """
    if per_cent == 100 and pale == 0:
        return picture
    out = blank(picture)
    _saturate(flat(picture), np.float32(per_cent / 100), np.float32(pale / 100), flat(out))
    return out
