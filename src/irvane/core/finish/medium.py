"""Sharpening for the medium: what a screen, coated and uncoated paper take away is given beforehand."""

from __future__ import annotations

import cv2
import numpy as np

from irvane.core.colour.spaces import SPACES, to_xyz

#: Words, standard deviation of the blur in pixels (of paper at 300 ppi), share of the difference that is
#: added.
MEDIA = {
    "none": ("none", 0.0, 0.0),
    "screen": ("screen", 0.6, 0.35),
    "coated": ("coated paper", 0.8, 0.6),
    "uncoated": ("uncoated paper", 1.1, 0.9),
}
#: How far a pixel may leave the range of its 3×3 surroundings, in the domain that is sharpened (a square
#: root).
_ROOM = 0.02
#: Pixels around a place that matter.
REACH = 12


def sharpen_for(light: np.ndarray, medium: str, ppi: float, space: str) -> np.ndarray:
    """Sharpen finished light (float32 H×W×3, linear in `space`, 0…1) for a medium; colours keep their ratios.

    The square root of luminance less its blur is added (unsharp masking, as darkrooms did), held near its
    surroundings.
    """
    _, sigma, amount = MEDIA[medium]
    if amount == 0:
        return light
    sigma = sigma if medium == "screen" else sigma * ppi / 300
    luminance = np.maximum(light @ to_xyz(SPACES[space])[1].astype(np.float32), 1e-7)
    root = np.sqrt(luminance)
    blurred = cv2.GaussianBlur(root, (0, 0), sigma, borderType=cv2.BORDER_REFLECT)
    square = np.ones((3, 3), np.uint8)
    low, high = cv2.erode(root, square), cv2.dilate(root, square)
    sharp = np.clip(root + amount * (root - blurred), low - _ROOM, high + _ROOM)
    gain = np.square(np.maximum(sharp, 0)) / luminance
    return np.clip(light * gain[..., None], 0, 1).astype(np.float32)
