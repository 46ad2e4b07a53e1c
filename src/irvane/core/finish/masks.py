"""Masks as files."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from irvane.core.errors import WriteError
from irvane.core.lazily import lazily
from irvane.core.line.context import Context, geometry_for
from irvane.core.line.develop import Developed
from irvane.core.line.local import places_of, reference_of
from irvane.core.regions.masks import mask_of
from irvane.core.regions.region import LocalRegion
from irvane.core.regions.subject import subject_mask
from irvane.core.settings import Settings
from irvane.core.store.atomic import atomic_file, write_reason

if TYPE_CHECKING:
    import imagecodecs
else:
    imagecodecs = lazily("imagecodecs")

#: Rows that are made at once.
_BAND = 512


def mask_picture(
    region: LocalRegion, developed: Developed, settings: Settings, context: Context
) -> tuple[np.ndarray, list[str]]:
    """A region's mask on the grid of the output: uint8 H×W, and sentences on it."""
    geometry, reference = geometry_for(settings, context), reference_of(developed, context)
    h, w = geometry.output
    out = np.empty((h, w), np.uint8)
    for top in range(0, h, _BAND):
        rows = min(_BAND, h - top)
        at = places_of(geometry, top, 0, 1.0, (rows, w))
        out[top : top + rows] = np.rint(mask_of(region, reference, at) * 255)
    words = []
    if any(part.kind == "subject" for part in region.parts):
        found = subject_mask(reference)
        words.append(
            f"Subject found (confidence {found.confidence:.0%})."
            if found.found
            else "No subject stands out clearly enough."
        )
    if out.max() == 0:
        words.append("The mask is empty.")
    return out, words


def write_mask(path: Path, mask: np.ndarray, overwrite: bool = False) -> None:
    """Write a mask as PNG, 8 bits grey.

    Raises
    ------
    WriteError
    """
    if path.exists() and not overwrite:
        raise WriteError(path, "exists already; it was not overwritten")
    data = bytes(imagecodecs.png_encode(np.ascontiguousarray(mask)))
    with atomic_file(path) as temporary:
        try:
            temporary.write_bytes(data)
        except OSError as error:
            raise WriteError(path, write_reason(error)) from error
