"""Whole-frame pictures kept in memory: 16-bit encoded, with reduced levels for quick views."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numba
import numpy as np

#: Largest value the 16-bit form holds; camera-linear pictures end at 1 before highlights are rebuilt.
_TOP = 4.0
_FULL = 32767.0
_SMALLEST_LEVEL = 320


@numba.njit(parallel=True, cache=True, nogil=True, fastmath=True)
def _encode(values, out):
    for y in numba.prange(values.shape[0]):
        for x in range(values.shape[1]):
            for c in range(values.shape[2]):
                v = values[y, x, c]
                code = np.sqrt(min(abs(v) * np.float32(1 / _TOP), np.float32(1))) * np.float32(_FULL)
                whole = np.int16(code + np.float32(0.5))
                out[y, x, c] = whole if v >= 0 else -whole


@numba.njit(parallel=True, cache=True, nogil=True, fastmath=True)
def _decode(codes, out):
    factor = np.float32(_TOP / _FULL**2)
    for y in numba.prange(codes.shape[0]):
        for x in range(codes.shape[1]):
            for c in range(codes.shape[2]):
                v = np.float32(codes[y, x, c])
                out[y, x, c] = v * abs(v) * factor


def encode16(values: np.ndarray) -> np.ndarray:
    """float32 H×W×3 to int16: the signed square root, so that steps follow the noise (6e-5 at white)."""
    out = np.empty(values.shape, np.int16)
    _encode(values, out)
    return out


def decode16(codes: np.ndarray) -> np.ndarray:
    """Inverse of :func:`encode16`."""
    out = np.empty(codes.shape, np.float32)
    _decode(np.ascontiguousarray(codes), out)
    return out


def halve(picture: np.ndarray) -> np.ndarray:
    """Mean of 2×2 pixels; an odd last row or column is dropped."""
    h, w = (side // 2 for side in picture.shape[:2])
    return cv2.resize(picture[: 2 * h, : 2 * w], (w, h), interpolation=cv2.INTER_AREA)


@dataclass(frozen=True)
class Patch:
    """A part of a frame at some scale.

    Attributes
    ----------
    pixels : float32 H×W×3.
    top, left : frame position of its corner, in frame pixels.
    step : frame pixels per pixel.
    """

    pixels: np.ndarray
    top: float
    left: float
    step: float

    @property
    def bottom(self) -> float:
        return self.top + self.pixels.shape[0] * self.step

    @property
    def right(self) -> float:
        return self.left + self.pixels.shape[1] * self.step


@dataclass(frozen=True)
class Region:
    """A wanted part of a frame: half-open ranges in frame pixels and the frame pixels per view pixel."""

    top: int
    left: int
    bottom: int
    right: int
    step: float = 1.0


class Picture:
    """A whole picture, upright, with halved levels.

    Parameters
    ----------
    pixels : float32, H×W×3. Camera-linear pictures are kept in 16 bits; with ``exact`` as float32.
    """

    def __init__(self, pixels: np.ndarray, exact: bool = False) -> None:
        self.exact = exact
        self.shape = pixels.shape[:2]
        self._levels = [self._pack(pixels)]
        level = pixels
        while min(level.shape[:2]) > 2 * _SMALLEST_LEVEL:
            level = halve(level)
            self._levels.append(self._pack(level))

    def _pack(self, pixels: np.ndarray) -> np.ndarray:
        return np.ascontiguousarray(pixels, np.float32) if self.exact else encode16(pixels)

    @classmethod
    def from_codes(cls, codes: np.ndarray) -> Picture:
        """A picture from its stored 16-bit form."""
        picture = cls.__new__(cls)
        picture.exact = False
        picture.shape = codes.shape[:2]
        picture._levels = [codes]
        while min(picture._levels[-1].shape[:2]) > 2 * _SMALLEST_LEVEL:
            picture._levels.append(encode16(halve(decode16(picture._levels[-1]))))
        return picture

    @property
    def codes(self) -> np.ndarray:
        """The full-resolution level as it is stored."""
        return self._levels[0]

    @property
    def nbytes(self) -> int:
        return sum(level.nbytes for level in self._levels)

    def _crop(self, level: int, rows: slice, columns: slice) -> np.ndarray:
        part = self._levels[level][rows, columns]
        return np.array(part) if self.exact else decode16(part)

    def read_all(self) -> np.ndarray:
        """The whole picture at full resolution: float32 H×W×3."""
        return self._crop(0, slice(None), slice(None))

    def read(self, region: Region) -> Patch:
        """Pixels of a region at its scale; the patch says which part it covers exactly."""
        level = min(max(int(np.floor(np.log2(max(region.step, 1.0)) + 1e-6)), 0), len(self._levels) - 1)
        factor = 2**level
        h, w = self._levels[level].shape[:2]
        top, left = max(region.top // factor, 0), max(region.left // factor, 0)
        bottom = min(-(-region.bottom // factor), h)
        right = min(-(-region.right // factor), w)
        pixels = self._crop(level, slice(top, bottom), slice(left, right))
        remaining = region.step / factor
        if remaining <= 1.001:
            return Patch(pixels, top * factor, left * factor, float(factor))
        size = (max(1, round((right - left) / remaining)), max(1, round((bottom - top) / remaining)))
        reduced = cv2.resize(pixels, size, interpolation=cv2.INTER_AREA)
        return Patch(reduced, top * factor, left * factor, factor * (right - left) / size[0])

    def whole(self, longest: int) -> Patch:
        """The whole frame reduced so that its longer side has about `longest` pixels."""
        h, w = self.shape
        return self.read(Region(0, 0, h, w, max(1.0, max(h, w) / longest)))
