"""Exposure fusion (Mertens, Kautz & Van Reeth 2007): blend rendered frames by contrast, colour and exposedness."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

import cv2
import numpy as np

from irvane.core.errors import MergeError

_EXPOSED_SIGMA = 0.2  # the paper's value


def _weight(encoded: np.ndarray) -> np.ndarray:
    grey = cv2.cvtColor(encoded, cv2.COLOR_RGB2GRAY)
    contrast = np.abs(cv2.Laplacian(grey, cv2.CV_32F))
    colour = encoded.std(axis=2)
    exposed = np.exp(-((encoded - 0.5) ** 2) / (2 * _EXPOSED_SIGMA**2)).prod(axis=2)
    return (contrast + 1e-4) * (colour + 1e-4) * (exposed + 1e-6)


def fuse(frames: Sequence[np.ndarray]) -> np.ndarray:
    """Fuse aligned, encoded pictures.

    Parameters
    ----------
    frames : float32 H×W×3 each, encoded 0…1, same size.

    Returns
    -------
    float32 H×W×3, encoded 0…1.

    Raises
    ------
    MergeError
        Fewer than two frames, or different sizes.
    """
    if len(frames) < 2:
        raise MergeError("A fusion needs at least two frames.")
    if len({frame.shape for frame in frames}) > 1:
        raise MergeError("The frames differ in size; they cannot be fused.")
    levels = max(1, int(np.log2(min(frames[0].shape[:2]))) - 2)
    weights = np.stack([_weight(np.ascontiguousarray(frame, np.float32)) for frame in frames])
    weights /= weights.sum(axis=0)
    blended: list[np.ndarray] | None = None
    for frame, weight in zip(frames, weights, strict=True):
        parts = _multiply(_laplacian(np.asarray(frame, np.float32), levels), _gaussian(weight, levels))
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
