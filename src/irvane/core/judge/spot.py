"""The grey spot: the white balance under which a place of the frame is neutral."""

from __future__ import annotations

import numpy as np

from irvane.core.colour.whitebalance import light_from_neutral
from irvane.core.image import CameraColour
from irvane.core.line.develop import Developed
from irvane.core.pixels.places import FrameRegion
from irvane.core.sensor.clipping import CLIP_START
from irvane.core.settings import spec

#: Half the side of the square that is averaged, in pixels.
_HALF = 12
_DARKEST = 0.002
#: Longer side of the copy that the whole frame is judged by, the norm, and how many pixels must be usable.
_FRAME_SIDE, _NORM, _FEWEST = 480, 6, 200


def grey_spot(developed: Developed, x: float, y: float) -> tuple[dict[str, float] | None, str]:
    """White balance from a spot.

    Parameters
    ----------
    developed : a full-resolution frame with camera colour.
    x, y : centre of the spot in upright frame pixels.

    Returns
    -------
    Values for ``colour.temperature`` and ``colour.tint`` (None when the spot cannot be used), and a sentence.
    Of each colour the lowest and highest tenth are left out of the average, so that single pixels do not
    pull.
    """
    if developed.colour is None:
        return None, "This picture is finished already; its white balance is part of it."
    h, w = developed.extent
    row, column = int(np.clip(y, 0, h - 1)), int(np.clip(x, 0, w - 1))
    region = FrameRegion(
        max(0, row - _HALF), max(0, column - _HALF), min(h, row + _HALF), min(w, column + _HALF)
    )
    pixels = developed.plain.read(region).pixels.reshape(-1, 3)
    if float((pixels >= CLIP_START).any(axis=1).mean()) > 0.01:
        return None, "This spot is clipped on the sensor; choose a darker one."
    low, high = np.percentile(pixels, (10, 90), axis=0)
    inner = [pixels[(pixels[:, c] >= low[c]) & (pixels[:, c] <= high[c]), c].mean() for c in range(3)]
    neutral = np.array(inner, float)
    if neutral.min() < _DARKEST:
        return None, "This spot is too dark to tell its colour; choose a brighter one."
    return _light(developed.colour, neutral, "Neutral at this spot", "This spot is strongly coloured")


def grey_of_frame(developed: Developed) -> tuple[dict[str, float] | None, str]:
    """White balance from the whole frame: its colours, averaged so that bright ones speak louder, are taken
    for grey.

    Shades of grey with a Minkowski norm of 6 (Finlayson & Trezzi 2004), over what is neither clipped nor
    nearly black. Returns what :func:`grey_spot` does.
    """
    if developed.colour is None:
        return None, "This picture is finished already; its white balance is part of it."
    pixels = developed.plain.whole(_FRAME_SIDE).pixels.reshape(-1, 3).astype(float)
    usable = pixels[(pixels < CLIP_START).all(axis=1) & (pixels > _DARKEST).all(axis=1)]
    if len(usable) < _FEWEST:
        return None, "Too little of this frame is neither clipped nor black."
    neutral = np.mean(usable**_NORM, axis=0) ** (1 / _NORM)
    return _light(developed.colour, neutral, "Measured over the frame", "The frame is strongly coloured")


def _light(
    colour: CameraColour, neutral: np.ndarray, found: str, beyond: str
) -> tuple[dict[str, float], str]:
    """Settings for a neutral, inside their ranges, and a sentence."""
    kelvin, tint = light_from_neutral(colour, neutral / neutral.max())
    values = {"colour.temperature": kelvin, "colour.tint": tint}
    for path, value in values.items():
        declared = spec(path)
        values[path] = float(np.clip(value, declared.low, declared.high))  # type: ignore[union-attr]
    if values["colour.temperature"] != kelvin or values["colour.tint"] != tint:
        return values, f"{beyond}; the nearest possible light was taken."
    return values, f"{found}: {kelvin:.0f} K, tint {tint:+.0f}.".replace("-", "−")
