"""RGB colour spaces: primaries, matrices and encodings, each from its standard."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

#: CIE 1931 chromaticities of D65 and D50 (CIE 15).
D65 = (0.3127, 0.3290)
D50 = (0.3457, 0.3585)

#: Bradford cone response (ICC.1, annex E; Lam 1985).
BRADFORD = np.array([[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]])


@dataclass(frozen=True)
class Space:
    """An RGB space.

    Attributes
    ----------
    primaries : xy of red, green, blue.
    white : xy of white.
    curve : parameters (g, a, b, c, d) of the ICC parametric curve type 3, encoded → linear:
        ((a·x + b)^g for x ≥ d, c·x below).
    """

    key: str
    name: str
    primaries: tuple[tuple[float, float], tuple[float, float], tuple[float, float]]
    white: tuple[float, float]
    curve: tuple[float, float, float, float, float]

    def encode(self, linear: np.ndarray) -> np.ndarray:
        """Linear 0…1 to encoded 0…1 (float32); values outside are clipped."""
        g, a, b, c, d = self.curve
        x = np.clip(linear, 0, 1)
        knee = c * d
        return np.where(x < knee, x / c if c else x, (np.power(np.maximum(x, 1e-12), 1 / g) - b) / a).astype(
            np.float32
        )

    def decode(self, encoded: np.ndarray) -> np.ndarray:
        """Encoded 0…1 to linear 0…1 (float32)."""
        g, a, b, c, d = self.curve
        x = np.asarray(encoded)
        return np.where(x < d, x * c, np.power(np.maximum(a * x + b, 0), g)).astype(np.float32)


_SRGB_CURVE = (2.4, 1 / 1.055, 0.055 / 1.055, 1 / 12.92, 0.04045)  # IEC 61966-2-1
_ROMM_CURVE = (1.8, 1.0, 0.0, 1 / 16, 16 * 0.001953)  # ISO 22028-2
_BT2020_CURVE = (
    1 / 0.45,
    1 / 1.09929682680944,
    0.09929682680944 / 1.09929682680944,
    1 / 4.5,
    0.081242858298635,
)
_ADOBE_CURVE = (563 / 256, 1.0, 0.0, 0.0, 0.0)  # Adobe RGB (1998), section 4.3.1.2

SPACES: dict[str, Space] = {
    space.key: space
    for space in (
        Space("srgb", "sRGB", ((0.64, 0.33), (0.30, 0.60), (0.15, 0.06)), D65, _SRGB_CURVE),
        Space("p3", "Display P3", ((0.680, 0.320), (0.265, 0.690), (0.150, 0.060)), D65, _SRGB_CURVE),
        Space("adobe-rgb", "Adobe RGB (1998)", ((0.64, 0.33), (0.21, 0.71), (0.15, 0.06)), D65, _ADOBE_CURVE),
        Space(
            "prophoto",
            "ProPhoto (ROMM)",
            ((0.7347, 0.2653), (0.1596, 0.8404), (0.0366, 0.0001)),
            D50,
            _ROMM_CURVE,
        ),
        Space("rec2020", "Rec. 2020", ((0.708, 0.292), (0.170, 0.797), (0.131, 0.046)), D65, _BT2020_CURVE),
    )
}
WORKING = SPACES["rec2020"]


def xyz_of(xy: tuple[float, float]) -> np.ndarray:
    """XYZ with Y = 1 of a chromaticity."""
    x, y = xy
    return np.array([x / y, 1.0, (1 - x - y) / y])


@lru_cache(maxsize=16)
def _to_xyz(space: Space) -> np.ndarray:
    columns = np.stack([xyz_of(xy) for xy in space.primaries], axis=1)
    return columns * np.linalg.solve(columns, xyz_of(space.white))


def to_xyz(space: Space) -> np.ndarray:
    """3×3 matrix from linear RGB to XYZ under the space's own white (SMPTE RP 177)."""
    return _to_xyz(space).copy()


def adaptation(source: tuple[float, float], target: tuple[float, float]) -> np.ndarray:
    """Bradford chromatic adaptation between two whites given as xy: 3×3 on XYZ."""
    if source == target:
        return np.eye(3)
    gain = (BRADFORD @ xyz_of(target)) / (BRADFORD @ xyz_of(source))
    return np.linalg.solve(BRADFORD, gain[:, None] * BRADFORD)


def between(source: Space, target: Space) -> np.ndarray:
    """3×3 matrix between two linear RGB spaces, white to white."""
    return np.linalg.solve(to_xyz(target), adaptation(source.white, target.white) @ to_xyz(source))


Encode = Callable[[np.ndarray], np.ndarray]
