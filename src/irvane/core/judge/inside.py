"""Figures inside a region: read from many small squares that lie in it, and what light suggests itself for
it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import cv2
import numpy as np

from irvane.core.errors import ReadError
from irvane.core.judge.place import PlaceFigures, place_figures
from irvane.core.judge.probe import ProbeFigures
from irvane.core.light.guide import levels_of
from irvane.core.light.suggest import Suggestion, suggest
from irvane.core.line.context import Context, geometry_for
from irvane.core.line.develop import Developed
from irvane.core.line.local import reference_of
from irvane.core.line.realise import realise
from irvane.core.line.source import FileSource
from irvane.core.pixels.patches import FramePatch
from irvane.core.pixels.places import OutputRegion
from irvane.core.regions.masks import grid_of, mask_of
from irvane.core.regions.region import LocalRegion
from irvane.core.settings import Settings

#: Squares that are read at most; their sides in pixels; mask from which a place is inside; share of the
#: squares, the evenest, by which noise is told.
_MOST, _SIDE, _INSIDE, _EVENEST = 16, 48, 0.9, 3


@dataclass(frozen=True)
class RegionFigures(PlaceFigures):
    """Figures of the places in a region together.

    Attributes
    ----------
    places : those of the squares. name : the region's.
    """

    places: tuple[PlaceFigures, ...] = ()
    name: str = ""


def squares_in(
    region: LocalRegion, developed: Developed, settings: Settings, context: Context
) -> list[OutputRegion]:
    """Squares of the output that lie in a region, spread over it; none where it is too narrow for any.

    They begin where the region is widest; each further one lies as far as possible from those before.
    """
    reference = reference_of(developed, context)
    mask = mask_of(replace(region, on=True, opacity=1.0), reference, grid_of(reference)) > _INSIDE
    h, w = reference.shape
    scale = reference.extent[1] / w
    margin = 0.5 * _SIDE * 1.5 / scale
    room = cv2.distanceTransform(np.pad(mask.astype(np.uint8), 1), cv2.DIST_L2, 5)[1:-1, 1:-1]
    able = room >= min(margin, 0.9 * float(room.max(initial=0.0)))
    if not able.any() or float(room.max()) * scale < 4:
        return []
    geometry = geometry_for(settings, context)
    high, wide = geometry.output
    y, x = np.nonzero(able)
    places = np.stack([(x + 0.5) / w * geometry.frame[1], (y + 0.5) / h * geometry.frame[0]], axis=1)
    there = geometry.to_output(places)
    half = min(_SIDE // 2, int(float(room.max()) * scale / 1.5))
    good = (
        np.isfinite(there).all(axis=1)
        & (there > half).all(axis=1)
        & (there < np.array([wide, high]) - half).all(axis=1)
    )
    there, depth = there[good], room[y, x][good]
    if not len(there):
        return []
    chosen = [int(depth.argmax())]
    far = np.full(len(there), np.inf)
    for _ in range(_MOST - 1):
        far = np.minimum(far, np.hypot(*(there - there[chosen[-1]]).T))
        if far.max() < 2 * half:
            break
        chosen.append(int(far.argmax()))
    corners = [(round(float(there[k, 1])) - half, round(float(there[k, 0])) - half) for k in chosen]
    return [OutputRegion(top, left, top + 2 * half, left + 2 * half) for top, left in corners]


def region_figures(
    region: LocalRegion, developed: Developed, settings: Settings, context: Context,
    clean: Callable[[OutputRegion], FramePatch | None] = lambda _region: None,
) -> RegionFigures | None:  # fmt: skip
    """Figures of a region at full resolution, scene-linear light after all stations; None where it holds no
    square.

    Parameters
    ----------
    clean : denoised pixels of a place, where the whole denoised picture is missing.
    """
    places = []
    for square in squares_in(region, developed, settings, context):
        try:
            places.append(place_figures(developed, settings, context, square, clean(square)))
        except ValueError:  # outside of the frame
            continue
    return None if not places else _together(tuple(places), region.name)


def _together(places: tuple[PlaceFigures, ...], name: str) -> RegionFigures:
    """Light is the mean of all; noise that of the evenest, relative to their light; sharpness the middle of
    those that have edges."""
    probes = [place.probe for place in places]
    mean = np.mean([p.mean for p in probes], axis=0)
    luminance = float(np.mean([p.luminance for p in probes]))
    relative = [p.sigma_luminance / max(p.luminance, 1e-6) for p in probes]
    evenest = [probes[k] for k in np.argsort(relative)[: max(1, len(probes) // _EVENEST)]]
    sigma = float(np.median([p.sigma_luminance for p in evenest]))
    light = float(np.mean([p.luminance for p in evenest]))
    snr = 20 * float(np.log10(light / sigma)) if sigma > 0 and light > 0 else None
    spread = np.median([p.sigma for p in evenest], axis=0)
    probe = ProbeFigures(
        (float(mean[0]), float(mean[1]), float(mean[2])), (float(spread[0]), float(spread[1]),
        float(spread[2])), luminance, sigma,
        float(np.median([p.sigma_colour for p in evenest])), snr,
        float(np.log2(luminance / 0.18)) if luminance > 0 else None,
        sum(p.pixels for p in probes),
    )  # fmt: skip

    def middle(values: list[float | None]) -> float | None:
        told = [value for value in values if value is not None]
        return float(np.median(told)) if told else None

    grains = [place.grain for place in places if place.grain]
    first = places[0]
    return RegionFigures(
        probe, max(set(grains), key=grains.count) if grains else "", middle([p.mtf50 for p in places]),
        middle([p.overshoot for p in places]), first.light, first.noise,
        next((p.gradient for p in places if p.gradient), None),
        any(p.even for p in places), middle([p.blur for p in places]), shown=first.shown,
        slope=float(np.median([p.slope for p in places])), finished=first.finished, places=places, name=name,
    )  # fmt: skip


def measure_region(path: Path, settings: Settings, name: str) -> dict[str, Any]:
    """Figures of a region of the settings in a developed file.

    Raises
    ------
    ReadError
        When the file cannot be read, or there is no such region, or it holds no place that could be measured.
    """
    region = next((one for one in settings.regions if one.name == name), None)
    if region is None:
        there = ", ".join(one.name for one in settings.regions) or "none"
        raise ReadError(path, f"the settings have no region “{name}”; there are: {there}")
    developed, context = realise(FileSource(path), settings)
    found = region_figures(region, developed, settings, context)
    if found is None:
        raise ReadError(path, f"the region “{name}” holds no place that is wide enough to be measured")
    return {
        "path": str(path), "region": name, "squares": len(found.places), "mtf50": found.mtf50,
        "overshoot": found.overshoot,
        "edges_px": found.blur, "grain": found.grain or None, **found.probe.as_dict(),
    }  # fmt: skip


def suggested_inside(
    region: LocalRegion, developed: Developed, context: Context, white: float
) -> Suggestion | None:
    """A starting point for the light of a region, from how its own light is spread; None where it is
    empty."""
    reference = reference_of(developed, context)
    inside = mask_of(replace(region, on=True, opacity=1.0), reference, grid_of(reference)) > 0.5
    if not inside.any():
        return None
    return suggest(replace(context.guide, levels=levels_of(reference.stops[inside])), 0.0, white)
