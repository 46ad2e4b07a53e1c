"""The workshop's rooms as light: rendered once from our own descriptions (folder ``scenes``), kept small.

A map holds the square root of light in 16 bits as JPEG 2000 (ISO/IEC 15444-1); its error is a fraction of a
camera's photon noise, which grows with the square root of light too.
"""

from __future__ import annotations

from importlib.resources import files
from typing import TYPE_CHECKING

import numpy as np

from irvane.core.lazily import lazily

if TYPE_CHECKING:
    import imagecodecs
else:
    imagecodecs = lazily("imagecodecs")

#: The brightest light that a map holds.
BRIGHTEST = 64.0
#: What a map is multiplied by in red, green and blue, so that 18 % grey under its main light is 0.18 and
#: about neutral at 0 EV.
_LIT = {
    "bench": (1.05, 1.5, 2.6),
    "furnace": (3.0, 3.0, 3.6),
    "window": (1.4, 1.3, 1.4),
    "vases": (2.0, 2.0, 2.0),
    "vases-behind": (2.0, 2.0, 2.0),
    "shelf": (5.5, 6.0, 6.5),
    "yard": (1.0, 1.0, 1.0),
    "night": (6.0, 9.0, 15.0),
}
#: Left and top of the part in which the glassmaker's poses lie in the furnace's map.
_FIGURE = (448, 344)


def read_map(name: str) -> np.ndarray:
    """Light of a map as it was rendered: float32 H×W×3, linear BT.2020."""
    data = files("irvane.core.simulate").joinpath("maps", f"{name}.jp2").read_bytes()
    code = imagecodecs.jpeg2k_decode(data).astype(np.float32) / 65535
    return code * code * np.float32(BRIGHTEST)


def lit(name: str, pose: int | None = None) -> np.ndarray:
    """Light of a room for photographing: float32 H×W×3 (1600×2400 but for the shelf wall), linear BT.2020, 18
    % grey about 0.18.

    Parameters
    ----------
    name : of a map. pose : of the glassmaker before the furnace, from 1; None: he is not there.
    """
    light = read_map(name)
    if pose is not None:
        left, top = _FIGURE
        part = read_map(f"{name}-{pose}")
        h, w = part.shape[:2]
        light[top : top + h, left : left + w] = _joined(light[top : top + h, left : left + w], part)
    return light * np.asarray(_LIT[name], np.float32)


def _joined(room: np.ndarray, part: np.ndarray) -> np.ndarray:
    """A part that was rendered with the glassmaker in the room without him: his shadow ends softly at its
    border."""
    h, w = part.shape[:2]
    y, x = np.minimum(np.arange(h), np.arange(h)[::-1]), np.minimum(np.arange(w), np.arange(w)[::-1])
    near = np.minimum(y[:, None], x[None, :]).astype(np.float32) / (0.06 * w)
    share = np.clip(near, 0, 1)[..., None]
    return room * (1 - share) + part * share
