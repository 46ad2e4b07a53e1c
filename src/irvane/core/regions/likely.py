"""How likely every place of a frame belongs to its subject, by a small network (``training/subject.py``).

It sees a small picture and how sharp places are, learned on shapes that carry one photograph over another;
what it says is a guess, which the picture's own colours and contours make whole.
"""

from __future__ import annotations

import cv2
import numpy as np

from irvane.core import networks
from irvane.core.regions.reference import Reference

_PACKAGE, _NETWORK = "irvane.core.regions", "likely"
#: Planes that the network sees; height and width that it sees a frame at.
PLANES, SEEN = 7, (128, 192)
#: σ of edges, in pixels, that count as sharp, and as soft; brightness that the mean of a picture is brought
#: to.
_SHARP, _SOFT, _BRIGHT = 0.9, 2.6, 0.45


def planes_of(reference: Reference, size: tuple[int, int]) -> np.ndarray:
    """What the network sees: coded colours, sharpness, whether it is known, and places; float32
    PLANES×h×w."""
    h, w = size
    light = cv2.resize(np.clip(reference.light, 0, None), (w, h), interpolation=cv2.INTER_AREA)
    code = np.sqrt(light)
    code = np.clip(code * (_BRIGHT / max(float(code.mean()), 1e-3)), 0, 1.6)
    known = np.isfinite(reference.softness).astype(np.float32)
    sharp = np.clip((_SOFT - np.nan_to_num(reference.softness, nan=_SOFT)) / (_SOFT - _SHARP), 0, 1)
    two = [
        cv2.resize(p.astype(np.float32), (w, h), interpolation=cv2.INTER_LINEAR)
        for p in (sharp * known, known)
    ]
    y, x = np.meshgrid(np.linspace(-1, 1, h), np.linspace(-1, 1, w), indexing="ij")
    return np.concatenate([code.transpose(2, 0, 1), np.stack([*two, y, x])]).astype(np.float32)


def likely(reference: Reference) -> np.ndarray:
    """Float32 of the network's size, 0…1."""
    upright = reference.shape[0] > reference.shape[1]
    planes = planes_of(reference, SEEN[::-1] if upright else SEEN)
    if upright:  # it has learned lying frames: their own sides are turned, places keep their meaning
        planes = np.ascontiguousarray(planes.transpose(0, 2, 1))
        planes[[-2, -1]] = planes[[-1, -2]]
    found = 1 / (1 + np.exp(-networks.run(_PACKAGE, _NETWORK, planes)[0]))
    return np.asarray(found.T if upright else found, np.float32)
