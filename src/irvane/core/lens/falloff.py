"""Light lost towards the corners, measured from the frame itself.

Scenes grow brighter and darker along a ray from the centre equally often; a lens only makes them darker. So
the middle of the slopes of log brightness along the rays is that of the lens (symmetry of radial gradients:
Zheng, Yu, Kang, Lin & Kambhamettu 2008), found robustly over the frame, and believed as far as its four
quarters agree.
"""

from __future__ import annotations

import cv2
import numpy as np

from irvane.core.image import LUMA_2020
from irvane.core.lens.measured import Falloff

#: Longer side of the copy that is measured.
_SIDE = 320
#: Darkest and brightest light that is used, as shares of clipping.
_DARK, _BRIGHT = 0.002, 0.9
#: Strongest falloff that is believed, EV in the corner.
_MOST = 3.0


def measure_falloff(picture: np.ndarray) -> Falloff:
    """Falloff of a picture (float32 H×W×3, linear, 1 = clipping point; a reduced copy of the whole frame)."""
    scale = _SIDE / max(picture.shape[:2])
    size = max(8, round(picture.shape[1] * scale)), max(8, round(picture.shape[0] * scale))
    small = cv2.resize(picture, size, interpolation=cv2.INTER_AREA)
    light = small @ LUMA_2020
    log = cv2.GaussianBlur(np.log2(np.maximum(light, _DARK / 4)), (0, 0), 1.5)
    h, w = light.shape
    y, x = np.mgrid[0:h, 0:w]
    dx, dy = x + 0.5 - w / 2, y + 0.5 - h / 2
    unit = np.hypot(h, w) / 2
    far = np.maximum(np.hypot(dx, dy), 1e-6)
    gx, gy = (cv2.Sobel(log, cv2.CV_32F, a, 1 - a, ksize=3, scale=1 / 8) for a in (1, 0))
    slope = (gx * dx + gy * dy) / far * unit
    r = far / unit
    usable = (light > _DARK) & (small.max(axis=2) < _BRIGHT) & (r > 0.15)
    quarters = [
        usable & ((dx > 0) == right) & ((dy > 0) == low) for right in (False, True) for low in (False, True)
    ]
    found = [_corner(r[q], slope[q]) for q in quarters if np.count_nonzero(q) > 200]
    if len(found) < 3:
        return Falloff(0.0, _MOST)
    whole = _corner(r[usable], slope[usable])
    return Falloff(float(np.clip(whole, 0, _MOST)), float(np.std(found)))


def _corner(r: np.ndarray, slope: np.ndarray) -> float:
    """EV in the corner of a falloff with the square of the distance: the weighted median of slope over slope
    per EV."""
    ratio, weight = -slope / (2 * r), r
    order = np.argsort(ratio)
    total = np.cumsum(weight[order])
    return float(ratio[order][np.searchsorted(total, total[-1] / 2)])
