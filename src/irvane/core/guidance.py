"""Reading whole-frame guides at the pixels of a view: every view of a frame sees the same guide."""

from __future__ import annotations

import cv2
import numpy as np


def sample(
    plane: np.ndarray, extent: tuple[int, int], top: float, left: float, step: float, shape: tuple[int, int]
) -> np.ndarray:
    """Bilinear samples of a guide plane at the pixels of a view.

    Parameters
    ----------
    plane : float32, h×w or h×w×C (C up to 4), over the whole frame of `extent` pixels.
    top, left : frame position of the view's corner.
    step : frame pixels per view pixel.
    shape : height and width of the view.
    """
    sy, sx = plane.shape[0] / extent[0], plane.shape[1] / extent[1]
    y0 = (top + 0.5 * step) * sy - 0.5
    x0 = (left + 0.5 * step) * sx - 0.5
    matrix = np.array([[step * sx, 0, x0], [0, step * sy, y0]], np.float64)
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    return cv2.warpAffine(plane, matrix, (shape[1], shape[0]), flags=flags, borderMode=cv2.BORDER_REPLICATE)
