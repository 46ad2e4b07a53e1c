"""The domain in which colours are interpolated.

Colour *ratios* vary more slowly over a picture than colour differences do, and the eye judges ratios too.
Interpolating in a power of the light makes difference-based methods respect ratios; close to zero, where noise
dominates, the curve turns straight so that the mean of noise is kept.
"""

from __future__ import annotations

import numba
import numpy as np

#: Exponent of the interpolation domain (2/5: the inverse, x²·√x, is cheap).
POWER = 0.4
#: Smallest signal, relative to white, below which the curve is straight.
SMALLEST_KNEE = 0.001


@numba.njit(inline="always", fastmath=True)
def to_ratio(x, knee):
    """(x + knee)^POWER, continued as its tangent below zero."""
    if x > 0:
        return (x + knee) ** np.float32(0.4)
    base = knee ** np.float32(0.4)
    return base + np.float32(0.4) * base / knee * x


@numba.njit(inline="always", fastmath=True)
def from_ratio(v, knee, base):
    """Inverse of :func:`to_ratio`; `base` is knee^POWER."""
    if v > base:
        return v * v * np.sqrt(v) - knee
    return (v - base) * knee / (np.float32(0.4) * base)


def knee_for(sigma_dark: float) -> float:
    """Knee for a mosaic whose noise at black has the standard deviation `sigma_dark` (relative to white)."""
    return max(SMALLEST_KNEE, 4.0 * sigma_dark)
