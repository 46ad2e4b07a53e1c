"""The domain in which colours are interpolated.

Colour *ratios* vary more slowly over a picture than colour differences do, and the eye judges ratios too.
Interpolating in a power of the light makes difference-based methods respect ratios; close to zero, where noise
dominates, the curve turns straight so that the mean of noise is kept.
"""

from __future__ import annotations

import numpy as np

from irvane.core.kernels import inline
from irvane.core.powers import power

#: Exponent of the interpolation domain (2/5: the inverse, x²·√x, is cheap).
POWER = 0.4
#: Smallest signal, relative to white, below which the curve is straight.
SMALLEST_KNEE = 0.001


@inline
def to_ratio(x, knee):
    """(x + knee)^POWER, continued as its tangent below zero."""
    base = power(knee, 0.4)
    curved = power(max(x, np.float32(0)) + knee, 0.4)
    return curved if x > 0 else base + np.float32(0.4) * base / knee * x


@inline
def from_ratio(v, knee, base):
    """Inverse of :func:`to_ratio`; `base` is knee^POWER."""
    above = max(v, base)
    curved = above * above * np.sqrt(above) - knee
    return curved if v > base else (v - base) * knee / (np.float32(0.4) * base)


def knee_for(sigma_dark: float) -> float:
    """Knee for a mosaic whose noise at black has the standard deviation `sigma_dark` (relative to white)."""
    return max(SMALLEST_KNEE, 4.0 * sigma_dark)
