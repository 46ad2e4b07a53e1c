"""Measuring the noise of a mosaic from the mosaic itself.

A linear model, variance = gain × signal + read², is fitted to the scatter of small blocks over brightness (Foi,
Trimeche, Katkovnik & Egiazarian 2008, "Practical Poissonian-Gaussian noise modeling and fitting for single-image
raw-data"). The scatter of a block comes from a filter blind to planes (Immerkær 1996). Texture can only add to it; so,
of the blocks at one brightness, only the left end of their distribution is looked at, and the noise is the one whose
known distribution has the shape of that end. A few flat places suffice.
"""

from __future__ import annotations

from functools import lru_cache
from itertools import pairwise

import cv2
import numpy as np

from irvane.core.image import GREEN, Mosaic, NoiseModel

_LAPLACIAN = np.array([[1, -2, 1], [-2, 4, -2], [1, -2, 1]], np.float32) / 6
_BLOCK = 8
#: Steps between blocks: they overlap, so that small flat places are met.
_STEP_BAYER, _STEP_SIX = 4, 3
_MOST_BINS, _PER_BIN, _FEWEST_BLOCKS = 24, 500, 60
#: Quantiles of the block variances of pure noise that are compared, and how many blocks must lie below the last.
_ENDS = np.array([0.01, 0.03, 0.06, 0.1, 0.16, 0.24, 0.35])
_FEWEST_AT_END = 25
#: Of the scales that fit about equally well the smallest is taken: texture can only feign noise.
_INDIFFERENT = 0.1
_SCALES = 160
_ROUNDS = 3
_CLIPPED = 0.97

#: The sensor assumed when nothing can be measured: 50,000 electrons at ISO 100, 3 electrons of read noise.
_MOST_GAIN, _MOST_READ = 5.0, 6.0
_USUAL_WELL, _USUAL_READ = 50_000.0, 3.0


def from_sensitivity(iso: float | None) -> NoiseModel:
    """A usual sensor's noise at this ISO, for frames in which nothing can be measured."""
    well = _USUAL_WELL * 100.0 / max(iso or 100.0, 1.0)
    gain, read = 1.0 / well, _USUAL_READ / well
    return NoiseModel((gain,) * 3, (read,) * 3, "sensitivity")


def _bayer_samples(mosaic: Mosaic) -> list[tuple[np.ndarray, np.ndarray]]:
    """Per place of the array: the plane-blind filter of its own colour, and the values."""
    samples = []
    for y, x in np.ndindex(2, 2):
        plane = np.ascontiguousarray(mosaic.data[y::2, x::2])
        inner = np.s_[1:-1, 1:-1]
        samples.append((cv2.filter2D(plane, -1, _LAPLACIAN)[inner], plane[inner]))
    return samples


def _six_samples(mosaic: Mosaic) -> list[tuple[np.ndarray, np.ndarray]]:
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
    return [((a - b - c + d) / 2, (a + b + c + d) / 4)]


def _blocks(values: np.ndarray, levels: np.ndarray, step: int) -> tuple[np.ndarray, np.ndarray]:
    """Mean square and mean level of overlapping blocks without clipped pixels."""
    values, levels = np.ascontiguousarray(values), np.ascontiguousarray(levels)
    inside = tuple(slice(0, side - _BLOCK + 1, step) for side in levels.shape)
    if min(levels.shape) < _BLOCK:
        return np.empty(0, np.float32), np.empty(0, np.float32)

    def mean(plane: np.ndarray) -> np.ndarray:
        return cv2.boxFilter(plane, -1, (_BLOCK, _BLOCK), anchor=(0, 0))[inside].ravel()

    square, level = mean(values * values), mean(levels)
    window = np.ones((_BLOCK, _BLOCK), np.uint8)
    top = cv2.dilate(levels, window, anchor=(_BLOCK - 1, _BLOCK - 1))[inside].ravel()
    usable = (top < _CLIPPED) & (square > 0)
    return square[usable], level[usable]


@lru_cache(maxsize=2)
def _pure_noise(filtered: bool) -> np.ndarray:
    """Quantiles of block variances for pure noise of unit variance (Monte Carlo, fixed seed)."""
    noise: np.ndarray = np.random.default_rng(0).standard_normal((1500, 1500)).astype(np.float32)
    if filtered:
        noise = cv2.filter2D(noise, -1, _LAPLACIAN)
    square, _ = _blocks(noise, np.zeros_like(noise), _STEP_BAYER)
    return np.quantile(square, _ENDS)


def _left_end(variances: np.ndarray, pure: np.ndarray) -> tuple[float, float] | None:
    """Scale of the noise whose distribution the left end of `variances` has, and how many blocks say so.

    For a candidate scale the blocks below its quantiles are counted. In pure noise these counts stand in a known
    proportion to each other, whatever share of the blocks is flat; how well they do (Kullback–Leibler divergence) is
    weighed against how many blocks are explained.
    """
    ordered = np.sort(variances)
    middle = pure[len(pure) // 2]
    low, high = max(float(ordered[0]), 1e-14) / middle * 0.7, float(ordered[ordered.size // 2]) / middle * 1.2
    shares = np.diff(_ENDS, prepend=0) / _ENDS[-1]
    scales = np.geomspace(low, max(high, low * 1.01), _SCALES)
    counts = np.searchsorted(ordered, scales[:, None] * pure)
    total = counts[:, -1]
    usable = total >= _FEWEST_AT_END
    if not usable.any():
        return None
    parts = np.diff(counts, prepend=0, axis=1)[usable]
    scales, total = scales[usable], total[usable]
    found = np.maximum(parts / total[:, None], 1e-9)
    divergence = np.sum(parts * np.log(found / shares), axis=1)
    score = 0.5 * np.log(total) - divergence / np.sqrt(total)
    best = int(np.argmax(score >= score.max() - _INDIFFERENT))
    return float(scales[best]), float(total[best])


def _line(x: np.ndarray, y: np.ndarray, weight: np.ndarray) -> tuple[float, float]:
    """Gain and offset of a line with neither negative; points above it hold texture and are trusted less."""
    weights, gain, offset = weight, 0.0, 0.0
    for _ in range(20):
        design = np.stack([x, np.ones_like(x)], 1) * weights[:, None]
        (gain, offset), *_rest = np.linalg.lstsq(design, y * weights, rcond=None)
        if offset < 0:
            offset = 0.0
            gain = float(np.sum(weights**2 * x * y) / np.sum(weights**2 * x * x))
        if gain < 0:
            gain = 1e-9
            offset = float(np.sum(weights**2 * y) / np.sum(weights**2))
        model = np.maximum(gain * x + offset, 1e-14)
        weights = weight * y / model / (1 + np.maximum(y / model - 1.05, 0) * 12)
    return float(gain), float(offset)


def _fit(samples: list[tuple[np.ndarray, np.ndarray]], filtered: bool) -> tuple[float, float] | None:
    """Gain and read noise of samples (filtered values, levels); None when they tell nothing."""
    step = _STEP_BAYER if filtered else _STEP_SIX
    found = [_blocks(values, levels, step) for values, levels in samples]
    square = np.concatenate([f[0] for f in found])
    level = np.maximum(np.concatenate([f[1] for f in found]), 0)
    if square.size < _FEWEST_BLOCKS:
        return None
    pure = _pure_noise(filtered)
    bins = int(np.clip(level.size // _PER_BIN, 1, _MOST_BINS))
    edges = np.unique(np.quantile(level, np.linspace(0, 1, bins + 1)))
    members = [np.flatnonzero((level >= low) & (level <= high)) for low, high in pairwise(edges)]
    members = [here for here in members if here.size >= _FEWEST_BLOCKS] or [np.arange(level.size)]
    gain, offset = float(np.quantile(square / np.maximum(level, 1e-3), 0.05)), 0.0
    for _ in range(_ROUNDS):
        # within a bin brightness varies: variances are compared with what the last round expected of them
        expected = gain * np.maximum(level, 1e-4) + offset
        x, y, weight = [], [], []
        for here in members:
            end = _left_end(square[here] / expected[here], pure)
            if end is not None:
                x.append(float(level[here].mean()))
                y.append(end[0] * (gain * max(x[-1], 1e-4) + offset))
                weight.append(np.sqrt(end[1]) / y[-1])
        if not x:
            return None
        xs, ys = np.array(x), np.array(y)
        if len(x) == 1 or np.ptp(xs) < 0.02:
            # one brightness only: all of it is put down to photons
            return max(float(np.median(ys / np.maximum(xs, 1e-3))), 1e-9), 0.0
        gain, offset = _line(xs, ys, np.array(weight))
        gain = max(gain, 1e-9)
    return gain, float(np.sqrt(max(offset, 0.0)))


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
    found = (
        _fit(_bayer_samples(mosaic), filtered=True)
        if mosaic.is_bayer
        else _fit(_six_samples(mosaic), filtered=False)
    )
    if found is None:
        return from_sensitivity(iso)
    gain, read = found
    if iso:
        # texture can only feign noise: no common sensor is noisier than these multiples of the usual one
        usual = from_sensitivity(iso)
        gain, read = min(gain, _MOST_GAIN * usual.gain[0]), min(read, _MOST_READ * usual.read[0])
    # the converter is the same for all colours, and together they tell more
    return NoiseModel((gain,) * 3, (read,) * 3, "measured")
