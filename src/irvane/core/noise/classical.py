"""Denoising of the mosaic by shrinking cosine coefficients, for both colour arrays.

The mosaic is variance-stabilised, interpolated *linearly* (so that its noise stays Gaussian with a known
spectrum), turned into one luminance and two colour planes, and shrunk at three scales by
:mod:`irvane.core.noise.sliding`. Only the change goes back to the mosaic: where nothing is removed, the
mosaic is untouched.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache

import cv2
import numpy as np
from numpy.lib.stride_tricks import sliding_window_view

from irvane.core.image import NoiseModel
from irvane.core.kernels import flat, serial
from irvane.core.noise.sliding import SIDE, cosine_spectra, denoise_plane
from irvane.core.noise.stabilise import stabilise, unstabilise
from irvane.core.sensor.linear import interpolate_linear
from irvane.core.sensor.padding import ALL_BORDERS, Borders
from irvane.core.threads import share_out

#: Pixels around a place that its result depends on.
REACH = 64
_LEVELS = 3
_THRESHOLD = 2.7
_STEP_LUMINANCE, _STEP_COLOUR = 3, 4
_STEP_FAST = 6
#: Multiple of its noise that the finest colour detail must exceed to be kept by the fast method.
_COLOUR_THRESHOLD = 3.0

_Way = Callable[[np.ndarray, list[np.ndarray], bool], np.ndarray]

#: Orthonormal luminance and two colour axes.
OPPONENT = np.array([[1, 1, 1], [1, 0, -1], [1, -2, 1]], np.float32)
OPPONENT /= np.linalg.norm(OPPONENT, axis=1, keepdims=True)


@lru_cache(maxsize=32)
def _spectra(cfa_bytes: bytes, period: int, scales: tuple[float, ...]) -> list[np.ndarray]:
    """Noise per plane and cosine coefficient at every scale, for unit noise in the mosaic (Monte Carlo)."""
    cfa = np.frombuffer(cfa_bytes, dtype=np.int64).reshape(period, period)
    side = 384
    noise = np.random.default_rng(0).standard_normal((side, side)).astype(np.float32)
    noise *= np.tile(np.asarray(scales, np.float32)[cfa], (side // period, side // period))
    planes = list(interpolate_linear(noise, cfa, OPPONENT))
    levels = []
    for _ in range(_LEVELS):
        sigma = []
        for plane in planes:
            windows = sliding_window_view(plane, (SIDE, SIDE))[::3, ::5].reshape(-1, SIDE, SIDE)
            sigma.append(cosine_spectra(windows).std(axis=0))
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


def _multiscale(plane: np.ndarray, sigmas: list[np.ndarray], step: int, passes: int = 2) -> np.ndarray:
    fine = denoise_plane(plane, sigmas[0], _THRESHOLD, step, passes)
    if len(sigmas) == 1 or min(plane.shape) < 4 * SIDE:
        return fine
    coarse = _multiscale(_half(plane), sigmas[1:], step, passes)
    return cv2.add(fine, _double(cv2.subtract(coarse, _half(fine)), plane.shape), dst=fine)


def thorough(plane: np.ndarray, sigmas: list[np.ndarray], is_colour: bool) -> np.ndarray:
    return _multiscale(plane, sigmas, _STEP_COLOUR if is_colour else _STEP_LUMINANCE)


def quick(plane: np.ndarray, sigmas: list[np.ndarray], is_colour: bool) -> np.ndarray:
    """One pass; of colour, the finest detail is only kept where it is far stronger than its noise."""
    if not is_colour or min(plane.shape) < 8 * SIDE:
        return _multiscale(plane, sigmas, _STEP_FAST, 1)
    half = _half(plane)
    clean = _double(_multiscale(half, sigmas[1:], _STEP_FAST, 1), plane.shape)
    limit = np.float32(_COLOUR_THRESHOLD * np.sqrt(np.mean(sigmas[0] ** 2)))
    _add_strong(flat(plane), flat(_double(half, plane.shape)), limit, flat(clean))
    return clean


@serial
def _add_strong(plane, smooth, limit, clean):
    """Add what a plane has more than the smooth one, less what may be noise."""
    for i in range(clean.size):
        detail = plane[i] - smooth[i]
        clean[i] += detail - max(-limit, min(detail, limit))


def denoise_tile(
    data: np.ndarray, cfa: np.ndarray, noise: NoiseModel, gains: np.ndarray, strength: float,
    _borders: Borders = ALL_BORDERS,
) -> np.ndarray:  # fmt: skip
    """Denoise a piece of a mosaic (float32 H×W); the piece begins at a multiple of 48 pixels of the whole."""
    return _denoise(data, cfa, noise, gains, strength, thorough)


def denoise_tile_fast(
    data: np.ndarray, cfa: np.ndarray, noise: NoiseModel, gains: np.ndarray, strength: float,
    _borders: Borders = ALL_BORDERS,
) -> np.ndarray:  # fmt: skip
    """A faster denoiser of the same kind, which keeps less detail."""
    return _denoise(data, cfa, noise, gains, strength, quick)


def _denoise(
    data: np.ndarray, cfa: np.ndarray, noise: NoiseModel, gains: np.ndarray, strength: float, way: _Way
) -> np.ndarray:
    period = cfa.shape[0]
    scales = np.sqrt(np.asarray(gains, np.float32))
    stable = stabilise(data, cfa, noise, scales)
    planes = interpolate_linear(stable, cfa, OPPONENT)
    spectra = _spectra(cfa.tobytes(), period, tuple(float(s) for s in scales))
    for k, plane in enumerate(planes):
        clean = way(plane, [strength * level[k] for level in spectra], k > 0)
        shares = np.tile(OPPONENT[k][cfa], -(-data.shape[1] // period))
        share_out(_add_change, len(stable), clean, plane, shares, stable)
    return unstabilise(stable, cfa, noise, scales)


@serial
def _add_row(clean, plane, shares, stable):
    for x in range(stable.size):
        stable[x] += shares[x] * (clean[x] - plane[x])


@serial
def _add_change(begin, end, clean, plane, shares, stable):
    """Add the change of a plane to the mosaic, by the share that each colour has in it (a row for each of the
    array)."""
    for y in range(begin, end):
        _add_row(clean[y], plane[y], shares[y % shares.shape[0]], stable[y])
