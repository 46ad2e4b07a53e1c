"""What regions are chosen by: one reduced picture of the frame, balanced as it was shot, before any light is
set.

It does not change with the proof: masks that steer denoising and balance would chase their own tail.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from irvane.core.image import LUMA_2020, MID_GREY

#: Longer side, at most; standard deviation of the blur that takes its noise away.
SIDE, _BLUR = 1600, 0.8
#: Darkest light that is told apart, relative to mid-grey.
_DARKEST = 2.0**-12


@dataclass(frozen=True, eq=False)
class Reference:
    """The picture that regions are chosen by.

    Attributes
    ----------
    stops : luminance in EV around mid-grey, float32 h×w. hue : degrees, 0 red, float32 h×w. chroma : 0 grey …
        1.
    light : scene-linear BT.2020, float32 h×w×3. extent : height and width of the frame.
    softness : σ in pixels of edges near by, see :func:`irvane.core.line.acutance_looks.softness_map`; not a
        number where not known.
    """

    stops: np.ndarray
    hue: np.ndarray
    chroma: np.ndarray
    light: np.ndarray
    extent: tuple[int, int]
    softness: np.ndarray

    @property
    def shape(self) -> tuple[int, int]:
        return self.stops.shape[0], self.stops.shape[1]


def make_reference(light: np.ndarray, extent: tuple[int, int], softness: np.ndarray) -> Reference:
    """From a reduced picture (scene-linear BT.2020, balanced as it was shot)."""
    smooth = np.maximum(cv2.GaussianBlur(light, (0, 0), _BLUR), 0)
    luminance = smooth @ LUMA_2020
    stops = np.log2(np.maximum(luminance / MID_GREY, _DARKEST)).astype(np.float32)
    high, low = smooth.max(axis=2), smooth.min(axis=2)
    span = np.maximum(high - low, 1e-9)
    r, g, b = (smooth[..., k] for k in range(3))
    # the hexagon of hues (Smith 1978)
    hue = np.where(high == r, (g - b) / span % 6, np.where(high == g, (b - r) / span + 2, (r - g) / span + 4))
    chroma = np.where(high > 1e-6, (high - low) / np.maximum(high, 1e-6), 0)
    return Reference(
        stops, (hue * 60).astype(np.float32), chroma.astype(np.float32), smooth, extent, softness
    )
