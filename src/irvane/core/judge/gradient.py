"""Smoothness of a gradient, such as a sky, as it is shown: steps (banding) and evenness."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

SMALLEST = 24
#: A jump counts as a step when it exceeds this many standard deviations of the profile's noise, and this much
#: of white.
_SIGMAS, _LEAST = 4.0, 0.0025
#: … and so many times the usual difference.
_OUTSTANDING = 2.5
#: Pixels on either side that a step's level is taken from.
_SIDE = 3


@dataclass(frozen=True)
class GradientFigures:
    """A gradient's faults, on encoded values, 1 = white.

    Attributes
    ----------
    steps : number of steps across it.
    largest : size of the largest step; 0 without one.
    evenness : standard deviation of the profile around a smooth curve.
    range : from its darkest to its brightest end.
    """

    steps: int
    largest: float
    evenness: float
    range: float


def gradient_figures(values: np.ndarray) -> GradientFigures:
    """Look at a gradient in an H×W plane of encoded luminance; it runs along columns, lines or slantwise.

    Raises
    ------
    ValueError
        With a sentence, when the rectangle is too small.
    """
    plane = np.asarray(values, np.float64)
    h, w = plane.shape
    if min(h, w) < SMALLEST:
        raise ValueError(f"A gradient needs at least {SMALLEST} × {SMALLEST} pixels.")
    y, x = np.mgrid[0:h, 0:w].astype(float)
    design = np.stack([np.ones(h * w), x.ravel() - (w - 1) / 2, y.ravel() - (h - 1) / 2], axis=1)
    (_, across, down), *_ = np.linalg.lstsq(design, plane.ravel(), rcond=None)
    length = float(np.hypot(across, down))
    along = (x * across + y * down) / length if length > 1e-9 else x
    place = np.floor(along - along.min()).astype(np.int64).ravel()
    counts = np.bincount(place)
    enough = counts >= 0.5 * np.median(counts)
    flat = plane.ravel()
    means = (np.bincount(place, flat) / np.maximum(counts, 1))[enough]
    scatter = np.sqrt(np.maximum(np.bincount(place, flat**2)[enough] / counts[enough] - means**2, 0))
    noise = float(np.median(scatter / np.sqrt(counts[enough])))
    position = np.linspace(-1, 1, means.size)
    smooth = np.polynomial.polynomial.polyval(position, np.polynomial.polynomial.polyfit(position, means, 3))
    sizes = _steps(means - smooth, noise)
    return GradientFigures(
        len(sizes), max(sizes, default=0.0), float((means - smooth).std()), float(np.ptp(means))
    )


def _steps(profile: np.ndarray, noise: float) -> list[float]:
    """Sizes of the jumps of a profile whose slope was taken off."""
    count = profile.size - 2 * _SIDE
    if count < 1:
        return []
    running = np.concatenate([[0.0], np.cumsum(profile)])
    means = (running[_SIDE:] - running[:-_SIDE]) / _SIDE
    jumps = means[_SIDE:] - means[:-_SIDE]
    # between the steps of a staircase the profile falls back: that is no step
    usual = float(np.median(np.abs(jumps)))
    limit = max(_SIGMAS * noise * np.sqrt(2 / _SIDE), _LEAST, _OUTSTANDING * usual)
    found = []
    k = 0
    while k < jumps.size:
        if abs(jumps[k]) > limit:
            end = k
            while end < jumps.size and abs(jumps[end]) > limit and np.sign(jumps[end]) == np.sign(jumps[k]):
                end += 1
            found.append(float(np.abs(jumps[k:end]).max()))
            k = end
        else:
            k += 1
    return found
