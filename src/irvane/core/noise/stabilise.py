"""Variance stabilisation of sensor noise and its exact unbiased inverse.

References
----------
Mäkitalo & Foi, "Optimal inversion of the generalized Anscombe transformation for Poisson-Gaussian noise",
IEEE TIP 22(1), 2013 (closed-form approximation).
"""

from __future__ import annotations

import numba
import numpy as np

from irvane.core.image import NoiseModel
from irvane.core.kernels import kernel

_SMALLEST = 0.9  # below this the closed-form inverse is no longer monotonic
_C1 = 0.25 * np.sqrt(1.5)
_C2 = 11 / 8
_C3 = 5 / 8 * np.sqrt(1.5)


@kernel
def _forward(signal, cfa, gain, variance, scale, out):
    p = cfa.shape[0]
    for y in numba.prange(signal.shape[0]):
        for x in range(signal.shape[1]):
            c = cfa[y % p, x % p]
            inside = gain[c] * signal[y, x] + np.float32(0.375) * gain[c] * gain[c] + variance[c]
            out[y, x] = scale[c] * 2 / gain[c] * np.sqrt(max(inside, np.float32(0)))


@kernel
def _inverse(stable, cfa, gain, variance, scale, out):
    p = cfa.shape[0]
    for y in numba.prange(stable.shape[0]):
        for x in range(stable.shape[1]):
            c = cfa[y % p, x % p]
            d = max(stable[y, x] / scale[c], np.float32(_SMALLEST))
            i = 1 / d
            electrons = 0.25 * d * d + _C1 * i - _C2 * i * i + _C3 * i * i * i
            out[y, x] = (electrons - 0.125 - variance[c] / (gain[c] * gain[c])) * gain[c]


def _parameters(noise: NoiseModel, scales: np.ndarray | None) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    gain = np.array(noise.gain, np.float32)
    variance = np.array(noise.read, np.float32) ** 2
    return gain, variance, np.ones(3, np.float32) if scales is None else np.asarray(scales, np.float32)


def stabilise(
    mosaic: np.ndarray, cfa: np.ndarray, noise: NoiseModel, scales: np.ndarray | None = None
) -> np.ndarray:
    """Map a mosaic with signal-dependent noise to one whose noise has unit variance.

    Parameters
    ----------
    mosaic : float32, H×W, relative to white.
    cfa : int, the repeating filter pattern.
    noise : its noise model; gains > 0.
    scales : factor put on each colour afterwards (its noise is then that factor); ones when None.
    """
    out = np.empty(mosaic.shape, np.float32)
    _forward(mosaic, cfa, *_parameters(noise, scales), out)
    return out


def unstabilise(
    stable: np.ndarray, cfa: np.ndarray, noise: NoiseModel, scales: np.ndarray | None = None
) -> np.ndarray:
    """Exact unbiased inverse of :func:`stabilise` for a denoised mosaic (the mean of noise is kept)."""
    out = np.empty(stable.shape, np.float32)
    _inverse(stable, cfa, *_parameters(noise, scales), out)
    return out
