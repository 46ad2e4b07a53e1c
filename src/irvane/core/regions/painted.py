"""Painted masks in sparse tiles of 16 bits, on the frame's own pixels: made where they are looked at, and
nowhere else."""

from __future__ import annotations

from collections.abc import Callable
from itertools import pairwise

import numpy as np

from irvane.core.regions.region import Stroke
from irvane.core.store.kept import STORE

#: Pixels of a tile's side; tiles that are kept: 64 MB.
TILE = 256
_WHOLE = 65535
#: Part of a radius after which a brush sets its next disc, and the least distance of two, in pixels.
_APART, _LEAST = 0.2, 0.7
#: Radius in pixels from which discs are set to whole pixels.
_LARGE = 8


def disc(radius: float, softness: float, off: tuple[float, float], reach: int) -> np.ndarray:
    """A brush's tip about a place `off` (y, x) of the middle of a square: float32, odd sides."""
    y, x = np.mgrid[-reach : reach + 1, -reach : reach + 1].astype(np.float32)
    far = np.hypot(x - np.float32(off[1]), y - np.float32(off[0])) / max(radius, 0.5)
    inner = 1 - np.clip(softness, 0, 1)
    edge = max(1 - inner, 1 / max(radius, 1.0))
    t = np.clip((1 - far) / edge, 0, 1)
    return (t * t * (3 - 2 * t)).astype(np.float32)


def dabs(stroke: Stroke, h: int, w: int) -> tuple[np.ndarray, float]:
    """Where a brush sets its discs (N×3: x, y in pixels of a picture, pressure), and their radius."""
    points = np.array(stroke.points, np.float32).reshape(-1, 3) * (w, h, 1)
    radius = max(0.5 * stroke.size * w, 0.5)
    places = [points[:1]]
    for a, b in pairwise(points):
        count = max(1, int(np.hypot(*(b - a)[:2]) / max(_APART * radius, _LEAST)))
        places.append(a + (b - a) * (np.arange(1, count + 1) / count)[:, None].astype(np.float32))
    return np.concatenate(places), radius


def stamped(
    at: np.ndarray, shape: tuple[int, int], stroke: Stroke, radius: float,
    share: Callable[[tuple[int, int, int, int], int, int], np.ndarray] | None = None,
) -> np.ndarray:  # fmt: skip
    """A stroke's discs on a picture of a shape: float32, 0…1, the strongest of all at each pixel, its opacity
    counted in.

    Parameters
    ----------
    at : N×3, places in pixels of the picture, and pressure. share : of a disc at each pixel of a box (y0, y1,
        x0, x1) about a middle.
    """
    h, w = shape
    reach = int(np.ceil(radius)) + 1
    strongest = np.zeros(shape, np.float32)
    # large discs lie on whole pixels and share one tip; small ones are set to fractions of pixels
    shared = disc(radius, stroke.softness, (0.0, 0.0), reach) if radius > _LARGE else None
    for px, py, pressure in at:
        fx, fy = float(px) - 0.5, float(py) - 0.5
        cx, cy = round(fx), round(fy)
        y0, y1, x0, x1 = (
            max(cy - reach, 0),
            min(cy + reach + 1, h),
            max(cx - reach, 0),
            min(cx + reach + 1, w),
        )
        if y0 >= y1 or x0 >= x1:
            continue
        tip = disc(radius, stroke.softness, (fy - cy, fx - cx), reach) if shared is None else shared
        part = tip[y0 - cy + reach : y1 - cy + reach, x0 - cx + reach : x1 - cx + reach] * np.float32(
            pressure
        )
        if share is not None:
            part = part * share((y0, y1, x0, x1), min(max(cy, 0), h - 1), min(max(cx, 0), w - 1))
        np.maximum(strongest[y0:y1, x0:x1], part, out=strongest[y0:y1, x0:x1])
    return strongest * np.float32(stroke.opacity)


def with_stroke(mask: np.ndarray, strongest: np.ndarray, erases: bool) -> np.ndarray:
    """A mask with a stroke more: strokes build up, or take away."""
    return np.asarray(mask * (1 - strongest) if erases else mask + strongest * (1 - mask), np.float32)


def _added(tile: np.ndarray, stroke: Stroke, place: tuple[int, int], extent: tuple[int, int]) -> np.ndarray:
    """A tile (float32, 0…1) with one more stroke; the same tile where that does not reach it."""
    at, radius = dabs(stroke, *extent)
    at = at - np.array([place[1] * TILE, place[0] * TILE, 0], np.float32)
    reach = int(np.ceil(radius)) + 2
    near = at[((at[:, :2] > -reach) & (at[:, :2] < TILE + reach)).all(axis=1)]
    if not len(near):
        return tile
    return with_stroke(tile, stamped(near, (TILE, TILE), stroke, radius), stroke.erases)


def _tile(strokes: tuple[Stroke, ...], place: tuple[int, int], extent: tuple[int, int]) -> np.ndarray | None:
    """A tile after so many strokes, uint16; None: it is empty. A stroke more is added to what was there
    before it."""

    def make() -> np.ndarray | None:
        begun, tile = 0, None
        for n in range(len(strokes) - 1, 0, -1):
            known = STORE.found("strokes", strokes[:n], (place, extent))
            if known is not None:
                begun, tile = n, known[0]
                break
        light = np.zeros((TILE, TILE), np.float32) if tile is None else tile.astype(np.float32) / _WHOLE
        for stroke in strokes[begun:]:
            light = _added(light, stroke, place, extent)
        return np.rint(light * _WHOLE).astype(np.uint16) if light.any() else None

    return STORE.kept("strokes", strokes, (place, extent), make)


def painted(
    strokes: tuple[Stroke, ...], extent: tuple[int, int], top: int, left: int, bottom: int, right: int
) -> np.ndarray:
    """A painted mask in a part of the frame's pixels (half-open): float32, 0…65535."""
    out = np.zeros((bottom - top, right - left), np.float32)
    for j in range(top // TILE, -(-bottom // TILE)):
        for i in range(left // TILE, -(-right // TILE)):
            tile = _tile(strokes, (j, i), extent)
            if tile is None:
                continue
            y0, y1 = max(top, j * TILE), min(bottom, (j + 1) * TILE)
            x0, x1 = max(left, i * TILE), min(right, (i + 1) * TILE)
            out[y0 - top : y1 - top, x0 - left : x1 - left] = tile[
                y0 - j * TILE : y1 - j * TILE, x0 - i * TILE : x1 - i * TILE
            ]
    return out
