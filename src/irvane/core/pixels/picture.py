"""Whole-frame pictures kept in memory: 16-bit encoded, with reduced levels for quick views."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import product
from pathlib import Path
from typing import TypeAlias

import cv2
import numpy as np

from irvane.core.kernels import flat, serial
from irvane.core.pixels.paged import Paged
from irvane.core.pixels.patches import FramePatch
from irvane.core.pixels.places import FrameRegion
from irvane.core.threads import each, share_out

#: Largest value the 16-bit form holds; of camera-linear pictures clipped samples are raised to 3 at most.
_TOP = 4.0
_FULL = 32767.0
_SMALLEST_LEVEL = 320
_BAND = 512
#: A level of a picture: in memory, or waiting on disk.
Level: TypeAlias = "np.ndarray | Paged"
#: Side of the tiles by which pictures are shared, and the share of differing bytes up to which that is done.
_TILE, _WORTH_SHARING = 64, 0.6


@serial
def _encode_row(values, out):
    for i in range(values.size):
        v = values[i]
        code = np.sqrt(min(abs(v) * np.float32(1 / _TOP), np.float32(1))) * np.float32(_FULL)
        whole = np.int32(code + np.float32(0.5))
        out[i] = whole if v >= 0 else -whole


@serial
def _encode(begin, end, values, out):
    for y in range(begin, end):
        _encode_row(values[y], out[y])


@serial
def _decode(codes, out):
    factor = np.float32(_TOP / _FULL**2)
    for i in range(codes.size):
        v = np.float32(codes[i])
        out[i] = v * abs(v) * factor


def encode16(values: np.ndarray, out: np.ndarray | None = None) -> np.ndarray:
    """float32 H×W×3 to int16 (into `out`): the signed square root, so that steps follow the noise (6e-5 at
    white)."""
    out = np.empty(values.shape, np.int16) if out is None else out
    h = values.shape[0]
    share_out(_encode, h, np.ascontiguousarray(values, np.float32).reshape(h, -1), out.reshape(h, -1))
    return out


def decode16(codes: np.ndarray) -> np.ndarray:
    """Inverse of :func:`encode16`."""
    out = np.empty(codes.shape, np.float32)
    _decode(flat(codes), flat(out))
    return out


@serial
def _halve_rows(first, second, out):
    quarter = np.float32(0.25)
    for x in range(out.size // 3):
        out[3 * x] = quarter * (first[6 * x] + first[6 * x + 3] + second[6 * x] + second[6 * x + 3])
        out[3 * x + 1] = quarter * (
            first[6 * x + 1] + first[6 * x + 4] + second[6 * x + 1] + second[6 * x + 4]
        )
        out[3 * x + 2] = quarter * (
            first[6 * x + 2] + first[6 * x + 5] + second[6 * x + 2] + second[6 * x + 5]
        )


@serial
def _halve(begin, end, picture, out):
    for y in range(begin, end):
        _halve_rows(picture[2 * y], picture[2 * y + 1], out[y])


def halve(picture: np.ndarray) -> np.ndarray:
    """Mean of 2×2 pixels (float32 H×W×3); an odd last row or column is dropped."""
    h, w = (side // 2 for side in picture.shape[:2])
    out = np.empty((h, w, 3), np.float32)
    share_out(_halve, h, np.ascontiguousarray(picture).reshape(picture.shape[0], -1), out.reshape(h, -1))
    return out


def reduced(patch: FramePatch, step: float) -> FramePatch:
    """A patch at a coarser step, by area average."""
    remaining = step / patch.step
    if remaining <= 1.001:
        return patch
    h, w = patch.pixels.shape[:2]
    size = (max(1, round(w / remaining)), max(1, round(h / remaining)))
    pixels = cv2.resize(patch.pixels, size, interpolation=cv2.INTER_AREA)
    # whole pixels fit one side exactly: of the longer one, the error at the other is half a pixel at most
    exact = w / size[0] if w >= h else h / size[1]
    steps = patch.step * h / size[1], patch.step * w / size[0]
    return FramePatch(pixels, patch.top, patch.left, patch.step * exact, steps)


def tiles_of(region: FrameRegion) -> Iterator[tuple[int, int]]:
    """Row and column of the tiles that a region lies in."""
    return product(
        range(region.top // _TILE, -(-region.bottom // _TILE)),
        range(region.left // _TILE, -(-region.right // _TILE)),
    )


def whole_tiles(region: FrameRegion, extent: tuple[int, int]) -> FrameRegion:
    """The region grown to whole tiles, cut at the frame."""
    return FrameRegion(
        region.top // _TILE * _TILE, region.left // _TILE * _TILE,
        min(extent[0], -(-region.bottom // _TILE) * _TILE), min(extent[1], -(-region.right // _TILE) * _TILE),
        region.step,
    )  # fmt: skip


@serial
def _unlike(mine, theirs):
    bits = np.int16(0)
    for i in range(mine.size):
        bits |= mine[i] ^ theirs[i]
    return bits != 0


@serial
def _compare(begin, end, mine, theirs, wide, marks):
    for j in range(begin, end):
        for i in range(marks.shape[1]):
            for y in range(j * _TILE, min((j + 1) * _TILE, mine.shape[0])):
                run = slice(i * wide, (i + 1) * wide)
                if _unlike(mine[y, run], theirs[y, run]):
                    marks[j, i] = True
                    break


def _differing(mine: Level, theirs: Level) -> dict[tuple[int, int], np.ndarray]:
    """Tiles of a level that are not the same as another's, by their row and column of tiles."""
    tiles = {}
    for top in range(0, mine.shape[0], _BAND):
        rows = slice(top, top + _BAND), slice(None)
        band, other = mine[rows], theirs[rows]
        h, w = band.shape[:2]
        marks = np.zeros((-(-h // _TILE), -(-w // _TILE)), np.bool_)
        share_out(_compare, len(marks), band.reshape(h, -1), other.reshape(h, -1), 3 * _TILE, marks)
        places = np.argwhere(marks).tolist()
        # one piece of memory: quickly given back
        store = np.empty((len(places), _TILE, _TILE, 3), mine.dtype)
        for (j, i), room in zip(places, store, strict=True):
            tile = band[j * _TILE : (j + 1) * _TILE, i * _TILE : (i + 1) * _TILE]
            tiles[top // _TILE + j, i] = room[: tile.shape[0], : tile.shape[1]]
            tiles[top // _TILE + j, i][:] = tile
    return tiles


class Picture:
    """A whole picture, upright, with halved levels.

    Parameters
    ----------
    pixels : float32, H×W×3. Camera-linear pictures are kept in 16 bits; with ``exact`` as float32.
    """

    def __init__(self, pixels: np.ndarray, exact: bool = False) -> None:
        self.exact = exact
        self.shape = pixels.shape[:2]
        self._levels: list[Level] = [self._pack(pixels)]
        self._own: list[dict[tuple[int, int], np.ndarray]] = []
        self._shares = False
        self._add_levels()

    def _add_levels(self) -> None:
        """Halved levels, made in bands: a large frame is never held at full size as floating point."""
        h, w = self.shape
        if min(h, w) <= 2 * _SMALLEST_LEVEL:
            return
        half = np.empty((h // 2, w // 2, 3), self.codes.dtype)
        level = np.empty((h // 4, w // 4, 3), np.float32)

        def reduce(first: int) -> None:
            band = halve(self._crop(0, slice(first, first + _BAND), slice(None)))
            half[first // 2 : (first + _BAND) // 2] = self._pack(band)
            level[first // 4 : (first + _BAND) // 4] = halve(band)

        list(each(reduce, range(0, h // 2 * 2, _BAND)))
        self._levels.append(half)
        if min(half.shape[:2]) <= 2 * _SMALLEST_LEVEL:
            return
        self._levels.append(self._pack(level))
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
        picture._levels, picture._own, picture._shares = [codes], [], False
        picture._add_levels()
        return picture

    @property
    def codes(self) -> np.ndarray:
        """The full-resolution level as it is stored."""
        return self._stored(0, slice(None), slice(None))

    def page(self, folder: Path) -> bool:
        """Let the full-resolution level wait on disk, in a file of that folder; returns False when it cannot
        (or does).

        Pictures that share it read it there, too.
        """
        first = self._levels[0]
        if self._shares or isinstance(first, Paged):
            return False
        try:
            folder.mkdir(parents=True, exist_ok=True)
            self._levels[0] = Paged(first, folder)
        except OSError:  # no room on the disk: it stays in memory
            return False
        return True

    @property
    def nbytes(self) -> int:
        """Memory it occupies; what it shares with another picture is not counted."""
        own = sum(tile.nbytes for tiles in self._own for tile in tiles.values())
        return own if self._shares else own + sum(level.nbytes for level in self._levels)

    def sharing(self, other: Picture) -> Picture:
        """The same picture, holding only those tiles that differ from another one's, if that are few.

        Two developments of one frame differ where a pixel was repaired, and nowhere else.
        """
        if self.exact or other.exact or self.shape != other.shape or other._own:
            return self
        own = [_differing(a, b) for a, b in zip(self._levels, other._levels, strict=True)]
        count = sum(tile.nbytes for tiles in own for tile in tiles.values())
        if count > _WORTH_SHARING * self.nbytes:
            return self
        return other._with(own, True)

    def _with(self, own: list[dict[tuple[int, int], np.ndarray]], shares: bool) -> Picture:
        picture = Picture.__new__(Picture)
        picture.exact, picture.shape, picture._levels = self.exact, self.shape, self._levels
        picture._own, picture._shares = own, shares
        return picture

    def overlaid(self, patch: FramePatch) -> Picture:
        """The same picture with other pixels at full resolution in a region of whole tiles; halved levels
        stay."""
        own = [dict(tiles) for tiles in self._own] or [{} for _ in self._levels]
        top, left = int(patch.top), int(patch.left)
        codes = self._pack(patch.pixels)
        for j, i in tiles_of(FrameRegion(top, left, int(patch.bottom), int(patch.right))):
            y, x = j * _TILE - top, i * _TILE - left
            own[0][j, i] = codes[y : y + _TILE, x : x + _TILE].copy()
        return self._with(own, self._shares)

    def _stored(self, level: int, rows: slice, columns: slice) -> np.ndarray:
        whole = self._levels[level]
        part = whole[rows, columns]
        if not self._own or not self._own[level]:
            return part
        part, tiles = np.array(part), self._own[level]
        (top, bottom, _), (left, right, _) = rows.indices(whole.shape[0]), columns.indices(whole.shape[1])
        for j, i in tiles_of(FrameRegion(top, left, bottom, right)):
            tile = tiles.get((j, i))
            if tile is not None:
                y, x = j * _TILE, i * _TILE
                y0, x0 = max(y, top), max(x, left)
                y1, x1 = min(y + _TILE, bottom), min(x + _TILE, right)
                part[y0 - top : y1 - top, x0 - left : x1 - left] = tile[y0 - y : y1 - y, x0 - x : x1 - x]
        return part

    def _crop(self, level: int, rows: slice, columns: slice) -> np.ndarray:
        part = self._stored(level, rows, columns)
        return np.array(part) if self.exact else decode16(part)

    def read_all(self) -> np.ndarray:
        """The whole picture at full resolution: float32 H×W×3."""
        return self._crop(0, slice(None), slice(None))

    def read(self, region: FrameRegion) -> FramePatch:
        """Pixels of a region at its scale; the patch says which part it covers exactly."""
        level = min(max(int(np.floor(np.log2(max(region.step, 1.0)) + 1e-6)), 0), len(self._levels) - 1)
        factor = 2**level
        h, w = self._levels[level].shape[:2]
        top, left = max(region.top // factor, 0), max(region.left // factor, 0)
        bottom = min(-(-region.bottom // factor), h)
        right = min(-(-region.right // factor), w)
        pixels = self._crop(level, slice(top, bottom), slice(left, right))
        return reduced(FramePatch(pixels, top * factor, left * factor, float(factor)), region.step)

    def whole(self, longest: int) -> FramePatch:
        """The whole frame reduced so that its longer side has about `longest` pixels."""
        h, w = self.shape
        return self.read(FrameRegion(0, 0, h, w, max(1.0, max(h, w) / longest)))
