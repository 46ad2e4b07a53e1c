"""Whole-frame guides and figures under a geometry: where they lie in the output, and where in the frame."""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache

import cv2
import numpy as np

from irvane.core.lens.corrections import LensFacts, corrections_of
from irvane.core.lens.framing import bending_only, geometry_of, without_geometry
from irvane.core.lens.vignetting import gains_at, grid_gains_at
from irvane.core.light.guide import Guide
from irvane.core.line.context import Context, geometry_for
from irvane.core.pixels.geometry import Geometry
from irvane.core.pixels.grids import on_grid
from irvane.core.pixels.places import OutputRegion
from irvane.core.settings import Settings
from irvane.core.stations import Lens
from irvane.core.store.kept import STORE

#: Places along a side at which the map is worked out for a guide, which is smooth.
_NODES = 97


def placed_guide(guide: Guide, geometry: Geometry) -> Guide:
    """A guide of the frame, lying as the output does; its facts about the whole frame stay."""
    return STORE.kept("guide", (guide, geometry), None, lambda: _moved(guide, geometry))


def _moved(guide: Guide, geometry: Geometry) -> Guide:
    h, w = geometry.output
    gh, gw = guide.planes.shape[:2]
    dense = gh / guide.extent[0], gw / guide.extent[1]
    shape = max(2, round(h * dense[0])), max(2, round(w * dense[1]))
    x, y = np.meshgrid(np.linspace(0, w, _NODES), np.linspace(0, h, _NODES))
    places = geometry.to_frame(np.column_stack([x.ravel(), y.ravel()])).reshape(_NODES, _NODES, 2)
    places = on_grid(np.nan_to_num(places, nan=-1.0) * (dense[1], dense[0]))
    # from the pixels of the guide to the nodes between which the map is straight
    sx, sy = (_NODES - 1) / shape[1], (_NODES - 1) / shape[0]
    between = np.array([[sx, 0, 0.5 * sx], [0, sy, 0.5 * sy]])
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    maps = cv2.warpAffine(places.astype(np.float32), between, (shape[1], shape[0]), flags=flags)
    planes = cv2.remap(
        guide.planes, maps[..., 0], maps[..., 1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE
    )
    return replace(guide, planes=planes, extent=geometry.output)


@lru_cache(maxsize=32)
def light_given(facts: LensFacts, lens: Lens) -> np.ndarray | None:
    """Factor by which corrections of the lens raise the light of the output, and with it the noise: float32,
    a coarse plane over it; None where there are none. Of grids by colour that of green tells."""
    corrections = corrections_of(facts, bending_only(lens))
    if corrections.gains is None and lens.vignetting == 0 and not corrections.grids:
        return None
    geometry = geometry_of(facts, lens)
    h, w = geometry.output
    x, y = np.meshgrid((np.arange(_NODES) + 0.5) / _NODES * w, (np.arange(_NODES) + 0.5) / _NODES * h)
    places = np.nan_to_num(geometry.to_frame(np.column_stack([x.ravel(), y.ravel()])))
    found = gains_at(places, lens.vignetting, facts.frame, corrections.gains, corrections.centre)
    for grid in corrections.grids:
        found = found * grid_gains_at(places, grid, facts.frame, facts.flip)
    return found.reshape(_NODES, _NODES).astype(np.float32)


def at_source(settings: Settings, context: Context, region: OutputRegion) -> tuple[Settings, OutputRegion]:
    """A place of the output in the frame itself, and settings that show it there: figures are read from
    pixels that were never resampled. The second is a region of the output of these settings, whose pixels are
    the frame's."""
    place = geometry_for(settings, context).place_of(region)
    return replace(settings, lens=without_geometry(settings.lens)), OutputRegion(
        place.top, place.left, place.bottom, place.right
    )
