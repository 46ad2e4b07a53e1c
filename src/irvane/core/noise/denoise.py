"""Denoising of the mosaic, for both colour arrays with one method.

The mosaic is variance-stabilised, interpolated *linearly* (so that its noise stays Gaussian with a known spectrum),
turned into one luminance and two colour planes, and shrunk at three scales by :mod:`irvane.core.noise.sliding`.
Only the change goes back to the mosaic: where nothing is removed, the mosaic is untouched.
"""

from __future__ import annotations

from functools import lru_cache

import cv2
import numba
import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from scipy.fft import dctn

from irvane.core.image import GREEN, Mosaic, NoiseModel
from irvane.core.kernels import kernel
from irvane.core.noise.sliding import SIDE, denoise_plane
from irvane.core.noise.stabilise import stabilise, unstabilise
from irvane.core.progress import Progress, always, step
from irvane.core.sensor.linear import interpolate_linear

#: Method name and version, part of every cache key and of proofs.
METHOD = "sliding-cosine@1"
#: Pixels around a place that its result depends on.
REACH = 64
#: Tiles must start at multiples of this, so that windows, scales and arrays line up.
ALIGN = 48

_HALO = 96  # REACH, rounded up to ALIGN
_BAND = 480
_LEVELS = 3
_THRESHOLD = 2.7
_STEP_LUMINANCE, _STEP_COLOUR = 3, 4

#: Orthonormal luminance and two colour axes.
_OPPONENT = np.array([[1, 1, 1], [1, 0, -1], [1, -2, 1]], np.float32)
_OPPONENT /= np.linalg.norm(_OPPONENT, axis=1, keepdims=True)


@lru_cache(maxsize=32)
def _spectra(cfa_bytes: bytes, period: int, scales: tuple[float, ...]) -> list[np.ndarray]:
    """Noise per plane and cosine coefficient at every scale, for unit noise in the mosaic (Monte Carlo)."""
    cfa = np.frombuffer(cfa_bytes, dtype=np.int64).reshape(period, period)
    side = 384
    noise = np.random.default_rng(0).standard_normal((side, side)).astype(np.float32)
    noise *= np.tile(np.asarray(scales, np.float32)[cfa], (side // period, side // period))
    planes = list(np.moveaxis(interpolate_linear(noise, cfa) @ _OPPONENT.T, 2, 0))
    levels = []
    for _ in range(_LEVELS):
        sigma = []
        for plane in planes:
            windows = sliding_window_view(plane, (SIDE, SIDE))[::3, ::5].reshape(-1, SIDE, SIDE)
            sigma.append(dctn(windows, axes=(1, 2), norm="ortho").std(axis=0))
        levels.append(np.stack(sigma).astype(np.float32))
        planes = [_half(plane) for plane in planes]
    return levels


def _half(plane: np.ndarray) -> np.ndarray:
    h, w = plane.shape
    return cv2.resize(plane[: h // 2 * 2, : w // 2 * 2], (w // 2, h // 2), interpolation=cv2.INTER_AREA)


def _double(plane: np.ndarray, shape: tuple[int, int]) -> np.ndarray:
    h, w = plane.shape
    large = cv2.resize(plane, (2 * w, 2 * h), interpolation=cv2.INTER_LINEAR)
    if large.shape == shape:
        return large
    return np.pad(large, ((0, shape[0] - 2 * h), (0, shape[1] - 2 * w)), mode="edge")


def _multiscale(plane: np.ndarray, sigmas: list[np.ndarray], step: int) -> np.ndarray:
    fine = denoise_plane(plane, sigmas[0], _THRESHOLD, step)
    if len(sigmas) == 1 or min(plane.shape) < 4 * SIDE:
        return fine
    coarse = _multiscale(_half(plane), sigmas[1:], step)
    return fine + _double(coarse - _half(fine), plane.shape)


def _denoise_tile(
    data: np.ndarray, cfa: np.ndarray, noise: NoiseModel, gains: np.ndarray, strength: float
) -> np.ndarray:
    period = cfa.shape[0]
    scales = np.sqrt(np.asarray(gains, np.float32))
    stable = stabilise(data, cfa, noise, scales)
    full = interpolate_linear(stable, cfa)
    planes = full @ _OPPONENT.T
    spectra = _spectra(cfa.tobytes(), period, tuple(float(s) for s in scales))
    change = np.empty_like(planes)
    for k in range(3):
        plane = np.ascontiguousarray(planes[..., k])
        sigmas = [strength * level[k] for level in spectra]
        change[..., k] = _multiscale(plane, sigmas, _STEP_LUMINANCE if k == 0 else _STEP_COLOUR) - plane
    _add_change(stable, change @ _OPPONENT, cfa)
    return unstabilise(stable, cfa, noise, scales)


@kernel
def _add_change(stable, change, cfa):
    p = cfa.shape[0]
    for y in numba.prange(stable.shape[0]):
        for x in range(stable.shape[1]):
            stable[y, x] += change[y, x, cfa[y % p, x % p]]


def denoise_mosaic(
    mosaic: Mosaic,
    noise: NoiseModel,
    gains: np.ndarray,
    strength: float = 1.0,
    rows: tuple[int, int] | None = None,
    columns: tuple[int, int] | None = None,
    progress: Progress = always,
) -> np.ndarray:
    """Denoise a mosaic, or a part of it with the result it has in the whole.

    Parameters
    ----------
    mosaic : the whole mosaic.
    noise : its noise model.
    gains : reference white-balance gains of the three colours (they only steer what counts as colour).
    strength : multiple of the measured noise that is taken for noise; 0 returns the mosaic unchanged.
    rows, columns : half-open ranges of the wanted part; all when None.
    progress : called with the share done; returns False to cancel.

    Returns
    -------
    float32 mosaic of the wanted part.

    Raises
    ------
    Cancelled
        When `progress` returns False.
    """
    h, w = mosaic.data.shape
    top, bottom = rows or (0, h)
    left, right = columns or (0, w)
    if strength <= 0:
        return mosaic.data[top:bottom, left:right].copy()
    cfa = np.ascontiguousarray(mosaic.cfa, dtype=np.int64)
    out = np.empty((bottom - top, right - left), np.float32)
    x0 = max(0, (left // ALIGN) * ALIGN - _HALO)
    x1 = min(w, right + _HALO)
    for first in range(top, bottom, _BAND):
        step(progress, (first - top) / (bottom - top))
        last = min(first + _BAND, bottom)
        y0 = max(0, (first // ALIGN) * ALIGN - _HALO)
        y1 = min(h, last + _HALO)
        tile = np.ascontiguousarray(mosaic.data[y0:y1, x0:x1])
        clean = _denoise_tile(tile, cfa, noise, gains, strength)
        out[first - top : last - top] = clean[first - y0 : last - y0, left - x0 : right - x0]
    return out


def automatic_amount(noise: NoiseModel) -> float:
    """Automatic strength in per cent from the measured noise: 100 once noise is visible, little at base ISO.

    Judged by the SNR of an 18 % grey in green. Common practice: denoising pays from about ISO 800 (SNR near 34 on
    a full-frame sensor), hardly at 500, and does harm at 100–200 (SNR 70 and more).
    """
    snr = noise.snr(0.18, GREEN)
    visible = np.clip((np.log2(95.0) - np.log2(max(snr, 1.0))) / (np.log2(95.0) - np.log2(38.0)), 0.0, 1.0)
    return float(np.round(20 + 80 * visible))
