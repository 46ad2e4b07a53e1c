"""Panoramas: positions that were laid out (:mod:`irvane.core.merge.layout`) evened and blended in linear
light.

Light is evened by one factor a position and one falloff for all, found where they overlap; seams go where the
positions agree (graph cut, Kwatra and others 2003, through OpenCV); bands are blended (Burt & Adelson 1983)
on the square root of light: in linear light lamps smear and go negative, and outside of the blending all
stays linear.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any

import cv2
import numpy as np

from irvane.core.errors import MergeError
from irvane.core.image import LUMA_2020
from irvane.core.merge.layout import Layout, Position
from irvane.core.progress import Progress, always, part, step

#: OpenCV, whose stubs do not know these modules.
_CV: Any = cv2

CROPS = ("fill", "keep")
#: Pixels of the small pictures for seams.
_FOR_SEAMS = 1.2e5
#: Most pixels of a result.
_LARGEST = 400e6


@dataclass
class _Placed:
    """A position on the canvas: its left top corner, its light there, where it has any, and how far from its
    own middle a place is (1 in its corners, squared; only of small ones)."""

    corner: tuple[int, int]
    picture: np.ndarray
    mask: np.ndarray
    away: np.ndarray


@dataclass(frozen=True)
class _Even:
    """What evens the light of positions: a factor each, and log2 of the light that the lens takes, by the
    squared distance from the middle and its square."""

    gains: np.ndarray
    falloff: tuple[float, float] = (0.0, 0.0)

    def evened(self, position: Position, place: int) -> np.ndarray:
        """The light of a position as all others have theirs: float32 H×W×3."""
        factor = np.float32(self.gains[place] * position.exposure)
        if not any(self.falloff):
            return np.asarray(position.picture * factor, np.float32)
        away = _away(position.picture.shape)
        lost = np.exp2(-(self.falloff[0] * away + self.falloff[1] * away**2)) * factor
        return np.asarray(position.picture * lost[..., None], np.float32)


def _away(shape: tuple[int, ...]) -> np.ndarray:
    h, w = shape[:2]
    y, x = (
        (np.arange(h, dtype=np.float32) - (h - 1) / 2)[:, None],
        np.arange(w, dtype=np.float32) - (w - 1) / 2,
    )
    return np.asarray((x * x + y * y) / (((h - 1) / 2) ** 2 + ((w - 1) / 2) ** 2), np.float32)


def _warper(layout: Layout, place: int, scale: float) -> tuple[Any, np.ndarray, np.ndarray]:
    inner, turn = (one.copy() for one in layout.cameras[place])
    flat = layout.kind == "affine"
    if flat:
        turn[:2, 2] *= scale
    else:
        inner[:2] *= scale
    return _CV.PyRotationWarper(layout.kind, 1.0 if flat else layout.scale * scale), inner, turn


def _where(shape: tuple[int, ...], layout: Layout, place: int) -> tuple[int, int, int, int]:
    """Left, top, width and height of a whole position on the canvas."""
    warper, inner, turn = _warper(layout, place, 1.0)
    x, y, w, h = warper.warpRoi((shape[1], shape[0]), inner, turn)
    return int(x), int(y), int(w), int(h)


def _placed(picture: np.ndarray, layout: Layout, place: int, scale: float) -> _Placed:
    warper, inner, turn = _warper(layout, place, scale)
    source = (
        picture if scale == 1 else cv2.resize(picture, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    )
    corner, made = warper.warp(
        np.ascontiguousarray(source), inner, turn, cv2.INTER_LANCZOS4, cv2.BORDER_REFLECT
    )
    whole = np.full(source.shape[:2], 255, np.uint8)
    _, mask = warper.warp(whole, inner, turn, cv2.INTER_NEAREST, cv2.BORDER_CONSTANT)
    away = np.zeros((0, 0), np.float32)
    if scale < 1:
        _, away = warper.warp(_away(source.shape), inner, turn, cv2.INTER_LINEAR, cv2.BORDER_REPLICATE)
    return _Placed((int(corner[0]), int(corner[1])), np.maximum(made, 0), mask, away)


#: Pixels of an overlap that are looked at, at most; the fewest; rounds of robust weights.
_LOOKED_AT, _FEWEST, _REWEIGHTED = 3000, 200, 4
#: Weight against factors and a falloff that nothing asks for.
_PRIOR = 0.02


def _evening(placed: Sequence[_Placed]) -> _Even:
    """What evens the light where positions overlap: a factor each (Brown & Lowe 2007, on logarithms) and one
    falloff towards the corners for all (after Goldman 2010); weights that what moved or clips does not have
    (Huber 1964)."""
    n = len(placed)
    rows, values = [], []
    for a in range(n):
        for b in range(a + 1, n):
            box = _overlap(placed[a], placed[b])
            if box is None:
                continue
            (pa, ma, ra), (pb, mb, rb) = (_cut(one, box) for one in (placed[a], placed[b]))
            first, second = (cv2.blur(p @ LUMA_2020, (3, 3)) for p in (pa, pb))
            both = (ma > 0) & (mb > 0) & (first > 2e-3) & (second > 2e-3)
            both &= (pa.max(axis=2) < 0.9) & (pb.max(axis=2) < 0.9)
            if both.sum() < _FEWEST:
                continue
            every = max(1, int(both.sum()) // _LOOKED_AT)
            found = np.log2(first[both] / second[both])[::every]
            row = np.zeros((found.size, n + 2))
            row[:, a], row[:, b] = 1, -1
            row[:, n] = (ra[both] - rb[both])[::every]
            row[:, n + 1] = (ra[both] ** 2 - rb[both] ** 2)[::every]
            rows.append(row)
            values.append(found)
    if not rows:
        return _Even(np.ones(n))
    matrix, wanted = np.concatenate(rows), np.concatenate(values)
    prior = _PRIOR * len(wanted) * np.diag([0.1] * n + [1e-3, 1e-3])
    weight, solution = np.ones(len(wanted)), np.zeros(n + 2)
    for _ in range(_REWEIGHTED):
        weighted = matrix * weight[:, None]
        solution = np.linalg.solve(weighted.T @ matrix + prior, weighted.T @ wanted)
        off = np.abs(wanted - matrix @ solution)
        weight = 1 / np.maximum(off / max(1.5 * float(np.median(off)), 1e-4), 1)
    return _Even(np.asarray(2.0 ** -solution[:n]), (float(solution[n]), float(solution[n + 1])))


def _overlap(a: _Placed, b: _Placed) -> tuple[int, int, int, int] | None:
    left, top = max(a.corner[0], b.corner[0]), max(a.corner[1], b.corner[1])
    right = min(a.corner[0] + a.mask.shape[1], b.corner[0] + b.mask.shape[1])
    bottom = min(a.corner[1] + a.mask.shape[0], b.corner[1] + b.mask.shape[0])
    return (left, top, right, bottom) if right > left and bottom > top else None


def _cut(one: _Placed, box: tuple[int, int, int, int]) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    left, top, right, bottom = box
    y, x = (
        slice(top - one.corner[1], bottom - one.corner[1]),
        slice(left - one.corner[0], right - one.corner[0]),
    )
    return one.picture[y, x], one.mask[y, x], one.away[y, x]


def _seams(placed: Sequence[_Placed]) -> list[np.ndarray]:
    """Masks of what is taken from each position, at the size of the small pictures."""
    finder = _CV.detail_GraphCutSeamFinder("COST_COLOR")
    pictures = [np.ascontiguousarray(np.sqrt(np.clip(one.picture, 0, 4)) * 255, np.float32) for one in placed]
    masks = finder.find(
        [_CV.UMat(p) for p in pictures],
        [one.corner for one in placed],
        [_CV.UMat(one.mask) for one in placed],
    )
    return [mask.get() if isinstance(mask, _CV.UMat) else np.asarray(mask) for mask in masks]


#: Correlation of contours, where they overlap, below which two positions do not show the same.
_SAME = 0.4


def checked(positions: Sequence[Position], layout: Layout) -> Layout:
    """The layout without positions that, laid out, do not show what the others do: matches can agree by
    chance.

    Raises
    ------
    MergeError
        When fewer than two are left.
    """
    first = positions[layout.used[0]].picture
    scale = min(0.999, float(np.sqrt(_FOR_SEAMS / (first.shape[0] * first.shape[1]))))
    small = [
        _placed(np.asarray(positions[k].picture), layout, place, scale) for place, k in enumerate(layout.used)
    ]
    n = len(small)
    agree = np.full((n, n), np.nan)
    for a in range(n):
        for b in range(a + 1, n):
            box = _overlap(small[a], small[b])
            if box is not None:
                agree[a, b] = agree[b, a] = _agreement(small[a], small[b], box)
    used = list(range(n))
    while len(used) > 1:
        among = agree[np.ix_(used, used)]
        known = np.isfinite(among).any(axis=1)
        best = np.array([np.nanmax(row) if np.isfinite(row).any() else -1.0 for row in among])
        worst = int(np.argmin(best))
        if known.all() and best[worst] >= _SAME:
            break
        del used[worst]
    if len(used) < 2:
        raise MergeError("The positions could not be laid on each other: set the same places by hand.")
    gone = tuple(positions[layout.used[k]].name for k in range(n) if k not in used)
    return replace(
        layout, used=tuple(layout.used[k] for k in used), left_out=(*layout.left_out, *gone),
        cameras=tuple(layout.cameras[k] for k in used),
    )  # fmt: skip


def _agreement(a: _Placed, b: _Placed, box: tuple[int, int, int, int]) -> float:
    """Correlation of contours in an overlap; not a number where too little of it counts."""
    sides = []
    both: np.ndarray = np.ones(1, bool)
    for one in (a, b):
        picture, mask, _ = _cut(one, box)
        log = np.log2(np.maximum(picture @ LUMA_2020, 1e-4)).astype(np.float32)
        sides.append(log - cv2.GaussianBlur(log, (0, 0), 6.0))
        both = both & (cv2.erode(mask, np.ones((5, 5), np.uint8)) > 0)
    if both.sum() < 150 or min(float(side[both].std()) for side in sides) < 0.01:
        return float("nan")
    return float(np.corrcoef(sides[0][both], sides[1][both])[0, 1])


def stitch(
    positions: Sequence[Position], layout: Layout, crop: str = "fill", progress: Progress = always
) -> tuple[np.ndarray, np.ndarray]:
    """Warp, even and blend positions.

    Returns
    -------
    Light (float32 H×W×3, at the exposure of the positions) and where there is any (bool H×W); cut to the
    largest rectangle without empty corners with ``fill``.

    Raises
    ------
    MergeError
        When the result would be larger than any picture may be.
    Cancelled
    """
    first = positions[layout.used[0]].picture
    scale = min(0.999, float(np.sqrt(_FOR_SEAMS / (first.shape[0] * first.shape[1]))))
    plain = _Even(np.ones(len(layout.used)))
    small = [
        _placed(plain.evened(positions[k], place), layout, place, scale)
        for place, k in enumerate(layout.used)
    ]
    step(progress, 0.1)
    even = _evening(small)
    for one, gain in zip(small, even.gains, strict=True):
        lost = even.falloff[0] * one.away + even.falloff[1] * one.away**2
        one.picture = one.picture * (np.float32(gain) * np.exp2(-lost))[..., None].astype(np.float32)
    cuts = _seams(small)
    step(progress, 0.2)
    places = [_where(positions[k].picture.shape, layout, place) for place, k in enumerate(layout.used)]

    def bring(place: int) -> tuple[_Placed, np.ndarray]:
        """A position at full size: only one of them is held at a time."""
        one = _placed(even.evened(positions[layout.used[place]], place), layout, place, 1.0)
        cut = cv2.resize(cuts[place], one.mask.shape[::-1], interpolation=cv2.INTER_LINEAR)
        return one, np.where(one.mask > 0, cut, 0).astype(np.uint8)

    return _blended(places, bring, crop, part(progress, 0.2, 1.0))


def _blended(
    places: Sequence[tuple[int, int, int, int]], bring: Callable[[int], tuple[_Placed, np.ndarray]],
    crop: str, progress: Progress
) -> tuple[np.ndarray, np.ndarray]:  # fmt: skip
    left, top = (min(place[k] for place in places) for k in (0, 1))
    right, bottom = (max(place[k] + place[k + 2] for place in places) for k in (0, 1))
    if (right - left) * (bottom - top) > _LARGEST:
        raise MergeError("The panorama would be too large: choose another projection, or fewer positions.")
    levels = max(2, int(np.log2(min(places[0][2:]))) - 4)
    unit = 2**levels
    width, height = (-(-(right - left) // unit) * unit, -(-(bottom - top) // unit) * unit)
    sums = [np.zeros((height >> k, width >> k, 3), np.float32) for k in range(levels + 1)]
    weights = [np.zeros((height >> k, width >> k), np.float32) for k in range(levels + 1)]
    have = np.zeros((height, width), bool)
    for number in range(len(places)):
        step(progress, 0.9 * number / len(places))
        one, cut = bring(number)
        margin = 3 * unit
        x0, y0 = one.corner[0] - left, one.corner[1] - top
        gx, gy = max(0, (x0 - margin) // unit * unit), max(0, (y0 - margin) // unit * unit)
        h, w = one.mask.shape
        ex, ey = (
            min(width, -(-(x0 + w + margin) // unit) * unit),
            min(height, -(-(y0 + h + margin) // unit) * unit),
        )
        around = (y0 - gy, ey - y0 - h, x0 - gx, ex - x0 - w)
        one_root = np.sqrt(one.picture)
        one.picture = np.zeros((0, 0, 3), np.float32)
        root: np.ndarray = cv2.copyMakeBorder(_continued(one_root, one.mask), *around, cv2.BORDER_REPLICATE)
        share: np.ndarray = cv2.copyMakeBorder(
            cut.astype(np.float32) / 255, *around, cv2.BORDER_CONSTANT, value=0
        )
        have[gy:ey, gx:ex] |= cv2.copyMakeBorder(one.mask, *around, cv2.BORDER_CONSTANT, value=0) > 0
        for k in range(levels + 1):
            place = (slice(gy >> k, ey >> k), slice(gx >> k, ex >> k))
            if k < levels:
                below = cv2.pyrDown(root)
                detail = root - cv2.pyrUp(below, dstsize=(root.shape[1], root.shape[0]))
            else:
                below, detail = root, root
            sums[k][place] += detail * share[..., None]
            weights[k][place] += share
            root = np.asarray(below)
            if k < levels:
                share = np.asarray(cv2.pyrDown(share))
    for k in range(levels + 1):
        np.divide(sums[k], np.maximum(weights[k], 1e-6)[..., None], out=sums[k])
    del weights
    out: np.ndarray = sums.pop()
    while sums:
        detail = sums.pop()
        np.add(detail, cv2.pyrUp(out, dstsize=(detail.shape[1], detail.shape[0])), out=detail)
        out = detail
    np.square(np.maximum(out, 0, out=out), out=out)
    light, have = out[: bottom - top, : right - left], have[: bottom - top, : right - left]
    if crop == "fill":
        y0, x0, y1, x1 = largest_rectangle(have)
        light, have = light[y0:y1, x0:x1], have[y0:y1, x0:x1]
    light *= have[..., None]
    return np.ascontiguousarray(light, np.float32), have


def _continued(picture: np.ndarray, mask: np.ndarray) -> np.ndarray:
    """What lies outside of a position continues its border, so that bands find no edge there."""
    if mask.all():
        return picture
    nearest = cv2.distanceTransformWithLabels(
        (mask == 0).astype(np.uint8), cv2.DIST_L2, 3, labelType=cv2.DIST_LABEL_PIXEL
    )[1]
    y, x = np.nonzero(mask)
    order = np.zeros(int(nearest.max()) + 1, np.int64)
    order[nearest[y, x]] = np.arange(len(y))
    found = order[nearest]
    return picture[y[found], x[found]]


def largest_rectangle(mask: np.ndarray) -> tuple[int, int, int, int]:
    """The largest upright rectangle (top, left, bottom, right) that a mask fills; found on a small copy and
    kept inside."""
    factor = max(1, int(np.ceil(max(mask.shape) / 700)))
    h, w = (side // factor for side in mask.shape)
    small = np.asarray(mask[: h * factor, : w * factor].reshape(h, factor, w, factor).all(axis=(1, 3)))
    best, found = 0, (0, 0, mask.shape[0], mask.shape[1])
    heights = np.zeros(w, int)
    for y in range(h):
        heights = np.where(small[y], heights + 1, 0)
        stack: list[tuple[int, int]] = []  # (first column, height) of rising bars
        for x in range(w + 1):
            now = int(heights[x]) if x < w else 0
            start = x
            while stack and stack[-1][1] >= now:
                start, high = stack.pop()
                if high * (x - start) > best:
                    best = high * (x - start)
                    found = ((y - high + 1) * factor, start * factor, (y + 1) * factor, x * factor)
            stack.append((start, now))
    return found
