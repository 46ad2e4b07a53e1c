"""Pixels that the file itself lists as broken, put right (DNG specification, FixBadPixelsList)."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from irvane.core.image import Mosaic
from irvane.core.lens.optics import BadPixels, Correction

#: A list longer than this share of the frame is damaged, and not believed.
_BELIEVED = 0.02


def mend_listed(mosaic: Mosaic, corrections: Iterable[Correction]) -> int:
    """Give the listed pixels, in place, the median of the nearest ones of their colour that are not listed.

    Returns how many there were. Lists of values that mark a pixel are left to the search for defects.
    """
    h, w = mosaic.data.shape
    bad = np.zeros((h, w), bool)
    for one in corrections:
        if not isinstance(one, BadPixels):
            continue
        for y, x in one.points:
            if 0 <= y < h and 0 <= x < w:
                bad[y, x] = True
        for top, left, bottom, right in one.rectangles:
            bad[max(top, 0) : max(bottom, 0), max(left, 0) : max(right, 0)] = True
    count = int(np.count_nonzero(bad))
    if not 0 < count <= _BELIEVED * bad.size:
        return 0
    colours, before = mosaic.colours(), mosaic.data.copy()
    for y, x in np.argwhere(bad):
        for reach in (2, 3, 6, 12):
            rows, columns = slice(max(0, y - reach), y + reach + 1), slice(max(0, x - reach), x + reach + 1)
            usable = (colours[rows, columns] == colours[y, x]) & ~bad[rows, columns]
            if np.count_nonzero(usable) >= 3:
                mosaic.data[y, x] = np.median(before[rows, columns][usable])
                break
    return count
