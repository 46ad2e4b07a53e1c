"""How steeply a finished picture passes on differences of light, measured against another picture of the same
scene: its curve is not known, but its own pixels and those of a raw beside it tell it.

The incremental gain of ISO 15739 (the slope of the opto-electronic conversion function), between pictures:
their light at many places of the scene, averaged so that noise does not matter, gives it around a level.
"""

from __future__ import annotations

import cv2
import numpy as np

from irvane.core.image import LUMA_709
from irvane.core.pixels.grids import centres, on_grid

#: Places that are compared, across and down; the longer side of the copies in which they are read.
ACROSS, DOWN, SIDE = 64, 48, 480
#: Light at which a finished picture is clipped or black, and how far colours lie from grey at most (their
#: curves bend apart), as shares.
_WHITE, _BLACK, _COLOURED, _GREY = 0.97, 2.0**-10, 0.5, 0.25
#: EV around a level that tell its slope (as a standard deviation; more where too little lies there), fewest
#: places, least spread of them (EV²), and the range that is believed.
_NEAR, _FEWEST, _LEAST_SPREAD, _FLATTEST, _STEEPEST = (0.45, 0.9, 1.8), 24, 0.01, 0.15, 4.0
#: Rounds in which places that lie off are given less weight, and how far off in median deviations.
_ROUNDS, _OFF = 4, 3.0


def node_places(extent: tuple[int, int]) -> np.ndarray:
    """Places (N×2: x, y) spread over a picture of a height and width."""
    h, w = extent
    x, y = np.meshgrid(centres(ACROSS, step=w / ACROSS), centres(DOWN, step=h / DOWN))
    return np.column_stack([x.ravel(), y.ravel()])


def nodes_of(light: np.ndarray, extent: tuple[int, int], places: np.ndarray) -> np.ndarray:
    """Luminance at places of a picture, as EV, and how coloured it is there: float64 N×2, NaN outside.

    Parameters
    ----------
    light : the picture reduced, as it is shown: linear sRGB, float32 H×W×3, 0…1. extent : its height and
        width in full.
    places : N×2 (x, y) in pixels of the full picture.
    """
    h, w = light.shape[:2]
    even = cv2.GaussianBlur(light, (0, 0), 1.0)
    where = on_grid(places * np.array([w / extent[1], h / extent[0]]))
    maps = np.nan_to_num(where, nan=-9.0).astype(np.float32)[None]
    found = cv2.remap(
        even, maps[..., 0], maps[..., 1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT,
        borderValue=(-1.0, -1.0, -1.0),
    )[0].astype(np.float64)  # fmt: skip
    level = found @ LUMA_709
    good = (found > 0).all(axis=1) & (found.max(axis=1) < _WHITE)
    coloured = np.ptp(found, axis=1) / np.maximum(found.max(axis=1), 1e-9)
    return np.column_stack(
        [np.where(good & (level > _BLACK), np.log2(np.maximum(level, 1e-9)), np.nan), coloured]
    )


def relative_slope(own: np.ndarray, reference: np.ndarray, level: float) -> float | None:
    """EV of a picture per EV of the reference around a level (EV) of the picture; None where too little tells
    it.

    Parameters
    ----------
    own, reference : of :func:`nodes_of`, at the same places of the scene.
    """
    for near in _NEAR:
        found = _slope_near(own, reference, level, near)
        if found is not None:
            return found
    return None


def _slope_near(own: np.ndarray, reference: np.ndarray, level: float, reach: float) -> float | None:
    usable = np.isfinite(own).all(axis=1) & np.isfinite(reference).all(axis=1) & (own[:, 1] < _COLOURED)
    y, x = own[usable, 0], reference[usable, 0]
    grey = np.exp(-0.5 * (own[usable, 1] / _GREY) ** 2)
    near = np.exp(-0.5 * ((y - level) / reach) ** 2)
    if x.size < _FEWEST or (near * grey).sum() < _FEWEST / 4:
        return None
    trust, slope = np.ones_like(near), 1.0
    for _ in range(_ROUNDS):
        w = near * grey * trust
        total = float(w.sum())
        if total < _FEWEST / 8:
            return None
        mx, my = float((w * x).sum()) / total, float((w * y).sum()) / total
        dx, dy = x - mx, y - my
        xx, yy, xy = (float((w * product).sum()) for product in (dx * dx, dy * dy, dx * dy))
        if xy <= 0 or yy < _LEAST_SPREAD * total:
            return None
        # the line that lies nearest to the places in both: the errors of both are alike
        slope = (yy - xx + float(np.hypot(yy - xx, 2 * xy))) / (2 * xy)
        off = np.abs(dy - slope * dx)
        limit = _OFF * max(float(np.median(off[near > 0.1])), 1e-4)
        trust = 1 / (1 + (off / limit) ** 2)
        # near in both: a choice by one alone would tilt the line
        along = 0.5 * ((y - level) + slope * dx + my - level)
        near = np.exp(-0.5 * (along / reach) ** 2)
    return float(np.clip(slope, _FLATTEST, _STEEPEST))
