"""Measuring the noise of a mosaic from the mosaic itself.

A linear model, variance = gain × signal + read², is fitted to the scatter of small blocks over brightness
(Foi, Trimeche, Katkovnik & Egiazarian 2008, "Practical Poissonian-Gaussian noise modeling and fitting for
single-image raw-data"). The scatter of a block comes from a filter blind to planes (Immerkær 1996). Texture
can only add to it; so only blocks count that the *other* samples of the same place call quiet: texture shows
in all of them, noise is independent from one to the other, and so the choice does not falsify what it chooses
from.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from itertools import pairwise

import cv2
import numpy as np

from irvane.core.image import GREEN, Mosaic, NoiseModel
from irvane.core.threads import each

_LAPLACIAN = np.array([[1, -2, 1], [-2, 4, -2], [1, -2, 1]], np.float32) / 6
_BLOCK = 8
#: Steps between blocks: they overlap, so that small flat places are met.
_STEP_BAYER, _STEP_SIX = 4, 3
_MOST_BINS, _PER_BIN, _FEWEST_BLOCKS = 24, 500, 60
#: Share of the blocks of one brightness that count, the quietest by their other samples, and their least
#: number.
_QUIET, _FEWEST_QUIET = 0.01, 30
_ROUNDS = 4
#: Read noise that is taken for usual, in electrons, and how far that is trusted beside one block that was
#: measured.
_ELECTRONS, _TRUST = 4.0, 0.02
_CLIPPED = 0.97
#: Pixels of a mosaic that are measured, in tiles spread over it when it is larger, their side, and how many
#: suffice to tell whether a model is wrong.
_PIXELS, _TILE, _GLANCE = 6_000_000, 432, 1_500_000
#: SNR below which a model that a file states is held against the frame, and how many times the noise may be
#: larger or smaller. Texture can feign noise, but hardly so much of it where noise is visible.
_VISIBLE, _WRONG = 40.0, 1.6

#: The sensor assumed when nothing can be measured: 50,000 electrons at ISO 100, 3 electrons of read noise.
_MOST_GAIN, _MOST_READ = 5.0, 6.0
_USUAL_WELL, _USUAL_READ = 50_000.0, 3.0

#: Some cameras smooth raws at high sensitivities: pixels hardly scatter beside their neighbours, means of
#: four far more than they should. Variance of single pixels, as a share of a usual sensor's, below which this
#: is looked for; variance of means, times four, as a multiple of it from which on it is so; the signal that
#: is compared.
_LITTLE, _ALIKE, _COMPARED = 0.5, 2.25, 0.18


def from_sensitivity(iso: float | None) -> NoiseModel:
    """A usual sensor's noise at this ISO, for frames in which nothing can be measured."""
    well = _USUAL_WELL * 100.0 / max(iso or 100.0, 1.0)
    gain, read = 1.0 / well, _USUAL_READ / well
    return NoiseModel((gain,) * 3, (read,) * 3, "sensitivity")


@dataclass(frozen=True)
class _Blocks:
    """Overlapping blocks without clipped pixels.

    Attributes
    ----------
    scatter : variance of one pixel as each kind of sample tells it, kinds × blocks.
    level : mean of the values that each kind was made from.
    measured : how many of the kinds, from the first, are used as a measure; the others only tell texture.
    """

    scatter: np.ndarray
    level: np.ndarray
    measured: int


def _laplacian(plane: np.ndarray) -> np.ndarray:
    return cv2.filter2D(np.ascontiguousarray(plane), -1, _LAPLACIAN)


def _bayer_blocks(mosaic: Mosaic) -> _Blocks:
    """Each place of the array by itself; all are measured."""
    h, w = (side // 2 for side in mosaic.data.shape)
    planes = [np.ascontiguousarray(mosaic.data[y : 2 * h : 2, x : 2 * w : 2]) for y, x in np.ndindex(2, 2)]
    return _blocks([(_laplacian(plane), plane) for plane in planes], 4, _STEP_BAYER)


def _coarse_blocks(mosaic: Mosaic) -> _Blocks:
    """Blocks of means of 2×2 samples of a place of a Bayer array."""
    h, w = (side // 4 * 4 for side in mosaic.data.shape)
    planes = [
        cv2.resize(mosaic.data[y:h:2, x:w:2], (w // 4, h // 4), interpolation=cv2.INTER_AREA)
        for y, x in np.ndindex(2, 2)
    ]
    return _blocks([(2 * _laplacian(plane), plane) for plane in planes], 4, _STEP_BAYER)


def _six_blocks(mosaic: Mosaic) -> _Blocks:
    """The 2×2 green squares of the 6×6 array: their twist is measured; their other differences tell
    texture."""
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
    mean = (a + b + c + d) / 4
    kinds = ((a - b - c + d) / 2, (a + b - c - d) / 2, (a - b + c - d) / 2, 2 * _laplacian(mean))
    return _blocks([(kind, mean) for kind in kinds], 1, _STEP_SIX)


def _blocks(samples: list[tuple[np.ndarray, np.ndarray]], measured: int, step: int) -> _Blocks:
    """Blocks of samples (noise of unit variance per pixel variance, values they were made from), the border
    left out."""
    inner = [(np.ascontiguousarray(v[1:-1, 1:-1]), np.ascontiguousarray(x[1:-1, 1:-1])) for v, x in samples]
    if min(inner[0][0].shape, default=0) < _BLOCK:
        return _Blocks(np.empty((len(samples), 0)), np.empty((len(samples), 0)), measured)
    inside = tuple(slice(0, side - _BLOCK + 1, step) for side in inner[0][0].shape)
    window = np.ones((_BLOCK, _BLOCK), np.uint8)

    def mean(plane: np.ndarray) -> np.ndarray:
        return cv2.boxFilter(plane, -1, (_BLOCK, _BLOCK), anchor=(0, 0))[inside].ravel()

    scatter = np.stack([mean(values * values) for values, _ in inner])
    level = np.stack([mean(levels) for _, levels in inner])
    tops = [
        cv2.dilate(levels, window, anchor=(_BLOCK - 1, _BLOCK - 1))[inside].ravel() for _, levels in inner
    ]
    usable = np.all([top < _CLIPPED for top in tops], axis=0) & (scatter > 0).all(axis=0)
    return _Blocks(scatter[:, usable], np.maximum(level[:, usable], 0), measured)


def _tiles(shape: tuple[int, int], pixels: int) -> list[tuple[slice, slice]]:
    """Places of square tiles, about as many pixels together as wanted, spread evenly; they begin at whole
    arrays."""
    count = (pixels / (shape[0] * shape[1])) ** 0.5
    rows, columns = (
        np.linspace(0, side - _TILE, max(1, round(side * count / _TILE))).astype(int) // 12 * 12
        for side in shape
    )
    return [(slice(y, y + _TILE), slice(x, x + _TILE)) for y in rows for x in columns]


def _everywhere(blocks_of: Callable[[Mosaic], _Blocks], mosaic: Mosaic, pixels: int) -> _Blocks:
    """Blocks of a mosaic, or of a part of a large one."""
    if mosaic.data.size <= 1.5 * pixels or min(mosaic.data.shape) < 2 * _TILE:
        return blocks_of(mosaic)
    places = _tiles(mosaic.data.shape, pixels)
    parts = list(each(lambda place: blocks_of(Mosaic(mosaic.data[place], mosaic.cfa)), places))
    scatter, level = (
        np.concatenate(v, axis=1) for v in zip(*((b.scatter, b.level) for b in parts), strict=True)
    )
    return _Blocks(scatter, level, parts[0].measured)


def _line(x: np.ndarray, y: np.ndarray, weight: np.ndarray) -> tuple[float, float]:
    """Gain and offset of a line with neither negative; points above it hold texture and are trusted less."""
    weights, gain, offset = weight, 0.0, 0.0
    for _ in range(20):
        # where no dark place tells the read noise, it is taken to be of a usual number of electrons
        usual = (_ELECTRONS * gain) ** 2 if gain > 0 else 0.0
        sure = _TRUST / usual if usual > 0 else 0.0
        design = np.vstack([np.stack([x, np.ones_like(x)], 1) * weights[:, None], [0.0, sure]])
        (gain, offset), *_rest = np.linalg.lstsq(design, np.append(y * weights, sure * usual), rcond=None)
        if offset < 0:
            offset = 0.0
            gain = float(np.sum(weights**2 * x * y) / np.sum(weights**2 * x * x))
        if gain < 0:
            gain = 1e-9
            offset = float(np.sum(weights**2 * y) / np.sum(weights**2))
        model = np.maximum(gain * x + offset, 1e-14)
        weights = weight * y / model / (1 + np.maximum(y / model - 1.05, 0) * 12)
    return float(gain), float(offset)


def _fit(blocks: _Blocks) -> tuple[float, float] | None:
    """Gain and read noise; None when the blocks tell nothing."""
    n = blocks.measured
    level = blocks.level[:n].ravel()
    if level.size < _FEWEST_BLOCKS:
        return None
    bins = int(np.clip(level.size // _PER_BIN, 1, _MOST_BINS))
    edges = np.unique(np.quantile(level, np.linspace(0, 1, bins + 1)))
    members = [np.flatnonzero((level >= low) & (level <= high)) for low, high in pairwise(edges)]
    members = [here for here in members if here.size >= _FEWEST_BLOCKS] or [np.arange(level.size)]
    first = blocks.scatter[:n].ravel() / np.maximum(level, 1e-3)
    gain, offset = max(float(np.quantile(first, 0.05)), 1e-9), 0.0
    for _ in range(_ROUNDS):
        # within a bin brightness varies: scatter is compared with what the last round expected of it
        ratio = blocks.scatter / (gain * np.maximum(blocks.level, 1e-4) + offset)
        texture = (ratio.sum(axis=0) - ratio[:n]).ravel()
        own = ratio[:n].ravel()
        x, y, weight = [], [], []
        for here in members:
            count = min(max(_FEWEST_QUIET, int(_QUIET * here.size)), here.size)
            quiet = here[np.argpartition(texture[here], count - 1)[:count]]
            x.append(float(level[quiet].mean()))
            y.append(float(own[quiet].mean()) * (gain * max(x[-1], 1e-4) + offset))
            weight.append(np.sqrt(count) / y[-1])
        xs, ys = np.array(x), np.array(y)
        if len(x) == 1 or np.ptp(xs) < 0.02:
            # one brightness only: read noise is taken to be of a usual number of electrons
            signal, variance, square = float(np.median(xs)), float(np.median(ys)), 2 * _ELECTRONS**2
            gain = max(float(np.sqrt(signal**2 + 2 * square * variance) - signal) / square, 1e-9)
            return gain, _ELECTRONS * gain
        gain, offset = _line(xs, ys, np.array(weight))
        gain = max(gain, 1e-9)
    return gain, float(np.sqrt(max(offset, 0.0)))


def measure(mosaic: Mosaic, iso: float | None = None, pixels: int = _PIXELS) -> NoiseModel:
    """Measure the noise of a mosaic.

    Parameters
    ----------
    mosaic : levels applied, not denoised.
    iso : tells what is usual; of what nothing can be measured in (all black, all clipped), it tells all.
    pixels : how many are measured at most, about; they are spread over the frame.

    Returns
    -------
    The model, with origin ``"measured"``, ``"smoothed"`` (by the camera: the noise that is seen between means
    of four), or ``"sensitivity"``.
    """
    found = _fit(_everywhere(_bayer_blocks if mosaic.is_bayer else _six_blocks, mosaic, pixels))
    if found is None:
        return from_sensitivity(iso)
    gain, read = found
    origin = "measured"
    if iso:
        usual = from_sensitivity(iso)
        if (smoothed := _smoothed(mosaic, found, usual, pixels)) is not None:
            (gain, read), origin = smoothed, "smoothed"
        # texture can only feign noise: no common sensor is noisier than these multiples of the usual one
        gain, read = min(gain, _MOST_GAIN * usual.gain[0]), min(read, _MOST_READ * usual.read[0])
    # the converter is the same for all colours, and together they tell more
    return NoiseModel((gain,) * 3, (read,) * 3, origin)


def contradicted(stated: NoiseModel, mosaic: Mosaic, iso: float | None = None) -> NoiseModel | None:
    """The measured model of a frame whose noise is visible and far from what its file states; None when it
    fits."""
    if stated.snr(_COMPARED) > _VISIBLE:
        return None
    level = max(float(np.median(mosaic.data[::17, ::13])), 0.0)

    def fits(found: NoiseModel) -> bool:
        apart = max(found.sigma(level), 1e-9) / max(stated.sigma(level), 1e-9)
        return found.origin == "sensitivity" or 1 / _WRONG < apart < _WRONG

    if fits(measure(mosaic, iso, _GLANCE)) or fits(found := measure(mosaic, iso)):
        return None
    return found


def _smoothed(
    mosaic: Mosaic, fine: tuple[float, float], usual: NoiseModel, pixels: int
) -> tuple[float, float] | None:
    """Gain and read noise of a raw that its camera has smoothed, of which single pixels tell too little; else
    None."""

    def variance(gain: float, read: float) -> float:
        return gain * _COMPARED + read**2

    most = variance(usual.gain[0], usual.read[0])
    if not mosaic.is_bayer or variance(*fine) > _LITTLE * most:
        return None
    coarse = _fit(_everywhere(_coarse_blocks, mosaic, pixels))
    if coarse is None or not _ALIKE * variance(*fine) < variance(*coarse) < most:
        return None
    return coarse
