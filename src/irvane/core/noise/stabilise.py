"""Variance stabilisation of sensor noise and its exact unbiased inverse.

References
----------
Mäkitalo & Foi, "Optimal inversion of the generalized Anscombe transformation for Poisson-Gaussian noise",
IEEE TIP 22(1), 2013 (closed-form approximation).
"""

from __future__ import annotations

import numpy as np

from irvane.core.image import NoiseModel
from irvane.core.kernels import serial
from irvane.core.threads import share_out

_SMALLEST = 0.9  # below this the closed-form inverse is no longer monotonic
_QUARTER = np.float32(0.25)
_C1 = np.float32(0.25 * np.sqrt(1.5))
_C2 = np.float32(11 / 8)
_C3 = np.float32(5 / 8 * np.sqrt(1.5))


@serial
def _forward_row(signal, gain, offset, factor, out):
    for x in range(out.size):
        out[x] = factor[x] * np.sqrt(max(gain[x] * signal[x] + offset[x], np.float32(0)))


@serial
def _inverse_row(stable, gain, offset, factor, out):
    for x in range(out.size):
        d = max(stable[x] * factor[x], np.float32(_SMALLEST))
        i = 1 / d
        electrons = _QUARTER * d * d + i * (_C1 - i * (_C2 - i * _C3))
        out[x] = electrons * gain[x] - offset[x]


@serial
def _forward(begin, end, signal, gain, offset, factor, out):
    p = gain.shape[0]
    for y in range(begin, end):
        _forward_row(signal[y], gain[y % p], offset[y % p], factor[y % p], out[y])


@serial
def _inverse(begin, end, stable, gain, offset, factor, out):
    p = gain.shape[0]
    for y in range(begin, end):
        _inverse_row(stable[y], gain[y % p], offset[y % p], factor[y % p], out[y])


def _columns(values: np.ndarray, cfa: np.ndarray, width: int) -> np.ndarray:
    """What belongs to each colour, for every column of as many rows as the array has: float32."""
    return np.tile(values.astype(np.float32)[cfa], -(-width // cfa.shape[1]))[:, :width]


def _parameters(noise: NoiseModel, scales: np.ndarray | None) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    scale = np.ones(3) if scales is None else np.asarray(scales, np.float64)
    return np.array(noise.gain), np.array(noise.read) ** 2, scale


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
    gain, variance, scale = _parameters(noise, scales)
    terms = gain, 0.375 * gain**2 + variance, scale * 2 / gain
    share_out(_forward, len(mosaic), mosaic, *(_columns(term, cfa, mosaic.shape[1]) for term in terms), out)
    return out


def unstabilise(
    stable: np.ndarray, cfa: np.ndarray, noise: NoiseModel, scales: np.ndarray | None = None
) -> np.ndarray:
    """Exact unbiased inverse of :func:`stabilise` for a denoised mosaic (the mean of noise is kept)."""
    out = np.empty(stable.shape, np.float32)
    gain, variance, scale = _parameters(noise, scales)
    terms = gain, 0.125 * gain + variance / gain, 1 / scale
    share_out(_inverse, len(stable), stable, *(_columns(term, cfa, stable.shape[1]) for term in terms), out)
    return out
