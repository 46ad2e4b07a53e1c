"""Turning between the sensor's orientation and the upright picture (LibRaw's flip codes)."""

from __future__ import annotations

from typing import TypeVar

import numpy as np

#: One coordinate, or those of many places.
Places = TypeVar("Places", float, np.ndarray)

#: Quarter turns counter-clockwise that make the picture upright.
_TURNS = {0: 0, 3: 2, 5: 1, 6: 3}


def upright(picture: np.ndarray, flip: int) -> np.ndarray:
    """Turn an array (H×W or H×W×C) from sensor to upright orientation; a contiguous copy when it is
    turned."""
    turns = _TURNS[flip]
    return np.ascontiguousarray(np.rot90(picture, turns)) if turns else picture


def to_upright(point: tuple[Places, Places], extent: tuple[int, int], flip: int) -> tuple[Places, Places]:
    """Map (x, y) from the sensor (`extent` = its height, width; pixel centres at +0.5) to the upright
    picture."""
    (x, y), (h, w) = point, extent
    return {0: (x, y), 3: (w - x, h - y), 5: (y, w - x), 6: (h - y, x)}[flip]


def to_sensor(point: tuple[float, float], extent: tuple[int, int], flip: int) -> tuple[float, float]:
    """Inverse of :func:`to_upright`; `extent` is the sensor's height and width."""
    (x, y), (h, w) = point, extent
    return {0: (x, y), 3: (w - x, h - y), 5: (w - y, x), 6: (y, h - x)}[flip]


def upright_rect(
    rows: tuple[int, int], columns: tuple[int, int], extent: tuple[int, int], flip: int
) -> tuple[tuple[int, int], tuple[int, int]]:
    """Sensor row and column ranges of an upright rectangle given as row and column ranges."""
    corners = [to_sensor((x, y), extent, flip) for x in columns for y in rows]
    xs, ys = sorted(round(c[0]) for c in corners), sorted(round(c[1]) for c in corners)
    return (ys[0], ys[-1]), (xs[0], xs[-1])
