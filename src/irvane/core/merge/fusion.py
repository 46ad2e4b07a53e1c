"""Exposure fusion of finished pictures: for detail (Mertens, Kautz & Van Reeth 2007), or the lights of one
and the shadows of another.

Exposedness is judged on luminance and not, as the paper has it, on every colour by itself: blue skies would
turn violet.
"""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

import cv2
import numpy as np

from irvane.core.errors import MergeError
from irvane.core.image import largest_colour

_EXPOSED_SIGMA = 0.2  # the paper's value
#: Encoded value from which a colour is near clipping; value at which halves are joined, and over what range.
_NEAR_WHITE, _JOINS_AT, _JOINS_OVER = 0.94, 0.80, 0.045


def _weight(encoded: np.ndarray) -> np.ndarray:
    grey = cv2.cvtColor(encoded, cv2.COLOR_RGB2GRAY)
    contrast = np.abs(cv2.Laplacian(grey, cv2.CV_32F))
    red, green, blue = cv2.split(encoded)
    # standard deviation of the three, without NumPy's slow path over the last axis
    middle = (red + green + blue) / 3
    colour = np.sqrt(((red - middle) ** 2 + (green - middle) ** 2 + (blue - middle) ** 2) / 3)
    exposed = np.exp(-((grey - 0.5) ** 2) / (2 * _EXPOSED_SIGMA**2))
    # where a colour clips its hue is wrong, whatever the luminance
    whole = 1 - np.clip((largest_colour(encoded) - _NEAR_WHITE) / (1 - _NEAR_WHITE), 0, 1)
    return (contrast + 1e-4) * (colour + 1e-4) * (exposed**3 * (0.02 + whole) + 1e-6)


def _checked(frames: Sequence[np.ndarray]) -> None:
    if len(frames) < 2:
        raise MergeError("A fusion needs at least two frames.")
    if len({frame.shape for frame in frames}) > 1:
        raise MergeError("The frames differ in size; they cannot be fused.")


def fuse(frames: Sequence[np.ndarray], counts: Sequence[np.ndarray] | None = None) -> np.ndarray:
    """Fuse aligned, encoded pictures so that each gives the detail it has.

    Parameters
    ----------
    frames : float32 H×W×3 each, encoded 0…1, same size.
    counts : float32 H×W each, by how much a frame counts (0: not at all, as where something moved); None:
        everywhere.

    Returns
    -------
    float32 H×W×3, encoded 0…1.

    Raises
    ------
    MergeError
        Fewer than two frames, or different sizes.
    """
    _checked(frames)
    weights = [_weight(np.ascontiguousarray(frame, np.float32)) for frame in frames]
    return _blended(frames, weights, counts)


def join(frames: Sequence[np.ndarray], counts: Sequence[np.ndarray] | None = None) -> np.ndarray:
    """Join the lights of short exposures and the shadows of long ones along soft, wide borders that follow
    contours.

    Parameters as of :func:`fuse`, in any order.
    """
    _checked(frames)
    # by how bright each frame is: the longest first
    order = sorted(range(len(frames)), key=lambda k: -float(np.mean(frames[k])))
    rest = np.ones(frames[0].shape[:2], np.float32)
    weights: list[np.ndarray] = [rest] * len(frames)
    for place, k in enumerate(order):
        if place == len(order) - 1:
            weights[k] = rest
            break
        grey = np.ascontiguousarray(largest_colour(frames[k]), np.float32)
        radius = max(8, min(grey.shape) // 40)
        base = cv2.GaussianBlur(
            cv2.medianBlur((grey * 255).astype(np.uint8), 5).astype(np.float32) / 255, (0, 0), radius / 4
        )
        held = 1 / (1 + np.exp((base - _JOINS_AT) / _JOINS_OVER))
        held = np.clip(_guided(grey, held.astype(np.float32), radius), 0, 1)
        weights[k] = rest * held
        rest = rest * (1 - held)
    return _blended(frames, weights, counts)


def _guided(guide: np.ndarray, plane: np.ndarray, radius: int, smooth: float = 1e-3) -> np.ndarray:
    """A plane smoothed along the contours of a guide (He, Sun & Tang 2013)."""
    size = (2 * radius + 1,) * 2
    mean_g, mean_p = cv2.blur(guide, size), cv2.blur(plane, size)
    variance = cv2.blur(guide * guide, size) - mean_g * mean_g
    a = (cv2.blur(guide * plane, size) - mean_g * mean_p) / (variance + smooth)
    b = mean_p - a * mean_g
    return cv2.blur(a, size) * guide + cv2.blur(b, size)


def _blended(
    frames: Sequence[np.ndarray], weights: Sequence[np.ndarray], counts: Sequence[np.ndarray] | None
) -> np.ndarray:
    """Pyramid blending (Burt & Adelson 1983)."""
    levels = max(1, int(np.log2(min(frames[0].shape[:2]))) - 2)
    if counts is not None:
        weights = [w * c for w, c in zip(weights, counts, strict=True)]
    whole = np.maximum(sum(weights), 1e-30)
    blended: list[np.ndarray] | None = None
    for frame, weight in zip(frames, weights, strict=True):
        share = (weight / whole).astype(np.float32)
        parts = _multiply(_laplacian(np.asarray(frame, np.float32), levels), _gaussian(share, levels))
        blended = parts if blended is None else [a + b for a, b in zip(blended, parts, strict=True)]
    assert blended is not None
    out = blended[-1]
    for level in reversed(blended[:-1]):
        out = cv2.pyrUp(out, dstsize=(level.shape[1], level.shape[0])) + level
    return np.clip(out, 0, 1)


def _gaussian(plane: np.ndarray, levels: int) -> list[np.ndarray]:
    out = [plane]
    for _ in range(levels):
        out.append(cv2.pyrDown(out[-1]))
    return out


def _laplacian(picture: np.ndarray, levels: int) -> list[np.ndarray]:
    gaussians = _gaussian(picture, levels)
    out = []
    for fine, coarse in pairwise(gaussians):
        out.append(fine - cv2.pyrUp(coarse, dstsize=(fine.shape[1], fine.shape[0])))
    return [*out, gaussians[-1]]


def _multiply(parts: list[np.ndarray], weights: list[np.ndarray]) -> list[np.ndarray]:
    return [part * weight[..., None] for part, weight in zip(parts, weights, strict=True)]
