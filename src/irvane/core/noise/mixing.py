"""Mixing the plain and the denoised picture: what every noise control does, without denoising again."""

from __future__ import annotations

import numpy as np

from irvane.core.kernels import blank, flat, serial


@serial
def _mix(plain, clean, gains, luminance, colour, out):
    k0, k1, k2 = gains[0], gains[1], gains[2]
    for i in range(plain.size // 3):
        d0 = (clean[3 * i] - plain[3 * i]) * k0
        d1 = (clean[3 * i + 1] - plain[3 * i + 1]) * k1
        d2 = (clean[3 * i + 2] - plain[3 * i + 2]) * k2
        # luminance of the change: green counts double, as in a Bayer cell
        common = np.float32(0.25) * (d0 + 2 * d1 + d2)
        shared = (luminance - colour) * common
        out[3 * i] = plain[3 * i] + (shared + colour * d0) / k0
        out[3 * i + 1] = plain[3 * i + 1] + (shared + colour * d1) / k1
        out[3 * i + 2] = plain[3 * i + 2] + (shared + colour * d2) / k2


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
    out = blank(plain)
    shares = np.float32(luminance), np.float32(colour)
    _mix(flat(plain), flat(clean), gains.astype(np.float32), *shares, flat(out))
    return out
