"""What one map for a whole frame leaves: near things that a moved camera shifts more than far ones, and what
the wind moved.

Dense inverse search (Kroeger and others 2016, through OpenCV) between frames that lie on each other already,
on the logarithm of light at one exposure; it is followed forwards and backwards and believed only where both
ways agree, where both frames hold, and where it brings them nearer. Elsewhere, and where it says less than
the map is known to, nothing is changed.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import cv2
import numpy as np

from irvane.core.merge.align import Motion, warp

#: OpenCV, whose stubs do not know this module.
_CV: Any = cv2

#: Longer side of the pictures that are compared; pixels of these by which the two ways may differ.
_SIDE, _AGREE = 2000, 0.5
#: Frame pixels below which nothing is changed, and from which all is.
_LEAST, _WHOLE = 0.4, 0.9
#: Largest displacement, as a share of the longer side.
_FARTHEST = 0.025
#: Share of a frame that must lie off for anything to be changed.
_WORTH = 0.0005
#: Standard deviation that a displacement is smoothed with, in pixels of the small pictures.
_SMOOTH = 4.0


def _coded(light: np.ndarray, low: float, high: float) -> tuple[np.ndarray, np.ndarray]:
    """Logarithm in 8 bits, and where it holds."""
    with np.errstate(invalid="ignore"):
        held = (light > low) & (light < high)
    stops = np.log2(np.clip(np.nan_to_num(light, nan=low), low, high) / low) / np.log2(high / low)
    return (stops * 255).astype(np.uint8), held


def locally(
    reference: np.ndarray, frame: np.ndarray, ratio: float, noise: tuple[float, float], motion: Motion
) -> Motion:
    """A motion with what it leaves in places, where that can be told; parameters as of
    :func:`irvane.core.merge.register.register`."""
    factor = min(1.0, _SIDE / max(reference.shape))
    low = max(6 * noise[0], 6 * noise[1] * ratio, 1e-3)
    high = 0.85 * min(1.0, ratio)
    if high < 4 * low:
        return motion
    laid = warp(frame, motion) * np.float32(ratio)
    small = [
        cv2.resize(p, None, fx=factor, fy=factor, interpolation=cv2.INTER_AREA) for p in (reference, laid)
    ]
    (first, one), (second, two) = (_coded(p, low, high) for p in small)
    held = one & two
    # where one of them says nothing they are taken to agree
    second = np.where(held, second, first)
    search = _CV.DISOpticalFlow_create(_CV.DISOPTICAL_FLOW_PRESET_MEDIUM)
    there = np.asarray(search.calc(first, second, None), np.float32)
    back = np.asarray(search.calc(second, first, None), np.float32)
    h, w = first.shape
    x, y = np.meshgrid(np.arange(w, dtype=np.float32), np.arange(h, dtype=np.float32))
    to_x, to_y = x + there[..., 0], y + there[..., 1]
    returned = cv2.remap(back, to_x, to_y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    agree = np.hypot(*(there + returned).transpose(2, 0, 1)) < _AGREE
    moved = cv2.remap(second, to_x, to_y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    before, after = (
        cv2.blur(np.abs(first.astype(np.float32) - p.astype(np.float32)), (7, 7)) for p in (second, moved)
    )
    size = np.hypot(there[..., 0], there[..., 1]) / factor
    good = agree & held & (after < 0.8 * before) & (size < _FARTHEST * max(reference.shape))
    trust = np.asarray(good, np.float32)
    share = cv2.GaussianBlur(trust, (0, 0), _SMOOTH)
    smooth = cv2.GaussianBlur(there * trust[..., None], (0, 0), _SMOOTH) / np.maximum(share, 1e-3)[..., None]
    far = np.hypot(smooth[..., 0], smooth[..., 1]) / factor
    by = np.clip((far - _LEAST) / (_WHOLE - _LEAST), 0, 1) * np.clip(2 * share, 0, 1)
    if float((by > 0.5).mean()) < _WORTH:
        return motion
    field = (smooth * by[..., None] / factor).astype(np.float32)
    return replace(motion, field=field)
