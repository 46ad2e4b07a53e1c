"""Continuing a mosaic beyond its border so that every colour stays in its place."""

from __future__ import annotations

import numpy as np

#: Is the first row, last row, first column, last column of a piece the frame's?
Borders = tuple[bool, bool, bool, bool]
ALL_BORDERS: Borders = (True, True, True, True)


def mirrored(size: int, before: int, after: int, first: int, apart: int) -> np.ndarray:
    """Indices that continue `size` rows or columns by reflections that keep the colours of the array.

    Parameters
    ----------
    size : rows (columns) there are.
    before, after : how many are wanted before the first and after the last.
    first, apart : the array is symmetric about row `first` and every `apart`th from there. A Bayer array is
        about all of them, the 6×6 array about every third.

    Returns
    -------
    int, before + size + after indices into the rows.
    """
    index = np.arange(-before, size + after)
    low = first % apart
    high = size - 1 - (size - 1 - first) % apart
    if high <= low:
        return np.clip(index, 0, size - 1)
    around = np.abs((index - high) % (2 * (high - low)) - (high - low)) + low
    return np.where((index < 0) | (index >= size), around, index)
