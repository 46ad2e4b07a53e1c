"""Refining a demosaiced picture by a small network for each colour array.

Interpolation follows one rule at a time; where fine structures cross, all its rules fail in ways that can be learned.
The network is a residual one (He et al. 2016) on the cells of the array (as Gharbi et al. 2016, "Deep joint
demosaicking and denoising", pack a mosaic): it sees the interpolated picture in the ratio-preserving domain of
:mod:`irvane.core.sensor.encoding` and gives what is wrong with it. It was made by ``training/refiner.py``; how is written
beside it as JSON. Inference runs in ONNX Runtime, one tile per thread.
"""

from __future__ import annotations

from itertools import product

import numpy as np

from irvane.core import networks
from irvane.core.image import BLUE, RED
from irvane.core.sensor.encoding import decoded, encoded
from irvane.core.sensor.packing import PACKINGS
from irvane.core.sensor.rim import mirrored
from irvane.core.threads import each

#: Pixels around a place that its result depends on: seven layers of 3×3 cells, in whole arrays.
REACH = 24
#: Rows and columns of a tile, and pixels that a picture is continued by; multiples of the array's sides.
_TILE, _MARGIN = (288, 960), 24
#: Rows of the array that has a network: on a Bayer array the directional method left it nothing worth its time.
_PERIOD = 6
#: Name and version, part of proofs and of cache keys.
NAME = "refined-6x6@1"

_PACKAGE = "irvane.core.sensor"


def fingerprint(period: int) -> str:
    """Hash of the weights of the network for arrays of `period` rows."""
    return networks.fingerprint(_PACKAGE, PACKINGS[period].file)


def possible(cfa: np.ndarray) -> bool:
    """Is there a network for this array?"""
    return cfa.shape[0] == _PERIOD


def filters_of(cfa: np.ndarray, shape: tuple[int, int]) -> np.ndarray:
    """Where the filter is red (1), blue (−1), or green (0): float32 of a shape, which `cfa` fills from its corner on."""
    kinds = (cfa == RED).astype(np.float32) - (cfa == BLUE)
    h, w = (-(-n // p) for n, p in zip(shape, cfa.shape, strict=True))
    return np.tile(kinds, (h, w))[: shape[0], : shape[1]].astype(np.float32)


def refine(picture: np.ndarray, cfa: np.ndarray, gains: np.ndarray, knee: float) -> np.ndarray:
    """A demosaiced picture with less of what interpolation gets wrong.

    Parameters
    ----------
    picture : float32 H×W×3, camera-linear, made of a mosaic by the directional method.
    cfa : that mosaic's colour array at the picture's first pixel, 2×2 or 6×6.
    gains, knee : those the mosaic was interpolated with.

    Returns
    -------
    float32, H×W×3, camera-linear.

    Raises
    ------
    ValueError
        When there is no network for the array.
    """
    packing = PACKINGS[cfa.shape[0]]
    period, (first, apart) = cfa.shape[0], packing.centres
    before = [n + _MARGIN for n in packing.beginning(cfa)]
    sides = picture.shape[:2]
    ends = [-(-(n + b + _MARGIN) // period) * period for n, b in zip(sides, before, strict=True)]
    rows, columns = (
        mirrored(n, b, end - n - b, first - b, apart) for n, b, end in zip(sides, before, ends, strict=True)
    )
    out = np.empty(picture.shape, np.float32)

    def work(place: tuple[int, int]) -> None:
        """A tile of the result, in places of the continued picture."""
        (top, low, high, bottom), (left, first, last, right) = (
            (max(at - REACH, 0), max(at, b), min(at + side, b + n), min(at + side + REACH, end))
            for at, side, b, n, end in zip(place, _TILE, before, sides, ends, strict=True)
        )
        seen = encoded(picture[np.ix_(rows[top:bottom], columns[left:right])], gains, knee)
        planes = np.ascontiguousarray(seen.transpose(2, 0, 1))
        if packing.cell > 2:  # its cells differ
            filters = filters_of(np.roll(packing.cfa, (-top, -left), (0, 1)), planes.shape[1:])
            planes = np.concatenate([planes, filters[None]])
        planes = networks.run(_PACKAGE, packing.file, planes)
        kept = planes[:, low - top : high - top, first - left : last - left].transpose(1, 2, 0)
        there = slice(low - before[0], high - before[0]), slice(first - before[1], last - before[1])
        out[there] = decoded(np.ascontiguousarray(kept), gains, knee)

    down, across = (range(b // t * t, b + n, t) for b, n, t in zip(before, sides, _TILE, strict=True))
    for _ in each(work, list(product(down, across))):
        pass
    return out
