"""Black and white levels: raw counts to the 0…1 scale of a mosaic."""

from __future__ import annotations

import numba
import numpy as np


@numba.njit(parallel=True, cache=True, nogil=True)
def _scale(counts, cfa, black, factor, out):
    p = cfa.shape[0]
    for y in numba.prange(counts.shape[0]):
        for x in range(counts.shape[1]):
            c = cfa[y % p, x % p]
            out[y, x] = (np.float32(counts[y, x]) - black[c]) * factor[c]


def apply_levels(counts: np.ndarray, cfa: np.ndarray, black: np.ndarray, white: np.ndarray) -> np.ndarray:
    """Subtract black and scale so that the white level becomes 1.

    Parameters
    ----------
    counts : uint16, H×W.
    cfa : int, the repeating pattern.
    black, white : levels of red, green, blue in counts, white > black.

    Returns
    -------
    float32, H×W; noise below black stays negative.
    """
    out = np.empty(counts.shape, np.float32)
    factor = (1.0 / (np.asarray(white, float) - np.asarray(black, float))).astype(np.float32)
    _scale(counts, np.ascontiguousarray(cfa, dtype=np.int64), np.asarray(black, np.float32), factor, out)
    return out
