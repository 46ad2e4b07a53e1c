"""Panoramas: positions of one camera laid out, evened and blended in linear light.

Features on brightness-equalised small pictures (SIFT, Lowe 2004), pairs and bundle adjustment by OpenCV's detail modules (after
Brown & Lowe 2007); light is evened by one factor a position, found where they overlap; seams go where the positions agree (graph
cut, Kwatra and others 2003, through OpenCV); bands are blended (Burt & Adelson 1983) on the square root of light: in linear light
lamps smear and go negative, and outside of the blending all stays linear.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np

from irvane.core.errors import MergeError
from irvane.core.image import LUMA_2020
from irvane.core.progress import Progress, always, part, step

#: OpenCV, whose stubs do not know these modules.
_CV: Any = cv2

PROJECTIONS = ("auto", "planar", "cylindrical", "spherical", "rectilinear")
CROPS = ("fill", "keep")
#: Pixels of the small pictures for features, and for seams.
_FOR_FEATURES, _FOR_SEAMS = 1.6e6, 1.2e5
#: Confidence from which a pair counts (OpenCV's measure), share of matches for a good second neighbour.
_SURE, _SECOND = 0.8, 0.32
#: Widest views, degrees, that a straight-lined projection shows well; above it a cylinder, above that a sphere.
_STRAIGHT_UP_TO, _CYLINDER_UP_TO = 75.0, 50.0
#: Most pixels of a result.
_LARGEST = 400e6


@dataclass(frozen=True)
class Position:
    """A position: camera-linear light (float32 H×W×3, at one exposure for all), and its name."""

    picture: np.ndarray
    name: str


@dataclass(frozen=True)
class Layout:
    """Where positions lie.

    Attributes
    ----------
    used : indexes of those that fit. left_out : names of the others.
    kind : of OpenCV's warpers: plane, cylindrical, spherical, affine. scale : pixels per radian.
    cameras : intrinsics and rotations (float32 3×3 each) of those that are used, for full-size pictures.
    """

    used: tuple[int, ...]
    left_out: tuple[str, ...]
    kind: str
    scale: float
    cameras: tuple[tuple[np.ndarray, np.ndarray], ...]


def _small(picture: np.ndarray, pixels: float) -> tuple[np.ndarray, float]:
    h, w = picture.shape[:2]
    factor = min(1.0, float(np.sqrt(pixels / (h * w))))
    if factor >= 1:
        return picture, 1.0
    size = max(1, round(w * factor)), max(1, round(h * factor))
    return cv2.resize(picture, size, interpolation=cv2.INTER_AREA), factor


def _equalised(picture: np.ndarray) -> np.ndarray:
    """What features are found on: local contrast of the logarithm, 8 bits; the same whatever the exposure."""
    light = np.log2(np.maximum(picture @ LUMA_2020, 1e-5)).astype(np.float32)
    base = cv2.GaussianBlur(light, (0, 0), max(light.shape) / 40)
    return np.clip(128 + 48 * (light - base), 0, 255).astype(np.uint8)


def lay_out(positions: Sequence[Position], projection: str = "auto", progress: Progress = always) -> Layout:
    """Find where positions lie.

    Raises
    ------
    MergeError
        When fewer than two fit together.
    """
    if len(positions) < 2:
        raise MergeError("A panorama needs at least two positions.")
    affine = projection == "planar"
    finder = _CV.SIFT_create(nfeatures=4000)
    features, factors = [], []
    for k, one in enumerate(positions):
        step(progress, 0.6 * k / len(positions))
        small, factor = _small(one.picture, _FOR_FEATURES)
        features.append(
            _CV.detail.computeImageFeatures2(finder, cv2.cvtColor(_equalised(small), cv2.COLOR_GRAY2BGR))
        )
        factors.append(factor)
    matcher = (
        _CV.detail_AffineBestOf2NearestMatcher(False, False, _SECOND)
        if affine
        else _CV.detail_BestOf2NearestMatcher(False, _SECOND)
    )
    pairs = matcher.apply2(features)
    matcher.collectGarbage()
    used = [int(k) for k in np.ravel(_CV.detail.leaveBiggestComponent(features, pairs, _SURE))]
    names = tuple(one.name for k, one in enumerate(positions) if k not in used)
    if len(used) < 2:
        raise MergeError(
            "These positions do not overlap, or there is too little in them to lay them on each other by."
        )
    features = [features[k] for k in used]
    pairs = matcher.apply2(features)
    estimator = _CV.detail_AffineBasedEstimator() if affine else _CV.detail_HomographyBasedEstimator()
    good, cameras = estimator.apply(features, pairs, None)
    if not good:
        raise MergeError("The positions could not be laid on each other.")
    for camera in cameras:
        camera.R = camera.R.astype(np.float32)
    adjuster = _CV.detail_BundleAdjusterAffinePartial() if affine else _CV.detail_BundleAdjusterRay()
    adjuster.setConfThresh(_SURE)
    good, cameras = adjuster.apply(features, pairs, cameras)
    step(progress, 0.9)
    if not good:
        raise MergeError("The positions could not be laid on each other.")
    factor = factors[used[0]]
    if affine:
        made = []
        for camera in cameras:
            turn = camera.R.astype(np.float32).copy()
            turn[:2, 2] /= factor
            made.append((np.eye(3, dtype=np.float32), turn))
        return Layout(tuple(used), names, "affine", 1.0, tuple(made))
    turns = _CV.detail.waveCorrect([np.copy(camera.R) for camera in cameras], _CV.detail.WAVE_CORRECT_HORIZ)
    focal = float(np.median([camera.focal for camera in cameras])) / factor
    made = []
    for camera, turn in zip(cameras, turns, strict=True):
        inner = camera.K().astype(np.float32)
        inner[:2] /= factor
        made.append((inner, np.asarray(turn, np.float32)))
    shape = positions[used[0]].picture.shape
    kind = _projection(projection, made, shape)
    return Layout(tuple(used), names, kind, focal, tuple(made))


def _projection(wanted: str, cameras: Sequence[tuple[np.ndarray, np.ndarray]], shape: tuple[int, ...]) -> str:
    """OpenCV's name of a projection; automatic by how wide and high the view is."""
    named = {"cylindrical": "cylindrical", "spherical": "spherical", "rectilinear": "plane"}
    if wanted in named:
        return named[wanted]
    h, w = shape[:2]
    rays = []
    for inner, turn in cameras:
        corners = np.array([[0, 0, 1], [w, 0, 1], [0, h, 1], [w, h, 1], [w / 2, h / 2, 1]], float).T
        rays.append(turn @ np.linalg.inv(inner) @ corners)
    x, y, z = np.concatenate(rays, axis=1)
    wide = np.degrees(np.ptp(np.arctan2(x, z)))
    high = np.degrees(np.ptp(np.arctan2(y, np.hypot(x, z))))
    if max(wide, high) <= _STRAIGHT_UP_TO:
        return "plane"
    return "cylindrical" if high <= _CYLINDER_UP_TO else "spherical"


@dataclass
class _Placed:
    """A position on the canvas: its left top corner, its light there, and where it has any."""

    corner: tuple[int, int]
    picture: np.ndarray
    mask: np.ndarray


def _placed(picture: np.ndarray, layout: Layout, place: int, scale: float) -> _Placed:
    inner, turn = layout.cameras[place]
    inner = inner.copy()
    inner[:2] *= scale if layout.kind != "affine" else 1
    turn = turn.copy()
    if layout.kind == "affine":
        turn[:2, 2] *= scale
    warper = _CV.PyRotationWarper(layout.kind, layout.scale * scale if layout.kind != "affine" else 1.0)
    source = (
        picture if scale == 1 else cv2.resize(picture, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    )
    corner, made = warper.warp(
        np.ascontiguousarray(source), inner, turn, cv2.INTER_LANCZOS4, cv2.BORDER_REFLECT
    )
    whole = np.full(source.shape[:2], 255, np.uint8)
    _, mask = warper.warp(whole, inner, turn, cv2.INTER_NEAREST, cv2.BORDER_CONSTANT)
    return _Placed((int(corner[0]), int(corner[1])), np.maximum(made, 0), mask)


def _gains(placed: Sequence[_Placed]) -> np.ndarray:
    """One factor a position that evens the light where they overlap (Brown & Lowe 2007, on logarithms)."""
    n = len(placed)
    rows, values = [], []
    for a in range(n):
        for b in range(a + 1, n):
            box = _overlap(placed[a], placed[b])
            if box is None:
                continue
            (pa, ma), (pb, mb) = (_cut(one, box) for one in (placed[a], placed[b]))
            light = [p @ LUMA_2020 for p in (pa, pb)]
            both = (
                (ma > 0)
                & (mb > 0)
                & (light[0] > 2e-3)
                & (light[1] > 2e-3)
                & (pa.max(axis=2) < 0.9)
                & (pb.max(axis=2) < 0.9)
            )
            if both.sum() < 200:
                continue
            off = float(np.median(np.log2(light[0][both] / light[1][both])))
            weight = np.sqrt(both.sum())
            row = np.zeros(n)
            row[a], row[b] = weight, -weight
            rows.append(row)
            values.append(-off * weight)
    rows += list(np.eye(n) * 0.05 * max((np.abs(r).max() for r in rows), default=1.0))
    values += [0.0] * n
    found, *_ = np.linalg.lstsq(np.array(rows), np.array(values), rcond=None)
    return np.asarray(2.0**found)


def _overlap(a: _Placed, b: _Placed) -> tuple[int, int, int, int] | None:
    left, top = max(a.corner[0], b.corner[0]), max(a.corner[1], b.corner[1])
    right = min(a.corner[0] + a.mask.shape[1], b.corner[0] + b.mask.shape[1])
    bottom = min(a.corner[1] + a.mask.shape[0], b.corner[1] + b.mask.shape[0])
    return (left, top, right, bottom) if right > left and bottom > top else None


def _cut(one: _Placed, box: tuple[int, int, int, int]) -> tuple[np.ndarray, np.ndarray]:
    left, top, right, bottom = box
    y, x = (
        slice(top - one.corner[1], bottom - one.corner[1]),
        slice(left - one.corner[0], right - one.corner[0]),
    )
    return one.picture[y, x], one.mask[y, x]


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


def stitch(
    positions: Sequence[Position], layout: Layout, crop: str = "fill", progress: Progress = always
) -> tuple[np.ndarray, np.ndarray]:
    """Warp, even and blend positions.

    Returns
    -------
    Light (float32 H×W×3, at the exposure of the positions) and where there is any (bool H×W); cut to the largest rectangle
    without empty corners with ``fill``.

    Raises
    ------
    MergeError
        When the result would be larger than any picture may be.
    Cancelled
    """
    first = positions[layout.used[0]].picture
    scale = min(1.0, float(np.sqrt(_FOR_SEAMS / (first.shape[0] * first.shape[1]))))
    small = [_placed(positions[k].picture, layout, place, scale) for place, k in enumerate(layout.used)]
    step(progress, 0.1)
    gains = _gains(small)
    for one, gain in zip(small, gains, strict=True):
        one.picture = one.picture * np.float32(gain)
    cuts = _seams(small)
    step(progress, 0.2)
    placed = []
    for place, k in enumerate(layout.used):
        one = _placed(positions[k].picture, layout, place, 1.0)
        one.picture = one.picture * np.float32(gains[place])
        cut = cv2.resize(cuts[place], one.mask.shape[::-1], interpolation=cv2.INTER_LINEAR)
        placed.append((one, np.where(one.mask > 0, cut, 0).astype(np.uint8)))
        step(progress, 0.2 + 0.3 * place / len(layout.used))
    return _blended(placed, crop, part(progress, 0.5, 1.0))


def _blended(
    placed: Sequence[tuple[_Placed, np.ndarray]], crop: str, progress: Progress
) -> tuple[np.ndarray, np.ndarray]:
    left, top = (min(one.corner[k] for one, _ in placed) for k in (0, 1))
    right = max(one.corner[0] + one.mask.shape[1] for one, _ in placed)
    bottom = max(one.corner[1] + one.mask.shape[0] for one, _ in placed)
    if (right - left) * (bottom - top) > _LARGEST:
        raise MergeError("The panorama would be too large: choose another projection, or fewer positions.")
    levels = max(2, int(np.log2(min(placed[0][0].mask.shape))) - 4)
    unit = 2**levels
    width, height = (-(-(right - left) // unit) * unit, -(-(bottom - top) // unit) * unit)
    sums = [np.zeros((height >> k, width >> k, 3), np.float32) for k in range(levels + 1)]
    weights = [np.zeros((height >> k, width >> k), np.float32) for k in range(levels + 1)]
    have = np.zeros((height, width), bool)
    for number, (one, cut) in enumerate(placed):
        step(progress, number / len(placed))
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
    out: np.ndarray = sums[-1] / np.maximum(weights[-1], 1e-6)[..., None]
    for k in range(levels - 1, -1, -1):
        detail = sums[k] / np.maximum(weights[k], 1e-6)[..., None]
        out = np.asarray(cv2.pyrUp(out, dstsize=(detail.shape[1], detail.shape[0])) + detail)
        sums[k] = weights[k] = np.zeros(0, np.float32)  # of no use any more
    light = np.square(np.maximum(out, 0))[: bottom - top, : right - left]
    have = have[: bottom - top, : right - left]
    if crop == "fill":
        y0, x0, y1, x1 = largest_rectangle(have)
        light, have = light[y0:y1, x0:x1], have[y0:y1, x0:x1]
    light = np.where(have[..., None], light, 0)
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
    """The largest upright rectangle (top, left, bottom, right) that a mask fills; found on a small copy and kept inside."""
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
