"""Lateral chromatic aberration, measured from the contours of the frame itself.

Along a contour the three colours of a mosaic show the same step at slightly different places. All three are
blurred alike (normalised convolution, Knutsson & Westin 1993, since a mosaic has each colour only here and
there), and in small windows red and blue are explained by green and by green's slope along the ray from the
centre: the slope's share is the shift. Shifts from many windows are explained by two terms of the distance,
robustly (Huber 1964), and the whole is repeated with the colours moved by what was found. Measured on the
mosaic: interpolation draws the colours together.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from irvane.core.image import BLUE, GREEN, RED, Mosaic
from irvane.core.lens.measured import FEWEST, Aberration

#: Width of the blur, of the tiles that are looked at and of the windows in them, pixels.
_SIGMA, _TILE, _WINDOW = 1.8, 128, 32
#: Rings around the centre, and tiles taken of each.
_RINGS, _EACH = 8, 18
#: The mosaic is looked over this much reduced.
_REDUCED = 8
#: A window counts when green explains the other colour this well (share of variance) and its contrast is this
#: large.
_EXPLAINED, _CONTRAST = 0.97, 0.06
#: Rounds, largest shift that is believed (pixels), clipped from here on.
_ROUNDS, _LARGEST, _CLIPPED = 3, 12.0, 0.97


def _tiles(mosaic: Mosaic) -> list[tuple[int, int]]:
    """Corners of the tiles with the strongest contours, as many in every ring around the centre."""
    h, w = mosaic.data.shape
    small = cv2.resize(mosaic.data, (w // _REDUCED, h // _REDUCED), interpolation=cv2.INTER_AREA)
    light = np.log2(np.maximum(small, 0) + 0.01)
    slope = np.hypot(cv2.Sobel(light, -1, 1, 0), cv2.Sobel(light, -1, 0, 1))
    side = _TILE // _REDUCED
    rows, columns = slope.shape[0] // side, slope.shape[1] // side
    if rows < 1 or columns < 1:
        return []
    blocks = slope[: rows * side, : columns * side].reshape(rows, side, columns, side)
    score = np.minimum(blocks, 1.5).mean(axis=(1, 3))
    y, x = np.mgrid[0:rows, 0:columns]
    distance = np.hypot((x + 0.5) * _TILE - w / 2, (y + 0.5) * _TILE - h / 2) / (np.hypot(h, w) / 2)
    ring = np.minimum((distance * _RINGS).astype(int), _RINGS - 1)
    chosen: list[tuple[int, int]] = []
    for k in range(1, _RINGS):
        places = np.argwhere((ring == k) & (score > _CONTRAST))
        order = np.argsort(-score[tuple(places.T)])[:_EACH]
        chosen += [(int(j) * _TILE, int(i) * _TILE) for j, i in places[order]]
    return chosen


def _planes(mosaic: Mosaic, top: int, left: int) -> tuple[np.ndarray, np.ndarray] | None:
    """The three colours of a tile, equally blurred (float32 3×H×W), and which places hold clipped ones
    near."""
    margin = 6
    p = mosaic.cfa.shape[0]
    y0, x0 = max(0, top - margin) // p * p, max(0, left - margin) // p * p
    part = np.ascontiguousarray(mosaic.data[y0 : top + _TILE + margin, x0 : left + _TILE + margin])
    colours = Mosaic(part, mosaic.cfa).colours()
    made = []
    for c in (RED, GREEN, BLUE):
        mask = (colours == c).astype(np.float32)
        light = cv2.GaussianBlur(part * mask, (0, 0), _SIGMA, borderType=cv2.BORDER_REFLECT)
        made.append(
            light / np.maximum(cv2.GaussianBlur(mask, (0, 0), _SIGMA, borderType=cv2.BORDER_REFLECT), 1e-6)
        )
    inner = slice(top - y0, top - y0 + _TILE), slice(left - x0, left - x0 + _TILE)
    clipped = cv2.dilate((part >= _CLIPPED).astype(np.uint8), np.ones((9, 9), np.uint8))[inner]
    planes = np.stack(made)[(slice(None), *inner)]
    return None if planes.shape[1:] != (_TILE, _TILE) else (planes, clipped > 0)


@dataclass
class _Tile:
    """A tile with all that does not change from round to round: `base` is windows × pixels × (1, green,
    green's slope), each times whether it is usable; `far` the distance from the centre in pixels, `along` the
    ray's direction."""

    planes: np.ndarray
    usable: np.ndarray
    base: np.ndarray
    far: np.ndarray
    along: tuple[np.ndarray, np.ndarray]


def _windows(values: np.ndarray) -> np.ndarray:
    """Windows × pixels of a plane of a tile."""
    n = _TILE // _WINDOW
    return np.ascontiguousarray(values.reshape(n, _WINDOW, n, _WINDOW).swapaxes(1, 2)).reshape(
        n * n, _WINDOW**2
    )


def _prepared(
    planes: np.ndarray, clipped: np.ndarray, corner: tuple[int, int], shape: tuple[int, int]
) -> _Tile:
    y, x = np.mgrid[0:_TILE, 0:_TILE].astype(np.float32)
    dx, dy = corner[1] + x + 0.5 - shape[1] / 2, corner[0] + y + 0.5 - shape[0] / 2
    far = np.maximum(np.hypot(dx, dy), 1e-6)
    ux, uy = dx / far, dy / far
    gx, gy = (cv2.Sobel(planes[GREEN], cv2.CV_32F, a, 1 - a, ksize=3, scale=1 / 8) for a in (1, 0))
    usable = (~clipped).astype(np.float32)
    columns = (usable, planes[GREEN] * usable, (gx * ux + gy * uy) * usable)
    base = np.stack([_windows(column) for column in columns], axis=-1)
    return _Tile(planes, _windows(usable), base, far, (ux, uy))


def _shifts(tile: _Tile, colour: int, terms: np.ndarray, unit: float) -> np.ndarray:
    """Rows (distance, remaining shift in pixels, weight) of the usable windows of a tile."""
    other = tile.planes[colour]
    if terms.any():
        moved = (terms[0] + terms[1] * np.square(tile.far / unit)) * tile.far
        y, x = np.mgrid[0:_TILE, 0:_TILE].astype(np.float32)
        places = (
            (x + moved * tile.along[0]).astype(np.float32),
            (y + moved * tile.along[1]).astype(np.float32),
        )
        other = cv2.remap(other, *places, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)
    seen = _windows(other) * tile.usable
    normal = (tile.base.swapaxes(1, 2) @ tile.base).astype(float)
    right = (tile.base.swapaxes(1, 2) @ seen[..., None])[..., 0].astype(float)
    square = np.einsum("ij,ij->i", seen, seen).astype(float)
    count = np.maximum(normal[:, 0, 0], 1)
    solved = np.linalg.solve(normal + np.eye(3) * 1e-9, right[..., None])[..., 0]
    total = np.maximum(square - right[:, 0] ** 2 / count, 1e-12)
    left_over = np.maximum(square - np.einsum("ij,ij->i", solved, right), 0)
    share, mean = solved[:, 1], right[:, 0] / count
    good = (count > 0.9 * _WINDOW**2) & (1 - left_over / total > _EXPLAINED) & (share > 0)
    good &= np.sqrt(total / count) > _CONTRAST * np.maximum(mean, 1e-4)
    shift = -solved[:, 2] / np.where(share > 0, share, 1.0)
    good &= np.abs(shift) < _LARGEST
    # variance of the shift from what is left unexplained (independent over the blur's width)
    noise = left_over / count * (np.pi * _SIGMA**2)
    weight = share**2 * normal[:, 2, 2] / np.maximum(noise, 1e-12)
    return np.column_stack([_windows(tile.far).mean(axis=1) / unit, shift, weight])[good]


def _fit(rows: np.ndarray, unit: float) -> tuple[np.ndarray, float]:
    """Terms that explain the shifts, and the standard error of the shift in the corner (pixels)."""
    r, shift, weight = rows.T
    base = np.column_stack([r * unit, r**3 * unit])
    weight = np.minimum(weight, 4 * np.median(weight))
    trust = np.ones_like(weight)
    terms = np.zeros(2)
    for _ in range(12):
        scaled = base * (weight * trust)[:, None]
        # the second term only as far as it is needed
        ridge = np.diag([0.0, 0.02 * float(scaled[:, 0] @ base[:, 0])])
        normal = scaled.T @ base + ridge
        terms = np.linalg.solve(normal + np.eye(2) * 1e-12, scaled.T @ shift)
        off = shift - base @ terms
        spread = max(1.4826 * float(np.median(np.abs(off))), 1e-4)
        trust = np.minimum(1.0, 1.345 * spread / np.maximum(np.abs(off), 1e-9))
    inverse = np.linalg.inv(normal + np.eye(2) * 1e-12)
    middle = (base * (weight * trust)[:, None]).T * off
    corner = np.array([unit, unit])
    return terms, float(np.sqrt(np.maximum(corner @ inverse @ (middle @ middle.T) @ inverse @ corner, 0)))


def measure_aberration(mosaic: Mosaic) -> Aberration | None:
    """Lateral aberration of a mosaic whose levels are applied; None where there are too few contours."""
    h, w = mosaic.data.shape
    unit = float(np.hypot(h, w) / 2)

    found_tiles = ((corner, _planes(mosaic, *corner)) for corner in _tiles(mosaic))
    tiles = [_prepared(*found, corner, (h, w)) for corner, found in found_tiles if found is not None]
    made, errors, windows = {}, {}, 10**9
    for colour in (RED, BLUE):
        terms, error = np.zeros(2), np.inf
        for _ in range(_ROUNDS):
            found = [_shifts(tile, colour, terms, unit) for tile in tiles]
            rows = np.concatenate(found) if found else np.zeros((0, 3))
            if len(rows) < FEWEST:
                return None
            more, error = _fit(rows, unit)
            terms = terms + more
        made[colour], errors[colour], windows = terms, error, min(windows, len(rows))
    corner = tuple(float(made[c].sum() * unit) for c in (RED, BLUE))
    return Aberration(
        tuple(map(float, made[RED])), tuple(map(float, made[BLUE])), corner,  # type: ignore[arg-type]
        (errors[RED], errors[BLUE]), windows,
    )  # fmt: skip
