"""How sure it is that what was cut out is a subject: from how it differs from what is around it, by a
logistic model.

The weights come from ``training/belief.py``: shapes that carry one photograph over another and were cut out
well or badly, and photographs with and without a subject.
"""

from __future__ import annotations

import cv2
import numpy as np

#: Names of the features, their weights, and what is added.
FEATURES = ("ahead", "learned", "sharper", "free", "unlike", "bounded")
WEIGHTS, ADDED = (3.32, 3.18, 3.4, 35.83, 0.96, 2.66), -39.94
#: Pixels around a contour that are compared; what counts as the most that a contour can be steeper than the
#: picture is.
_RING, _STEEPEST = 21, 6.0


def features(
    whole: np.ndarray, guess: np.ndarray, learned: np.ndarray, sharp: np.ndarray | None, lab: np.ndarray
) -> np.ndarray:
    """What is known of a shape, in the order of FEATURES, each about 0…1.

    ahead, learned, sharper: by how much the guess, the network and the sharpness are higher inside. free:
    share of the frame's border that is not in it. unlike: distance (χ²) of the colours on both sides of its
    contour. bounded: how much steeper the picture is along it.

    Parameters
    ----------
    whole : bool h×w. guess, learned, sharp : float32 h×w, 0…1. lab : CIE L*a*b* by OpenCV's 8 bits, float32
        h×w×3.
    """
    inside = whole.astype(np.uint8)
    rim = np.concatenate([whole[0], whole[-1], whole[:, 0], whole[:, -1]])
    around = np.ones((_RING, _RING), np.uint8)
    outer, inner = (cv2.dilate(inside, around) > 0) & ~whole, whole & (cv2.erode(inside, around) == 0)
    planes = [plane for plane in (guess, learned, sharp) if plane is not None]
    higher = [float(plane[whole].mean() - plane[~whole].mean()) for plane in planes]
    if sharp is None:
        higher.append(0.0)
    one, two = _colours(lab[inner]), _colours(lab[outer])
    unlike = float(((one - two) ** 2 / (one + two + 1e-9)).sum()) / 2
    return np.array([*higher, 1 - float(rim.mean()), unlike, _bounded(inside, lab)])


def _colours(lab: np.ndarray) -> np.ndarray:
    """Shares of 512 colours."""
    step = np.clip(lab // 32, 0, 7).astype(int)
    counts = np.bincount(step[:, 0] * 64 + step[:, 1] * 8 + step[:, 2], minlength=512)
    return counts / max(int(counts.sum()), 1)


def _bounded(inside: np.ndarray, lab: np.ndarray) -> float:
    smooth = cv2.GaussianBlur(lab, (0, 0), 1.2)
    parts = [cv2.Sobel(smooth, cv2.CV_32F, *order, ksize=3, scale=0.125) for order in ((1, 0), (0, 1))]
    steep = cv2.dilate(np.sqrt(sum((part**2).sum(axis=2) for part in parts)), np.ones((3, 3), np.uint8))
    contour = cv2.morphologyEx(inside, cv2.MORPH_GRADIENT, np.ones((3, 3), np.uint8)) > 0
    contour[:2], contour[-2:], contour[:, :2], contour[:, -2:] = (False,) * 4
    if not contour.any():
        return 0.0
    return min(float(steep[contour].mean()) / max(float(steep.mean()), 0.3), _STEEPEST) / _STEEPEST


def confidence(found: np.ndarray) -> float:
    """0…1, of features."""
    return round(float(1 / (1 + np.exp(-(found @ np.array(WEIGHTS) + ADDED)))), 2)
