"""The numbers of a geometry that loops over pixels read."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

#: Pixels on each side of a place that resampling makes its value of.
REACH = 3


@dataclass(frozen=True)
class Bending:
    """How places of an output grid lead to those of a picture, in numbers that loops read.

    Attributes
    ----------
    matrix : float64 3×3: homogeneous (x, y, 1) of the output, pixel centres at +0.5, to places about the
        optical centre.
    ratios : float64 3×N: per colour, distance from the centre in the picture over that in the corrected one;
        by the squared distance in units of `unit`, evenly from 0 to `farthest`².
    tangential : two coefficients of decentring (Brown 1966), in units of `unit`.
    unit : pixels.
    farthest : largest distance (in units) of the table.
    limit : largest distance at which the map can be inverted; what lies beyond is empty.
    centre : x, y of the optical centre in the picture, pixels.
    extent : height and width of the whole picture; what lies outside is empty.
    """

    matrix: np.ndarray
    ratios: np.ndarray
    tangential: tuple[float, float]
    unit: float
    farthest: float
    limit: float
    centre: tuple[float, float]
    extent: tuple[int, int]

    @property
    def one_for_all(self) -> bool:
        """Do all colours lie at the same place?"""
        return bool(
            np.array_equal(self.ratios[0], self.ratios[1]) and np.array_equal(self.ratios[2], self.ratios[1])
        )
