"""Clipped samples of a mosaic, raised to what they would have held: interpolation then sees no false edge of
colour.

Across the border of a clipped area the differences between the colours would be those of the clip: one pixel
beside it would turn magenta. What a sample would have held comes from :mod:`irvane.core.sensor.highlights`,
given the colours around it. Where a colour is gone altogether it is rebuilt again, from the finished picture.
"""

from __future__ import annotations

import cv2
import numpy as np

from irvane.core.image import Mosaic
from irvane.core.kernels import inline, serial
from irvane.core.sensor.clipping import CLIP_FULL, CLIP_START, rows_near_clip
from irvane.core.sensor.demosaic import bin_colour
from irvane.core.sensor.highlights import MAP_SIDE, HighlightMap, make_map
from irvane.core.sensor.rebuilding import NUMBERS, look_up, rebuild_pixels
from irvane.core.threads import share_out

#: Name and version of how clipped samples are raised (with what the map says of them), part of cache keys.
NAME = "raised@3"
#: Pixels of the mosaic around a sample that it depends on.
REACH = 2
#: Samples are raised to this at most, relative to clipping.
_MOST = 3.0


def map_of(mosaic: Mosaic, gains: np.ndarray, bits: np.ndarray | None) -> HighlightMap:
    """What the colours of the surroundings say about clipped ones, from the mosaic alone; `bits` as of
    clip_bits."""
    if bits is None:
        return HighlightMap(None, mosaic.data.shape, 0.0)
    small = bin_colour(mosaic)
    factor = -(-max(small.shape[:2]) // MAP_SIDE)
    h, w = (max(1, side // factor) for side in small.shape[:2])
    small = cv2.resize(small[: h * factor, : w * factor], (w, h), interpolation=cv2.INTER_AREA)
    return make_map(small, gains, mosaic.data.shape, bits)


def _windows(cfa: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Colours of the pixels around every place of an array, and their weights in the mean of their colour.

    Returns
    -------
    int64 and float32, places × pixels of the window.
    """
    period, reach = cfa.shape[0], np.arange(-REACH, REACH + 1)
    places = (np.arange(period)[:, None] + reach) % period
    colours = cfa[places[:, None, :, None], places[None, :, None, :]].reshape(period * period, -1)
    near = 1 / (np.add.outer(reach**2, reach**2).ravel() ** 2 + 0.01)
    weights = np.empty(colours.shape, np.float32)
    for c in range(3):
        own = (colours == c) * near
        weights = np.where(colours == c, own / np.maximum(own.sum(axis=1, keepdims=True), 1e-9), weights)
    return np.ascontiguousarray(colours, dtype=np.int64), weights


@inline
def _colours_at(data, kinds, weights, p, y, x, colours):
    """Means of the colours around a sample (at the rim: around the nearest that has a whole window)."""
    j, i = min(max(y, REACH), data.shape[0] - 1 - REACH), min(max(x, REACH), data.shape[1] - 1 - REACH)
    place = (j % p) * p + i % p
    colours[:3] = 0
    for k in range(kinds.shape[1]):
        v = data[j - REACH + k // (2 * REACH + 1), i - REACH + k % (2 * REACH + 1)]
        colours[kinds[place, k]] += weights[place, k] * v


@serial
def _raise(begin, end, data, before, cfa, kinds, weights, gains, limits, rows, numbers, steps, corner, out):
    p, w = cfa.shape[0], data.shape[1]
    for y in range(begin, end):
        count = 0
        if rows[y]:
            for x in range(w):
                count += before[y, x] >= limits[1]
        if not count:
            continue
        seen, found = np.empty(3 * count, np.float32), np.empty(NUMBERS * count, np.float32)
        k = 0
        for x in range(w):
            if before[y, x] >= limits[1]:
                _colours_at(data, kinds, weights, p, y, x, seen[k : k + 3])
                seen[k + cfa[y % p, x % p]] = max(data[y, x], limits[1])
                at_y, at_x = (corner[0] + y + 0.5) * steps[0] - 0.5, (corner[1] + x + 0.5) * steps[1] - 0.5
                n = NUMBERS * (k // 3)
                look_up(numbers, at_y, at_x, found[n : n + NUMBERS])
                k += 3
        raised = seen.copy()
        rebuild_pixels(seen, found, gains, limits[0], limits[1], raised)
        k = 0
        for x in range(w):
            if before[y, x] >= limits[1]:
                out[y, x] = min(max(raised[k + cfa[y % p, x % p]], data[y, x]), np.float32(_MOST))
                k += 3


def unclipped(
    mosaic: Mosaic, before: np.ndarray, gains: np.ndarray, lent: HighlightMap, top: int, left: int
) -> Mosaic:
    """The mosaic with its clipped samples raised; the same one when nothing clips.

    Parameters
    ----------
    mosaic : a part of a frame, 1 = clipping.
    before : the same part before denoising, as far as its clipping is believed: it tells what is clipped.
    gains : white-balance gains of the shot.
    lent : the map of the whole frame, in the sensor's orientation.
    top, left : where the part lies in the frame.
    """
    if lent.numbers is None or min(before.shape) <= 2 * REACH:
        return mosaic
    rows = rows_near_clip(before)
    if not rows.any():
        return mosaic
    data = np.ascontiguousarray(mosaic.data)
    out = data.copy()
    numbers = np.ascontiguousarray(lent.numbers)
    steps = np.array(numbers.shape[:2]) / lent.extent
    limits = np.array([CLIP_START, CLIP_FULL], np.float32)
    cfa = np.ascontiguousarray(mosaic.cfa, dtype=np.int64)
    corner = np.array([top, left], np.float64)
    kinds, weights = _windows(cfa)
    share_out(
        _raise,
        len(data),
        data,
        before,
        cfa,
        kinds,
        weights,
        gains.astype(np.float32),
        limits,
        rows,
        numbers,
        steps,
        corner,
        out,
    )
    return Mosaic(out, mosaic.cfa)
