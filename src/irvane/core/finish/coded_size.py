"""How large the file of a proof will be: told before it is written, from parts of it that are coded on
trial."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from irvane.core.acutance.enlarging import enlarged_extent
from irvane.core.lazily import lazily
from irvane.core.line.bands import Output, finished_part
from irvane.core.line.context import Context, geometry_for
from irvane.core.line.develop import Developed
from irvane.core.pixels.places import OutputRegion
from irvane.core.progress import Progress, always, step
from irvane.core.settings import Settings

if TYPE_CHECKING:
    import imagecodecs
else:
    imagecodecs = lazily("imagecodecs")

#: Side of the parts, and how many lie along a side of the picture.
_SIDE, _ALONG = 192, 5
#: Bytes of tables in each coded part that a whole file has once; bytes of profile and metadata.
_TABLES, _BESIDE = 620, 24_000
_BYTES = {8: 3, 16: 6, 32: 12}


def coded_size(
    developed: Developed, settings: Settings, context: Context, progress: Progress = always
) -> int | None:
    """Bytes of the file that the station Finish asks for; None where that cannot be told beforehand.

    JPEG: parts on an even grid are coded as the whole will be.

    Raises
    ------
    Cancelled
    """
    h, w = geometry_for(settings, context).output
    high, wide = enlarged_extent((h, w), settings.finish.enlarge)
    if settings.finish.format == "tiff":
        return high * wide * _BYTES[16] + _BESIDE
    if settings.finish.format != "jpeg" or settings.finish.enlarge != "1":
        return None
    coded = pixels = 0
    side_y, side_x = min(_SIDE, h), min(_SIDE, w)
    down, across = (
        np.unique(np.linspace(0, length - side, _ALONG).astype(int) // 8 * 8)
        for length, side in ((h, side_y), (w, side_x))
    )
    output = Output(settings.finish.space)
    for number, top in enumerate(down.tolist()):
        step(progress, number / len(down))
        for left in across.tolist():
            region = OutputRegion(top, left, top + side_y, left + side_x)
            part = finished_part(developed, settings, context, output, region, 8)
            data = imagecodecs.jpeg8_encode(
                np.ascontiguousarray(part), level=round(settings.finish.quality), subsampling="444"
            )
            coded, pixels = coded + len(data) - _TABLES, pixels + part.shape[0] * part.shape[1]
    return round(coded / pixels * h * w) + _BESIDE
