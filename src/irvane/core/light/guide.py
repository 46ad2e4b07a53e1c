"""The whole-frame guide of local brightness: computed once per frame, shared by every view of it.

On a reduced copy of the whole frame (about two megapixels) a guided filter (He, Sun & Tang 2013) splits the
logarithm of luminance into a base, which keeps strong edges, and detail. Its linear coefficients are kept and
applied to the full-resolution luminance (the fast guided filter, He & Sun 2015), so that a tile, a 1:1 view
and the fitted view see the same base. Two radii are blended: the small one follows edges closely, the large
one keeps areas together.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from irvane.core.image import LUMA_2020, MID_GREY
from irvane.core.kernels import blank, flat, serial
from irvane.core.threads import together

#: Longest side of the guide in pixels.
GUIDE_SIDE = 1600
#: Radii as shares of the guide's longer side, and the variance (EV²) that separates texture from edges.
_RADII = (0.008, 0.035)
_EPSILON = 0.15
#: Luminance below this share of mid-grey is treated as this dark.
FLOOR_EV = -14.0


@dataclass(frozen=True)
class Levels:
    """Percentiles of log2(Y / 0.18) over a frame: darkest is the 0.5th, brightest the 99.9th."""

    darkest: float
    p1: float
    p5: float
    p50: float
    p99: float
    brightest: float


def levels_of(values: np.ndarray) -> Levels:
    """How values of log2(Y / 0.18) are spread."""
    return Levels(*(float(v) for v in np.percentile(values, (0.5, 1, 5, 50, 99, 99.9))))


@dataclass(frozen=True, eq=False)
class Guide:
    """Base brightness of a frame as coefficients on its log luminance.

    Attributes
    ----------
    planes : float32, h×w×4: slope and offset of the small radius, slope and offset of the large one; the base
        of a radius is slope · log2(Y / 0.18) + offset, in EV, the base of the tonal range the mean of both.
    extent : height and width of the whole frame in pixels.
    log_average : mean of log2(Y / 0.18) over the frame, in EV (the key of the scene).
    peak : 99.9th percentile of log2(largest colour / 0.18).
    levels : how log2(Y / 0.18) is spread.
    """

    planes: np.ndarray
    extent: tuple[int, int]
    log_average: float
    peak: float
    levels: Levels


def log_luminance(picture: np.ndarray) -> np.ndarray:
    """log2(Y / 0.18) of a scene-linear picture, limited below at FLOOR_EV: float32 H×W."""
    luminance = picture @ LUMA_2020
    return np.log2(np.maximum(luminance / MID_GREY, 2.0**FLOOR_EV), dtype=np.float32)


@serial
def _lines(centre, square, epsilon, slopes, offsets, weights):
    """Of every window its slope and offset, times its weight, from its mean and mean square."""
    for i in range(centre.size):
        variance = max(square[i] - centre[i] * centre[i], np.float32(0))
        # squared, edges of several stops are followed to a hundredth: what is left of them would be a halo
        apart = variance * variance
        slope = apart / (apart + epsilon * epsilon)
        # windows that straddle no edge speak louder where coefficients are averaged: fewer halos beside edges
        weight = 1 / (variance + epsilon)
        slopes[i] = slope * weight
        offsets[i] = centre[i] * (1 - slope) * weight
        weights[i] = weight


@serial
def _put(slopes, offsets, weights, first, planes):
    for i in range(weights.size):
        planes[4 * i + first] = slopes[i] / weights[i]
        planes[4 * i + first + 1] = offsets[i] / weights[i]


def _guided(values: np.ndarray, radius: int, first: int, planes: np.ndarray) -> None:
    """Slope and offset of a radius, into two of the planes from the `first` one on."""
    size = (2 * radius + 1, 2 * radius + 1)

    def mean(plane: np.ndarray) -> np.ndarray:
        return cv2.blur(plane, size, borderType=cv2.BORDER_REFLECT)

    centre, square = mean(values), mean(values * values)
    parts = [blank(values) for _ in range(3)]
    _lines(flat(centre), flat(square), np.float32(_EPSILON), *(flat(part) for part in parts))
    _put(*(flat(mean(part)) for part in parts), first, flat(planes))


def make_guide(picture: np.ndarray, extent: tuple[int, int]) -> Guide:
    """Build the guide from a reduced copy of the whole frame.

    Parameters
    ----------
    picture : float32, scene-linear, longest side about GUIDE_SIDE.
    extent : height and width of the frame it was reduced from.
    """
    values = log_luminance(picture)
    longest = max(values.shape)
    planes = np.empty((*values.shape, 4), np.float32)
    together(
        lambda: _guided(values, max(2, round(_RADII[0] * longest)), 0, planes),
        lambda: _guided(values, max(3, round(_RADII[1] * longest)), 2, planes),
    )
    levels = levels_of(values[::3, ::3])
    largest = np.percentile(np.maximum.reduce(cv2.split(picture[::3, ::3])), 99.9)
    peak = np.log2(max(float(largest) / MID_GREY, 2.0**FLOOR_EV))
    return Guide(planes, extent, float(values.mean()), float(peak), levels)
