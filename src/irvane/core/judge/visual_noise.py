"""Visual noise: how strongly the noise of an even square is seen, in CIELAB after the eye's contrast
sensitivity.

After ISO 15739, annex on visual noise: the picture is filtered in an opponent space by the contrast
sensitivity of the eye at a stated viewing size, and the standard deviations of lightness and of the two
colours are summed with weights. The sensitivities are those of Johnson & Fairchild (2003), the weights those
of the 2013 edition; both from memory.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from irvane.core.colour.spaces import SPACES, to_xyz
from irvane.core.judge.colour_difference import lab_of

#: Pixels per degree of sight: 100 % on a screen of 110 pixels per inch, looked at from 60 cm.
PIXELS_PER_DEGREE = 45.0
VIEWED = "100 % on a screen of 110 ppi from 60 cm"
#: Weights of lightness and of the two colours (ISO 15739:2013).
_WEIGHTS = (1.0, 0.852, 0.323)
#: XYZ to an achromatic and two opponent colours (Johnson & Fairchild 2003, from Poirson & Wandell).
_OPPONENT = np.array(
    [[0.2787, 0.7218, -0.1066], [-0.4488, 0.2898, 0.0772], [0.0860, -0.5900, 0.5011]], np.float64
)
SMALLEST = 16


def sensitivity(frequency: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Contrast sensitivity (largest 1; 1 at 0, so that means stay) for light, red–green and blue–yellow.

    Parameters
    ----------
    frequency : cycles per degree.
    """
    f = np.maximum(frequency, 1e-6)
    light = 75 * f**0.8 * np.exp(-0.2 * f)
    light = light / (75 * 4.0**0.8 * np.exp(-0.8))  # it is largest at 0.8 / 0.2 cycles per degree
    red = 109.1413 * np.exp(-0.00038 * f**3.4244) + 93.59711 * np.exp(-0.00367 * f**2.16771)
    blue = 7.032845 * np.exp(-0.000004 * f**4.258205) + 40.69095 * np.exp(-0.103909 * f**1.648658)
    found = light, red / (109.1413 + 93.59711), blue / (7.032845 + 40.69095)
    for one in found:
        one[frequency == 0] = 1.0
    return found


@lru_cache(maxsize=8)
def _passed(h: int, w: int, per_degree: float) -> tuple[np.ndarray, ...]:
    """Sensitivities over the spectrum of a square."""
    frequency = np.hypot(np.fft.fftfreq(h)[:, None], np.fft.rfftfreq(w)) * per_degree
    return tuple(one.astype(np.float32) for one in sensitivity(frequency))


def visual_noise(shown: np.ndarray, per_degree: float = PIXELS_PER_DEGREE) -> float:
    """Visual noise of an even square as it is shown.

    Parameters
    ----------
    shown : linear sRGB, H×W×3, 0…1, at least SMALLEST pixels a side.
    per_degree : pixels per degree of sight.

    Raises
    ------
    ValueError
        With a sentence, when it is smaller.
    """
    if min(shown.shape[:2]) < SMALLEST:
        raise ValueError(f"Visual noise needs at least {SMALLEST} × {SMALLEST} pixels.")
    from scipy import fft  # takes a while: only when it is needed

    h, w = shown.shape[:2]
    space = SPACES["srgb"]
    matrix = _OPPONENT @ to_xyz(space)
    planes = np.asarray(shown, np.float32) @ matrix.T.astype(np.float32)
    seen = np.stack(
        [
            fft.irfft2(fft.rfft2(planes[..., k]) * passed, (h, w))
            for k, passed in enumerate(_passed(h, w, per_degree))
        ],
        axis=-1,
    )
    lab = lab_of(seen @ np.linalg.inv(matrix).T, space)
    return float(sum(weight * lab[..., k].std() for k, weight in enumerate(_WEIGHTS)))
