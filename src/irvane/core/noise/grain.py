"""Final grain: an even monochrome grain over the finished picture, against a plastic look.

Grain belongs to places of the frame, not of a view: tiles, views and files show the same grain. It is
strongest in the mid-tones and vanishes at black and white, as the density noise of film and paper does.
"""

from __future__ import annotations

import cv2
import numpy as np

from irvane.core.kernels import flat, serial

#: Standard deviation, on a square-root scale of light, of grain at 100 %.
_STRONGEST = 0.08


@serial
def _white(top, left, out):
    """White noise of unit variance from places alone: sums of four hashed bytes."""
    for y in range(out.shape[0]):
        row = np.uint32((top + y) * 0x9E3779B1 & 0xFFFFFFFF)
        line = out[y]
        for x in range(out.shape[1]):
            h = np.uint32(row ^ np.uint32((left + x) * 0x85EBCA77 & 0xFFFFFFFF))
            h = np.uint32(h ^ (h >> np.uint32(15)))
            h = np.uint32(h * np.uint32(0x2C1B3C6D))
            h = np.uint32(h ^ (h >> np.uint32(12)))
            h = np.uint32(h * np.uint32(0x297A2D39))
            h = np.uint32(h ^ (h >> np.uint32(15)))
            total = (
                (h & np.uint32(255))
                + ((h >> np.uint32(8)) & np.uint32(255))
                + ((h >> np.uint32(16)) & np.uint32(255))
                + (h >> np.uint32(24))
            )
            # four uniform bytes: mean 510, variance 4 · (256² − 1) / 12
            line[x] = (np.float32(total) - np.float32(510)) * np.float32(1 / 147.80)


@serial
def _apply(light, pattern, strength):
    for i in range(pattern.size):
        for c in range(3):
            root = np.sqrt(light[3 * i + c])
            root += strength * pattern[i] * 4 * root * (1 - root)
            root = min(max(root, np.float32(0)), np.float32(1))
            light[3 * i + c] = root * root


def grain_pattern(shape: tuple[int, int], top: float, left: float, step: float, size: float) -> np.ndarray:
    """Grain of unit variance at full resolution: float32 of the shape (H×W).

    Parameters
    ----------
    top, left, step : where the view begins in the frame, and frame pixels per pixel; a reduced view has less
        of it.
    size : width of a grain in frame pixels.
    """
    sigma = 0.5 * size / step
    margin = int(np.ceil(3 * sigma)) if sigma > 0.3 else 0
    h, w = shape
    white = np.empty((h + 2 * margin, w + 2 * margin), np.float32)
    _white(round(top / step) - margin, round(left / step) - margin, white)
    if margin:
        kernel = cv2.getGaussianKernel(2 * margin + 1, sigma, cv2.CV_32F)
        blurred = cv2.sepFilter2D(white, cv2.CV_32F, kernel, kernel) / np.float32((kernel**2).sum())
        white = np.ascontiguousarray(blurred[margin : margin + h, margin : margin + w])
    return white * np.float32(min(1.0, max(size, 1.0) / step))


def add_grain(
    light: np.ndarray, amount: float, size: float, top: float, left: float, step: float
) -> np.ndarray:
    """Finished light (linear, float32 H×W×3, 0…1) with grain; `amount` 0…1."""
    if amount <= 0:
        return light
    out = np.array(light, np.float32, order="C")
    pattern = grain_pattern(out.shape[:2], top, left, step, size)
    _apply(flat(out), flat(pattern), np.float32(_STRONGEST * amount))
    return out
