"""Blurs as kernels: what the lens softens, what is out of focus, what moved. All sum to 1 and are centred."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import lru_cache

import cv2
import numpy as np

LENS, DEFOCUS, MOTION = "lens", "defocus", "motion"
#: Points per pixel along a side by which a kernel is drawn; standard deviations at which a Gaussian ends;
#: pixels of the largest radius or half length that is undone.
_FINE, _SIGMAS, LARGEST = 9, 3.5, 40.0
#: Steps of σ (pixels), of places (pixels) in which a blur that differs over the frame changes; points per
#: pixel along a path.
_STEP, _PLACE, _DENSE = 0.05, 0.25, 8


@dataclass(frozen=True)
class Blur:
    """A blur of the frame.

    Attributes
    ----------
    cause : LENS (a Gaussian), DEFOCUS (a disc or a polygon) or MOTION (a straight line, or a path).
    size : σ, radius (of a polygon: of the disc of its area) or length (of a path: between its farthest
        points), in pixels of the frame.
    angle : of a motion, degrees from the x axis towards y; of a polygon, the direction of one of its corners.
    blades : sides of the polygon that the aperture makes; 0: round.
    path : where a frame that moved was at even times, (x, y) in pixels; empty: a straight line.
    turn : degrees by which a frame that moved rolled about its middle meanwhile.
    corner : σ of a lens in the corners; it grows with the square of the distance from the middle. 0: as in
        the middle.
    """

    cause: str
    size: float
    angle: float = 0.0
    blades: int = 0
    path: tuple[tuple[float, float], ...] = ()
    turn: float = 0.0
    corner: float = 0.0

    @property
    def reach(self) -> float:
        """Pixels from the middle to the end of the kernel, where it is largest."""
        if self.path:
            return float(np.abs(_centred(self.path)).max()) + 1
        if self.cause == DEFOCUS and self.blades:
            return self.size * _corner_of(self.blades) + 1
        return {
            LENS: _SIGMAS * max(self.size, self.corner),
            DEFOCUS: self.size + 1,
            MOTION: self.size / 2 + 1,
        }[self.cause]

    @property
    def width(self) -> float:
        """Root of the mean of both variances, in pixels."""
        if self.path:
            return float(np.sqrt(_along(self.path).var(axis=0).mean()))
        variance = {LENS: self.size**2, DEFOCUS: self.size**2 / 4, MOTION: self.size**2 / 24}[self.cause]
        return float(np.sqrt(variance))

    @property
    def varies(self) -> bool:
        """Does it differ from place to place?"""
        return bool(self.turn or (self.cause == LENS and self.corner))

    def reduced(self, step: float) -> Blur:
        """The same in pixels of a picture that was reduced by a factor."""
        path = tuple((x / step, y / step) for x, y in self.path)
        return replace(self, size=self.size / step, path=path, corner=self.corner / step)

    def at(self, y: float, x: float, extent: tuple[int, int]) -> Blur:
        """What it is at a place (pixels) of a picture of a height and width: a blur that does not differ any
        more."""
        if not self.varies:
            return self
        middle = np.array([extent[1] / 2, extent[0] / 2])
        off = np.array([x, y]) - middle
        if self.cause == LENS:
            share = float(off @ off / max(middle @ middle, 1.0))
            sigma = np.sqrt(self.size**2 + share * (self.corner**2 - self.size**2))
            return Blur(LENS, round(float(sigma) / _STEP) * _STEP)
        points = _centred(self.path or _straight(self.size, self.angle))
        times = np.linspace(-0.5, 0.5, len(points))[:, None] * np.radians(self.turn)
        moved = points + times * np.array([-off[1], off[0]])
        return path_of(np.round(moved / _PLACE) * _PLACE)


def path_of(points: np.ndarray) -> Blur:
    """The motion along points (N×2, x and y in pixels) that were passed at even times."""
    centred = _centred(tuple(map(tuple, points.tolist())))
    apart = centred[:, None] - centred[None]
    far = np.hypot(apart[..., 0], apart[..., 1])
    a, b = np.unravel_index(int(far.argmax()), far.shape)
    x, y = centred[b] - centred[a]
    angle = (float(np.degrees(np.arctan2(y, x))) + 90) % 180 - 90
    path = tuple((round(float(p), 2), round(float(q), 2)) for p, q in centred)
    return Blur(MOTION, float(far.max()), angle, path=path)


def _straight(length: float, angle: float) -> tuple[tuple[float, float], ...]:
    way = np.linspace(-0.5, 0.5, 9)[:, None] * length
    points = way * np.array([np.cos(np.radians(angle)), np.sin(np.radians(angle))])
    return tuple(map(tuple, points.tolist()))


def _corner_of(blades: int) -> float:
    """Distance of a regular polygon's corners, in radii of the disc of its area."""
    return float(np.sqrt(2 * np.pi / (blades * np.sin(2 * np.pi / blades))))


def _along(path: tuple[tuple[float, float], ...]) -> np.ndarray:
    """Points along a path, as many between any two of its own: N×2."""
    points = np.asarray(path, float)
    if len(points) < 2:
        return points
    longest = float(np.hypot(*np.diff(points, axis=0).T).max())
    count = max(2, int(np.ceil(longest * _DENSE)))
    share = ((np.arange(count) + 0.5) / count)[None, :, None]
    return (points[:-1, None] + share * np.diff(points, axis=0)[:, None]).reshape(-1, 2)


@lru_cache(maxsize=256)
def _centred(path: tuple[tuple[float, float], ...]) -> np.ndarray:
    """Points of a path about the mean place along it: N×2."""
    return np.asarray(path, float) - _along(path).mean(axis=0)


@lru_cache(maxsize=256)
def kernel_of(blur: Blur) -> np.ndarray:
    """The kernel: float32, odd sides; the mean over each pixel of the blur, as a sensor's pixels take it."""
    half = max(1, int(np.ceil(blur.reach)))
    side = 2 * half + 1
    if blur.path:
        kernel = np.zeros((side, side))
        at = _along(blur.path)
        at = at - at.mean(axis=0) + half
        low = np.floor(at).astype(int)
        fx, fy = (at - low).T
        for dy, dx, share in ((0, 0, (1 - fy) * (1 - fx)), (0, 1, (1 - fy) * fx), (1, 0, fy * (1 - fx)), (1,
        1, fy * fx)):  # fmt: skip
            np.add.at(kernel, (low[:, 1] + dy, low[:, 0] + dx), share)
        return np.asarray(kernel / kernel.sum(), np.float32)
    at = (np.arange(side * _FINE) + 0.5) / _FINE - half - 0.5
    x, y = np.meshgrid(at, at)
    if blur.cause == LENS:
        fine = np.exp(-(x**2 + y**2) / (2 * max(blur.size, 0.05) ** 2))
    elif blur.cause == DEFOCUS and blur.blades:
        fine = _polygon(blur, side, half)
    elif blur.cause == DEFOCUS:
        # an edge one sample wide: no kernel depends on where the samples fall
        fine = np.clip((blur.size - np.hypot(x, y)) * _FINE + 0.5, 0, 1)
    else:
        c, s = np.cos(np.radians(blur.angle)), np.sin(np.radians(blur.angle))
        along, across = x * c + y * s, y * c - x * s
        fine = np.clip(blur.size / 2 - np.abs(along) + 0.5, 0, 1) * np.clip(1 - np.abs(across), 0, 1)
    kernel = fine.reshape(side, _FINE, side, _FINE).mean(axis=(1, 3))
    return np.asarray(kernel / kernel.sum(), np.float32)


def _polygon(blur: Blur, side: int, half: int) -> np.ndarray:
    turns = np.radians(blur.angle) + 2 * np.pi * np.arange(blur.blades) / blur.blades
    corners = blur.size * _corner_of(blur.blades) * np.stack([np.cos(turns), np.sin(turns)], axis=1)
    drawn = np.zeros((side * _FINE, side * _FINE), np.uint8)
    fixed = np.rint(((corners + half + 0.5) * _FINE - 0.5) * 256).astype(np.int32)  # 8 bits of fraction
    cv2.fillPoly(drawn, [fixed], 255, cv2.LINE_AA, 8)
    return drawn.astype(np.float64)
