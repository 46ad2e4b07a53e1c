"""The most even place of a developed frame, where its noise can be read."""

from __future__ import annotations

import cv2
import numpy as np

from irvane.core.image import LUMA_2020
from irvane.core.line.develop import Developed
from irvane.core.pixels.places import FrameRegion

#: Frame pixels per pixel of the copy that is looked at: noise is a quarter there, structure wider than that
#: stays. Its pixels along a cell's side, so that a cell is as large as a probe.
_STEP, _CELL = 4.0, 8
#: Light of usual places, as shares of the brightest twentieth; above the last share of white something may be
#: clipped.
_DARKEST, _BRIGHTEST, _CLIPS = 0.06, 1.5, 0.8
#: Weights of the cells around and of the wider surroundings, beside the cell's own evenness: of equals, what
#: lies amid an even area is best. Of equals, too, what is
#: of middle brightness: this share of the brightest twentieth; weight of the squared distance from it in EV.
_NEAR, _WIDER, _MIDDLE, _OFF = 0.3, 0.02, 0.5, 0.15


def even_place(developed: Developed) -> tuple[float, float] | None:
    """The middle of the most even cell of middle brightness, as shares of the frame's width and height.

    None where the frame is too small to tell. Levels of gain do not matter; the sensor's array is not told
    from others.
    """
    h, w = developed.extent
    patch = developed.plain.read(FrameRegion(0, 0, h, w, _STEP))
    grey = np.ascontiguousarray((patch.pixels * developed.gains.astype(np.float32)) @ LUMA_2020, np.float32)
    found = evenest(grey, _CELL)
    if found is None:
        return None
    return min(found[1] * patch.step / w, 1.0), min(found[0] * patch.step / h, 1.0)


def evenest(grey: np.ndarray, cell: int) -> tuple[float, float] | None:
    """The middle (row, column, in pixels) of the most even cell of middle brightness in a plane of light;
    None where it is too small, or nothing is of middle brightness. Cells overlap by half."""
    half = max(cell // 2, 1)
    rows, columns = (side // half for side in grey.shape)
    if min(rows, columns) < 10:
        return None
    cut = grey[: rows * half, : columns * half]
    means = (cv2.resize(p, (columns, rows), interpolation=cv2.INTER_AREA) for p in (cut, cut * cut))
    mean, square = ((p[1:, 1:] + p[1:, :-1] + p[:-1, 1:] + p[:-1, :-1]) / 4 for p in means)
    spread = np.sqrt(np.maximum(square - mean**2, 0)) / np.maximum(mean, 1e-6)
    near, wide = (cv2.dilate(spread, np.ones((side, side), np.uint8)) for side in (5, 13))
    around = spread + _NEAR * near + _WIDER * wide
    bright = float(np.percentile(mean, 95))
    off = np.log2(np.maximum(mean, 1e-6) / max(_MIDDLE * bright, 1e-6))
    around = around * (1 + _OFF * off**2)
    usable = (mean > _DARKEST * bright) & (mean < min(_BRIGHTEST * bright, _CLIPS))
    usable[[0, 1, -2, -1]] = usable[:, [0, 1, -2, -1]] = False
    if not usable.any():
        return None
    row, column = np.unravel_index(int(np.argmin(np.where(usable, around, np.inf))), around.shape)
    return float((row + 1) * half), float((column + 1) * half)
