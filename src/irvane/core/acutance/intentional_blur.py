"""Blur that is wanted: a background out of focus, a background that a panning camera drew out; and the focus
that lies elsewhere.

A frame with sharp places was focused. What is soft in it is depth, or movement along one direction, and is
left alone. Where the middle of the frame is soft and something beside it is sharp, the focus may lie on the
wrong thing; that is said, not undone.
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
from irvane.core.acutance.blurs import Blur
from irvane.core.acutance.edge_blur import Edges

#: Pixels of a block of the map; edges that a block needs.
_BLOCK, _FEW = 64, 4
#: σ, in pixels, of edges that count as sharp, and from which they are soft.
SHARP, SOFT = 0.9, 1.8
#: Shares of the blocks with edges that are sharp at least in the middle of a frame that was focused on it,
#: and soft in one with a blurred background; blocks that must be known.
_FOCUSED, _BLURRED, _KNOWN = 0.04, 0.12, 12
#: A frame is strongly blurred where this share of the blocks with edges has at most, and the others at least,
#: so much (σ, pixels).
_RATHER, _STRONG = 0.7, 2.2
#: σ, in pixels, from which nothing is sharp beside whatever blur.
_ANY = 1.5
#: Degrees from a movement within which edges lie across it; share of the blocks with such edges that stood
#: still, at least.
_ACROSS, _STILL = 30.0, 0.05
#: The middle of a frame: this share of its sides; how many times rarer sharp places are there where the focus
#: lies elsewhere.
_MIDDLE, _RARER = 0.5, 4.0


def softness_map(edges: Edges, extent: tuple[int, int]) -> np.ndarray:
    """Blur of the edges of every block, σ in pixels: float32, about a value for every 64 pixels; not a number
    where there are too few."""
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


def _sharp(found: np.ndarray) -> tuple[np.ndarray, bool]:
    """Blocks that are sharp for themselves, and whether they are enough for a frame that was focused.

    Beside a strong blur what has half of it at most is sharp: pictures that are reduced or coded, and lenses,
    are seldom sharper.
    """
    known = np.isfinite(found)
    most = float(np.quantile(found[known], _RATHER)) if known.any() else 0.0
    strong = most >= _STRONG
    limit, near, share, least = (
        (min(max(SHARP, most / 2), _ANY), 4, 0.03, 4) if strong else (SHARP, 2, 0.04, 3)
    )
    sharp = known & (np.where(known, found, np.inf) < limit)
    # a single sharp block among soft ones is chance
    sharp &= cv2.boxFilter(sharp.astype(np.float32), -1, (3, 3), normalize=False) >= near
    return sharp, bool(sharp.sum() >= max(share * known.sum(), least))


def soft_places(found: np.ndarray) -> np.ndarray | None:
    """Where a focused frame is soft: bool of the map's size, without what touches sharp places; None where a
    frame has no sharp places, or little that is soft.

    Parameters
    ----------
    found : of :func:`softness_map`.
    """
    known = np.isfinite(found)
    if known.sum() < _KNOWN:
        return None
    soft = known & (np.where(known, found, 0) > SOFT)
    sharp, focused = _sharp(found)
    if not focused or soft.sum() < _BLURRED * known.sum():
        return None
    near = cv2.dilate(sharp.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
    return np.asarray(~near & ~sharp & (soft | ~known))


def stands_still(blur: Blur, edges: Edges, extent: tuple[int, int]) -> bool:
    """Did part of a frame not move as the rest did? Edges along a movement stay sharp, so those across it are
    asked."""
    off = np.abs((edges.across - np.radians(blur.angle) + np.pi / 2) % np.pi - np.pi / 2)
    found = softness_map(edges.chosen(off < np.radians(_ACROSS)), extent)
    known = np.isfinite(found)
    sharp, _ = _sharp(found)
    return bool(known.sum() >= _KNOWN and sharp.sum() >= max(_STILL * known.sum(), 5))


def lies_elsewhere(found: np.ndarray) -> bool:
    """Is the middle of the frame soft, and something beside it sharp?"""
    known = np.isfinite(found)
    sharp = known & (np.where(known, found, np.inf) < SHARP)
    h, w = found.shape
    middle = np.zeros(found.shape, bool)
    rows, columns = (round(n * (1 - _MIDDLE) / 2) for n in (h, w))
    middle[rows : h - rows, columns : w - columns] = True
    inside, outside = (
        float(sharp[part & known].mean()) if (part & known).any() else 0.0 for part in (middle, ~middle)
    )
    return bool((middle & known).sum() >= _FEW and outside > _RARER * max(inside, 1e-3) and inside < _FOCUSED)


def judged(
    cause: Cause, found: np.ndarray, rest: Cause | None, edges: Edges, extent: tuple[int, int]
) -> Cause:
    """What softened a frame, with blur that is wanted told as such: nothing is undone then.

    Parameters
    ----------
    found : of :func:`softness_map`. rest : what softened its soft places alone; None where it has none.
        edges, extent : of the frame.
    """
    if rest is None:
        return cause
    moved = rest if rest.cause == MOTION else cause
    if moved.cause == MOTION and moved.blur is not None:
        if not stands_still(moved.blur, edges, extent):
            return moved
        return replace(moved, cause=NONE, blur=None, wanted=PANNING, beside=moved.blur)
    if cause.cause == NONE and rest.cause != DEFOCUS:
        return cause  # shadows and haze are soft in sharp frames too
    elsewhere = lies_elsewhere(found)
    if cause.cause == DEFOCUS and elsewhere:
        return cause  # it is undone, and what is sharp beside it left alone
    wanted = ELSEWHERE if elsewhere else BACKGROUND
    sure = cause.confidence if cause.cause in (NONE, UNSURE) else 0.5
    return replace(cause, cause=NONE, confidence=max(sure, 0.5), blur=None, wanted=wanted, beside=rest.blur)
