"""Reading pictures for a comparison: their light all over the scene, and their figures at judging spots."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from irvane.core.judge.alignment import Between, Mapping
from irvane.core.judge.place import PlaceFigures, place_figures
from irvane.core.judge.spots import Spot
from irvane.core.judge.tone_relation import SIDE, node_places, nodes_of
from irvane.core.line.context import Context, geometry_for
from irvane.core.line.develop import Developed
from irvane.core.line.view import scene_patch, show
from irvane.core.pixels.patches import FramePatch, trim
from irvane.core.pixels.places import OutputRegion
from irvane.core.settings import Settings

#: Side of the square that is read at a spot: within a frame's shorter side over `_PART`, from … to … pixels.
_PART, _SMALLEST, _LARGEST = 30, 16, 64


def _no_pixels(_region: OutputRegion) -> FramePatch | None:
    return None


def read_nodes(
    developed: Developed,
    settings: Settings,
    context: Context,
    mapping: Mapping | Between | None,
    extent: tuple[int, int],
) -> np.ndarray:
    """A picture as it is shown at places spread over the reference's, see
    :func:`irvane.core.judge.tone_relation.nodes_of`.

    Parameters
    ----------
    mapping : how it lies on the reference; None: at the same shares of its sides. extent : of the reference.
    """
    h, w = geometry_for(settings, context).output
    places = node_places(extent)
    if mapping is None:
        places = places * np.array([w / extent[1], h / extent[0]])
    else:
        places = mapping.places(places)
    whole = OutputRegion(0, 0, h, w, max(1.0, max(h, w) / SIDE))
    patch = trim(scene_patch(developed, settings, context, whole), whole)
    return nodes_of(show(patch, developed, settings), (h, w), places)


def square_at(x: float, y: float, extent: tuple[int, int], frame: tuple[int, int]) -> OutputRegion:
    """A probe's square around a place (pixels) of a picture, kept inside; as large on its thing whatever is
    cropped of the frame."""
    h, w = extent
    side = min(max(min(frame) // _PART, _SMALLEST), _LARGEST, h, w)
    left = round(min(max(x - side / 2, 0), w - side))
    top = round(min(max(y - side / 2, 0), h - side))
    return OutputRegion(top, left, top + side, left + side)


def read_spots(
    developed: Developed,
    settings: Settings,
    context: Context,
    spots: Sequence[tuple[str, OutputRegion]],
    clean: Callable[[OutputRegion], FramePatch | None] = _no_pixels,
) -> tuple[tuple[str, PlaceFigures], ...]:
    """Figures at squares of a picture, by kind; those that lie outside are left out."""
    found = []
    for kind, region in spots:
        try:
            found.append((kind, place_figures(developed, settings, context, region, clean(region))))
        except ValueError:  # outside of this picture
            continue
    return tuple(found)


def spot_squares(
    spots: Sequence[Spot],
    extent: tuple[int, int],
    own: tuple[int, int],
    frame: tuple[int, int],
    mapping: Mapping | Between | None,
) -> list[tuple[str, OutputRegion]]:
    """Squares of a picture at the spots of the reference.

    Parameters
    ----------
    extent : of the reference. own : of the picture. frame : of its frame.
    """
    found = []
    for spot in spots:
        x, y = spot.x * extent[1], spot.y * extent[0]
        if mapping is None:
            x, y = x * own[1] / extent[1], y * own[0] / extent[0]
        else:
            x, y = mapping.place(x, y)
        found.append((spot.kind, square_at(x, y, own, frame)))
    return found
