"""Row and column banding: offsets that whole lines share in the deepest tones, measured and taken away.

Where the sensor's own noise rules (no light, or so little that its noise is small beside the read noise), a line's
mean difference from the lines around it tells its offset, over a thousand and more places to a fraction of the read
noise. Offsets are shrunk by what chance alone would give (Wiener), so that a clean sensor is left as it is; what
exceeds a few read noises is structure of the scene and stays.
"""

from __future__ import annotations

import cv2
import numba
import numpy as np

from irvane.core.image import Mosaic, NoiseModel
from irvane.core.kernels import kernel, serial

#: Pixels count as dark while photon noise has less than this multiple of the read noise's variance.
_DARK = 3.0
#: Places along a line that are looked at, at most; fewer dark ones than the second figure tell nothing.
_PLACES, _FEWEST = 1600, 100
#: Differences beyond this many σ do not count (texture); offsets beyond the second, or beyond so many times their
#: usual size, are the scene's own.
_OUTLIER, _LARGEST, _UNUSUAL = 3.0, 1.1, 3.5
_ROUNDS = 2


@serial
def _row_sum(current, around, gain, variance):
    """Number of dark places of a row, sum of their differences in σ, and of their σ."""
    count, total, sigmas = np.float32(0), np.float32(0), np.float32(0)
    for x in range(current.size):
        light = gain[x] * max(around[x], np.float32(0))
        sigma = np.sqrt(variance[x] + light)
        difference = (current[x] - around[x]) / sigma
        dark = light < np.float32(_DARK) * variance[x] and abs(difference) < np.float32(_OUTLIER)
        one = np.float32(1) if dark else np.float32(0)
        count += one
        total += one * difference
        sigmas += one * sigma
    return count, total, sigmas


@kernel
def _row_sums(current, around, gain, variance, sums):
    period = gain.shape[0]
    for y in numba.prange(current.shape[0]):
        p = y % period
        sums[0, y], sums[1, y], sums[2, y] = _row_sum(current[y], around[y], gain[p], variance[p])


def _offsets(mosaic: Mosaic, noise: NoiseModel, width: int) -> np.ndarray:
    """Offsets of the rows of a mosaic, relative to the rows within `width` of them: float32 H."""
    h, w = mosaic.data.shape
    period = mosaic.cfa.shape[0]
    # whole periods of columns, evenly spread
    starts = np.linspace(0, w - period, max(1, min(_PLACES, w) // period)).astype(int) // period * period
    columns = (starts[:, None] + np.arange(period)).ravel()
    lines = mosaic.data[:, columns]
    colours = mosaic.cfa[np.ix_(np.arange(period), columns % period)]
    gain, variance = np.array(noise.gain, np.float32)[colours], np.array(noise.read, np.float32)[colours] ** 2
    offsets = np.zeros(h, np.float32)
    reach = max(2, width // period + 1)
    sums = np.empty((3, h), np.float32)
    for _ in range(_ROUNDS):
        current = lines - offsets[:, None]
        around = np.empty_like(current)
        for phase in range(period):
            same = np.ascontiguousarray(current[phase::period])
            size = (1, 2 * reach + 1)
            mean = cv2.blur(same, size, borderType=cv2.BORDER_REFLECT_101)
            around[phase::period] = (mean * size[1] - same) / (size[1] - 1)
        _row_sums(current, around, gain, variance, sums)
        count = sums[0]
        mean, mean_sigma = sums[1] / np.maximum(count, 1), sums[2] / np.maximum(count, 1)
        # the lines around take part in the difference with their own chance
        chance = (1 + 1 / (2 * reach)) / np.maximum(count, 1)
        usable = (count >= _FEWEST) & (np.abs(mean) < _LARGEST)
        if not usable.any():
            return offsets
        # banding is everywhere, dark edges of the scene in a few lines: the usual size is that of banding
        usual = 1.4826 * float(np.median(np.abs(mean[usable])))
        usable &= np.abs(mean) < _UNUSUAL * usual
        excess = max(usual**2 - float(np.median(chance[usable])), 0.0) if usable.any() else 0.0
        share = excess / (excess + chance)
        offsets += np.where(usable, share * mean * mean_sigma, 0).astype(np.float32)
    return offsets


def remove_banding(
    mosaic: Mosaic, noise: NoiseModel, rows: bool, columns: bool, width: int
) -> tuple[Mosaic, float, float]:
    """Take the common offsets of rows and of columns from a mosaic.

    Parameters
    ----------
    mosaic : with black at 0.
    noise : its noise model; the read noise decides what is dark.
    rows, columns : which direction is treated.
    width : widest band in pixels, 1…200.

    Returns
    -------
    The treated mosaic, and the standard deviation of what was taken from rows and from columns (relative to white).
    """
    found = [0.0, 0.0]
    data = mosaic.data
    if rows:
        offsets = _offsets(Mosaic(data, mosaic.cfa), noise, width)
        found[0] = float(offsets.std())
        data = data - offsets[:, None] if offsets.any() else data
    if columns:
        turned = Mosaic(np.ascontiguousarray(data.T), np.ascontiguousarray(mosaic.cfa.T))
        offsets = _offsets(turned, noise, width)
        found[1] = float(offsets.std())
        data = data - offsets if offsets.any() else data
    return Mosaic(np.ascontiguousarray(data), mosaic.cfa), found[0], found[1]
