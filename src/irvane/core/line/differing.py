"""The difference of two views as a picture, from full precision: amplified, it would show the steps of eight bits."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from irvane.core.colour.rendering import to_screen
from irvane.core.judge.difference import difference_picture
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


def render_difference(one: View, two: View, region: Region, kind: str, amplified: float) -> Rendered:
    """Second minus first of a region of two frames of equal extent.

    Parameters
    ----------
    kind, amplified : see :func:`irvane.core.judge.difference.difference_picture`.
    """
    first, second = _light(one, region), _light(two, region)
    h, w = (min(a, b) for a, b in zip(first.pixels.shape[:2], second.pixels.shape[:2], strict=True))
    seen = difference_picture(first.pixels[:h, :w], second.pixels[:h, :w], kind, amplified)
    cut = replace(first, pixels=first.pixels[:h, :w])
    return Rendered(
        to_screen(np.ascontiguousarray(seen, np.float32)), cut.top, cut.left, cut.bottom, cut.right
    )
