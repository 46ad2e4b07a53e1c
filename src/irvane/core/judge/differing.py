"""The difference of two views as a picture, from full precision: amplified, it would show the steps of eight bits."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import cv2
import numpy as np

from irvane.core.colour.rendering import to_screen
from irvane.core.judge.alignment import Mapping
from irvane.core.judge.difference import SMALLEST, DifferenceFigures, difference_figures, difference_picture
from irvane.core.line.context import Context
from irvane.core.line.develop import Developed
from irvane.core.line.picture import Patch, Region
from irvane.core.line.view import Rendered, scene_patch, show, trim
from irvane.core.settings import Settings

#: A frame, its settings and facts, locally denoised pixels if there are any, EV that the view is brightened by.
View = tuple[Developed, Settings, Context, Patch | None, float]


def _light(view: View, region: Region) -> Patch:
    developed, settings, context, clean, offset = view
    patch = trim(scene_patch(developed, settings, context, region, clean), region)
    bright = replace(patch, pixels=patch.pixels * np.float32(2.0**offset)) if offset else patch
    return replace(patch, pixels=show(bright, developed, settings))


def _moved(view: View, region: Region, mapping: Mapping, shape: tuple[int, int]) -> np.ndarray:
    """The second frame's light resampled onto a region of the first, bilinear; beside its frame black."""
    corners = [mapping.place(x, y) for x in (region.left, region.right) for y in (region.top, region.bottom)]
    h, w = view[0].extent
    margin = 2 * region.step * mapping.scale
    left, right = (
        int(np.clip(f, 0, w))
        for f in (min(c[0] for c in corners) - margin, max(c[0] for c in corners) + margin + 1)
    )
    top, bottom = (
        int(np.clip(f, 0, h))
        for f in (min(c[1] for c in corners) - margin, max(c[1] for c in corners) + margin + 1)
    )
    if right - left < 2 or bottom - top < 2:
        return np.zeros((*shape, 3), np.float32)
    there = _light(view, Region(top, left, bottom, right, max(1.0, region.step * mapping.scale)))
    # pixels of the view → frame of the first → frame of the second → pixels of its view; centres lie at +0.5
    matrix = mapping.matrix[:, :2] * (region.step / there.step)
    corner = np.array(mapping.place(region.left, region.top)) - (there.left, there.top)
    half = np.array([0.5, 0.5])
    shift = corner / there.step + matrix @ half - half
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    return cv2.warpAffine(
        there.pixels, np.hstack([matrix, shift[:, None]]), (shape[1], shape[0]), flags=flags
    )


def render_difference(
    one: View,
    two: View,
    region: Region,
    kind: str,
    amplified: float,
    mapping: Mapping | None = None,
    shown: Callable[[Rendered], None] = lambda _picture: None,
) -> tuple[Rendered, DifferenceFigures | None]:
    """Second minus first of a region of the first, and the figures of what is seen (None where there is too little).

    Parameters
    ----------
    mapping : how the second frame lies on the first; None: both have the same pixels. With it, the second is resampled.
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
