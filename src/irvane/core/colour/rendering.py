"""Base rendering: scene-linear light to a picture on paper or screen, through one documented tone curve.

The curve is the photoreceptor response of Naka & Rushton 1966, y = A·xⁿ / (xⁿ + k), with n = 1.25. A and k
are fixed by two requests: 18 % grey keeps its place (linear 0.18, 46 % of the sRGB-encoded range), and the
white point (four stops above mid-grey when neutral) becomes exactly 1. It acts on the largest of the three
colours so that no colour clips before the others; colours outside the target space are compressed into it,
hue kept. Towards white, colours pale as they do to receptors of which each answers by itself: the brighter
the light, the less its colours differ, the middle one gaining before the smallest. Flames go from red over
orange and yellow to white, not to pink.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from irvane.core.colour.spaces import SPACES, WORKING, between
from irvane.core.image import MID_GREY
from irvane.core.kernels import blank, flat, inline, serial
from irvane.core.powers import power

WHITE_EV = 4.0
EXPONENT = 1.25
#: Paper white this near to mid-grey is the lowest at which the curve leaves mid-grey where it is.
LOWEST_WHITE_EV = 2.2
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
        held = max(white_ev, LOWEST_WHITE_EV)
        white = (MID_GREY * 2.0**held) ** EXPONENT
        # a·grey/(grey+k) = 0.18 and a·white/(white+k) = 1, solved for k
        k = grey * (1 - MID_GREY) / (MID_GREY - grey / white)
        a = (white + k) / white
        # a white so near to grey that no such curve keeps grey in its place: all light is lifted instead
        return Curve(float(a), float(k * 2.0 ** (EXPONENT * (white_ev - held))))

    @property
    def half(self) -> float:
        """Light at which receptors answer with half of what they can."""
        return float(self.k ** (1 / EXPONENT))

    def __call__(self, x: np.ndarray) -> np.ndarray:
        power = np.maximum(x, 0) ** EXPONENT
        return self.a * power / (power + self.k)

    def inverse(self, y: np.ndarray | float) -> np.ndarray:
        """Scene light of a display value below `a`."""
        limited = np.minimum(y, self.a * 0.9999)
        return (self.k * limited / (self.a - limited)) ** (1 / EXPONENT)


@inline
def _part(colour, largest, half, pale):
    """A colour as a share of the largest, pulled into the gamut and towards what receptors of their own would
    answer."""
    knee = np.float32(GAMUT_KNEE)
    distance = 1 - colour / largest
    beyond = max(distance - knee, np.float32(0)) / (1 - knee)
    distance = min(distance, knee) + (1 - knee) * beyond / np.sqrt(1 + beyond * beyond)
    share = max(1 - distance, np.float32(0))
    own = share * (largest + half) / (share * largest + half)  # Naka & Rushton, n = 1
    return share + pale * (own - share)


@serial
def _render(picture, matrix, a, k, half, out):
    m00, m01, m02 = matrix[0, 0], matrix[0, 1], matrix[0, 2]
    m10, m11, m12 = matrix[1, 0], matrix[1, 1], matrix[1, 2]
    m20, m21, m22 = matrix[2, 0], matrix[2, 1], matrix[2, 2]
    for i in range(picture.size // 3):
        r0, g0, b0 = picture[3 * i], picture[3 * i + 1], picture[3 * i + 2]
        r = m00 * r0 + m01 * g0 + m02 * b0
        g = m10 * r0 + m11 * g0 + m12 * b0
        b = m20 * r0 + m21 * g0 + m22 * b0
        largest = max(r, max(g, b))
        safe = max(largest, np.float32(1e-9))
        curved = power(safe, EXPONENT)
        level = min(a * curved / (curved + k), np.float32(1))
        # near white colours pale: from nothing at 60 % of the range to all at white
        pale = max((level - np.float32(0.6)) / np.float32(0.4), np.float32(0))
        pale = pale * pale
        level = level if largest > 0 else np.float32(0)
        out[3 * i] = level * _part(r, safe, half, pale)
        out[3 * i + 1] = level * _part(g, safe, half, pale)
        out[3 * i + 2] = level * _part(b, safe, half, pale)


def render(picture: np.ndarray, white_ev: float = WHITE_EV, space: str = "srgb") -> np.ndarray:
    """Scene-linear BT.2020 to linear light of the output space, 0…1.

    Parameters
    ----------
    picture : float32, H×W×3.
    white_ev : stops above mid-grey that become white.
    space : key in :data:`irvane.core.colour.spaces.SPACES`.
    """
    curve = Curve.for_white(white_ev)
    out = blank(picture)
    _render(
        flat(picture),
        _matrix_to(space),
        np.float32(curve.a),
        np.float32(curve.k),
        np.float32(curve.half),
        flat(out),
    )
    return out


@lru_cache(maxsize=8)
def _matrix_to(space: str) -> np.ndarray:
    return between(WORKING, SPACES[space]).astype(np.float32)


#: Entries of the table that encodes for the screen; the nearest is taken.
_TABLE_SIZE = 4096


@serial
def _encode8(picture, table, out):
    """Four bytes of every pixel at once: red, green, blue, 255."""
    last, half, end = np.float32(table.size - 1), np.float32(0.5), np.uintp(table.size - 1)
    zero, one = np.float32(0), np.float32(1)
    for i in range(out.size):
        # the table is even in the square root of light, where encodings are almost straight
        r = np.sqrt(min(max(picture[3 * i], zero), one)) * last + half
        g = np.sqrt(min(max(picture[3 * i + 1], zero), one)) * last + half
        b = np.sqrt(min(max(picture[3 * i + 2], zero), one)) * last + half
        red, green, blue = (
            table[min(np.uintp(np.int32(r)), end)],
            table[min(np.uintp(np.int32(g)), end)],
            table[min(np.uintp(np.int32(b)), end)],
        )
        out[i] = red | green << np.uint32(8) | blue << np.uint32(16) | np.uint32(0xFF000000)


@lru_cache(maxsize=8)
def _encoding_table(space: str) -> np.ndarray:
    """Encoded values (float32) at places even in the square root of light."""
    return SPACES[space].encode(np.linspace(0, 1, _TABLE_SIZE) ** 2)


@serial
def _encode(picture, inverse, scale, offset, slope, knee, half, out):
    zero, one = np.float32(0), np.float32(1)
    for i in range(picture.size):
        v = min(max(picture[i], zero), one)
        bent = scale * power(max(v, np.float32(1e-12)), inverse) + offset
        out[i] = (bent if v >= knee else slope * v) + half


_DEPTHS = {8: np.uint8, 16: np.uint16, 32: np.float32}


def encode(display: np.ndarray, space: str, depth: int = 32) -> np.ndarray:
    """Linear display light to the encoding of a space, within 1e-6 of its exact curve.

    Parameters
    ----------
    display : float32, H×W×3, clipped to 0…1.
    depth : 8 or 16 for whole numbers, 32 for float32 0…1.
    """
    top, half = (1.0, 0.0) if depth == 32 else (2.0**depth - 1, 0.5)
    g, a, b, c, d = SPACES[space].curve
    numbers = 1 / g, top / a, -top * b / a, top / c if c else top, c * d, half
    out = np.empty(display.shape, _DEPTHS[depth])
    _encode(flat(display), *(np.float32(v) for v in numbers), flat(out))
    return out


def to_screen(display: np.ndarray, space: str = "srgb") -> np.ndarray:
    """Linear display light to 8-bit RGBA for painting: uint8 H×W×4."""
    table = np.rint(_encoding_table(space) * 255).astype("<u4")
    out = np.empty((*display.shape[:2], 4), np.uint8)
    _encode8(flat(display), table, flat(out).view("<u4"))
    return out
