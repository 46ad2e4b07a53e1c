"""Enlarging: twice by a small network that gives what Lanczos lacks, several times or with a reduction after
it for other factors.

The network (sub-pixel convolution, Shi and others 2016; ``training/enlarger.py``) sees the brightness of the
picture as it is coded for eyes; colours follow by Lanczos. It was trained on pictures that were reduced by
several kernels and coded as JPEG, so that it mends soft contours and does not enlarge the blocks of a JPEG.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from itertools import pairwise

import cv2
import numpy as np

from irvane.core import networks
from irvane.core.colour.spaces import SPACES, to_xyz
from irvane.core.resizing import resized
from irvane.core.threads import CORES, each

#: Factors by their names in the settings.
FACTORS = {"1": 1.0, "1.5": 1.5, "2": 2.0, "4": 4.0}
LEARNED, LANCZOS = "learned", "lanczos"
_PACKAGE, _NETWORK = "irvane.core.acutance", "enlarge"
#: Pixels around a place that its enlargement depends on; rows and columns that are enlarged at once.
_REACH, _ROWS, _COLUMNS = 12, 256, 1024


def enlarged_extent(extent: tuple[int, int], factor: str) -> tuple[int, int]:
    """Height and width of an enlarged picture."""
    times = FACTORS[factor]
    return round(extent[0] * times), round(extent[1] * times)


def _twice(coded: np.ndarray, weights: np.ndarray) -> np.ndarray:
    """A piece of a coded picture (float32 h×w×3), twice as large."""
    h, w = coded.shape[:2]
    plain = cv2.resize(coded, (2 * w, 2 * h), interpolation=cv2.INTER_LANCZOS4)
    bright = np.ascontiguousarray((coded @ weights)[None], np.float32)
    lacks = networks.run(_PACKAGE, _NETWORK, bright)  # 4×h×w: left top, right top, left bottom, right bottom
    added = lacks.reshape(2, 2, h, w).transpose(2, 0, 3, 1).reshape(2 * h, 2 * w)
    return np.asarray(np.clip(plain + added[..., None], 0, 1), np.float32)


def _tiled_twice(rows: np.ndarray, first: int, last: int, weights: np.ndarray) -> np.ndarray:
    """Rows `first` to `last` of a strip that holds more around them, twice as large, in tiles on all
    cores."""
    h, w = rows.shape[:2]
    out = np.empty((2 * (last - first), 2 * w, 3), np.float32)
    down = np.unique(np.linspace(first, last, CORES + 1).astype(int)).tolist()
    across = [*range(0, w, _COLUMNS), w]

    def work(place: tuple[tuple[int, int], tuple[int, int]]) -> None:
        (top, bottom), (left, right) = place
        y0, y1 = max(0, top - _REACH), min(h, bottom + _REACH)
        x0, x1 = max(0, left - _REACH), min(w, right + _REACH)
        made = _twice(np.ascontiguousarray(rows[y0:y1, x0:x1]), weights)
        out[2 * (top - first) : 2 * (bottom - first), 2 * left : 2 * right] = made[
            2 * (top - y0) : 2 * (bottom - y0), 2 * (left - x0) : 2 * (right - x0)
        ]

    places = [(r, c) for r in pairwise(down) for c in pairwise(across) if r[1] > r[0] and c[1] > c[0]]
    for _ in each(work, places):
        pass
    return out


def _doubled(bands: Iterable[np.ndarray], height: int, weights: np.ndarray) -> Iterator[np.ndarray]:
    """Bands of a coded picture (float32 rows×width×3), twice as large; what lies around a band is waited
    for."""
    held: np.ndarray | None = None
    top = made = 0  # the first row that is held, and the first that is not made yet
    for band in bands:
        held = band if held is None else np.concatenate([held, band])
        bottom = top + held.shape[0]
        ready = height if bottom >= height else bottom - _REACH
        while made < ready and (ready - made >= _ROWS or ready == height):
            last = min(ready, made + _ROWS)
            yield _tiled_twice(held, made - top, last - top, weights)
            made = last
        kept = max(made - _REACH - top, 0)
        held, top = held[kept:], top + kept


def enlarged(
    bands: Iterable[np.ndarray], extent: tuple[int, int], factor: str, by: str, space: str
) -> Iterator[np.ndarray]:
    """A picture in bands of rows (float32 rows×width×3, linear light of a space, 0…1), enlarged.

    Parameters
    ----------
    extent : height and width before. factor : of FACTORS. by : LEARNED or LANCZOS.
    """
    if factor == "1":
        yield from bands
        return
    if by == LANCZOS:
        yield from resized(bands, extent, enlarged_extent(extent, factor))
        return
    curve = SPACES[space]
    weights = to_xyz(curve)[1].astype(np.float32)
    coded: Iterable[np.ndarray] = (curve.encode(np.clip(band, 0, 1)).astype(np.float32) for band in bands)
    h, w = extent
    for _ in range(2 if factor == "4" else 1):
        coded = _doubled(coded, h, weights)
        h, w = 2 * h, 2 * w
    light = (curve.decode(band).astype(np.float32) for band in coded)
    wanted = enlarged_extent(extent, factor)
    if wanted != (h, w):
        light = (np.clip(band, 0, 1) for band in resized(light, (h, w), wanted))
    yield from light
