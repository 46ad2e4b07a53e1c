"""Measuring the noise of a mosaic from the mosaic itself.

A linear model, variance = gain × signal + read², is fitted to the scatter of small flat blocks over brightness
(Foi, Trimeche, Katkovnik & Egiazarian 2008, "Practical Poissonian-Gaussian noise modeling and fitting for
single-image raw-data"). The scatter of a block comes from a filter blind to planes (Immerkær 1996), and of the
blocks at one brightness only the quieter ones are believed, because texture can only add to the scatter.
"""

from __future__ import annotations

from itertools import pairwise

import cv2
import numpy as np

from irvane.core.image import GREEN, Mosaic, NoiseModel

_LAPLACIAN = np.array([[1, -2, 1], [-2, 4, -2], [1, -2, 1]], np.float32) / 6
_BLOCK = 8
_BINS = 24
_QUANTILE = 0.1
_FEWEST_BLOCKS = 12
_CLIPPED = 0.97

#: The sensor assumed when nothing can be measured: 50,000 electrons at ISO 100, 3 electrons of read noise.
_MOST_GAIN, _MOST_READ = 5.0, 6.0
_USUAL_WELL, _USUAL_READ = 50_000.0, 3.0


def from_sensitivity(iso: float | None) -> NoiseModel:
    """A usual sensor's noise at this ISO, for frames in which nothing can be measured."""
    well = _USUAL_WELL * 100.0 / max(iso or 100.0, 1.0)
    gain, read = 1.0 / well, _USUAL_READ / well
    return NoiseModel((gain,) * 3, (read,) * 3, "sensitivity")


def _bayer_samples(mosaic: Mosaic, colour: int) -> tuple[np.ndarray, np.ndarray]:
    values, levels = [], []
    for y, x in zip(*np.nonzero(mosaic.cfa == colour), strict=True):
        plane = np.ascontiguousarray(mosaic.data[y::2, x::2])
        values.append(cv2.filter2D(plane, -1, _LAPLACIAN)[1:-1, 1:-1])
        levels.append(plane[1:-1, 1:-1])
    h = min(v.shape[0] for v in values)
    w = min(v.shape[1] for v in values)
    return np.concatenate([v[:h, :w] for v in values]), np.concatenate([v[:h, :w] for v in levels])


def _six_samples(mosaic: Mosaic) -> tuple[np.ndarray, np.ndarray]:
    """The 2×2 green squares of the 6×6 array: their twist has the variance of one pixel."""
    greens = mosaic.cfa == GREEN
    wrapped = np.pad(greens, ((0, 1), (0, 1)), mode="wrap")
    square = wrapped[:-1, :-1] & wrapped[1:, :-1] & wrapped[:-1, 1:] & wrapped[1:, 1:]
    y, x = (int(v[0]) for v in np.nonzero(square))
    y, x = y % 3, x % 3
    data = mosaic.data
    h, w = (data.shape[0] - y - 1) // 3, (data.shape[1] - x - 1) // 3
    a, b, c, d = (
        data[y + j : y + j + 3 * h : 3, x + i : x + i + 3 * w : 3][:h, :w]
        for j, i in ((0, 0), (0, 1), (1, 0), (1, 1))
    )
    return (a - b - c + d) / 2, (a + b + c + d) / 4


def _blocks(plane: np.ndarray) -> np.ndarray:
    h, w = (side // _BLOCK for side in plane.shape)
    cut = plane[: h * _BLOCK, : w * _BLOCK].reshape(h, _BLOCK, w, _BLOCK)
    return cut.swapaxes(1, 2).reshape(h * w, _BLOCK * _BLOCK)


def _quantile_bias(correlated: bool) -> float:
    """What the chosen quantile of block variances amounts to for pure noise (Monte Carlo, fixed seed)."""
    noise: np.ndarray = np.random.default_rng(0).standard_normal((1024, 1024)).astype(np.float32)
    if correlated:
        noise = cv2.filter2D(noise, -1, _LAPLACIAN)
    return float(np.quantile(np.mean(_blocks(noise) ** 2, axis=1), _QUANTILE))


def _fit(values: np.ndarray, levels: np.ndarray, correlated: bool) -> tuple[float, float] | None:
    scatter, level = _blocks(values), _blocks(levels)
    mean = level.mean(axis=1)
    usable = (level.max(axis=1) < _CLIPPED) & (np.ptp(level, axis=1) > 0)
    scatter, mean = np.mean(scatter[usable] ** 2, axis=1), mean[usable]
    if mean.size < _FEWEST_BLOCKS:
        return None
    bins = int(np.clip(mean.size // (2 * _FEWEST_BLOCKS), 1, _BINS))
    edges = np.unique(np.quantile(mean, np.linspace(0, 1, bins + 1)))
    bias = _quantile_bias(correlated)
    x, y, weight = [], [], []
    for low, high in pairwise(edges):
        here = (mean >= low) & (mean <= high)
        if here.sum() < _FEWEST_BLOCKS:
            continue
        variance = float(np.quantile(scatter[here], _QUANTILE)) / bias
        x.append(float(mean[here].mean()))
        y.append(variance)
        weight.append(np.sqrt(here.sum()) / max(variance, 1e-12))
    if not x:
        return None
    xs, ys, ws = np.maximum(np.array(x), 0), np.array(y), np.array(weight)
    if len(x) == 1 or np.ptp(xs) < 0.02:
        # one brightness only: all of it is put down to photons, less what a usual read noise explains
        return max(float(np.median(ys / np.maximum(xs, 1e-3))), 1e-9), 0.0
    gain = offset = 0.0
    for _ in range(6):
        design = np.stack([xs, np.ones_like(xs)], 1) * ws[:, None]
        (gain, offset), *_rest = np.linalg.lstsq(design, ys * ws, rcond=None)
        if offset < 0:
            offset = 0.0
            gain = float(np.sum(ws**2 * xs * ys) / np.sum(ws**2 * xs * xs))
        model = np.maximum(gain * xs + offset, 1e-12)
        # bins above the line hold texture: trust them less
        ws = np.array(weight) * np.array(y) / model / (1 + np.maximum(ys / model - 1, 0) * 8)
    if gain <= 0:
        gain = 1e-9
    return float(gain), float(np.sqrt(max(offset, 0.0)))


def measure(mosaic: Mosaic, iso: float | None = None) -> NoiseModel:
    """Measure the noise of a mosaic.

    Parameters
    ----------
    mosaic : levels applied, not denoised.
    iso : used only when the frame gives nothing to measure (all black, all clipped).

    Returns
    -------
    The model, with origin ``"measured"`` or ``"sensitivity"``.
    """
    if mosaic.is_bayer:
        fits = [_fit(*_bayer_samples(mosaic, colour), correlated=True) for colour in range(3)]
    else:
        fits = [_fit(*_six_samples(mosaic), correlated=False)] * 3
    known = [fit for fit in fits if fit is not None]
    if not known:
        return from_sensitivity(iso)
    if iso:
        # texture can only feign noise: no common sensor is noisier than these multiples of the usual one
        usual = from_sensitivity(iso)
        known = [(min(g, _MOST_GAIN * usual.gain[0]), min(r, _MOST_READ * usual.read[0])) for g, r in known]
        fits = [
            fit and (min(fit[0], known[0][0] * 2), min(fit[1], _MOST_READ * usual.read[0])) for fit in fits
        ]
    # the converter's gain is the same in all channels; a channel seen only in the dark cannot tell it
    filled = [fit or known[0] for fit in fits]
    gain = (filled[0][0], filled[1][0], filled[2][0])
    read = (filled[0][1], filled[1][1], filled[2][1])
    return NoiseModel(gain, read, "measured")
