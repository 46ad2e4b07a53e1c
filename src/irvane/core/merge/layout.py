"""Where the positions of a panorama lie.

Features on brightness-equalised small pictures (SIFT, Lowe 2004), pairs and bundle adjustment by OpenCV's
detail modules (after Brown & Lowe 2007); a shifted lens has a planar model of its own. Places that were set
by hand count like features.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np

from irvane.core.errors import MergeError
from irvane.core.image import LUMA_2020
from irvane.core.progress import Progress, always, step

#: OpenCV, whose stubs do not know these modules.
_CV: Any = cv2

PROJECTIONS = ("auto", "planar", "cylindrical", "spherical", "rectilinear")
#: Of OpenCV's random numbers, with which partners of features are looked for.
_SEED = 7
#: Pixels of the small pictures for features.
_FOR_FEATURES = 1.6e6
#: Confidence from which a pair counts (OpenCV's measure), share of matches for a good second neighbour.
_SURE, _SECOND = 0.8, 0.32
#: Widest views, degrees, that a straight-lined projection shows well; above it a cylinder, above that a
#: sphere.
_STRAIGHT_UP_TO, _CYLINDER_UP_TO = 75.0, 50.0


@dataclass(frozen=True)
class Position:
    """A position: camera-linear light (float32 H×W×3, may be mapped from disk), its name, and what brings its
    light to the exposure of all."""

    picture: np.ndarray
    name: str
    exposure: float = 1.0


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


def lay_out(
    positions: Sequence[Position], projection: str = "auto", progress: Progress = always,
    points: Sequence[tuple[str, float, float, str, float, float]] = (),
) -> Layout:  # fmt: skip
    """Find where positions lie.

    Parameters
    ----------
    points : pairs of places set by hand: name, x, y (shares of width and height), and again.

    Raises
    ------
    MergeError
        When fewer than two fit together.
    """
    if len(positions) < 2:
        raise MergeError("A panorama needs at least two positions.")
    cv2.setRNGSeed(_SEED)  # the same positions lie in the same places every time
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
    add_by_hand(features, [one.name for one in positions], points)
    matcher = (
        _CV.detail_AffineBestOf2NearestMatcher(False, False, _SECOND)
        if affine
        else _CV.detail_BestOf2NearestMatcher(False, _SECOND)
    )
    pairs = _paired(matcher, features)
    matcher.collectGarbage()
    used = [int(k) for k in np.ravel(_CV.detail.leaveBiggestComponent(features, pairs, _SURE))]
    names = tuple(one.name for k, one in enumerate(positions) if k not in used)
    if len(used) < 2:
        raise MergeError(
            "These positions do not overlap, or there is too little in them to lay them on each other by."
        )
    features = [features[k] for k in used]
    pairs = _paired(matcher, features)
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


def _paired(matcher: Any, features: Sequence[Any]) -> Any:
    """Pairs of positions. OpenCV takes pairs that agree more than well for pictures of one place and drops
    them; here they are what wide overlaps look like."""
    pairs = matcher.apply2(features)
    for pair in pairs:
        if pair.confidence == 0 and pair.num_inliers > 0:
            pair.confidence = pair.num_inliers / (8 + 0.3 * len(pair.matches))  # Brown & Lowe 2007
    return pairs


#: Places around one that was set by hand which count with it, in pixels of the small pictures.
_BESIDE = ((0, 0), (3, 0), (-3, 0), (0, 3), (0, -3))


def add_by_hand(
    features: Sequence[Any],
    names: Sequence[str],
    points: Sequence[tuple[str, float, float, str, float, float]],
) -> None:
    """Give features of positions the places that were set by hand: each is a feature that only its partner is
    like."""
    rng = np.random.default_rng(11)
    for first, ax, ay, second, bx, by in points:
        if first not in names or second not in names or first == second:
            continue
        alike = np.abs(rng.normal(0, 1, (len(_BESIDE), 128))).astype(np.float32)
        alike *= 512 / np.linalg.norm(alike, axis=1, keepdims=True)
        for name, x, y in ((first, ax, ay), (second, bx, by)):
            one = features[names.index(name)]
            w, h = one.img_size
            more = tuple(cv2.KeyPoint(x * w + dx, y * h + dy, 4.0) for dx, dy in _BESIDE)
            one.keypoints = tuple(one.keypoints) + more
            known = one.descriptors.get()
            stacked = alike if known is None else np.vstack([known, alike])
            one.descriptors = _CV.UMat(np.ascontiguousarray(stacked, np.float32))


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
