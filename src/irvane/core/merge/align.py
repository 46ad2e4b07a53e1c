"""Alignment of handheld frames: where each lies on the reference, from contours that survive exposure
changes.

Coarse: bitmaps of brightness above the median, shifted over a pyramid (Ward 2003, through OpenCV). Fine:
enhanced correlation (Evangelidis & Psarakis 2008, through OpenCV) of a Euclidean motion on brightness brought
to equal exposure, with clipped and dark places masked out.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

#: Longest side of the pictures that are compared in the fine step.
_SIDE = 1400
_ITERATIONS = 60
#: Rows that are bent at once.
_BAND = 512
_ENOUGH = 0.97  # correlation from which no other starting point is tried


@dataclass(frozen=True)
class Motion:
    """Where a frame lies on the reference.

    Attributes
    ----------
    matrix : 3×3, maps reference pixels to the frame's pixels (centres at whole numbers, as OpenCV has it).
    correlation : agreement of the aligned contours, −1…1; 0 when only the coarse step held.
    residual : pixels by which places that were looked at still lie off (95 % of them); None when none were.
    share : how many of them follow the map; the others moved by themselves.
    field : pixels (x, y) that are added to places of the reference before the map, float32 h×w×2 over the
        whole frame; None: nothing.
    """

    matrix: np.ndarray
    correlation: float
    residual: float | None = None
    share: float = 1.0
    field: np.ndarray | None = None

    def furthest(self, shape: tuple[int, int]) -> float:
        """Largest displacement of a corner in pixels."""
        h, w = shape[:2]
        corners = np.array([[0, 0], [w - 1, 0], [0, h - 1], [w - 1, h - 1]], float)
        return float(np.linalg.norm(self.places(corners) - corners, axis=1).max())

    def places(self, points: np.ndarray) -> np.ndarray:
        """Where places of the reference (N×2: x, y) lie in the frame."""
        return np.asarray(cv2.perspectiveTransform(np.asarray(points, float)[None], self.matrix)[0])

    @property
    def still(self) -> bool:
        """True when the frame needs no resampling."""
        return self.field is None and bool(np.abs(self.matrix - np.eye(3)).max() < 1e-9)


STILL = Motion(np.eye(3), 1.0)


def _reduced(luminance: np.ndarray) -> tuple[np.ndarray, float]:
    factor = max(1.0, max(luminance.shape) / _SIDE)
    if factor == 1.0:
        return luminance, 1.0
    size = (round(luminance.shape[1] / factor), round(luminance.shape[0] / factor))
    return cv2.resize(luminance, size, interpolation=cv2.INTER_AREA), factor


def _eight_bit(picture: np.ndarray) -> np.ndarray:
    top = max(float(np.percentile(picture, 99.5)), 1e-6)
    return (np.sqrt(np.clip(picture / top, 0, 1)) * 255).astype(np.uint8)


def align(
    reference: np.ndarray, frame: np.ndarray, ratio: float, noise: tuple[float, float] = (0.0, 0.0)
) -> Motion:
    """Motion of `frame` against `reference`.

    Parameters
    ----------
    reference, frame : float32 H×W, linear luminance with 1 = clipping.
    ratio : exposure of the reference divided by the frame's.
    noise : standard deviation of each at black, to leave out what is only noise.
    """
    first, factor = _reduced(reference)
    second, _ = _reduced(frame)
    shift = cv2.createAlignMTB(6, 4, False).calculateShift(_eight_bit(first), _eight_bit(second))
    warp: np.ndarray = np.eye(2, 3, dtype=np.float32)
    warp[:, 2] = -np.asarray(shift, np.float32).ravel()[:2]
    common_a, common_b = first, second * ratio
    limit = 0.9 * min(1.0, ratio)
    valid = (first < limit) & (second < 0.9)
    floor = max(4 * noise[0], 4 * noise[1] * ratio, 1e-3)
    a = np.log2(np.clip(common_a, floor, limit)).astype(np.float32)
    b = np.log2(np.clip(common_b, floor, limit)).astype(np.float32)
    mask = valid.astype(np.uint8) * 255
    correlation = 0.0
    if mask.mean() > 5:
        criteria = (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, _ITERATIONS, 1e-6)
        for start in (warp, np.eye(2, 3, dtype=np.float32)):
            try:
                found, fine = cv2.findTransformECC(
                    a, b, start.copy(), cv2.MOTION_EUCLIDEAN, criteria, mask, 5
                )
            except cv2.error:
                continue
            if found > correlation:
                correlation, warp = float(found), np.asarray(fine)
            if correlation > _ENOUGH:
                break
    matrix = warp.astype(np.float64)
    # from reduced to full pixels, whose centres lie at half integers
    centre = (factor - 1) / 2
    rotation = matrix[:, :2]
    matrix[:, 2] = matrix[:, 2] * factor + centre - rotation @ np.array([centre, centre])
    return Motion(np.vstack([matrix, [0, 0, 1]]), correlation)


def warp(picture: np.ndarray, motion: Motion) -> np.ndarray:
    """Resample a frame onto the reference; places outside the frame become NaN. Its border is continued for
    the resampling: only what lies beyond it is missing."""
    if motion.still:
        return picture
    if motion.field is not None:
        return _bent(picture, motion.matrix, motion.field)
    h, w = picture.shape[:2]
    moved = cv2.warpPerspective(
        picture,
        motion.matrix,
        (w, h),
        flags=cv2.INTER_LANCZOS4 | cv2.WARP_INVERSE_MAP,
        borderMode=cv2.BORDER_REPLICATE,
    )
    inside = cv2.warpPerspective(
        np.ones((h, w), np.uint8), motion.matrix, (w, h), flags=cv2.INTER_NEAREST | cv2.WARP_INVERSE_MAP,
        borderMode=cv2.BORDER_CONSTANT, borderValue=0,
    )  # fmt: skip
    moved[inside == 0] = np.nan
    return moved


def _bent(picture: np.ndarray, matrix: np.ndarray, field: np.ndarray) -> np.ndarray:
    """A picture laid on the reference by a matrix and by shifts of single places (`field`), made in bands."""
    h, w = picture.shape[:2]
    out = np.empty_like(picture)
    fh, fw = field.shape[:2]
    across = (np.arange(w, dtype=np.float32) + 0.5) * np.float32(fw / w) - 0.5
    for top in range(0, h, _BAND):
        rows = np.arange(top, min(h, top + _BAND), dtype=np.float32)
        x, y = np.meshgrid(across, (rows + 0.5) * np.float32(fh / h) - 0.5)
        shift = cv2.remap(field, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        x, y = np.meshgrid(np.arange(w, dtype=np.float32), rows)
        x, y = x + shift[..., 0], y + shift[..., 1]
        d = matrix[2, 0] * x + matrix[2, 1] * y + matrix[2, 2]
        u, v = (((matrix[k, 0] * x + matrix[k, 1] * y + matrix[k, 2]) / d).astype(np.float32) for k in (0, 1))
        made = cv2.remap(picture, u, v, cv2.INTER_LANCZOS4, borderMode=cv2.BORDER_REPLICATE)
        made[(u < -0.5) | (v < -0.5) | (u > w - 0.5) | (v > h - 0.5)] = np.nan
        out[top : top + _BAND] = made
    return out
