"""Histograms that count stops: from clipping downwards."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

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


def stop_histogram(linear: np.ndarray) -> StopHistogram:
    """Histogram of linear pixels (float H×W×3, 1 = white)."""
    flat = linear.reshape(-1, 3)
    luminance = flat @ np.array([0.2627, 0.6780, 0.0593], np.float32)
    rows = [flat[:, 0], flat[:, 1], flat[:, 2], luminance]
    bins = STOPS * BINS_PER_STOP
    counts = np.zeros((4, bins), np.float32)
    below, above = np.zeros(4), np.zeros(4)
    for k, row in enumerate(rows):
        stops = np.log2(np.maximum(row, 1e-9)) + STOPS
        index = np.floor(stops * BINS_PER_STOP).astype(np.int64)
        inside = (index >= 0) & (index < bins)
        counts[k] = np.bincount(index[inside], minlength=bins) / max(row.size, 1)
        below[k] = float(np.mean(index < 0))
        above[k] = float(np.mean(index >= bins))
    return StopHistogram(counts, below, above)


def clipped_shares(display: np.ndarray) -> tuple[float, float]:
    """Shares of pixels of a finished picture (linear 0…1) with a colour at white, and black in all colours."""
    white = float((display >= 0.9995).any(axis=2).mean())
    black = float((display <= 0.0002).all(axis=2).mean())
    return white, black
