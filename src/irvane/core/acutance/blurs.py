"""Blurs as kernels: what the lens softens, what is out of focus, what moved. All sum to 1 and are centred."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

LENS, DEFOCUS, MOTION = "lens", "defocus", "motion"
#: Points per pixel along a side by which a kernel is drawn; standard deviations at which a Gaussian ends; pixels of the largest
#: radius or half length that is undone.
_FINE, _SIGMAS, LARGEST = 9, 3.5, 40.0


@dataclass(frozen=True)
class Blur:
    """A blur of the frame.

    Attributes
    ----------
    cause : LENS (a Gaussian), DEFOCUS (a disc) or MOTION (a straight line).
    size : σ, radius or length, in pixels of the frame.
    angle : of a motion, degrees from the x axis towards y.
    """

    cause: str
    size: float
    angle: float = 0.0

    @property
    def reach(self) -> float:
        """Pixels from the middle to the end of the kernel."""
        return {LENS: _SIGMAS * self.size, DEFOCUS: self.size + 1, MOTION: self.size / 2 + 1}[self.cause]

    @property
    def width(self) -> float:
        """Root of the mean of both variances, in pixels."""
        variance = {LENS: self.size**2, DEFOCUS: self.size**2 / 4, MOTION: self.size**2 / 24}[self.cause]
        return float(np.sqrt(variance))

    def reduced(self, step: float) -> Blur:
        """The same in pixels of a picture that was reduced by a factor."""
        return Blur(self.cause, self.size / step, self.angle)


@lru_cache(maxsize=64)
def kernel_of(blur: Blur) -> np.ndarray:
    """The kernel: float32, odd sides; the mean over each pixel of the blur, as a sensor's pixels take it."""
    half = max(1, int(np.ceil(blur.reach)))
    at = (np.arange((2 * half + 1) * _FINE) + 0.5) / _FINE - half - 0.5
    x, y = np.meshgrid(at, at)
    if blur.cause == LENS:
        fine = np.exp(-(x**2 + y**2) / (2 * max(blur.size, 0.05) ** 2))
    elif blur.cause == DEFOCUS:
        # an edge one sample wide: no kernel depends on where the samples fall
        fine = np.clip((blur.size - np.hypot(x, y)) * _FINE + 0.5, 0, 1)
    else:
        c, s = np.cos(np.radians(blur.angle)), np.sin(np.radians(blur.angle))
        along, across = x * c + y * s, y * c - x * s
        fine = np.clip(blur.size / 2 - np.abs(along) + 0.5, 0, 1) * np.clip(1 - np.abs(across), 0, 1)
    side = 2 * half + 1
    kernel = fine.reshape(side, _FINE, side, _FINE).mean(axis=(1, 3))
    return np.asarray(kernel / kernel.sum(), np.float32)
