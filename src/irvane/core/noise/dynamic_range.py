"""Dynamic range of a sensor from its noise model, in stops between clipping and a signal-to-noise ratio.

Terms after ISO 15739 (SNR limits) and EMVA 1288; everything is read from the mosaic, before any processing.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from irvane.core.image import NoiseModel

#: SNR limits in common use: clean, usable, the end (ratios, not dB).
LIMITS = (10.0, 3.0, 1.0)
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


@dataclass(frozen=True)
class Condition:
    """What one figure of dynamic range is given for.

    Attributes
    ----------
    words : beside the figure. ratio : SNR at which shadows end; None: where the signal is as large as the
        read noise.
    common : after averaging to COMMON_PIXELS; else of a single pixel.
    """

    words: str
    ratio: float | None
    common: bool


#: Conditions in common use, by their keys; the first is that of ISO 15739 at a common size.
CONDITIONS = {
    "snr-1-8mp": Condition("SNR 1, 8 MP", 1.0, True),
    "snr-3-8mp": Condition("SNR 3, 8 MP", 3.0, True),
    "snr-10-8mp": Condition("SNR 10, 8 MP", 10.0, True),
    "snr-1": Condition("SNR 1, a pixel", 1.0, False),
    "snr-3": Condition("SNR 3, a pixel", 3.0, False),
    "snr-10": Condition("SNR 10, a pixel", 10.0, False),
    "engineering": Condition("full well over read noise", None, False),
}
USUAL = next(iter(CONDITIONS))


def dynamic_range(noise: NoiseModel, pixels: float, condition: str) -> float:
    """Stops of a sensor with so many pixels under one of CONDITIONS, of its worst colour."""
    asked = CONDITIONS[condition]
    if asked.ratio is None:
        return engineering(noise)
    count = pixels if asked.common else None
    return min(stops(noise, asked.ratio, c, count) for c in range(3))


def engineering(noise: NoiseModel) -> float:
    """Stops between clipping and the read noise of the worst colour: of a pixel (EMVA 1288, there as a
    ratio)."""
    return -math.log2(max(*noise.read, 1e-9))


def range_facts(
    noise: NoiseModel, pixels: float, limits: Sequence[float] = LIMITS
) -> dict[str, dict[str, float]]:
    """Stops at every limit: of a pixel (its worst colour) and normalised; keys like ``snr_10``; and
    ``engineering``."""
    found = {"engineering": {"per_pixel": round(engineering(noise), 2)}}
    for ratio in limits:
        each = {
            "per_pixel": min(stops(noise, ratio, c) for c in range(3)),
            "at_8_mp": min(stops(noise, ratio, c, pixels) for c in range(3)),
        }
        found[f"snr_{ratio:g}"] = {name: round(value, 2) for name, value in each.items()}
    return found
