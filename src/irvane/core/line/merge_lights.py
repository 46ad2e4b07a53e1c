"""What clips in every frame of a merge: marked, and its colour rebuilt as in a single frame.

For the shortest exposure the merge's light is divided by its ratio: 1 is then where it clips, and everything
below is as much darker.
"""

from __future__ import annotations

import cv2
import numpy as np

from irvane.core.image import Mosaic
from irvane.core.sensor.clipping import CLIP_FULL, hold_clipped
from irvane.core.sensor.highlights import MAP_SIDE, make_map, rebuild

#: Rows that are rebuilt at once.
_BAND = 516


def clipped_everywhere(shortest: np.ndarray) -> np.ndarray | None:
    """uint8 H×W, bit c where colour c clips in the shortest exposure (camera-linear as it lies in the merge,
    NaN outside of it); None when nothing does."""
    with np.errstate(invalid="ignore"):
        over = shortest >= CLIP_FULL
    if not over.any():
        return None
    return (over[..., 0] * np.uint8(1) | over[..., 1] * np.uint8(2) | over[..., 2] * np.uint8(4)).astype(
        np.uint8
    )


def rebuild_lights(
    picture: np.ndarray, bits: np.ndarray | None, ratio: float, gains: np.ndarray,
    mosaic: Mosaic | None = None
) -> None:  # fmt: skip
    """Rebuild, in place, the colours of a merge that clip in every frame.

    Parameters
    ----------
    picture : float32 H×W×3, camera-linear at the reference's exposure.
    bits : uint8 H×W, bit c where colour c clips in every frame; None when nothing does.
    ratio : the reference's exposure over the shortest one's. gains : white-balance gains of the shot.
    mosaic : what the picture was made of, before denoising, where it was one.
    """
    if bits is None or not bits.any():
        return
    h, w = bits.shape
    factor = max(1, -(-max(h, w) // MAP_SIDE))
    small = cv2.resize(picture, (max(1, w // factor), max(1, h // factor)), interpolation=cv2.INTER_AREA)
    where = make_map(small / np.float32(ratio), gains, (h, w), bits)
    for top in range(0, h, _BAND):
        marks = bits[top : top + _BAND]
        if not marks.any():
            continue
        band = picture[top : top + _BAND] / np.float32(ratio)
        if mosaic is not None:  # bands begin where arrays do
            hold_clipped(band, Mosaic(mosaic.data[top : top + _BAND] / np.float32(ratio), mosaic.cfa))
        made = rebuild(band, gains, where, top, 0, 1)
        picture[top : top + _BAND] = np.where(
            (marks > 0)[..., None], made * np.float32(ratio), picture[top : top + _BAND]
        )
