"""Black put right: the small even light that lies over the deepest tones of a noisy frame is taken away.

The darkest places of a frame are rarely lit by nothing. What they hold, up to a few read noises, is measured
once per frame and colour; it is subtracted where it is all there is, and ever less of it further up, so that
tones stay in their order.
"""

from __future__ import annotations

import cv2
import numpy as np

from irvane.core.image import NoiseModel
from irvane.core.kernels import blank, flat, serial

#: Share of the frame's pixels that count as its darkest.
_DARKEST = 0.1
_CALM = 9
#: Haze is never more than this many read noises: what lies higher is the scene's own.
_MOST = 2.0
#: Brightness, in multiples of the haze, at which a third of the subtraction is left.
_FADES = 6.0


def measure_haze(picture: np.ndarray, noise: NoiseModel) -> tuple[float, float, float]:
    """Light over the darkest places of a reduced, camera-linear picture, per colour, relative to clipping."""
    calm = cv2.blur(picture, (_CALM, _CALM))  # single pixels are noise
    levels = np.percentile(calm[::3, ::3].reshape(-1, 3), _DARKEST, axis=0)
    most = _MOST * np.array(noise.read)
    red, green, blue = (float(v) for v in np.clip(levels, 0, most))
    return red, green, blue


@serial
def _clear(picture, haze, amount, fades, out):
    for i in range(picture.size // 3):
        for c in range(3):
            v = picture[3 * i + c]
            share = max(v, np.float32(0)) / (fades * haze[c] + np.float32(1e-12))
            out[3 * i + c] = v - amount * haze[c] * np.exp(-share * share)


def clear_black(picture: np.ndarray, haze: tuple[float, float, float], share: float) -> np.ndarray:
    """Take a share (0…1) of the haze from a camera-linear picture (float32 H×W×3)."""
    if share <= 0 or not any(haze):
        return picture
    out = blank(picture)
    _clear(flat(picture), np.array(haze, np.float32), np.float32(share), np.float32(_FADES), flat(out))
    return out
