"""The grey spot: the white balance under which a place of the frame is neutral."""

from __future__ import annotations

import numpy as np

from irvane.core.colour.whitebalance import light_from_neutral
from irvane.core.line.develop import Developed
from irvane.core.line.picture import Region
from irvane.core.sensor.highlights import CLIP_START
from irvane.core.settings import spec

#: Half the side of the square that is averaged, in pixels.
_HALF = 12
_DARKEST = 0.002


def grey_spot(developed: Developed, x: float, y: float) -> tuple[dict[str, float] | None, str]:
    """White balance from a spot.

    Parameters
    ----------
    developed : a full-resolution frame with camera colour.
    x, y : centre of the spot in upright frame pixels.

    Returns
    -------
    Values for ``colour.temperature`` and ``colour.tint`` (None when the spot cannot be used), and a sentence.
    Of each colour the lowest and highest tenth are left out of the average, so that single pixels do not pull.
    """
    if developed.colour is None:
        return None, "This picture is finished already; its white balance is part of it."
    h, w = developed.extent
    row, column = int(np.clip(y, 0, h - 1)), int(np.clip(x, 0, w - 1))
    region = Region(max(0, row - _HALF), max(0, column - _HALF), min(h, row + _HALF), min(w, column + _HALF))
    pixels = developed.plain.read(region).pixels.reshape(-1, 3)
    if float((pixels >= CLIP_START).any(axis=1).mean()) > 0.01:
        return None, "This spot is clipped on the sensor; choose a darker one."
    low, high = np.percentile(pixels, (10, 90), axis=0)
    inner = [pixels[(pixels[:, c] >= low[c]) & (pixels[:, c] <= high[c]), c].mean() for c in range(3)]
    neutral = np.array(inner, float)
    if neutral.min() < _DARKEST:
        return None, "This spot is too dark to tell its colour; choose a brighter one."
    kelvin, tint = light_from_neutral(developed.colour, neutral / neutral.max())
    values = {"colour.temperature": kelvin, "colour.tint": tint}
    for path, value in values.items():
        declared = spec(path)
        values[path] = float(np.clip(value, declared.low, declared.high))  # type: ignore[union-attr]
    if values["colour.temperature"] != kelvin or values["colour.tint"] != tint:
        return values, "This spot is strongly coloured; the nearest possible light was taken."
    return values, f"Neutral at this spot: {kelvin:.0f} K, tint {tint:+.0f}.".replace("-", "−")
