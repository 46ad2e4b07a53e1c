"""Where the places of one picture lie in another of the same scene: shift, rotation and scale, with what is
left over.

Features (Lowe 2004, SIFT through OpenCV) give a first similarity by consensus (Fischler & Bolles 1981);
enhanced correlation (Evangelidis & Psarakis 2008, through OpenCV) refines it.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np

from irvane.core.pixels.geometry import Geometry
from irvane.core.pixels.places import OutputRegion
from irvane.core.store.kept import STORE

#: Matches by features that agree, at least; ratio of the second best match (Lowe 2004).
_FEWEST, _RATIO = 12, 0.75
_FEATURES, _ITERATIONS = 1500, 60
#: Pixels around a place over which a mapping is taken to be straight.
_NEAR = 8.0
#: Correlation from which the refinement is believed.
_CORRELATED = 0.4


@dataclass(frozen=True, eq=False)
class Mapping:
    """From the pixels of a reference to those of another picture.

    Attributes
    ----------
    matrix : 2×3; places are (x, y), pixel centres at +0.5.
    residual : median distance of matched features from it, in pixels of the reference; None when none were
        matched.
    found : False when nothing was found and the frames are laid over each other as they are.
    extent, other : height and width of both.
    """

    matrix: np.ndarray
    residual: float | None
    found: bool
    extent: tuple[int, int]
    other: tuple[int, int]

    @property
    def scale(self) -> float:
        """Pixels of the other per pixel of the reference."""
        return float(np.sqrt(abs(np.linalg.det(self.matrix[:, :2]))))

    @property
    def rotation(self) -> float:
        """Degrees."""
        return float(np.degrees(np.arctan2(self.matrix[1, 0], self.matrix[0, 0])))

    @property
    def plain(self) -> bool:
        """True when the other lies exactly as the reference does."""
        return self.extent == self.other and bool(np.abs(self.matrix - np.eye(2, 3)).max() < 1e-9)

    def places(self, places: np.ndarray) -> np.ndarray:
        """Where places of the reference (N×2) lie in the other picture."""
        return places @ self.matrix[:, :2].T + self.matrix[:, 2]

    def place(self, x: float, y: float) -> tuple[float, float]:
        """Where a place of the reference lies in the other picture."""
        a, b = self.matrix @ np.array([x, y, 1.0])
        return float(a), float(b)

    def at(self, _x: float, _y: float) -> Mapping:
        """The mapping around a place of the reference: this one, which is straight."""
        return self

    def region(self, region: OutputRegion) -> OutputRegion:
        """The rectangle of the other picture around the same middle, its size scaled, kept inside."""
        x, y = self.place((region.left + region.right) / 2, (region.top + region.bottom) / 2)
        h, w = ((b - a) * self.scale for a, b in ((region.top, region.bottom), (region.left, region.right)))
        height, width = min(max(round(h), 1), self.other[0]), min(max(round(w), 1), self.other[1])
        top = int(np.clip(round(y - height / 2), 0, self.other[0] - height))
        left = int(np.clip(round(x - width / 2), 0, self.other[1] - width))
        return OutputRegion(top, left, top + height, left + width)

    @property
    def common(self) -> float:
        """Share of the reference's area that the other picture holds too."""
        h, w = self.extent
        corners = np.array([(0, 0), (w, 0), (w, h), (0, h)], float)
        moved = (corners @ self.matrix[:, :2].T + self.matrix[:, 2]).astype(np.float32)
        frame = np.array(
            [(0, 0), (self.other[1], 0), (self.other[1], self.other[0]), (0, self.other[0])], np.float32
        )
        area, _ = cv2.intersectConvexConvex(moved, frame)
        return float(min(area / max(h * w * self.scale**2, 1e-9), 1.0))


@dataclass(frozen=True, eq=False)
class Between:
    """From the output of one proof to that of another, through their frames: where a place of the scene lies
    in each.

    Attributes
    ----------
    one, two : the geometries.
    frames : how the frame of the second lies on that of the first; None: it is the same frame.
    """

    one: Geometry
    two: Geometry
    frames: Mapping | None

    @property
    def extent(self) -> tuple[int, int]:
        """Height and width of the reference."""
        return self.one.output

    @property
    def other(self) -> tuple[int, int]:
        """Height and width of the other picture."""
        return self.two.output

    @property
    def scale(self) -> float:
        """Pixels of the other per pixel of the reference, in the middle."""
        return self.middle.scale

    @property
    def rotation(self) -> float:
        """Degrees, in the middle."""
        return self.middle.rotation

    @property
    def common(self) -> float:
        """Share of the reference's area that the other picture holds too, as in the middle."""
        return self.middle.common

    @property
    def residual(self) -> float | None:
        """How far features of the frames lie apart after alignment, see :class:`Mapping`."""
        return None if self.frames is None else self.frames.residual

    def places(self, places: np.ndarray) -> np.ndarray:
        """Where places of the reference (N×2) lie in the other picture; NaN where a lens's map ends."""
        found = self.one.to_frame(places)
        return self.two.to_output(found if self.frames is None else self.frames.places(found))

    def place(self, x: float, y: float) -> tuple[float, float]:
        """Where a place of the reference lies in the other picture."""
        mapping = self.at(x, y)
        return mapping.place(x, y)

    @cached_property
    def middle(self) -> Mapping:
        """The mapping around the middle of the reference."""
        return self.at(self.extent[1] / 2, self.extent[0] / 2)

    def at(self, x: float, y: float) -> Mapping:
        """The mapping around a place of the reference, straight."""
        around = np.array([(x, y), (x + _NEAR, y), (x - _NEAR, y), (x, y + _NEAR), (x, y - _NEAR)])
        centre, right, left, below, above = self.places(around)
        linear = np.column_stack([right - left, below - above]) / (2 * _NEAR)
        if not (np.isfinite(linear).all() and np.isfinite(centre).all() and np.linalg.det(linear) != 0):
            return same_place(self.extent, self.other)
        shift = centre - linear @ (x, y)
        return Mapping(np.column_stack([linear, shift]), self.residual, True, self.extent, self.other)


def between(one: Geometry, two: Geometry, frames: Mapping | None = None) -> Between | None:
    """How the output of one geometry lies on that of another; None where they are the same, pixel by
    pixel."""
    alike = one is two or (one.identity and two.identity and one.output == two.output)
    if alike and frames is None:
        return None
    return STORE.kept("alignment", (one, two, frames), None, lambda: Between(one, two, frames))


def same_place(extent: tuple[int, int], other: tuple[int, int]) -> Mapping:
    """Both frames laid over each other, corner on corner."""
    matrix = np.diag([other[1] / extent[1], other[0] / extent[0]])
    return Mapping(np.hstack([matrix, np.zeros((2, 1))]), None, False, extent, other)


def _seen(light: np.ndarray) -> np.ndarray:
    """Light (H×W, linear) as 8 bits that features are found in, whatever the exposure."""
    low, high = np.percentile(light, (1, 99.5))
    share = np.clip((light - low) / max(float(high - low), 1e-9), 0, 1)
    return (np.sqrt(share) * 255).astype(np.uint8)


def find_mapping(
    reference: np.ndarray, other: np.ndarray, extent: tuple[int, int], extent_other: tuple[int, int]
) -> Mapping:
    """Find how another picture lies on a reference.

    Parameters
    ----------
    reference, other : linear luminance of the whole frames, float32 H×W, reduced to about 1,200 pixels.
    extent, extent_other : height and width of the frames in full.
    """
    first, second = _seen(reference), _seen(other)
    steps = extent[1] / reference.shape[1], extent_other[1] / other.shape[1]
    matrix, residual = _by_features(first, second)
    if matrix is None:
        if reference.shape != other.shape:
            return same_place(extent, extent_other)
        matrix = np.eye(2, 3)
    refined, correlation = _refined(first, second, matrix)
    if correlation >= _CORRELATED:
        matrix = refined
    elif residual is None:
        return same_place(extent, extent_other)
    full = matrix.copy()
    full[:, :2] *= steps[1] / steps[0]
    # pixel centres lie at +0.5 in both sizes
    half = np.array([0.5, 0.5])
    full[:, 2] = (matrix[:, 2] + half - matrix[:, :2] @ half) * steps[1]
    return Mapping(full, None if residual is None else residual * steps[0], True, extent, extent_other)


def _by_features(first: np.ndarray, second: np.ndarray) -> tuple[np.ndarray | None, float | None]:
    finder = cv2.SIFT.create(_FEATURES)
    (keys_a, words_a), (keys_b, words_b) = (
        finder.detectAndCompute(first, None),
        finder.detectAndCompute(second, None),
    )
    if words_a is None or words_b is None or len(keys_a) < _FEWEST or len(keys_b) < _FEWEST:
        return None, None
    pairs = cv2.BFMatcher().knnMatch(words_a, words_b, k=2)
    good = [p[0] for p in pairs if len(p) == 2 and p[0].distance < _RATIO * p[1].distance]
    if len(good) < _FEWEST:
        return None, None
    a = np.array([keys_a[m.queryIdx].pt for m in good], np.float64)
    b = np.array([keys_b[m.trainIdx].pt for m in good], np.float64)
    cv2.setRNGSeed(1)
    matrix, inliers = cv2.estimateAffinePartial2D(a, b, method=cv2.RANSAC, ransacReprojThreshold=2.0)
    if matrix is None or int(inliers.sum()) < _FEWEST:
        return None, None
    kept = inliers.ravel() > 0
    off = np.hypot(*(a[kept] @ matrix[:, :2].T + matrix[:, 2] - b[kept]).T)
    return np.asarray(matrix), float(np.median(off))


def _refined(first: np.ndarray, second: np.ndarray, start: np.ndarray) -> tuple[np.ndarray, float]:
    criteria = (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, _ITERATIONS, 1e-6)
    a, b = (cv2.GaussianBlur(p.astype(np.float32), (0, 0), 1.0) for p in (first, second))
    try:
        correlation, matrix = cv2.findTransformECC(
            a, b, start.astype(np.float32), cv2.MOTION_AFFINE, criteria, np.full_like(second, 255), 5
        )
    except cv2.error:
        return start, 0.0
    return np.asarray(matrix, np.float64), float(correlation)
