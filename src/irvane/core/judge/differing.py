"""The difference of two views as a picture, from full precision: amplified, it would show the steps of eight
bits."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import cv2
import numpy as np

from irvane.core.colour.rendering import to_screen
from irvane.core.judge.alignment import Between, Mapping
from irvane.core.judge.difference import SMALLEST, DifferenceFigures, difference_figures, difference_picture
from irvane.core.line.context import Context, geometry_for
from irvane.core.line.develop import Developed
from irvane.core.line.view import Rendered, scene_patch, show
from irvane.core.pixels.patches import FramePatch, OutputPatch, trim
from irvane.core.pixels.places import OutputRegion
from irvane.core.settings import Settings

#: Places along a side between which one picture is taken to lie straight on the other.
_NODES = 65
#: A frame, its settings and facts, locally denoised pixels if there are any, EV that the view is brightened
#: by.
View = tuple[Developed, Settings, Context, FramePatch | None, float]


def _light(view: View, region: OutputRegion) -> OutputPatch:
    developed, settings, context, clean, offset = view
    patch = trim(scene_patch(developed, settings, context, region, clean), region)
    bright = replace(patch, pixels=patch.pixels * np.float32(2.0**offset)) if offset else patch
    return replace(patch, pixels=show(bright, developed, settings))


def _moved(
    view: View, region: OutputRegion, mapping: Mapping | Between, shape: tuple[int, int]
) -> np.ndarray:
    """The second picture's light resampled onto a region of the first, bilinear; beside it black."""
    x, y = np.meshgrid(
        np.linspace(region.left, region.right, _NODES), np.linspace(region.top, region.bottom, _NODES)
    )
    found = mapping.places(np.column_stack([x.ravel(), y.ravel()]))
    known = found[np.isfinite(found).all(axis=1)]
    h, w = geometry_for(view[1], view[2]).output
    scale = mapping.at((region.left + region.right) / 2, (region.top + region.bottom) / 2).scale
    margin = 2 * region.step * scale
    if len(known) == 0:
        return np.zeros((*shape, 3), np.float32)
    left, top = np.clip(known.min(axis=0) - margin, 0, [w, h]).astype(int)
    right, bottom = np.clip(known.max(axis=0) + margin + 1, 0, [w, h]).astype(int)
    if right - left < 2 or bottom - top < 2:
        return np.zeros((*shape, 3), np.float32)
    there = _light(
        view, OutputRegion(int(top), int(left), int(bottom), int(right), max(1.0, region.step * scale))
    )
    nodes = (np.nan_to_num(found, nan=-1e6) - (there.left, there.top)) / there.step - 0.5
    sx, sy = (_NODES - 1) / shape[1], (_NODES - 1) / shape[0]
    straight = np.array([[sx, 0, 0.5 * sx], [0, sy, 0.5 * sy]])
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    nodes = nodes.reshape(_NODES, _NODES, 2).astype(np.float32)
    maps = cv2.warpAffine(nodes, straight, (shape[1], shape[0]), flags=flags)
    return cv2.remap(there.pixels, maps[..., 0], maps[..., 1], cv2.INTER_LINEAR)


def render_difference(
    one: View,
    two: View,
    region: OutputRegion,
    kind: str,
    amplified: float,
    mapping: Mapping | Between | None = None,
    shown: Callable[[Rendered], None] = lambda _picture: None,
) -> tuple[Rendered, DifferenceFigures | None]:
    """Second minus first of a region of the first, and the figures of what is seen (None where there is too
    little).

    Parameters
    ----------
    mapping : how the second frame lies on the first; None: both have the same pixels. With it, the second is
        resampled.
    kind, amplified : see :func:`irvane.core.judge.difference.difference_picture`.
    shown : called with the picture before the figures are read, which takes longer.
    """
    first = _light(one, region)
    shape = first.pixels.shape[0], first.pixels.shape[1]
    light = _light(two, region).pixels if mapping is None else _moved(two, region, mapping, shape)
    h, w = (min(a, b) for a, b in zip(shape, light.shape[:2], strict=True))
    seen = difference_picture(first.pixels[:h, :w], light[:h, :w], kind, amplified)
    cut = replace(first, pixels=first.pixels[:h, :w])
    picture = to_screen(np.ascontiguousarray(seen, np.float32))
    rendered = Rendered(picture, cut.top, cut.left, cut.bottom, cut.right)
    shown(rendered)
    figures = difference_figures(first.pixels[:h, :w], light[:h, :w]) if min(h, w) >= SMALLEST else None
    return rendered, figures
