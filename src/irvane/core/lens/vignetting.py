"""Light given back towards the corners: from a profile or a measurement, by the file's own grids, by hand."""

from __future__ import annotations

import numpy as np
import scipy

from irvane.core.guidance import sample
from irvane.core.image import BLUE, GREEN, RED
from irvane.core.kernels import blank, flat, serial
from irvane.core.lens.optics import GainGrid
from irvane.core.orientation import upright
from irvane.core.pixels.radial import DISTANCES, at
from irvane.core.powers import exp2
from irvane.core.threads import each, strips

#: Least height of the strips that a picture is shared out in.
_STRIP = 64
#: Cells along a side, at least, of the even grid that gains are read from.
_EVEN = 256


@serial
def _brighten(picture, columns, corner, top, left, step, height, width, table, dense, cx, cy, out):
    """By hand about the middle of the frame; by a table (of at least two entries) of the squared distance
    about cx, cy."""
    half2 = np.float32(0.25) * (height * height + width * width)
    last = np.float32(table.size - 2)
    for y in range(picture.size // (3 * columns)):
        fy = top + (np.float32(y) + np.float32(0.5)) * step
        row, target = picture[3 * columns * y :], out[3 * columns * y :]
        dy = fy - height / 2
        ey = fy - cy
        for x in range(columns):
            fx = left + (np.float32(x) + np.float32(0.5)) * step
            dx = fx - width / 2
            ex = fx - cx
            gain = exp2(corner * (dx * dx + dy * dy) / half2)
            place = min((ex * ex + ey * ey) * dense, last)
            index = np.uintp(place)
            first = table[index]
            gain *= first + (place - np.float32(index)) * (table[index + np.uintp(1)] - first)
            target[3 * x] = row[3 * x] * gain
            target[3 * x + 1] = row[3 * x + 1] * gain
            target[3 * x + 2] = row[3 * x + 2] * gain


def correct_vignetting(
    picture: np.ndarray, corner: float, place: tuple[float, float], step: float, extent: tuple[int, int],
    gains: np.ndarray | None = None, centre: tuple[float, float] | None = None,
) -> np.ndarray:  # fmt: skip
    """Give light back towards the corners.

    Parameters
    ----------
    picture : float32, H×W×3, linear; a part of the frame.
    corner : EV given back in the corner by hand, with the square of the distance from the middle.
    place : top and left of the picture inside the whole frame, in frame pixels.
    step : frame pixels per pixel of `picture`.
    extent : height and width of the whole frame.
    gains : factors over :data:`irvane.core.pixels.radial.DISTANCES` from the optical centre, besides.
    centre : x, y of that; None: the middle.

    Returns
    -------
    float32 H×W×3; the same array when nothing is to be done.
    """
    if corner == 0 and gains is None:
        return picture
    h, w = extent
    table = np.ones(2, np.float32) if gains is None else gains.astype(np.float32)
    dense = 0.0 if gains is None else (len(table) - 1) / (DISTANCES[-1] ** 2 * (h * h + w * w) / 4)
    cx, cy = (w / 2, h / 2) if centre is None else centre
    out = blank(picture)

    def work(rows: tuple[int, int]) -> None:
        numbers = (np.float32(v) for v in (corner, place[0] + rows[0] * step, place[1], step, h, w))
        more = (np.float32(v) for v in (dense, cx, cy))
        part = slice(*rows)
        _brighten(flat(picture[part]), picture.shape[1], *numbers, table, *more, flat(out[part]))

    for _ in each(work, strips(picture.shape[0], _STRIP)):
        pass
    return out


def gains_at(
    places: np.ndarray,
    corner: float,
    extent: tuple[int, int],
    gains: np.ndarray | None,
    centre: tuple[float, float],
) -> np.ndarray:
    """The factors of :func:`correct_vignetting` at places (N×2: x, y) of the frame."""
    h, w = extent
    unit2 = (h * h + w * w) / 4
    by_hand = np.exp2(corner * np.sum((places - (w / 2, h / 2)) ** 2, axis=1) / unit2)
    if gains is None:
        return by_hand
    return by_hand * at(gains, np.sqrt(np.sum((places - centre) ** 2, axis=1) / unit2))


def _even(grid: GainGrid, flip: int) -> np.ndarray:
    """The factors of a grid as an even plane over the upright frame, whatever its spacing and origin:
    float32."""
    rows, columns = grid.shape
    gains = np.array(grid.gains, np.float32).reshape(rows, columns)
    high, wide = max(rows * 4, _EVEN), max(columns * 4, _EVEN)
    y = (np.arange(high) + 0.5) / high
    x = (np.arange(wide) + 0.5) / wide
    iy = np.clip((y - grid.origin[0]) / max(grid.spacing[0], 1e-9), 0, rows - 1)
    ix = np.clip((x - grid.origin[1]) / max(grid.spacing[1], 1e-9), 0, columns - 1)
    along = np.stack([np.interp(ix, np.arange(columns), row) for row in gains])
    even = np.stack([np.interp(iy, np.arange(rows), column) for column in along.T], axis=1).astype(np.float32)
    return np.ascontiguousarray(upright(even, flip))


def grid_gains_at(places: np.ndarray, grid: GainGrid, frame: tuple[int, int], flip: int) -> np.ndarray:
    """The factors of :func:`correct_by_grid` at places (N×2: x, y) of the upright frame; 1 where it leaves
    green alone."""
    if GREEN not in grid.colours:
        return np.ones(len(places))
    even = _even(grid, flip)
    scaled = places * (even.shape[1] / frame[1], even.shape[0] / frame[0]) - 0.5
    return scipy.ndimage.map_coordinates(even, scaled[:, ::-1].T, order=1, mode="nearest")


def correct_by_grid(
    picture: np.ndarray,
    grid: GainGrid,
    frame: tuple[int, int],
    flip: int,
    place: tuple[float, float],
    step: float,
) -> np.ndarray:
    """Factors between the points of a grid over the sensor (DNG specification, GainMap), turned upright.

    `frame` is the height and width of the upright frame; `place` and `step` as in :func:`correct_vignetting`.
    """
    factors = sample(_even(grid, flip), frame, *place, step, picture.shape[:2])
    out = picture.copy()
    for colour in (RED, GREEN, BLUE):
        if colour in grid.colours:
            out[..., colour] *= factors
    return out
