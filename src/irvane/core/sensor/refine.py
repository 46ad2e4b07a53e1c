"""Refining a demosaiced picture by a small network for each colour array.

Interpolation follows one rule at a time; where fine structures cross, all its rules fail in ways that can be
learned. The network is a residual one (He et al. 2016) on the cells of the array (as Gharbi et al. 2016,
"Deep joint demosaicking and denoising", pack a mosaic): it sees the interpolated picture in the
ratio-preserving domain of :mod:`irvane.core.sensor.encoding` and gives what is wrong with it. It was made by
``training/refiner.py``; how is written beside it as JSON. Of a denoised mosaic the network is told too how
strong the noise was and what was taken away: it gives detail back that went with the noise, and takes
blotches that stayed. Inference runs in OpenVINO, one tile per thread.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import product

import numpy as np

from irvane.core import networks
from irvane.core.image import BLUE, RED, NoiseModel
from irvane.core.kernels import serial
from irvane.core.powers import power
from irvane.core.sensor import bounds
from irvane.core.sensor.encoding import POWER, decoded, encoded
from irvane.core.sensor.packing import PACKINGS
from irvane.core.sensor.padding import mirrored
from irvane.core.threads import CORES, each

#: Indices of rows and columns, 1-D.
Place = tuple[np.ndarray, np.ndarray]

#: Pixels around a place that its result depends on: seven layers of 3×3 cells, in whole arrays.
REACH = 24
#: Rows and columns of a tile about, the fewest rows, and pixels that a picture is continued by; multiples of
#: the array's sides.
_TILE, _FEWEST, _MARGIN = (288, 960), 96, 24
_PACKAGE = "irvane.core.sensor"
#: Names of networks and names and versions of the methods (part of proofs and of cache keys), by the number
#: of rows of the array, and whether the mosaic was denoised. To a Bayer mosaic as it was shot the directional
#: method left nothing worth a network's time; to one of the 6×6 array, knowing the noise added nothing to the
#: network that does not.
_NETWORKS = {
    (6, False): ("six_by_six", "refined-6x6@6"),
    (6, True): ("six_by_six", "refined-6x6@6"),
    (2, True): ("bayer_denoised", "refined-denoised@5"),
}
#: What proofs say of it: at first the networks were not bounded.
UNBOUNDED, BOUNDED = "refined@1", "refined@2"
#: Variance at black where a model has none, relative to white.
_LEAST_VARIANCE = 1e-10
#: The network that is told what was removed.
_TOLD = "bayer_denoised"


@dataclass(frozen=True)
class Removed:
    """What a denoiser did to a mosaic.

    Attributes
    ----------
    before, after : float32 H×W, the mosaic as it was and as it became.
    noise : what was taken for noise.
    held : the mosaic as it was, as far as its clipping is believed
        (:func:`irvane.core.sensor.clipping.believed`).
    """

    before: np.ndarray
    after: np.ndarray
    noise: NoiseModel
    held: np.ndarray

    def planes(self, green: np.ndarray, cfa: np.ndarray, knee: float, place: Place) -> np.ndarray:
        """What the network is told of it in a place: float32 2×rows×columns.

        The standard deviation of the noise in the domain of the interpolation where green is as given, and
        what was removed in standard deviations of the noise.
        """
        rows, columns = (
            np.ascontiguousarray(index % period, np.int64)
            for index, period in zip(place, cfa.shape, strict=True)
        )
        colours = cfa[rows[:, None], columns]
        out = np.empty((2, *colours.shape), np.float32)
        self.tell(_taken(self.before, place), _taken(self.after, place), green, colours, knee, out)
        return out

    def tell(
        self, before: np.ndarray, after: np.ndarray, green: np.ndarray, colours: np.ndarray, knee: float,
        out: np.ndarray
    ) -> None:  # fmt: skip
        """Fill the two planes of :meth:`planes` for a place."""
        _tell(
            before, after, green, colours, np.array(self.noise.gain, np.float32),
            np.maximum(np.square(self.noise.read), _LEAST_VARIANCE).astype(np.float32), np.float32(knee), out,
        )  # fmt: skip


def _taken(array: np.ndarray, place: Place) -> np.ndarray:
    """Rows and columns of an array; quickly where the columns follow each other."""
    rows, columns = place
    if (np.diff(columns) == 1).all():
        return np.ascontiguousarray(array[rows, columns[0] : columns[-1] + 1])
    return array[np.ix_(rows, columns)]


@serial
def _tell_row(before, after, green, colours, gain, variance, knee, sigma, removed):
    for x in range(green.size):
        light = max(green[x], np.float32(0))
        slope = np.float32(POWER) * power(light + knee, np.float32(POWER - 1))
        sigma[x] = slope * np.sqrt(gain[1] * light + variance[1])
        c = colours[x]
        spread = gain[c] * max(after[x], np.float32(0)) + variance[c]
        removed[x] = (before[x] - after[x]) / np.sqrt(spread)


@serial
def _tell(before, after, green, colours, gain, variance, knee, out):
    for y in range(green.shape[0]):
        _tell_row(before[y], after[y], green[y], colours[y], gain, variance, knee, out[0, y], out[1, y])


def possible(cfa: np.ndarray, denoised: bool = False) -> bool:
    """Is there a network for this array, for mosaics as they were shot or for denoised ones?"""
    return (cfa.shape[0], denoised) in _NETWORKS


def name(cfa: np.ndarray, denoised: bool = False) -> str:
    """Name and version of the method."""
    return _NETWORKS[cfa.shape[0], denoised][1]


def fingerprint(cfa: np.ndarray, denoised: bool = False) -> str:
    """Hash of the weights."""
    return networks.fingerprint(_PACKAGE, _NETWORKS[cfa.shape[0], denoised][0])


def filters_of(cfa: np.ndarray, shape: tuple[int, int]) -> np.ndarray:
    """Where the filter is red (1), blue (−1), or green (0): float32 of a shape, which `cfa` fills from its
    corner on."""
    kinds = (cfa == RED).astype(np.float32) - (cfa == BLUE)
    h, w = (-(-n // p) for n, p in zip(shape, cfa.shape, strict=True))
    return np.tile(kinds, (h, w))[: shape[0], : shape[1]].astype(np.float32)


def _rows_of_a_tile(rows: int, period: int) -> int:
    """So many that every core has as much to do as the others, and what lies around tiles does not outweigh
    them."""
    tiles = CORES * max(1, round(rows / (CORES * _TILE[0])))
    return -(-max(rows // tiles + 1, _FEWEST) // period) * period


def refine(
    picture: np.ndarray, cfa: np.ndarray, gains: np.ndarray, knee: float, removed: Removed | None = None,
    by: str = BOUNDED,
) -> np.ndarray:  # fmt: skip
    """A demosaiced picture with less of what interpolation gets wrong.

    Parameters
    ----------
    picture : float32 H×W×3, camera-linear, made of a mosaic by the directional method.
    cfa : that mosaic's colour array at the picture's first pixel, 2×2 or 6×6.
    gains, knee : those the mosaic was interpolated with.
    removed : what was done to the mosaic, when it was denoised.
    by : BOUNDED (:mod:`irvane.core.sensor.bounds`), or UNBOUNDED for old proofs.

    Returns
    -------
    float32, H×W×3, camera-linear.

    Raises
    ------
    ValueError
        When there is no network for the array.
    """
    if not possible(cfa, removed is not None):
        raise ValueError("no network for this colour array")
    packing, period = PACKINGS[cfa.shape[0]], cfa.shape[0]
    network, (first, apart) = _NETWORKS[period, removed is not None][0], packing.centres
    before = [n + _MARGIN for n in packing.beginning(cfa)]
    sides = picture.shape[:2]
    ends = [-(-(n + b + _MARGIN) // period) * period for n, b in zip(sides, before, strict=True)]
    rows, columns = (
        mirrored(n, b, end - n - b, first - b, apart) for n, b, end in zip(sides, before, ends, strict=True)
    )
    rows_on, columns_on = (
        np.clip(np.arange(-b, end - b), 0, n - 1) for n, b, end in zip(sides, before, ends, strict=True)
    )
    out = np.empty(picture.shape, np.float32)

    tile = _rows_of_a_tile(sides[0], period), _TILE[1]

    def work(corner: tuple[int, int]) -> None:
        """A tile of the result, in places of the continued picture."""
        (top, low, high, bottom), (left, first, last, right) = (
            (max(at - REACH, 0), max(at, b), min(at + side, b + n), min(at + side + REACH, end))
            for at, side, b, n, end in zip(corner, tile, before, sides, ends, strict=True)
        )
        place = rows[top:bottom], columns[left:right]
        light = _taken(picture, place)
        if (
            min(top - before[0], left - before[1]) < 0
            or bottom > before[0] + sides[0]
            or right > before[1] + sides[1]
        ):
            # beyond the border stands the mean of its reflection and of its outermost pixels going on: better
            # than either
            light = 0.5 * (light + _taken(picture, (rows_on[top:bottom], columns_on[left:right])))
        planes = np.ascontiguousarray(encoded(light, gains, knee).transpose(2, 0, 1))
        if packing.cell > 2:  # its cells differ
            filters = filters_of(np.roll(packing.cfa, (-top, -left), (0, 1)), planes.shape[1:])
            planes = np.concatenate([planes, filters[None]])
        if removed is not None and network == _TOLD:
            planes = np.concatenate([planes, removed.planes(light[..., 1], cfa, knee, place)])
        refined = networks.run(_PACKAGE, network, planes)
        planes = bounds.bounded(planes[:3], refined) if by == BOUNDED else refined
        kept = planes[:, low - top : high - top, first - left : last - left].transpose(1, 2, 0)
        there = slice(low - before[0], high - before[0]), slice(first - before[1], last - before[1])
        out[there] = decoded(np.ascontiguousarray(kept), gains, knee)

    down, across = (
        range(b // period * period, b + n, t) for b, n, t in zip(before, sides, tile, strict=True)
    )
    for _ in each(work, list(product(down, across))):
        pass
    return out
