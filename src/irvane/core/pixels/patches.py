"""Pixels of a part of a frame, and of a part of the output."""

from __future__ import annotations

from dataclasses import dataclass
from typing import overload

import numpy as np

from irvane.core.pixels.places import FrameRegion, OutputRegion


@dataclass(frozen=True)
class FramePatch:
    """A part of a frame at some scale.

    Attributes
    ----------
    pixels : float32 H×W×3.
    top, left : frame position of its corner, in frame pixels.
    step : frame pixels per pixel, along the longer side.
    steps : the same downwards and to the right, where these differ (less than a pixel over the whole patch);
        None: alike.
    """

    pixels: np.ndarray
    top: float
    left: float
    step: float
    steps: tuple[float, float] | None = None

    @property
    def bottom(self) -> float:
        return self.top + self.pixels.shape[0] * self.step

    @property
    def right(self) -> float:
        return self.left + self.pixels.shape[1] * self.step


@dataclass(frozen=True)
class OutputPatch:
    """A part of the output at some scale.

    Attributes
    ----------
    pixels : float32 H×W×3.
    top, left : place of its corner, in output pixels.
    step : output pixels per pixel.
    """

    pixels: np.ndarray
    top: float
    left: float
    step: float

    @property
    def bottom(self) -> float:
        return self.top + self.pixels.shape[0] * self.step

    @property
    def right(self) -> float:
        return self.left + self.pixels.shape[1] * self.step


@overload
def trim(patch: FramePatch, region: FrameRegion) -> FramePatch: ...
@overload
def trim(patch: OutputPatch, region: OutputRegion) -> OutputPatch: ...
def trim(patch: FramePatch | OutputPatch, region: FrameRegion | OutputRegion) -> FramePatch | OutputPatch:
    """A patch cut back to a region (whole pixels) of what it is a part of."""
    top = max(0, round((region.top - patch.top) / patch.step))
    left = max(0, round((region.left - patch.left) / patch.step))
    h = round((region.bottom - region.top) / patch.step)
    w = round((region.right - region.left) / patch.step)
    pixels = np.ascontiguousarray(patch.pixels[top : top + h, left : left + w])
    return type(patch)(pixels, patch.top + top * patch.step, patch.left + left * patch.step, patch.step)
