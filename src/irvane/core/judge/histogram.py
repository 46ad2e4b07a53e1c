"""Histograms that count stops: from clipping downwards."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from irvane.core.image import LUMA_2020
from irvane.core.kernels import flat, serial

#: Range of the histogram in stops below white, and bins per stop.
STOPS = 14
BINS_PER_STOP = 6


@dataclass(frozen=True)
class StopHistogram:
    """Share of pixels per bin of log2(value), for red, green, blue and luminance.

    Attributes
    ----------
    counts : float32, 4 × (STOPS·BINS_PER_STOP); bin 0 is the darkest, the last ends at white (1.0).
    below, above : shares under the range and at or above white, per row.
    """

    counts: np.ndarray
    below: np.ndarray
    above: np.ndarray


#: Where the bins of an octave begin, in the 23 bits after the leading one of a float, and the octave's end.
_EDGES = np.append(
    (np.float32(2) ** (np.arange(BINS_PER_STOP, dtype=np.float32) / BINS_PER_STOP)).view(np.int32) & 0x7FFFFF,
    1 << 23
)  # fmt: skip
#: The bin in which each 32nd of an octave begins: bins are wider, so that its values are in this one or the
#: next.
_CELLS = np.searchsorted(_EDGES, np.arange(32) << 18, side="right") - 1


@serial
def _count(bits, first, stride, cells, edges, counts):
    """Count positive floats, given by their bits, into `counts`: those below the range, the bins, those above
    it."""
    last = counts.size - 1
    for i in range(first, bits.size, stride):
        value = bits[i]
        mantissa = value & 0x7FFFFF
        part = cells[np.uintp(mantissa >> 18)]
        part += mantissa >= edges[np.uintp(part + 1)]
        place = ((value >> 23) - 127 + STOPS) * BINS_PER_STOP + part + 1
        counts[np.uintp(min(max(place, 0), last))] += 1


@serial
def _clipped(values, lightest, darkest):
    white = black = 0
    for i in range(values.size // 3):
        highest = max(values[3 * i], values[3 * i + 1], values[3 * i + 2])
        white += highest >= lightest
        black += highest <= darkest
    return white, black


def stop_histogram(linear: np.ndarray) -> StopHistogram:
    """Histogram of linear pixels (float32 H×W×3, 1 = white)."""
    pixels = flat(np.asarray(linear, np.float32))
    luminance = pixels.reshape(-1, 3) @ LUMA_2020
    counts = np.zeros((4, STOPS * BINS_PER_STOP + 2), np.int64)
    for k in range(3):
        _count(pixels.view(np.int32), k, 3, _CELLS, _EDGES, counts[k])
    _count(luminance.view(np.int32), 0, 1, _CELLS, _EDGES, counts[3])
    shares = counts / max(luminance.size, 1)
    return StopHistogram(shares[:, 1:-1].astype(np.float32), shares[:, 0], shares[:, -1])


def clipped_shares(display: np.ndarray) -> tuple[float, float]:
    """Shares of pixels of a finished picture (linear 0…1) with a colour at white, and black in all
    colours."""
    white, black = _clipped(flat(display), 0.9995, 0.0002)
    pixels = max(display.size // 3, 1)
    return white / pixels, black / pixels
