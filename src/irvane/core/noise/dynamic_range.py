"""Dynamic range of a sensor from its noise model, in stops between clipping and a signal-to-noise ratio.

Terms after ISO 15739 (SNR limits) and EMVA 1288; everything is read from the mosaic, before any processing.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

from irvane.core.image import NoiseModel

#: SNR limits in common use: clean, usable, the end (ratios, not dB).
LIMITS = (10.0, 3.0, 1.0)
#: The limit that one figure is given at.
RANGE_SNR = 3.0
#: Pictures of different pixel counts are compared at so many pixels (common practice).
COMMON_PIXELS = 8e6


def signal_at(gain: float, read: float, ratio: float) -> float:
    """Signal (1 = clipping) at which signal over noise reaches a ratio: the root of s² = ratio²·(gain·s +
    read²)."""
    half = ratio**2 * gain / 2
    return half + math.sqrt(half**2 + (ratio * read) ** 2)


def stops(noise: NoiseModel, ratio: float, channel: int, pixels: float | None = None) -> float:
    """Stops between clipping and the signal at which the SNR falls to `ratio`.

    Parameters
    ----------
    pixels : count of the sensor: the range after averaging to COMMON_PIXELS (noise falls with the root of the
        count); None: of a single pixel.
    """
    if pixels is not None:
        ratio = ratio / math.sqrt(pixels / COMMON_PIXELS)
    return -math.log2(max(signal_at(noise.gain[channel], noise.read[channel], ratio), 1e-9))


def range_facts(
    noise: NoiseModel, pixels: float, limits: Sequence[float] = LIMITS
) -> dict[str, dict[str, float]]:
    """Stops at every limit: of a pixel (its worst colour) and normalised; keys like ``snr_10``."""
    found = {}
    for ratio in limits:
        each = {
            "per_pixel": min(stops(noise, ratio, c) for c in range(3)),
            "at_8_mp": min(stops(noise, ratio, c, pixels) for c in range(3)),
        }
        found[f"snr_{ratio:g}"] = {name: round(value, 2) for name, value in each.items()}
    return found
