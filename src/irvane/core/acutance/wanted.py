"""Blur that is wanted: a background out of focus, a background that a panning camera drew out; and the focus that lies elsewhere.

A frame with sharp places was focused. What is soft in it is depth, or movement along one direction, and is left alone. Where the middle
of the frame is soft and something beside it is sharp, the focus may lie on the wrong thing; that is said, not undone.
"""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np

from irvane.core.acutance.blur_cause import (
    BACKGROUND,
    DEFOCUS,
    ELSEWHERE,
    MOTION,
    NONE,
    PANNING,
    UNSURE,
    Cause,
)
from irvane.core.acutance.edge_blur import Edges

#: Pixels of a block of the map; edges that a block needs.
_BLOCK, _FEW = 64, 4
#: σ, in pixels, of edges that count as sharp, and from which they are soft.
SHARP, SOFT = 0.9, 1.8
#: Shares of the blocks with edges that are sharp at least in a frame that was focused, and soft in one with a blurred background;
#: blocks that must be known.
_FOCUSED, _BLURRED, _KNOWN = 0.04, 0.12, 12
#: The middle of a frame: this share of its sides; how many times rarer sharp places are there where the focus lies elsewhere.
_MIDDLE, _RARER = 0.5, 4.0


def softness_map(edges: Edges, extent: tuple[int, int]) -> np.ndarray:
    """Blur of the edges of every block, σ in pixels: float32, about a value for every 64 pixels; not a number where there are too few."""
    h, w = max(1, round(extent[0] / _BLOCK)), max(1, round(extent[1] / _BLOCK))
    rows = np.minimum(edges.y * h / extent[0], h - 1).astype(int)
    columns = np.minimum(edges.x * w / extent[1], w - 1).astype(int)
    order = np.lexsort((edges.sigma, rows * w + columns))
    cells = (rows * w + columns)[order]
    first = np.searchsorted(cells, np.arange(h * w))
    count = np.searchsorted(cells, np.arange(h * w), side="right") - first
    found = np.full(h * w, np.nan, np.float32)
    enough = count >= _FEW
    # the sharper ones tell: the others may be soft things
    found[enough] = edges.sigma[order][first[enough] + count[enough] // 4]
    return found.reshape(h, w)


def soft_places(found: np.ndarray) -> np.ndarray | None:
    """Where a focused frame is soft: bool of the map's size, without what touches sharp places; None where a frame has no sharp places, or
    little that is soft.

    Parameters
    ----------
    found : of :func:`softness_map`.
    """
    known = np.isfinite(found)
    if known.sum() < _KNOWN:
        return None
    value = np.where(known, found, 0)
    sharp, soft = known & (value < SHARP), known & (value > SOFT)
    # a single sharp block among soft ones is chance
    alike = cv2.boxFilter(sharp.astype(np.float32), -1, (3, 3), normalize=False)
    sharp &= alike >= 2
    if sharp.sum() < max(_FOCUSED * known.sum(), 3) or soft.sum() < _BLURRED * known.sum():
        return None
    near = cv2.dilate(sharp.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
    return np.asarray(~near & ~sharp & (soft | ~known))


def lies_elsewhere(found: np.ndarray) -> bool:
    """Is the middle of the frame soft, and something beside it sharp?"""
    known = np.isfinite(found)
    sharp = known & (np.where(known, found, 9) < SHARP)
    h, w = found.shape
    middle = np.zeros(found.shape, bool)
    rows, columns = (round(n * (1 - _MIDDLE) / 2) for n in (h, w))
    middle[rows : h - rows, columns : w - columns] = True
    inside, outside = (
        float(sharp[part & known].mean()) if (part & known).any() else 0.0 for part in (middle, ~middle)
    )
    return bool((middle & known).sum() >= _FEW and outside > _RARER * max(inside, 1e-3) and inside < _FOCUSED)


def judged(cause: Cause, found: np.ndarray, rest: Cause | None) -> Cause:
    """What softened a frame, with blur that is wanted told as such: nothing is undone then.

    Parameters
    ----------
    found : of :func:`softness_map`. rest : what softened its soft places alone; None where it has none.
    """
    if rest is None:
        return cause
    if rest.cause == MOTION:
        return replace(cause, cause=NONE, blur=None, wanted=PANNING, beside=rest.blur)
    elsewhere = lies_elsewhere(found)
    if cause.cause == MOTION or (cause.cause == DEFOCUS and elsewhere):
        return cause  # it is undone, and what is sharp beside it left alone
    wanted = ELSEWHERE if elsewhere else BACKGROUND
    sure = cause.confidence if cause.cause in (NONE, UNSURE) else 0.5
    return replace(cause, cause=NONE, confidence=max(sure, 0.5), blur=None, wanted=wanted, beside=rest.blur)
