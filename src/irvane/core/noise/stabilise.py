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
_QUARTER = np.float32(0.25)
_C1 = np.float32(0.25 * np.sqrt(1.5))
_C2 = np.float32(11 / 8)
_C3 = np.float32(5 / 8 * np.sqrt(1.5))


@kernel
def _forward(signal, cfa, gain, variance, scale, out):
    p = cfa.shape[0]
    for y in numba.prange(signal.shape[0]):
        line, to = signal[y], out[y]
        for phase in range(p):  # one colour at a time: no look-up per pixel
            c = cfa[y % p, phase]
            g, factor = gain[c], scale[c] * 2 / gain[c]
            offset = np.float32(0.375) * g * g + variance[c]
            for x in range(phase, line.size, p):
                to[x] = factor * np.sqrt(max(g * line[x] + offset, np.float32(0)))


@kernel
def _inverse(stable, cfa, gain, variance, scale, out):
    p = cfa.shape[0]
    for y in numba.prange(stable.shape[0]):
        line, to = stable[y], out[y]
        for phase in range(p):
            c = cfa[y % p, phase]
            g, factor = gain[c], 1 / scale[c]
            offset = np.float32(0.125) * g + variance[c] / g
            for x in range(phase, line.size, p):
                d = max(line[x] * factor, np.float32(_SMALLEST))
                i = 1 / d
                electrons = _QUARTER * d * d + i * (_C1 - i * (_C2 - i * _C3))
                to[x] = electrons * g - offset


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
