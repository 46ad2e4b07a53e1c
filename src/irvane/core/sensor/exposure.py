"""How the sensor was exposed: the values of the mosaic counted in stops below clipping, and the room above
them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from irvane.core.image import Mosaic
from irvane.core.kernels import serial
from irvane.core.powers import log2
from irvane.core.sensor.clipping import CLIP_FULL
from irvane.core.threads import each, strips

#: Range in stops below clipping; bins per stop.
STOPS = 14
BINS_PER_STOP = 48
#: The brightest pixels of a colour: all but this share lie below them.
_BRIGHTEST = 0.001


@dataclass(frozen=True)
class SensorExposure:
    """Shares of each colour's pixels by brightness.

    Attributes
    ----------
    counts : float64, 3 × (STOPS·BINS_PER_STOP), bin 0 the darkest, the last ends at clipping.
    below, clipped : shares under the range, and at clipping.
    headroom : stops between the brightest thousandth of each colour and clipping; 0 where that is clipped.
    """

    counts: np.ndarray
    below: np.ndarray
    clipped: np.ndarray
    headroom: tuple[float, float, float]


@serial
def _count(data, first, cfa, limit, found):
    """Counts per colour; place 0 is under the range, the last at clipping."""
    p = cfa.shape[0]
    bins = found.shape[1] - 2
    places = np.empty(data.shape[1], np.int32)
    for y in range(data.shape[0]):
        row = data[y]
        for x in range(row.size):
            stops = log2(max(row[x], np.float32(1e-9))) + np.float32(STOPS)
            place = np.int32(
                min(max(stops * np.float32(BINS_PER_STOP), np.float32(-1)), np.float32(bins - 1)) + 1
            )
            place = min(max(place, np.int32(0)), np.int32(bins))
            places[x] = np.int32(bins + 1) if row[x] >= limit else place
        for x in range(row.size):
            found[cfa[(first + y) % p, x % p], places[x]] += 1


def sensor_exposure(mosaic: Mosaic) -> SensorExposure:
    """Count a mosaic's pixels by stops below clipping."""
    bins = STOPS * BINS_PER_STOP
    cfa = np.ascontiguousarray(mosaic.cfa, dtype=np.int64)

    def work(rows: tuple[int, int]) -> np.ndarray:
        found = np.zeros((3, bins + 2), np.int64)
        _count(mosaic.data[rows[0] : rows[1]], rows[0], cfa, np.float32(CLIP_FULL), found)
        return found

    total = sum(each(work, strips(mosaic.data.shape[0], 64)), np.zeros((3, bins + 2), np.int64))
    shares = total / np.maximum(total.sum(axis=1, keepdims=True), 1)
    return SensorExposure(shares[:, 1:-1], shares[:, 0], shares[:, -1], _headroom(shares))


def _headroom(shares: np.ndarray) -> tuple[float, float, float]:
    found = []
    for row in shares:
        if row[-1] >= _BRIGHTEST:
            found.append(0.0)
            continue
        above = np.cumsum(row[::-1])[::-1]
        place = int(
            np.nonzero(above >= _BRIGHTEST)[0][-1]
        )  # the bin that holds the brightest thousandth's lowest
        found.append(STOPS - (place - 0.5) / BINS_PER_STOP)
    return found[0], found[1], found[2]
