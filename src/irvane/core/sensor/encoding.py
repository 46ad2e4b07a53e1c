"""The domain in which colours are interpolated.

Colour *ratios* vary more slowly over a picture than colour differences do, and the eye judges ratios too.
Interpolating in a power of the light makes difference-based methods respect ratios; close to zero, where
noise dominates, the curve turns straight so that the mean of noise is kept.
"""

from __future__ import annotations

import numpy as np

from irvane.core.kernels import blank, flat, inline, serial
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


@serial
def _encode(picture, gains, knee, out):
    for i in range(out.size // 3):
        out[3 * i] = to_ratio(picture[3 * i] * gains[0], knee)
        out[3 * i + 1] = to_ratio(picture[3 * i + 1] * gains[1], knee)
        out[3 * i + 2] = to_ratio(picture[3 * i + 2] * gains[2], knee)


@serial
def _decode(values, gains, knee, out):
    base = power(knee, 0.4)
    k0, k1, k2 = 1 / gains[0], 1 / gains[1], 1 / gains[2]
    for i in range(out.size // 3):
        out[3 * i] = from_ratio(values[3 * i], knee, base) * k0
        out[3 * i + 1] = from_ratio(values[3 * i + 1], knee, base) * k1
        out[3 * i + 2] = from_ratio(values[3 * i + 2], knee, base) * k2


@serial
def _decode_rows(values, gains, knee):
    for y in range(values.shape[0]):
        _decode(values[y], gains, knee, values[y])


def decode_rows(values: np.ndarray, gains: np.ndarray, knee: float) -> None:
    """:func:`decoded` in place, for a part of a larger picture (H×W×3 whose rows lie in one piece)."""
    rows = values.reshape(values.shape[0], -1, copy=False)
    _decode_rows(rows, np.asarray(gains, np.float32), np.float32(knee))


def encoded(picture: np.ndarray, gains: np.ndarray, knee: float) -> np.ndarray:
    """A camera-linear picture (float32 H×W×3) times its reference gains, in the domain of interpolation."""
    out = blank(picture)
    _encode(flat(picture), np.asarray(gains, np.float32), np.float32(knee), flat(out))
    return out


def decoded(values: np.ndarray, gains: np.ndarray, knee: float) -> np.ndarray:
    """Inverse of :func:`encoded`."""
    out = blank(values)
    _decode(flat(values), np.asarray(gains, np.float32), np.float32(knee), flat(out))
    return out
