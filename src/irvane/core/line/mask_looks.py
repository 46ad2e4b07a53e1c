"""A region's mask over the picture, alone, or with the picture inside of it only."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from irvane.core.line.context import Context, geometry_for
from irvane.core.line.develop import Developed
from irvane.core.line.local import places_of, reference_of
from irvane.core.line.view import Rendered
from irvane.core.regions.masks import mask_of
from irvane.core.regions.region import LocalRegion
from irvane.core.settings import Settings

#: Hatching: pixels between lines, and of a line; its colour; how much of the picture it takes; the grey
#: outside.
_APART, _WIDE, _COLOUR, _SHARE, _OUTSIDE = 9, 2, np.array([64, 196, 188], np.float32), 0.8, 44.0
#: Half width, in values of the mask, of the line where it is half.
_CONTOUR = 0.03


def with_mask(
    how: str, seen: Rendered, region: LocalRegion, developed: Developed, settings: Settings, context: Context
) -> Rendered:
    """A view with a region's mask; `how`: ``over``, ``alone`` or ``inside``."""
    h, w = seen.pixels.shape[:2]
    step = (seen.bottom - seen.top) / max(h, 1)
    at = places_of(geometry_for(settings, context), seen.top, seen.left, step, (h, w))
    whole = replace(region, opacity=1.0)
    mask = mask_of(whole, reference_of(developed, context), at)
    pixels = seen.pixels.copy()
    if how == "alone":
        pixels[..., :3] = np.rint(255 * mask)[..., None]
    elif how == "inside":
        share = mask[..., None]
        pixels[..., :3] = np.rint(pixels[..., :3] * share + _OUTSIDE * (1 - share))
    else:
        y, x = np.mgrid[0:h, 0:w]
        lines = (x + y + round(seen.top / step) + round(seen.left / step)) % _APART < _WIDE
        share = np.where(lines, _SHARE * mask, 0)
        steep = np.hypot(*np.gradient(mask)) if min(h, w) > 1 else np.zeros((h, w))
        contour = np.abs(mask - 0.5) < np.maximum(_CONTOUR * 0.2, 0.6 * steep)
        share = np.where(contour & (steep > 1e-4), _SHARE, share)[..., None]
        pixels[..., :3] = np.rint(pixels[..., :3] * (1 - share) + _COLOUR * share)
    return replace(seen, pixels=pixels)
