"""Photon transfer: what a sensor does in electrons, from noise over signal.

EMVA standard 1288 (release 4): variance grows with the signal; its slope is the gain, its end at zero light
the read noise. Pairs of frames of equal exposure are subtracted, so that only what differs from frame to
frame counts.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from typing import Any

import numpy as np

from irvane.core.image import Mosaic
from irvane.core.judge.probe import MAD_TO_SIGMA, MADS

#: Signals above this share of clipping are left out: the brightest pixels of their noise are clipped.
_HIGHEST = 0.9
#: Part of the frame, around its middle, that flat and dark frames are read in.
_MIDDLE = 0.5
_ROUNDS = 6


@dataclass(frozen=True)
class Point:
    """Mean and variance of one colour of a place, 1 = clipping; `count` values behind them."""

    mean: float
    variance: float
    count: int


@dataclass(frozen=True)
class Transfer:
    """A sensor's figures at one sensitivity.

    Attributes
    ----------
    saturation : electrons at clipping.
    read_noise : electrons, rounding of the converter taken out.
    gain : counts per electron (EMVA 1288: K); None when the counts at clipping are not known.
    dynamic_range : stops between clipping and the least light that is told from none (SNR 1; EMVA 1288).
    """

    saturation: float
    read_noise: float
    gain: float | None
    dynamic_range: float

    def as_dict(self) -> dict[str, Any]:
        """JSON-ready form."""
        return asdict(self)


def pair_points(first: Mosaic, second: Mosaic) -> list[Point]:
    """Points of red, green and blue from two frames of equal exposure, in the middle of the frame.

    Raises
    ------
    ValueError
        With a sentence, when the frames do not belong together.
    """
    if first.data.shape != second.data.shape or not np.array_equal(first.cfa, second.cfa):
        raise ValueError("The two frames of a pair must come from the same sensor.")
    h, w = first.data.shape
    top, left = round(h * (1 - _MIDDLE) / 2), round(w * (1 - _MIDDLE) / 2)
    inner = np.s_[top : h - top, left : w - left]
    colours = first.colours()[inner]
    a, b = first.data[inner], second.data[inner]
    points = []
    for c in range(3):
        one, two = a[colours == c].astype(np.float64), b[colours == c].astype(np.float64)
        difference = one - two
        centre = np.median(difference)
        # where rounding leaves most differences at zero, the median tells nothing
        spread = MAD_TO_SIGMA * np.median(np.abs(difference - centre)) or difference.std()
        kept = np.abs(difference - centre) <= MADS * spread
        mean = float((one[kept].mean() + two[kept].mean()) / 2)
        points.append(Point(mean, float(difference[kept].var() / 2), int(kept.sum())))
    return points


def fit(points: Sequence[Point], counts: float | None = None) -> Transfer:
    """Figures of one colour from points of several brightnesses.

    Parameters
    ----------
    counts : converter counts between black and clipping; their rounding is taken out of the read noise.

    Raises
    ------
    ValueError
        With a sentence, when the points do not tell a slope.
    """
    usable = [p for p in points if p.mean < _HIGHEST and p.variance > 0 and p.count > 8]
    if len(usable) < 2 or max(p.mean for p in usable) < 4 * max(min(p.mean for p in usable), 1e-4):
        raise ValueError("Photon transfer needs dark and bright frames (or patches) that are not clipped.")
    mean = np.array([p.mean for p in usable])
    variance = np.array([p.variance for p in usable])
    count = np.array([p.count for p in usable], float)
    slope, base = np.polyfit(mean, variance, 1)
    for _ in range(_ROUNDS):
        # a variance of n values is known to √(2/n) of itself
        expected = np.maximum(slope * mean + base, 1e-3 * variance)
        slope, base = np.polyfit(mean, variance, 1, w=np.sqrt(count) / expected)
        base = max(base, 0.0)
    if slope <= 0:
        raise ValueError("The noise does not grow with the light: these frames are processed already.")
    rounding = 0.0 if counts is None else 1 / (12 * counts**2)
    saturation = 1 / slope
    read = math.sqrt(max(base - rounding, 0.0)) * saturation
    least = 0.5 + math.sqrt(0.25 + base * saturation**2)
    return Transfer(
        float(saturation), float(read), None if counts is None else float(counts / saturation),
        math.log2(saturation / least),
    )  # fmt: skip
