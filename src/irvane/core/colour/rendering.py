"""Base rendering: scene-linear light to a picture on paper or screen, through one documented tone curve.

The curve is the photoreceptor response of Naka & Rushton 1966, y = A·xⁿ / (xⁿ + k), with n = 1.25. A and k are
fixed by two wishes: 18 % grey keeps its place (linear 0.18, 46 % of the sRGB-encoded range), and the white point
(four stops above mid-grey when neutral) becomes exactly 1. It acts on the largest of the three colours so that no
colour clips before the others; towards white, colours pale smoothly; colours outside the target space are
compressed into it, hue kept.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numba
import numpy as np

from irvane.core.colour.spaces import SPACES, WORKING, between
from irvane.core.image import MID_GREY

WHITE_EV = 4.0
EXPONENT = 1.25
#: Colourfulness (relative to the largest component) beyond which it is compressed into the gamut.
GAMUT_KNEE = 0.85


@dataclass(frozen=True)
class Curve:
    """The tone curve y = a·xⁿ / (xⁿ + k)."""

    a: float
    k: float

    @staticmethod
    def for_white(white_ev: float) -> Curve:
        """The curve whose white lies `white_ev` stops above mid-grey."""
        grey = MID_GREY**EXPONENT
        white = (MID_GREY * 2.0**white_ev) ** EXPONENT
        # a·grey/(grey+k) = 0.18 and a·white/(white+k) = 1, solved for k
        k = grey * (1 - MID_GREY) / (MID_GREY - grey / white)
        return Curve(float((white + k) / white), float(k))

    def __call__(self, x: np.ndarray) -> np.ndarray:
        power = np.maximum(x, 0) ** EXPONENT
        return self.a * power / (power + self.k)

    def inverse(self, y: np.ndarray | float) -> np.ndarray:
        """Scene light of a display value below `a`."""
        limited = np.minimum(y, self.a * 0.9999)
        return (self.k * limited / (self.a - limited)) ** (1 / EXPONENT)


@numba.njit(parallel=True, cache=True, nogil=True, fastmath=True)
def _render(picture, matrix, table, top, out):
    knee = np.float32(GAMUT_KNEE)
    last = table.size - 2
    to_place = np.float32(last) / np.sqrt(top)
    for y in numba.prange(picture.shape[0]):
        for x in range(picture.shape[1]):
            r0, g0, b0 = picture[y, x, 0], picture[y, x, 1], picture[y, x, 2]
            r = matrix[0, 0] * r0 + matrix[0, 1] * g0 + matrix[0, 2] * b0
            g = matrix[1, 0] * r0 + matrix[1, 1] * g0 + matrix[1, 2] * b0
            b = matrix[2, 0] * r0 + matrix[2, 1] * g0 + matrix[2, 2] * b0
            largest = max(r, max(g, b))
            if largest <= 0:
                out[y, x, 0] = out[y, x, 1] = out[y, x, 2] = np.float32(0)
                continue
            # the curve from a table that is even in the square root of light
            place = min(np.sqrt(largest) * to_place, np.float32(last))
            index = int(place)
            level = table[index] + (place - index) * (table[index + 1] - table[index])
            # near white colours pale: share of white grows from 0 at 60 % of the range
            pale = min(max((level - np.float32(0.6)) / np.float32(0.4), np.float32(0)), np.float32(1))
            pale = np.float32(0.8) * pale * pale
            level = min(level, np.float32(1))
            for c in range(3):
                part = (r if c == 0 else (g if c == 1 else b)) / largest
                distance = 1 - part
                if distance > knee:
                    beyond = (distance - knee) / (1 - knee)
                    distance = knee + (1 - knee) * beyond / np.sqrt(1 + beyond * beyond)
                part = 1 - distance * (1 - pale)
                out[y, x, c] = level * part


def render(picture: np.ndarray, white_ev: float = WHITE_EV, space: str = "srgb") -> np.ndarray:
    """Scene-linear BT.2020 to linear light of the output space, 0…1.

    Parameters
    ----------
    picture : float32, H×W×3.
    white_ev : stops above mid-grey that become white.
    space : key in :data:`irvane.core.colour.spaces.SPACES`.
    """
    table, top = _curve_table(white_ev)
    out = np.empty_like(picture)
    _render(picture, _matrix_to(space), table, np.float32(top), out)
    return out


_CURVE_SIZE = 8192


@lru_cache(maxsize=32)
def _curve_table(white_ev: float) -> tuple[np.ndarray, float]:
    """The curve at places even in the square root of light up to its white, and that light."""
    top = MID_GREY * 2.0**white_ev
    places = np.linspace(0, 1, _CURVE_SIZE + 1) ** 2 * top
    values = np.append(Curve.for_white(white_ev)(places), 1.0)
    return values.astype(np.float32), top


@lru_cache(maxsize=8)
def _matrix_to(space: str) -> np.ndarray:
    return between(WORKING, SPACES[space]).astype(np.float32)


#: Entries of the table of an encoding; values between them are interpolated (8 bits: the nearest is taken).
_TABLE_SIZE = 4096


@numba.njit(parallel=True, cache=True, nogil=True, fastmath=True)
def _encode8(picture, table, out):
    last = np.float32(table.size - 1)
    for y in numba.prange(picture.shape[0]):
        for x in range(picture.shape[1]):
            for c in range(3):
                v = picture[y, x, c]
                # the table is even in the square root of light, where encodings are almost straight
                v = np.sqrt(min(max(v, np.float32(0)), np.float32(1)))
                out[y, x, c] = table[int(v * last + np.float32(0.5))]
            out[y, x, 3] = np.uint8(255)


@lru_cache(maxsize=8)
def _encoding_table(space: str) -> np.ndarray:
    """Encoded values (float32) at places even in the square root of light."""
    return SPACES[space].encode(np.linspace(0, 1, _TABLE_SIZE) ** 2)


@numba.njit(parallel=True, cache=True, nogil=True, fastmath=True)
def _encode(picture, table, half, out):
    last = np.float32(table.size - 2)
    for y in numba.prange(picture.shape[0]):
        for x in range(picture.shape[1]):
            for c in range(3):
                v = min(max(picture[y, x, c], np.float32(0)), np.float32(1))
                place = np.sqrt(v) * last
                index = int(place)
                out[y, x, c] = table[index] + (place - index) * (table[index + 1] - table[index]) + half


_DEPTHS = {8: np.uint8, 16: np.uint16, 32: np.float32}


def encode(display: np.ndarray, space: str, depth: int = 32) -> np.ndarray:
    """Linear display light to the encoding of a space, within 1e-5 of its exact curve.

    Parameters
    ----------
    display : float32, H×W×3, clipped to 0…1.
    depth : 8 or 16 for whole numbers, 32 for float32 0…1.
    """
    top = np.float32(1 if depth == 32 else 2**depth - 1)
    table = np.append(_encoding_table(space), np.float32(1)) * top
    out = np.empty(display.shape, _DEPTHS[depth])
    _encode(display, table, np.float32(0 if depth == 32 else 0.5), out)
    return out


def to_screen(display: np.ndarray, space: str = "srgb") -> np.ndarray:
    """Linear display light to 8-bit RGBA for painting: uint8 H×W×4."""
    table = np.rint(_encoding_table(space) * 255).astype(np.uint8)
    out = np.empty((*display.shape[:2], 4), np.uint8)
    _encode8(display, table, out)
    return out
