"""Sharpness of a slanted edge: the spatial frequency response after ISO 12233, in linear light.

The edge is located in every line, a straight line is fitted through these places, and all pixels are sorted
by their distance from it into bins of a quarter pixel: a finely sampled profile of the edge. Its derivative,
windowed, is transformed; the responses of the bins and of the difference that stands for the derivative are
taken out.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

#: Smallest side of the rectangle, and lines that must show the edge.
SMALLEST = 20
#: Bins of the profile per pixel (ISO 12233).
PER_PIXEL = 4
#: Angles from the lines or columns between which the sampling is fine and even enough, in degrees.
FLATTEST, STEEPEST = 1.0, 44.0
#: Least step over noise, and least step over the darker side's level, that are taken for an edge.
_CLEAR, _CONTRAST = 5.0, 0.05
#: Scatter around the profile, as a share of the step, beyond which the place holds something else too.
_SCATTER = 0.22
#: Half widths in pixels within which the edge is looked for: wide first.
_HALVES = (1e9, 12.0, 6.0)
_NARROWEST, _WIDEST = 6.0, 24.0


@dataclass(frozen=True)
class EdgeFigures:
    """What an edge tells.

    Attributes
    ----------
    mtf50, mtf10 : cycles per pixel at which the response falls to 50 and 10 %; None where it does not.
    overshoot : largest excess beyond a plateau, as a share of the step.
    angle : degrees from the nearest of lines and columns.
    step : bright over dark side, in EV; None when the dark side is black.
    frequencies, response : the curve up to 0.5 cycles per pixel.
    """

    mtf50: float | None
    mtf10: float | None
    overshoot: float
    angle: float
    step: float | None
    frequencies: np.ndarray
    response: np.ndarray


def edge_figures(values: np.ndarray) -> EdgeFigures:
    """Figures of the one straight edge that crosses a rectangle.

    Parameters
    ----------
    values : float H×W, linear light of one channel or luminance; the edge runs through it from side to side.

    Raises
    ------
    ValueError
        With a sentence, when there is no such edge.
    """
    plane = np.asarray(values, np.float64)
    if min(plane.shape) < SMALLEST:
        raise ValueError(f"An edge needs at least {SMALLEST} × {SMALLEST} pixels.")
    across, down = (
        np.abs(plane[:, -3:].mean() - plane[:, :3].mean()),
        np.abs(plane[-3:].mean() - plane[:3].mean()),
    )
    if down > across:
        plane = plane.T
    if plane[:, -3:].mean() < plane[:, :3].mean():
        plane = plane[:, ::-1]
    _check_contrast(plane)
    slope, place = _line(plane)
    angle = float(np.degrees(np.arctan(abs(slope))))
    if not FLATTEST <= angle <= STEEPEST:
        raise ValueError(
            f"The edge must be slanted by {FLATTEST:g} to {STEEPEST:g} degrees; it is by {angle:.1f}."
        )
    profile, first, scatter = _profile(plane, slope, place)
    dark, bright = _plateaus(profile, first)
    step = bright - dark
    if step <= 0 or scatter > _SCATTER * step:
        raise ValueError("There is more in this rectangle than one straight edge.")
    frequencies, response = _response(profile, first)
    return EdgeFigures(
        _crossing(frequencies, response, 0.5),
        _crossing(frequencies, response, 0.1),
        float(max(profile.max() - bright, dark - profile.min(), 0.0) / step),
        angle,
        float(np.log2(bright / dark)) if dark > 1e-6 else None,
        frequencies[frequencies <= 0.5],
        response[frequencies <= 0.5],
    )


def _check_contrast(plane: np.ndarray) -> None:
    side = max(3, plane.shape[1] // 8)
    dark, bright = plane[:, :side], plane[:, -side:]
    step = bright.mean() - dark.mean()
    noise = max(np.diff(dark, axis=0).std(), np.diff(bright, axis=0).std()) / np.sqrt(2)
    if step < _CLEAR * noise or step < _CONTRAST * max(abs(dark.mean()), 1e-6):
        raise ValueError("There is no clear edge in this rectangle.")


def _line(plane: np.ndarray) -> tuple[float, float]:
    """Slope and place of the edge: column = place + slope × line, from centroids of every line's
    derivative."""
    h, w = plane.shape
    difference = np.zeros_like(plane)
    difference[:, 1:-1] = (plane[:, 2:] - plane[:, :-2]) / 2
    columns, lines = np.arange(w, dtype=float), np.arange(h, dtype=float)
    slope, place = 0.0, (w - 1) / 2
    for number, half in enumerate(_HALVES):
        offset = columns - (place + slope * lines)[:, None]
        weight = (
            np.ones_like(plane)
            if number == 0
            else np.where(abs(offset) < half, 0.54 + 0.46 * np.cos(np.pi * offset / half), 0)
        )
        windowed = difference * weight
        total = windowed.sum(axis=1)
        typical = np.median(total)
        good = total > 0.2 * typical
        if typical <= 0 or good.sum() < SMALLEST // 2:  # it falls where it was to rise
            raise ValueError("There is no straight edge in this rectangle.")
        centroid = (windowed * columns).sum(axis=1)[good] / total[good]
        slope, place = np.polyfit(lines[good], centroid, 1)
        # lines whose centroid lies far off hold something else
        residual = centroid - (place + slope * lines[good])
        spread = 1.4826 * np.median(np.abs(residual)) + 1e-9
        kept = np.abs(residual) < 4 * spread + 0.05
        if kept.sum() < SMALLEST // 2:
            raise ValueError("There is no straight edge in this rectangle.")
        slope, place = np.polyfit(lines[good][kept], centroid[kept], 1)
    if spread > 1.5 or not -1 < place + slope * (h - 1) / 2 < w:
        raise ValueError("The edge in this rectangle is not straight.")
    return float(slope), float(place)


def _profile(plane: np.ndarray, slope: float, place: float) -> tuple[np.ndarray, int, float]:
    """Means of all pixels by distance from the edge in bins of a quarter pixel, the number of the first bin,
    and the standard deviation of the pixels around these means."""
    h, w = plane.shape
    distance = (np.arange(w) - (place + slope * np.arange(h))[:, None]) / np.hypot(1, slope)
    # only distances that every line holds: a profile of the same lines all along
    low, high = distance[:, 0].max(), distance[:, -1].min()
    inside = (distance >= low) & (distance <= high)
    bins = np.floor(distance[inside] * PER_PIXEL + 0.5).astype(np.int64)
    first = int(bins.min())
    counts = np.bincount(bins - first)
    sums = np.bincount(bins - first, plane[inside])
    # each bin's mean belongs to the mean distance of its pixels: bring it to the bin's middle
    where = np.bincount(bins - first, distance[inside]) / np.maximum(counts, 1)
    filled = counts > 0
    if filled.mean() < 0.8 or counts.size < 4 * SMALLEST // 2:
        raise ValueError("The edge is too near to the rectangle's side, or too steep.")
    middles = (np.arange(counts.size) + first) / PER_PIXEL
    profile = np.interp(middles, where[filled], sums[filled] / counts[filled])
    around = plane[inside] - np.interp(distance[inside], middles, profile)
    return profile, first, float(around.std())


def _plateaus(profile: np.ndarray, first: int) -> tuple[float, float]:
    """Levels of both sides, away from the edge."""
    middle = -first
    far = max(4 * PER_PIXEL, min(middle, profile.size - middle) // 2)
    dark, bright = profile[: max(2, middle - far)], profile[min(profile.size - 2, middle + far) :]
    return float(np.median(dark)), float(np.median(bright))


def _response(profile: np.ndarray, first: int) -> tuple[np.ndarray, np.ndarray]:
    spread = np.zeros_like(profile)
    spread[1:-1] = (profile[2:] - profile[:-2]) / 2
    places = (np.arange(profile.size) + first) / PER_PIXEL
    near = np.abs(places) < _WIDEST
    total = max(spread[near].sum(), 1e-12)
    centre = float((spread * places)[near].sum() / total)
    # as wide as the edge needs: four times the half width that holds 80 % of the step
    running = np.cumsum(spread[near]) / total
    inside = places[near][(running > 0.1) & (running < 0.9)]
    half = float(np.clip(4 * (np.ptp(inside) / 2 + 0.5) if inside.size else _NARROWEST, _NARROWEST, _WIDEST))
    half = min(half, centre - places[0], places[-1] - centre)
    offset = np.abs(places - centre) / half
    # flat in the middle, a cosine at the ends: what lies far out is noise
    window = np.where(offset < 0.6, 1.0, 0.5 + 0.5 * np.cos(np.pi * np.clip((offset - 0.6) / 0.4, 0, 1)))
    size = max(1024, 1 << int(np.ceil(np.log2(profile.size))) + 1)
    transform = np.abs(np.fft.rfft(spread * window, size))
    frequencies = np.fft.rfftfreq(size, 1 / PER_PIXEL)
    bins = np.sinc(frequencies / PER_PIXEL)
    difference = np.sinc(2 * frequencies / PER_PIXEL)
    correction = np.maximum(bins * difference, 0.1)
    return frequencies, transform / transform[0] / correction


def _crossing(frequencies: np.ndarray, response: np.ndarray, level: float) -> float | None:
    below = np.nonzero((response < level) & (frequencies <= 1.0))[0]
    if below.size == 0 or below[0] == 0:
        return None
    k = int(below[0])
    share = (response[k - 1] - level) / (response[k - 1] - response[k])
    return float(frequencies[k - 1] + share * (frequencies[k] - frequencies[k - 1]))
