"""Parts of pictures: of a frame, and of the output that is made of it. The two are never mixed up.

Places are (x, y) in pixels with pixel centres at +0.5. A frame is upright, as large as the sensor's active
area; what leads from one to the other is :class:`irvane.core.pixels.geometry.Geometry`.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Protocol

import numpy as np


@dataclass(frozen=True)
class FrameRegion:
    """A part of a frame: half-open ranges in frame pixels, and frame pixels per pixel of what is wanted of
    it."""

    top: int
    left: int
    bottom: int
    right: int
    step: float = 1.0

    def holds(self, other: FrameRegion) -> bool:
        """Does the other region lie in this one?"""
        rows = self.top <= other.top and other.bottom <= self.bottom
        return rows and self.left <= other.left and other.right <= self.right


@dataclass(frozen=True)
class OutputRegion:
    """A part of the output: half-open ranges in output pixels, and output pixels per pixel of the view."""

    top: int
    left: int
    bottom: int
    right: int
    step: float = 1.0

    def grown(self, by: int, extent: tuple[int, int]) -> OutputRegion:
        """The region with so many view pixels more on every side, cut at the output's height and width."""
        margin = -int(-by * self.step // 1)
        return OutputRegion(
            max(0, self.top - margin), max(0, self.left - margin), min(extent[0], self.bottom + margin),
            min(extent[1], self.right + margin), self.step,
        )  # fmt: skip


class Pixels(Protocol):
    """A part of a picture: its pixels are float32 H×W×3."""

    @property
    def pixels(self) -> np.ndarray: ...


class Patches(Protocol):
    """A whole picture that parts are read of."""

    shape: tuple[int, int]

    def read(self, region: FrameRegion) -> Pixels: ...


def in_output(region: FrameRegion) -> OutputRegion:
    """A part of a frame in an output whose pixels are the frame's own (see
    :func:`irvane.core.lens.framing.without_geometry`)."""
    return OutputRegion(region.top, region.left, region.bottom, region.right, region.step)


def in_frame(region: OutputRegion) -> FrameRegion:
    """The inverse of :func:`in_output`, for such an output."""
    return FrameRegion(region.top, region.left, region.bottom, region.right, region.step)
