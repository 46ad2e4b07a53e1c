"""Figures of a whole proof, read from its full-resolution pixels in bands."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from irvane.core.image import MID_GREY
from irvane.core.judge.histogram import StopHistogram, clipped_shares, stop_histogram
from irvane.core.judge.probe import SMALLEST, ProbeFigures, read_probe
from irvane.core.line.context import Context
from irvane.core.line.develop import Developed
from irvane.core.line.picture import Patch, Region
from irvane.core.line.source import DISPLAY
from irvane.core.line.view import covers, scene_patch, show, trim, wanted, white_ev
from irvane.core.progress import Progress, always, step
from irvane.core.settings import Settings

_BAND = 256


@dataclass(frozen=True)
class WholeFigures:
    """Figures of a whole proof.

    Attributes
    ----------
    histogram : scene-linear light relative to paper white, in stops.
    sensor_clipped : share of pixels with a colour clipped on the sensor.
    white, black : shares of the finished picture at white in a colour, and at black in all.
    """

    histogram: StopHistogram
    sensor_clipped: float
    white: float
    black: float


def whole_figures(
    developed: Developed, settings: Settings, context: Context, progress: Progress = always
) -> WholeFigures:
    """Histogram and clipped shares of all pixels of a proof; raises Cancelled when `progress` returns False."""
    h, w = developed.extent
    top = 1.0 if developed.entry == DISPLAY else MID_GREY * 2.0 ** white_ev(settings)
    counts: np.ndarray | None = None
    below, above = np.zeros(4), np.zeros(4)
    white = black = 0.0
    for first in range(0, h, _BAND):
        step(progress, first / h)
        region = Region(first, 0, min(h, first + _BAND), w)
        patch = trim(scene_patch(developed, settings, context, region), region)
        share = patch.pixels.shape[0] / h
        found = stop_histogram(patch.pixels * np.float32(1 / top))
        counts = found.counts * share if counts is None else counts + found.counts * share
        below += found.below * share
        above += found.above * share
        here = clipped_shares(show(patch, developed, settings))
        white += here[0] * share
        black += here[1] * share
    assert counts is not None
    return WholeFigures(StopHistogram(counts, below, above), context.clipped_share, white, black)


def probe_figures(
    developed: Developed, settings: Settings, context: Context, region: Region, clean: Patch | None = None
) -> ProbeFigures:
    """Figures of a rectangle at full resolution, scene-linear light after all stations.

    Raises
    ------
    ValueError
        When the rectangle does not lie inside the frame or is smaller than SMALLEST pixels a side.
    """
    h, w = developed.extent
    inside = region.top >= 0 and region.left >= 0 and region.bottom <= h and region.right <= w
    if not inside or min(region.bottom - region.top, region.right - region.left) < SMALLEST:
        raise ValueError("The rectangle is not inside the picture, or too small.")
    usable = clean if clean is not None and covers(clean, wanted(region, developed.extent)) else None
    return read_probe(trim(scene_patch(developed, settings, context, region, usable), region).pixels)
