"""Clip marks of a view: which of its pixels hold something that was clipped."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from irvane.core.colour.spaces import SPACES, WORKING, between
from irvane.core.kernels import serial
from irvane.core.lens.resample import bent_marks
from irvane.core.pixels.geometry import Geometry
from irvane.core.pixels.patches import OutputPatch
from irvane.core.threads import share_out

#: Bits 0, 1, 2: red, green, blue clipped on the sensor. Then, in the picture: a colour at white, all colours
#: at black, a colour that the output space does not hold.
SENSOR, WHITE, BLACK, GAMUT = 7, 8, 16, 32
#: A colour counts as outside when a component falls below minus this share of the largest, and further below
#: black than can be seen (L* 0.9, CIE 15): the noise of deep shadows alone does not.
_OUTSIDE, _SEEN = 0.02, 0.001
#: Light that rounds to white in 8 bits is white.
_ROUNDED = 0.9995


@dataclass(frozen=True)
class Limits:
    """From where on light is marked in the finished picture, in EV below paper white.

    Attributes
    ----------
    white : a colour at least this bright; 0 is white itself.
    black : all colours at most this bright.
    """

    white: float = 0.0
    black: float = -12.3


@serial
def _any(begin, end, bits, top, left, step, out):
    for y in range(begin, end):
        y0 = min(int(top + y * step), bits.shape[0] - 1)
        y1 = min(max(int(top + (y + 1) * step), y0 + 1), bits.shape[0])
        for x in range(out.shape[1]):
            x0 = min(int(left + x * step), bits.shape[1] - 1)
            x1 = min(max(int(left + (x + 1) * step), x0 + 1), bits.shape[1])
            found = 0
            for j in range(y0, y1):
                for i in range(x0, x1):
                    found |= bits[j, i]
            out[y, x] = found


def sensor_marks(clipped: np.ndarray | None, view: OutputPatch, geometry: Geometry) -> np.ndarray:
    """Sensor bits of a view of the output: uint8 of its height and width; a bit is set when any frame pixel
    under it has it."""
    h, w = view.pixels.shape[:2]
    if clipped is None:
        return np.zeros((h, w), np.uint8)
    if not geometry.identity:
        return bent_marks(clipped, geometry.bending, (view.top, view.left), view.step, (h, w))
    return reduced_marks(clipped, (h, w), view.top, view.left, view.step)


def reduced_marks(
    bits: np.ndarray, shape: tuple[int, int], top: float, left: float, step: float
) -> np.ndarray:
    """Marks (uint8 H×W) of the pixels of a view that begins at `top`, `left` and counts `step` pixels
    each."""
    out = np.empty(shape, np.uint8)
    share_out(_any, len(out), bits, float(top), float(left), float(step), out)
    return out


def output_marks(shown: np.ndarray, limits: Limits) -> np.ndarray:
    """WHITE and BLACK bits of finished light (linear, float32 H×W×3, 0…1)."""
    white = (shown >= _ROUNDED * 2.0**limits.white).any(axis=2)
    black = (shown <= 2.0**limits.black).all(axis=2)
    return np.where(white, np.uint8(WHITE), np.uint8(0)) | np.where(black, np.uint8(BLACK), np.uint8(0))


def gamut_marks(light: np.ndarray, space: str) -> np.ndarray:
    """GAMUT bit of light in the working space (float32 H×W×3): the output space holds it only compressed."""
    inside = light @ between(WORKING, SPACES[space]).T.astype(np.float32)
    outside = inside.min(axis=2) < -np.maximum(_OUTSIDE * inside.max(axis=2), np.float32(_SEEN))
    return np.where(outside, np.uint8(GAMUT), np.uint8(0))
