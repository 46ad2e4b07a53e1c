"""Mixing the plain and the denoised picture: what every noise control does, without denoising again."""

from __future__ import annotations

import numba
import numpy as np


@numba.njit(parallel=True, cache=True, nogil=True, fastmath=True)
def _mix(plain, clean, gains, luminance, colour, out):
    for y in numba.prange(plain.shape[0]):
        for x in range(plain.shape[1]):
            d0 = (clean[y, x, 0] - plain[y, x, 0]) * gains[0]
            d1 = (clean[y, x, 1] - plain[y, x, 1]) * gains[1]
            d2 = (clean[y, x, 2] - plain[y, x, 2]) * gains[2]
            # luminance of the change: green counts double, as in a Bayer cell
            common = np.float32(0.25) * (d0 + 2 * d1 + d2)
            shared = (luminance - colour) * common
            out[y, x, 0] = plain[y, x, 0] + (shared + colour * d0) / gains[0]
            out[y, x, 1] = plain[y, x, 1] + (shared + colour * d1) / gains[1]
            out[y, x, 2] = plain[y, x, 2] + (shared + colour * d2) / gains[2]


def mix(
    plain: np.ndarray, clean: np.ndarray, gains: np.ndarray, luminance: float, colour: float
) -> np.ndarray:
    """Plain picture plus shares of the change that denoising made.

    Parameters
    ----------
    plain, clean : float32, H×W×3, camera-linear.
    gains : white-balance gains under which luminance and colour are told apart.
    luminance, colour : shares 0…1; both 0 give `plain`, both 1 give `clean`.
    """
    if luminance == 0 and colour == 0:
        return plain
    out = np.empty_like(plain)
    _mix(plain, clean, gains.astype(np.float32), np.float32(luminance), np.float32(colour), out)
    return out
