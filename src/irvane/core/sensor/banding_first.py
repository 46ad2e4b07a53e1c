"""The method ``lines@1`` of row and column banding, kept for the proofs that were made with it.

Offsets that whole lines share in the deepest tones are measured and taken away. It takes dark structure of
some scenes for banding; :mod:`irvane.core.sensor.banding` has followed it.

Where the sensor's own noise rules (no light, or so little that its noise is small beside the read noise), a
line's mean difference from the lines around it tells its offset, over a thousand and more places to a
fraction of the read noise. Offsets are shrunk by what chance alone would give (Wiener), so that a clean
sensor is left as it is; what exceeds a few read noises is structure of the scene and stays.
"""

from __future__ import annotations

import cv2
import numpy as np

from irvane.core.image import Mosaic, NoiseModel
from irvane.core.kernels import inline, serial
from irvane.core.threads import each

#: Pixels count as dark while photon noise has less than this multiple of the read noise's variance.
_DARK = 3.0
#: Places along a line that are looked at, at most; fewer dark ones than the second figure tell nothing.
_PLACES, _FEWEST = 1600, 100
_BLOCK = 96
#: Differences beyond this many σ do not count (texture); offsets beyond the second, or beyond so many times
#: their usual size, are the scene's own.
_OUTLIER, _LARGEST, _UNUSUAL = 3.0, 1.1, 3.5
_ROUNDS = 2


@inline
def _reflected(k, n):
    """Index of a line beyond the border, mirrored about the outermost one."""
    if n == 1:
        return 0
    k = abs(k) % (2 * n - 2)
    return k if k < n else 2 * n - 2 - k


@serial
def _slide(run, enter, leave):
    for x in range(run.size):
        run[x] += np.float64(enter[x]) - np.float64(leave[x])


@serial
def _row_sum(row, run, others, offset, run_offset, gain, variance):
    """Number of dark places of a row, sum of their differences in σ, and of their σ."""
    count, total, sigmas = np.float32(0), np.float32(0), np.float32(0)
    part = np.float32(1 / others)
    for x in range(run.size):
        around = np.float32(run[x] - row[x]) * part - run_offset
        light = gain[x] * max(around, np.float32(0))
        sigma = np.sqrt(variance[x] + light)
        difference = (row[x] - offset - around) / sigma
        dark = light < np.float32(_DARK) * variance[x] and abs(difference) < np.float32(_OUTLIER)
        one = np.float32(1) if dark else np.float32(0)
        count += one
        total += one * difference
        sigmas += one * sigma
    return count, total, sigmas


@serial
def _block_sums(data, offsets, around_offsets, reach, gain, variance, sums):
    """Add a block of columns to every row's sums; each row is seen beside the rows of its phase around it."""
    h, width = data.shape
    p = gain.shape[0]
    run = np.zeros((p, width), np.float64)
    for y in range(h):
        s, k = y % p, y // p
        n = (h - s + p - 1) // p
        if k == 0:
            for i in range(-reach, reach + 1):
                row = data[_reflected(i, n) * p + s]
                for x in range(width):
                    run[s, x] += row[x]
        else:
            _slide(run[s], data[_reflected(k + reach, n) * p + s], data[_reflected(k - 1 - reach, n) * p + s])
        found = _row_sum(data[y], run[s], 2 * reach, offsets[y], around_offsets[y], gain[s], variance[s])
        sums[0, y] += found[0]
        sums[1, y] += found[1]
        sums[2, y] += found[2]


def _offsets(mosaic: Mosaic, noise: NoiseModel, width: int) -> np.ndarray:
    """Offsets of the rows of a mosaic, relative to the rows within `width` of them: float32 H."""
    h, w = mosaic.data.shape
    period = mosaic.cfa.shape[0]
    block = min(_BLOCK, w // period * period)
    starts = np.linspace(0, w - block, max(1, min(_PLACES, w) // block)).astype(int) // period * period
    offsets = np.zeros(h, np.float32)
    reach = max(2, width // period + 1)
    for _ in range(_ROUNDS):
        around = _means_around(offsets, period, reach)

        def work(start: int, offsets: np.ndarray = offsets, around: np.ndarray = around) -> np.ndarray:
            colours = mosaic.cfa[:, (start + np.arange(block)) % period]
            gain = np.array(noise.gain, np.float32)[colours]
            variance = np.array(noise.read, np.float32)[colours] ** 2
            sums = np.zeros((3, h), np.float32)
            _block_sums(mosaic.data[:, start : start + block], offsets, around, reach, gain, variance, sums)
            return sums

        count, total, sigmas = sum(each(work, starts), np.zeros((3, h), np.float32))
        mean, mean_sigma = total / np.maximum(count, 1), sigmas / np.maximum(count, 1)
        # the lines around take part in the difference with their own chance
        chance = (1 + 1 / (2 * reach)) / np.maximum(count, 1)
        usable = (count >= _FEWEST) & (np.abs(mean) < _LARGEST)
        if not usable.any():
            return offsets
        # banding is everywhere, dark edges of the scene in a few lines: the usual size is that of banding
        usual = 1.4826 * float(np.median(np.abs(mean[usable])))
        usable &= np.abs(mean) < _UNUSUAL * usual
        excess = max(usual**2 - float(np.median(chance[usable])), 0.0) if usable.any() else 0.0
        if excess == 0:
            return offsets
        offsets = offsets + np.where(usable, excess / (excess + chance) * mean * mean_sigma, 0).astype(
            np.float32
        )
    return offsets


def _means_around(offsets: np.ndarray, period: int, reach: int) -> np.ndarray:
    """Mean of the offsets of the rows of the same phase around each row, itself left out."""
    around = np.empty_like(offsets)
    for phase in range(period):
        same = offsets[phase::period, None]
        mean = cv2.blur(same, (1, 2 * reach + 1), borderType=cv2.BORDER_REFLECT_101)
        around[phase::period] = ((mean.reshape(same.shape) * (2 * reach + 1) - same) / (2 * reach))[:, 0]
    return around


def _take(data: np.ndarray, offsets: np.ndarray) -> None:
    if offsets.any():
        data -= offsets


def remove_banding(
    mosaic: Mosaic, noise: NoiseModel, rows: bool, columns: bool, width: int
) -> tuple[float, float]:
    """Take the common offsets of rows and of columns from a mosaic, in place.

    Parameters
    ----------
    mosaic : with black at 0.
    noise : its noise model; the read noise decides what is dark.
    rows, columns : which direction is treated.
    width : widest band in pixels, 1…200.

    Returns
    -------
    The standard deviation of what was taken from rows and from columns (relative to white).
    """
    found = [0.0, 0.0]
    data = mosaic.data
    if rows:
        offsets = _offsets(mosaic, noise, width)
        found[0] = float(offsets.std())
        _take(data, offsets[:, None])
    if columns:
        turned = Mosaic(np.ascontiguousarray(data.T), np.ascontiguousarray(mosaic.cfa.T))
        offsets = _offsets(turned, noise, width)
        found[1] = float(offsets.std())
        _take(data, offsets)
    return found[0], found[1]
