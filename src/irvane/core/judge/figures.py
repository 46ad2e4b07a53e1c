"""Figures of a whole proof, read from its full-resolution pixels in bands."""

from __future__ import annotations

from dataclasses import dataclass, replace

import cv2
import numpy as np

from irvane.core.colour.rendering import to_screen
from irvane.core.image import LUMA_2020, MID_GREY
from irvane.core.judge.histogram import StopHistogram, clipped_shares, stop_histogram
from irvane.core.judge.probe import SMALLEST, ProbeFigures, read_probe
from irvane.core.line.camera import covers, part_of
from irvane.core.line.clip_flags import Limits, gamut_marks, output_marks, reduced_marks, sensor_marks
from irvane.core.line.context import Context, geometry_for
from irvane.core.line.develop import Developed
from irvane.core.line.placing import at_source
from irvane.core.line.source import DISPLAY
from irvane.core.line.view import SCREEN, Rendered, scene_patch, show, white_ev
from irvane.core.pixels.patches import FramePatch, OutputPatch, trim
from irvane.core.pixels.places import OutputRegion
from irvane.core.progress import Progress, always, step
from irvane.core.settings import Settings
from irvane.core.threads import each

_BAND = 256
#: The shadows: light between these levels, in EV around mid-grey.
SHADOWS = (-7.0, -3.0)
#: Their colour is read from means of so many pixels across and down (noise must not choose), and from so many
#: of them.
_CELL, _FEWEST = 4, 64


@dataclass(frozen=True)
class WholeFigures:
    """Figures of a whole proof.

    Attributes
    ----------
    histogram : scene-linear light relative to paper white, in stops.
    sensor_clipped : share of pixels with a colour clipped on the sensor.
    white, black : shares of the finished picture at white in a colour, and at black in all.
    cast : by how many EV red and blue exceed green in the shadows (SHADOWS), BT.2020; None where there are
        none.
    """

    histogram: StopHistogram
    sensor_clipped: float
    white: float
    black: float
    cast: tuple[float, float] | None = None


#: First row, histogram, clipped shares, light of the shadows, reduced picture.
_Band = tuple[int, StopHistogram, tuple[float, float], np.ndarray, np.ndarray | None]


def shadow_light(pixels: np.ndarray) -> np.ndarray:
    """Sums of red, green and blue over the cells that lie in the shadows, and the number of these: float64
    (4,)."""
    h, w = (side // _CELL for side in pixels.shape[:2])
    if h == 0 or w == 0:
        return np.zeros(4)
    cells = cv2.resize(pixels[: h * _CELL, : w * _CELL], (w, h), interpolation=cv2.INTER_AREA)
    level = cells @ LUMA_2020 / MID_GREY
    chosen = cells[(level > 2.0 ** SHADOWS[0]) & (level < 2.0 ** SHADOWS[1])]
    return np.append(chosen.sum(axis=0, dtype=np.float64), float(len(chosen)))


def shadow_cast(light: np.ndarray) -> tuple[float, float] | None:
    """Red and blue over green, in EV, of what :func:`shadow_light` found; None when that was too little."""
    if light[3] < _FEWEST or light[:3].min() <= 0:
        return None
    red, green, blue = np.log2(light[:3])
    return float(red - green), float(blue - green)


def whole_figures(
    developed: Developed,
    settings: Settings,
    context: Context,
    progress: Progress = always,
    step_wished: float | None = None,
    offset: float = 0.0,
    marked: Limits | None = None,
    space: str = SCREEN,
) -> tuple[WholeFigures, Rendered | None]:
    """Histogram and clipped shares of all pixels of a proof, and on the way the exact reduced picture.

    Parameters
    ----------
    step_wished : frame pixels per pixel of the reduced picture; None: no picture. Live views reduce first and
        render then; here everything is rendered at full resolution and the light is averaged afterwards, as
        in any file that is written and then viewed small.
    offset : EV by which the picture (not the figures) is brightened.
    marked : limits of the clip marks that the picture gets, every pixel's, even where single ones are
        clipped.
    space : key of the colour space of the picture.

    Raises
    ------
    Cancelled
        When `progress` returns False.
    """
    geometry = geometry_for(settings, context)
    h, w = geometry.output
    top = 1.0 if developed.entry == DISPLAY else MID_GREY * 2.0 ** white_ev(settings)
    factor = None if step_wished is None else max(1, int(step_wished))
    band = _BAND if factor is None else max(factor, _BAND // factor * factor)
    counts: np.ndarray | None = None
    below, above = np.zeros(4), np.zeros(4)
    white = black = 0.0
    parts: list[np.ndarray] = []
    marks = np.zeros((h, w), np.uint8) if marked is not None else None
    if marks is not None and developed.clipped is not None:
        whole = OutputPatch(np.empty((h, w, 0), np.float32), 0, 0, 1.0)
        marks |= sensor_marks(developed.clipped, whole, geometry)

    def work(first: int) -> _Band:
        region = OutputRegion(first, 0, min(h, first + band), w)
        patch = trim(scene_patch(developed, settings, context, region), region)
        shown = show(patch, developed, settings)
        clipped = clipped_shares(shown)
        if factor is not None and (offset or space != SCREEN):
            lifted = replace(patch, pixels=patch.pixels * np.float32(2.0**offset))
            shown = show(lifted, developed, settings, space)
        if marks is not None and marked is not None:
            outside = gamut_marks(patch.pixels, settings.finish.space)
            marks[first : region.bottom] |= output_marks(shown, marked) | outside
        small = None if factor is None else _averaged(shown, factor)
        histogram = stop_histogram(patch.pixels * np.float32(1 / top))
        return first, histogram, clipped, shadow_light(patch.pixels), small

    dark = np.zeros(4)
    for first, found, clipped, shadows, small in each(work, range(0, h, band)):
        step(progress, first / h)
        share = (min(h, first + band) - first) / h
        counts = found.counts * share if counts is None else counts + found.counts * share
        below += found.below * share
        above += found.above * share
        white += clipped[0] * share
        black += clipped[1] * share
        dark += shadows
        if small is not None:
            parts.append(small)
    assert counts is not None
    figures = WholeFigures(
        StopHistogram(counts, below, above), context.clipped_share, white, black, shadow_cast(dark)
    )
    if step_wished is None or not parts:
        return figures, None
    size = (max(1, round(w / step_wished)), max(1, round(h / step_wished)))
    exact = cv2.resize(np.concatenate(parts), size, interpolation=cv2.INTER_AREA)
    seen = None if marks is None else reduced_marks(marks, exact.shape[:2], 0, 0, step_wished)
    return figures, Rendered(to_screen(np.ascontiguousarray(exact), space), 0, 0, h, w, seen, space)


def _averaged(shown: np.ndarray, factor: int) -> np.ndarray:
    """Area average by a whole factor; rows and columns that do not fill a cell are averaged among
    themselves."""
    h, w = shown.shape[:2]
    size = (-(-w // factor), -(-h // factor))
    padded = np.pad(shown, ((0, size[1] * factor - h), (0, size[0] * factor - w), (0, 0)), mode="edge")
    return cv2.resize(padded, size, interpolation=cv2.INTER_AREA)


def probe_figures(
    developed: Developed,
    settings: Settings,
    context: Context,
    region: OutputRegion,
    clean: FramePatch | None = None,
) -> ProbeFigures:
    """Figures of a rectangle at full resolution, scene-linear light after all stations.

    Raises
    ------
    ValueError
        When the rectangle does not lie inside the frame or is smaller than SMALLEST pixels a side.
    """
    check_inside(settings, context, region)
    settings, region = at_source(settings, context, region)
    usable = clean if clean is not None and covers(clean, part_of(settings, context, region)) else None
    return read_probe(trim(scene_patch(developed, settings, context, region, usable), region).pixels)


def check_inside(settings: Settings, context: Context, region: OutputRegion) -> None:
    """Raises ValueError where figures cannot be read: see :func:`probe_figures`."""
    h, w = geometry_for(settings, context).output
    inside = region.top >= 0 and region.left >= 0 and region.bottom <= h and region.right <= w
    if not inside or min(region.bottom - region.top, region.right - region.left) < SMALLEST:
        raise ValueError("The rectangle is not inside the picture, or too small.")
