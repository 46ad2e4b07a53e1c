"""Black and white levels: raw counts to the 0…1 scale of a mosaic."""

from __future__ import annotations

import numpy as np

from irvane.core.kernels import serial
from irvane.core.threads import share_out


@serial
def _scale_row(counts, black, factor, out):
    for x in range(counts.size):
        out[x] = (np.float32(counts[x]) - black[x]) * factor[x]


@serial
def _scale(begin, end, counts, black, factor, out):
    for y in range(begin, end):
        _scale_row(counts[y], black[y % black.shape[0]], factor[y % black.shape[0]], out[y])


def apply_levels(
    counts: np.ndarray,
    cfa: np.ndarray,
    black: np.ndarray,
    white: np.ndarray,
    uneven: np.ndarray | None = None,
) -> np.ndarray:
    """Subtract black and scale so that the white level becomes 1.

    Parameters
    ----------
    counts : uint16, H×W.
    cfa : int, the repeating pattern.
    black, white : levels of red, green, blue in counts, white > black.
    uneven : what the black level of each place of the pattern is above that of its colour.

    Returns
    -------
    float32, H×W; noise below black stays negative.
    """
    out = np.empty(counts.shape, np.float32)
    factor = (1.0 / (np.asarray(white, float) - np.asarray(black, float))).astype(np.float32)
    period, width = cfa.shape[0], counts.shape[1]
    places = np.asarray(black, float)[cfa] + (0 if uneven is None else uneven)
    across = np.arange(width) % period
    share_out(
        _scale,
        len(counts),
        np.ascontiguousarray(counts),
        places.astype(np.float32)[:, across],
        factor[cfa][:, across],
        out,
    )
    return out
