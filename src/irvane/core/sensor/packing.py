"""How a colour array is laid out for the networks: cells, planes of one colour, and the mosaic's
continuation."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from irvane.core.image import BAYER, BLUE, GREEN, SIX_BY_SIX
from irvane.core.sensor.padding import mirrored

#: Sides of the packed planes must be multiples of this: two halvings.
_STRIDE = 4


@dataclass(frozen=True)
class Packing:
    """How a mosaic is laid into planes of one colour each.

    Attributes
    ----------
    file : name of the network's file, without its ending.
    cfa : the reference array; its sides are a multiple of `cell`.
    cell : a plane holds one value of every cell×cell pixels (or none: it is 0 there).
    plane : for every pixel of the array its plane.
    centres : first row (and column) about which the array is symmetric, and their distance.
    """

    file: str
    cfa: np.ndarray
    cell: int
    plane: np.ndarray
    centres: tuple[int, int]

    @property
    def planes(self) -> int:
        return int(self.plane.max()) + 1

    def pack(self, mosaic: np.ndarray) -> np.ndarray:
        """H×W, sides multiples of the array's, to planes×H/cell×W/cell."""
        h, w = mosaic.shape
        out = np.zeros((self.planes, h // self.cell, w // self.cell), np.float32)
        for place, target in self._places():
            out[target] = mosaic[place]
        return out

    def unpack(self, planes: np.ndarray) -> np.ndarray:
        """Back from planes to H×W."""
        _, h, w = planes.shape
        out = np.empty((h * self.cell, w * self.cell), np.float32)
        for place, target in self._places():
            out[place] = planes[target]
        return out

    def _places(self):
        period = self.cfa.shape[0]
        often = period // self.cell
        for j, i in np.ndindex(period, period):
            target = (
                self.plane[j, i],
                slice(j // self.cell, None, often),
                slice(i // self.cell, None, often),
            )
            yield (slice(j, None, period), slice(i, None, period)), target

    def beginning(self, cfa: np.ndarray) -> tuple[int, int]:
        """Rows and columns to put before a mosaic so that it begins as the reference array does."""
        if cfa.shape == self.cfa.shape:
            for rows, columns in np.ndindex(*cfa.shape):
                if np.array_equal(np.roll(cfa, (rows, columns), (0, 1)), self.cfa):
                    return rows, columns
        raise ValueError("no network for this colour array")

    def continued(self, before: int, size: int, after: int = 0) -> np.ndarray:
        """Indices that continue `size` rows or columns by `before` and at least `after` more to whole cells,
        by reflections that keep every colour."""
        first, apart = self.centres
        unit = int(np.lcm(self.cfa.shape[0], self.cell * _STRIDE))
        return mirrored(size, before, after + -(before + size + after) % unit, first - before, apart)


def _six_planes() -> np.ndarray:
    """Five greens of every 3×3 cell, then two planes for each other pixel: red, and blue in every other
    cell."""
    plane = np.empty((6, 6), np.int64)
    cell = SIX_BY_SIX[:3, :3]
    order = {place: k for k, place in enumerate(zip(*np.nonzero(cell == GREEN), strict=True))}
    others = {place: 5 + 2 * k for k, place in enumerate(zip(*np.nonzero(cell != GREEN), strict=True))}
    for j, i in np.ndindex(6, 6):
        place = (j % 3, i % 3)
        plane[j, i] = order[place] if place in order else others[place] + (SIX_BY_SIX[j, i] == BLUE)
    return plane


#: By the number of rows of the colour array.
PACKINGS = {
    2: Packing("bayer", BAYER, 2, np.array([[0, 1], [2, 3]]), (0, 1)),
    6: Packing("six_by_six", SIX_BY_SIX, 3, _six_planes(), (2, 3)),
}
