"""A proof as its enlarged file will be: more pixels than the view's own, in its place."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from irvane.core.acutance.enlarging import FACTORS, enlarged
from irvane.core.colour.rendering import to_screen
from irvane.core.colour.spaces import SPACES
from irvane.core.line.context import Context, geometry_for
from irvane.core.line.view import Rendered
from irvane.core.pixels.places import OutputRegion
from irvane.core.settings import Settings

#: Pixels around a view that its enlargement depends on; the factor that is shown where the proof is not
#: enlarged.
_AROUND, _OTHERWISE = 16, "2"


def with_enlarging(
    render: Callable[[OutputRegion], Rendered], settings: Settings, context: Context, region: OutputRegion
) -> Rendered:
    """A view of a region, enlarged as the proof's file will be (twice where it is not); reduced views stay.

    Parameters
    ----------
    render : gives a view of any region.
    """
    if region.step != 1:
        return render(region)
    outer = region.grown(_AROUND, geometry_for(settings, context).output)
    seen = render(outer)
    h, w = seen.pixels.shape[:2]
    if (h, w) != (outer.bottom - outer.top, outer.right - outer.left):  # the frame is still coarse
        return render(region)
    factor = settings.finish.enlarge if settings.finish.enlarge != "1" else _OTHERWISE
    space = seen.space
    light = SPACES[space].decode(seen.pixels[..., :3].astype(np.float32) / 255).astype(np.float32)
    large = np.concatenate(list(enlarged([light], (h, w), factor, settings.finish.enlarge_by, space)))
    times = FACTORS[factor]
    top, left, bottom, right = (
        round(v * times)
        for v in (
            region.top - outer.top,
            region.left - outer.left,
            region.bottom - outer.top,
            region.right - outer.left,
        )
    )
    pixels = to_screen(np.ascontiguousarray(large[top:bottom, left:right]), space)
    marks = seen.marks
    if marks is not None:
        marks = np.ascontiguousarray(
            marks[
                region.top - outer.top : region.bottom - outer.top,
                region.left - outer.left : region.right - outer.left,
            ]
        )
    return replace(
        seen,
        pixels=pixels,
        marks=marks,
        top=region.top,
        left=region.left,
        bottom=region.bottom,
        right=region.right,
    )
