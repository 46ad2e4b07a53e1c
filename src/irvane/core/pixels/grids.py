"""Places of pixels along a side, and where places lie on a coarser grid over the same side: half a pixel is
counted here."""

from __future__ import annotations

from typing import TypeVar

import numpy as np

Place = TypeVar("Place", float, np.ndarray)


def centres(count: int, first: float = 0.0, step: float = 1.0) -> np.ndarray:
    """Places (float64) of the middles of pixels of this size, from one that begins at `first`."""
    return first + (np.arange(count) + 0.5) * step


def on_grid(place: Place, cells: float = 1.0, side: float = 1.0) -> Place:
    """Numbers of samples that stand for equal parts of a side, at places along it: a sample's own in the
    middle of its part.

    Parameters
    ----------
    cells : samples along the side. side : its length, in the unit of the places.
    """
    return place * (cells / side) - 0.5
