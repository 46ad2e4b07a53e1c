"""What depends on the distance from the optical centre alone, as tables."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

#: Entries of a table; they lie evenly over the squared distance.
_ENTRIES = 4097
#: Distance up to which tables go, in half diagonals: corrected pictures can reach beyond the frame.
FARTHEST = 1.8


def _distances() -> np.ndarray:
    return np.sqrt(np.linspace(0, FARTHEST**2, _ENTRIES))


#: Distances of the entries from the centre, in half diagonals.
DISTANCES = _distances()


def tabulated(function: Callable[[np.ndarray], np.ndarray]) -> np.ndarray:
    """A function of the distance (in half diagonals), at every entry."""
    return np.asarray(function(DISTANCES), float)


def at(table: np.ndarray, distances: np.ndarray) -> np.ndarray:
    """Values of a table at some distances."""
    return np.interp(np.square(distances), np.square(DISTANCES), table)


@dataclass(frozen=True, eq=False)
class Radial:
    """Where the light of a corrected place lies in the frame: on the same ray from the centre, at another
    distance.

    Attributes
    ----------
    ratios : float64 3×entries: per colour, distance in the frame over that in the corrected picture.
    tangential : coefficients of decentring (Brown 1966) in units of a half diagonal.
    """

    ratios: np.ndarray = field(default_factory=lambda: np.ones((3, _ENTRIES)))
    tangential: tuple[float, float] = (0.0, 0.0)

    @cached_property
    def is_nothing(self) -> bool:
        return bool(np.all(self.ratios == 1.0)) and self.tangential == (0.0, 0.0)

    @cached_property
    def limit(self) -> float:
        """The largest distance at which farther places still lie farther out in the frame: the map is
        invertible up to there."""
        for_all = self.ratios * DISTANCES
        rising = np.all(np.diff(for_all, axis=1) > 0, axis=0)
        ends = int(np.argmin(rising)) if not rising.all() else len(DISTANCES) - 1
        return float(DISTANCES[max(ends, 1)])

    def after(self, first: np.ndarray) -> Radial:
        """The same with a ratio table (3×entries) that acts on corrected places before it."""
        moved = first * DISTANCES
        ratios = np.stack([f * at(own, m) for f, own, m in zip(first, self.ratios, moved, strict=True)])
        return Radial(ratios, self.tangential)


def strengthened(ratios: np.ndarray, share: float) -> np.ndarray:
    """Ratios whose difference from 1 is `share` as large."""
    return 1.0 + (ratios - 1.0) * share
