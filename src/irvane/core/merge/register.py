"""Where a frame lies on another one of the scene, to a fraction of a pixel, whatever moves in it.

From a coarse motion (:mod:`irvane.core.merge.align`) on, small tiles over the whole frame are laid on each
other by themselves (Lucas & Kanade 1981, on brightness brought to equal exposure); a perspective map is then
fitted to their places, and tiles that do not follow it, as moving things do not, are left out (MAGSAC++,
Barath and others 2020, through OpenCV).
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import partial

import cv2
import numpy as np

from irvane.core.merge.align import STILL, Motion, align
from irvane.core.progress import Progress, always, step
from irvane.core.threads import each

#: Side of a tile and how many lie along the longer side, at most.
_TILE, _ALONG = 56, 36
_DOWN, _ACROSS = np.mgrid[0:_TILE, 0:_TILE].astype(np.float32)
#: Rounds of tiles and fit; steps of a tile; pixels that a tile may move in one round.
_ROUNDS, _STEPS, _FARTHEST = 4, 6, 6.0
#: Pixels by which a round must change the map, for another one.
_SETTLED = 0.03
#: A tile's place must be known to so many pixels; a map needs so many of them, over so large a share of the
#: frame.
_KNOWN, _FEWEST, _SPREAD = 0.25, 12, 0.15
#: Pixels that tiles may lie off the map.
_OFF = 0.75
#: Pixels to which the places of tiles are known at best.
_NOISE = 0.03
#: By how much more a perspective, which has more freedom, has to explain.
_RICHER = 1.1
#: Share of a tile that both frames must hold.
_HELD = 0.5
#: Displacement at the corners below which a frame counts as standing still: it is not resampled.
STANDS = 0.15
#: Longer side at which whole pictures are compared.
_WHOLE = 900


@dataclass(frozen=True)
class _Pair:
    """Two pictures in log light of the reference's exposure, where both can be believed."""

    first: np.ndarray
    second: np.ndarray
    low: float
    high: float


def _tiles(shape: tuple[int, int]) -> np.ndarray:
    h, w = shape
    step = max(max(h, w) / _ALONG, _TILE * 0.75)
    half = _TILE / 2 + 4
    ys, xs = np.arange(half, h - half, step), np.arange(half, w - half, step)
    return np.stack(np.meshgrid(xs, ys), axis=-1).reshape(-1, 2)


def _patch(picture: np.ndarray, centre: np.ndarray, matrix: np.ndarray | None) -> np.ndarray:
    """A tile around a place of the reference (x, y), read from the reference or through a map from the
    frame."""
    x = _ACROSS + np.float32(round(centre[0]) - _TILE // 2)
    y = _DOWN + np.float32(round(centre[1]) - _TILE // 2)
    if matrix is not None:
        w = matrix[2, 0] * x + matrix[2, 1] * y + matrix[2, 2]
        x, y = (
            ((matrix[0, 0] * x + matrix[0, 1] * y + matrix[0, 2]) / w).astype(np.float32),
            ((matrix[1, 0] * x + matrix[1, 1] * y + matrix[1, 2]) / w).astype(np.float32),
        )
    return cv2.remap(picture, x, y, cv2.INTER_CUBIC, borderMode=cv2.BORDER_CONSTANT, borderValue=np.nan)


def _logged(patch: np.ndarray, low: float, high: float) -> tuple[np.ndarray, np.ndarray]:
    held = (patch > low) & (patch < high)  # what is no number is neither
    return np.log2(np.fmin(np.fmax(patch, np.float32(low)), np.float32(high))), held


def _median(values: np.ndarray) -> float:
    """The median of an even number of values, in half of the time that NumPy's own takes."""
    middle = values.size // 2
    low, high = np.partition(values, (middle - 1, middle), axis=None)[middle - 1 : middle + 1]
    return float((low + high) / 2)


def _tile_shift(pair: _Pair, matrix: np.ndarray, centre: np.ndarray) -> tuple[np.ndarray, float] | None:
    """How far the frame's tile lies off the map (x, y), and how well that is known; None where it cannot be
    told."""
    first, held = _logged(_patch(pair.first, centre, None), pair.low, pair.high)
    if held.mean() < _HELD:
        return None
    first = cv2.GaussianBlur(first, (0, 0), 0.8)
    gx, gy = (
        cv2.Scharr(first, cv2.CV_32F, 1, 0, scale=1 / 32),
        cv2.Scharr(first, cv2.CV_32F, 0, 1, scale=1 / 32),
    )
    moved = np.zeros(2)
    inner = (slice(4, -4), slice(4, -4))
    for _ in range(_STEPS):
        shift = np.array([[1, 0, moved[0]], [0, 1, moved[1]], [0, 0, 1]])
        second, also = _logged(_patch(pair.second, centre, shift @ matrix), pair.low, pair.high)
        second = cv2.GaussianBlur(second, (0, 0), 0.8)
        weight = (held & also)[inner].astype(np.float32)
        if weight.mean() < _HELD - 0.1:
            return None
        difference = (second - first)[inner]
        difference -= float((weight * difference).sum() / weight.sum())
        weight *= 1 / (1 + (difference / (2.5 * max(_median(np.abs(difference)), 1e-3))) ** 2)
        a, b = gx[inner], gy[inner]
        normal = np.array(
            [
                [(weight * a * a).sum(), (weight * a * b).sum()],
                [(weight * a * b).sum(), (weight * b * b).sum()],
            ]
        )
        if np.linalg.cond(normal) > 400 or normal.trace() < 1e-3:
            return None
        found = -np.linalg.solve(normal, [(weight * a * difference).sum(), (weight * b * difference).sum()])
        moved = moved + found
        if np.abs(moved).max() > _FARTHEST:
            return None
        if np.abs(found).max() < 0.01:
            break
    left = float((weight * difference**2).sum() / max(weight.sum() - 2, 1))
    # neighbouring pixels are not independent after the blur
    known = float(np.sqrt(np.trace(np.linalg.inv(normal)) * left * 6))
    return moved, known


def _fitted(
    places: np.ndarray, there: np.ndarray, shape: tuple[int, int]
) -> tuple[np.ndarray, np.ndarray] | None:
    """A map from places of the reference to those in the frame, and which of them follow it: a turn and a
    shift, or a perspective where that explains more. A perspective alone can be led astray where two planes
    move by themselves."""
    if len(places) < _FEWEST:
        return None
    found: list[tuple[float, np.ndarray, np.ndarray]] = []

    def offer(matrix: np.ndarray | None, factor: float) -> np.ndarray | None:
        if matrix is None:
            return None
        off = np.linalg.norm(_mapped(matrix, places) - there, axis=1)
        good = off < _OFF
        # what lies off counts as if it just did (Torr & Zisserman 2000)
        found.append((factor * float(np.minimum(off, _OFF) @ np.minimum(off, _OFF)), matrix, good))
        return good

    simple, _ = cv2.estimateAffinePartial2D(places, there, ransacReprojThreshold=_OFF, maxIters=4000)
    good = offer(None if simple is None else np.vstack([simple, [0, 0, 1]]), 1.0)
    hull = 0.0
    if good is not None and good.sum() > 2:
        hull = float(cv2.contourArea(cv2.convexHull(places[good].astype(np.float32))))
    if good is not None and good.sum() >= _FEWEST and hull >= _SPREAD * shape[0] * shape[1]:
        offer(cv2.findHomography(places[good], there[good], 0)[0], _RICHER)
    matrix, inliers = cv2.findHomography(
        places, there, cv2.USAC_MAGSAC, _OFF, maxIters=4000, confidence=0.999
    )
    if matrix is not None and inliers is not None and inliers.sum() >= _FEWEST:
        kept = places[inliers.ravel().astype(bool)].astype(np.float32)
        if cv2.contourArea(cv2.convexHull(kept)) >= _SPREAD * shape[0] * shape[1]:
            offer(matrix, _RICHER)
    if not found:
        return None
    _, matrix, good = min(found, key=lambda one: one[0])
    return (matrix, good) if good.sum() >= _FEWEST // 2 else None


def register(
    reference: np.ndarray, frame: np.ndarray, ratio: float, noise: tuple[float, float] = (0.0, 0.0),
    stands: float = STANDS, progress: Progress = always,
) -> Motion:  # fmt: skip
    """Motion of `frame` against `reference`.

    Parameters are those of :func:`irvane.core.merge.align.align`. A frame that lies within `stands` pixels at
    the corners stands still.
    """
    motion = align(reference, frame, ratio, noise)
    shape = reference.shape[:2]
    low = max(6 * noise[0], 6 * noise[1] * ratio, 2e-4)
    high = 0.9 * min(1.0, ratio)
    pair = _Pair(reference, np.ascontiguousarray(frame * np.float32(ratio), np.float32), low, high)
    centres = _tiles(shape)
    matrix, residual, share = motion.matrix, motion.residual, motion.share
    stays = False
    for k in range(_ROUNDS):
        step(progress, k / _ROUNDS)
        found = each(partial(_tile_shift, pair, matrix), centres)
        told = [
            (np.round(c), made[0])
            for c, made in zip(centres, found, strict=True)
            if made is not None and made[1] < _KNOWN
        ]
        if len(told) < _FEWEST:
            break
        places = np.array([place for place, _ in told], float)
        there = _mapped(matrix, places) + np.array([shift for _, shift in told])
        fit = _fitted(places, there, shape)
        if fit is None:
            break
        before = _mapped(matrix, places)
        matrix, good = fit
        off = np.linalg.norm(_mapped(matrix, places[good]) - there[good], axis=1)
        residual, share = float(np.quantile(off, 0.95)), float(good.mean())
        moved = np.linalg.norm(places[good] - there[good], axis=1)
        # a map that explains the tiles no better than none does is their noise
        stays = bool(np.median(moved) < stands and np.quantile(moved, 0.95) < 1.5 * residual + _NOISE)
        if np.abs(_mapped(matrix, places) - before).max() < _SETTLED:
            break
    if residual is not None:
        motion = replace(motion, correlation=_agreement(pair, matrix))
    made = Motion(matrix / matrix[2, 2], motion.correlation, residual, share)
    return STILL if stays or made.furthest(shape) < stands else made


def _agreement(pair: _Pair, matrix: np.ndarray) -> float:
    """Correlation of what both frames hold, in stops, once they lie on each other: −1…1. Tiles of another
    scene can agree on a map by chance, whole pictures do not."""
    shape = pair.first.shape[1::-1]
    laid = cv2.warpPerspective(
        pair.second, matrix, shape, flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP, borderValue=np.nan
    )
    factor = min(1.0, _WHOLE / max(shape))
    small = [
        cv2.resize(p, None, fx=factor, fy=factor, interpolation=cv2.INTER_AREA) for p in (pair.first, laid)
    ]
    (first, held), (second, also) = (_logged(p, pair.low, pair.high) for p in small)
    both = held & also
    if both.sum() < 100:
        return 0.0
    found = np.corrcoef(first[both], second[both])[0, 1]
    return float(found) if np.isfinite(found) else 0.0


def _mapped(matrix: np.ndarray, places: np.ndarray) -> np.ndarray:
    return cv2.perspectiveTransform(places[None], matrix)[0]
