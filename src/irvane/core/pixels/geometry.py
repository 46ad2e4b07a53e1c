"""One map between the pixels of a frame and those of the picture that is made of it.

Places are (x, y) in pixels, pixel centres at +0.5. The *frame* is upright, as large as the sensor's active
area; the *output* is what is seen, measured and written. From the output to the frame lie: crop, quarter turn
and mirroring, straightening, perspective, distortion and (for each colour its own) lateral aberration.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise

import numpy as np

from irvane.core.orientation import to_sensor, to_upright
from irvane.core.pixels.bending import REACH, Bending
from irvane.core.pixels.places import FrameRegion, OutputRegion
from irvane.core.pixels.radial import DISTANCES, Radial

#: Colour whose places stand for the others'.
_GREEN = 1
#: Places along each side of a rectangle that its bounds are found from.
_ALONG = 17
#: How far from whole pixels places may lie that are not resampled.
_SAME = 1e-9


@dataclass(frozen=True, eq=False)
class Geometry:
    """The map of one proof.

    Attributes
    ----------
    frame, output : heights and widths of both.
    flip : turn from the sensor to the upright frame (see :mod:`irvane.core.orientation`).
    matrix : float64 3×3: homogeneous output places to corrected ones about the optical centre, in frame
        pixels.
    radial : from corrected places about the centre to those in the frame.
    centre : x, y of the optical centre in the frame.
    """

    frame: tuple[int, int]
    output: tuple[int, int]
    flip: int
    matrix: np.ndarray
    radial: Radial
    centre: tuple[float, float]

    @cached_property
    def unit(self) -> float:
        """Half the frame's diagonal in pixels."""
        return float(np.hypot(*self.frame) / 2)

    @cached_property
    def identity(self) -> bool:
        """Is the output the frame itself?"""
        return (
            self.exact and self.output == self.frame and bool(np.allclose(self._still, np.eye(3), atol=_SAME))
        )

    @cached_property
    def _still(self) -> np.ndarray:
        return np.array([[1, 0, self.centre[0]], [0, 1, self.centre[1]], [0, 0, 1.0]]) @ self.matrix

    @cached_property
    def exact(self) -> bool:
        """Do all output pixels lie on whole frame pixels (turned, mirrored or cropped only)? These are not
        resampled."""
        m = self._still
        turned = (
            np.abs(np.round(m[:2, :2]) - m[:2, :2]).max() < _SAME
            and abs(abs(np.linalg.det(m[:2, :2])) - 1) < _SAME
        )
        corner = m[:2, :2] @ [0.5, 0.5] + m[:2, 2] - 0.5
        whole = np.abs(np.round(corner) - corner).max() < 1e-6
        straight = np.abs(m[2] - [0, 0, 1]).max() < 1e-15
        return bool(self.radial.is_nothing and turned and whole and straight)

    @cached_property
    def bending(self) -> Bending:
        """The map in numbers for :mod:`irvane.core.lens.resample`."""
        return Bending(
            np.ascontiguousarray(self.matrix), np.ascontiguousarray(self.radial.ratios),
            self.radial.tangential,
            self.unit, float(DISTANCES[-1]), self.radial.limit, self.centre, self.frame,
        )  # fmt: skip

    # points

    def to_frame(self, places: np.ndarray, colour: int = _GREEN) -> np.ndarray:
        """Where output places (float N×2: x, y) lie in the frame; NaN beyond what the lens map holds."""
        places = np.asarray(places, float).reshape(-1, 2)
        corrected = np.column_stack([places, np.ones(len(places))]) @ self.matrix.T
        with np.errstate(divide="ignore", invalid="ignore"):
            about = corrected[:, :2] / np.where(corrected[:, 2:] > 1e-6, corrected[:, 2:], np.nan)
        return self.bent(about, colour) + self.centre

    def bent(self, about: np.ndarray, colour: int = _GREEN) -> np.ndarray:
        """Where corrected places about the centre (N×2) lie in the frame, about the centre."""
        scaled = about / self.unit
        r2 = np.sum(scaled**2, axis=1)
        r = np.sqrt(r2)
        ratio = np.interp(r2, np.square(DISTANCES), self.radial.ratios[colour])
        ratio = np.where(r <= self.radial.limit, ratio, np.nan)
        p1, p2 = self.radial.tangential
        a, b = scaled.T
        more = np.column_stack(
            [2 * p1 * a * b + p2 * (r2 + 2 * a * a), p1 * (r2 + 2 * b * b) + 2 * p2 * a * b]
        )
        return (scaled * ratio[:, None] + more) * self.unit

    def straightened(self, about: np.ndarray, colour: int = _GREEN) -> np.ndarray:
        """Inverse of :meth:`bent`: corrected places about the centre of places in the frame; NaN where there
        are none."""
        scaled = np.asarray(about, float) / self.unit
        reached = self.radial.ratios[colour] * DISTANCES
        known = self.radial.limit >= DISTANCES
        found, wanted = scaled.copy(), scaled
        p1, p2 = self.radial.tangential
        for _ in range(1 if p1 == p2 == 0 else 12):
            if p1 or p2:
                a, b = found.T
                r2 = np.sum(found**2, axis=1)
                more = np.column_stack(
                    [2 * p1 * a * b + p2 * (r2 + 2 * a * a), p1 * (r2 + 2 * b * b) + 2 * p2 * a * b]
                )
                wanted = scaled - more
            r = np.hypot(*wanted.T)
            back = np.interp(r, reached[known], DISTANCES[known], right=np.nan)
            # one step further than straight between the entries
            there = back * np.interp(np.square(back), np.square(DISTANCES), self.radial.ratios[colour])
            slope = np.interp(back, DISTANCES[:-1], np.diff(reached) / np.diff(DISTANCES))
            back = back + (r - there) / np.maximum(slope, 1e-3)
            found = wanted * np.where(r > 0, back / np.maximum(r, 1e-300), 1.0)[:, None]
        return found * self.unit

    def to_output(self, places: np.ndarray, colour: int = _GREEN) -> np.ndarray:
        """Where frame places (float N×2) lie in the output; NaN where the lens map does not reach."""
        about = self.straightened(np.asarray(places, float).reshape(-1, 2) - self.centre, colour)
        back = np.column_stack([about, np.ones(len(about))]) @ np.linalg.inv(self.matrix).T
        with np.errstate(divide="ignore", invalid="ignore"):
            return back[:, :2] / np.where(back[:, 2:] > 0, back[:, 2:], np.nan)

    def to_sensor(self, places: np.ndarray) -> np.ndarray:
        """Where output places lie in the sensor's active area, before it is turned upright."""
        h, w = self.frame
        extent = (h, w) if self.flip in (0, 3) else (w, h)
        return np.array([to_sensor((x, y), extent, self.flip) for x, y in self.to_frame(places)])

    def from_sensor(self, places: np.ndarray) -> np.ndarray:
        """Where places of the sensor's active area lie in the output."""
        h, w = self.frame
        extent = (h, w) if self.flip in (0, 3) else (w, h)
        return self.to_output(
            np.array([to_upright((x, y), extent, self.flip) for x, y in np.reshape(places, (-1, 2))])
        )

    # areas

    def frame_box(self, region: OutputRegion) -> FrameRegion:
        """The part of the frame that a part of the output is made of, with what resampling needs around
        it."""
        if self.identity:
            return FrameRegion(region.top, region.left, region.bottom, region.right, region.step)
        t = np.linspace(0, 1, _ALONG)
        x0, x1, y0, y1 = region.left, region.right, region.top, region.bottom
        inner = np.array([(x, y) for x in np.linspace(x0, x1, 5) for y in np.linspace(y0, y1, 5)])
        rim = np.concatenate(
            [
                np.column_stack([x0 + t * (x1 - x0), np.full(_ALONG, y)]) for y in (y0, y1)
            ] + [np.column_stack([np.full(_ALONG, x), y0 + t * (y1 - y0)]) for x in (x0, x1)] + [inner]
        )  # fmt: skip
        colours = (_GREEN,) if self.bending.one_for_all else (0, 1, 2)
        found = np.concatenate([self.to_frame(rim, c) for c in colours])
        found = found[np.isfinite(found).all(axis=1)]
        h, w = self.frame
        if len(found) == 0:
            return FrameRegion(0, 0, 1, 1, region.step)
        if self.exact:
            margin = 0.0
            (left, top), (right, bottom) = np.round(found.min(axis=0)), np.round(found.max(axis=0))
        else:
            # between the places that were looked at the rim bulges by less than a pixel of what is seen
            bulge = 1.0 + 0.002 * max(x1 - x0, y1 - y0)
            margin = (REACH + 1) * region.step + bulge
            (left, top), (right, bottom) = found.min(axis=0), found.max(axis=0)
        top, left = np.clip([np.floor(top - margin), np.floor(left - margin)], 0, [h - 1, w - 1])
        bottom, right = np.clip(
            [np.ceil(bottom + margin), np.ceil(right + margin)], [top + 1, left + 1], [h, w]
        )
        return FrameRegion(int(top), int(left), int(bottom), int(right), region.step)

    def place_of(self, region: OutputRegion) -> FrameRegion:
        """The rectangle of the frame around the mapped middle of one of the output, as large as there:
        figures are read in it, from pixels that were never resampled."""
        if self.identity:
            return FrameRegion(region.top, region.left, region.bottom, region.right)
        middle = ((region.left + region.right) / 2, (region.top + region.bottom) / 2)
        x, y = self.to_frame(np.array([middle]))[0]
        h, w = self.frame
        if not (np.isfinite(x) and np.isfinite(y)):
            x, y = w / 2, h / 2
        turned = self.scales_at(*middle)
        high, wide = (
            max(1, round(side)) for side in turned @ [region.right - region.left, region.bottom - region.top]
        )
        high, wide = min(high, h), min(wide, w)
        top = int(np.clip(round(y - high / 2), 0, h - high))
        left = int(np.clip(round(x - wide / 2), 0, w - wide))
        return FrameRegion(top, left, top + high, left + wide)

    def scales_at(self, x: float, y: float) -> np.ndarray:
        """float 2×2: frame pixels high and wide, per output pixel wide and high, at an output place."""
        small = 0.5
        around = np.array([(x - small, y), (x + small, y), (x, y - small), (x, y + small)])
        a, b, c, d = self.to_frame(around)
        across, down = np.nan_to_num(b - a, nan=1.0), np.nan_to_num(d - c, nan=1.0)
        if abs(across[0]) >= abs(across[1]):
            return np.array([[0, np.hypot(*down)], [np.hypot(*across), 0]])
        return np.array([[np.hypot(*across), 0], [0, np.hypot(*down)]])

    def scale_at(self, x: float, y: float) -> float:
        """Frame pixels per output pixel (in the mean of both directions) at an output place."""
        return float(np.sqrt(abs(np.linalg.det(self.scales_at(x, y)))))

    @cached_property
    def outline(self) -> np.ndarray:
        """Rim of the output in the frame: float N×2, in order; places beyond the frame included, unknown ones
        left out."""
        h, w = self.output
        t = np.linspace(0, 1, 65)[:-1]
        corners = np.array([(0, 0), (w, 0), (w, h), (0, h), (0, 0)], float)
        rim = np.concatenate([a + t[:, None] * (b - a) for a, b in pairwise(corners)])
        found = self.to_frame(rim)
        return found[np.isfinite(found).all(axis=1)]

    @cached_property
    def kept(self) -> float:
        """Share of the frame's area that is seen in the output (0…1)."""
        h, w = self.frame
        if self.identity:
            return 1.0
        # the rim of the frame in the output is not straight either: count on a grid
        y, x = np.mgrid[0.5:96, 0.5:96] / 96
        places = self.to_output(np.column_stack([x.ravel() * w, y.ravel() * h]))
        inside = (
            (places >= 0).all(axis=1) & (places[:, 0] <= self.output[1]) & (places[:, 1] <= self.output[0])
        )
        return float(np.mean(inside))

    @cached_property
    def full(self) -> bool:
        """Is every pixel of the output filled by the frame?"""
        h, w = self.frame
        if len(self.outline) < 4 * 64:
            return False
        slack = 1e-6 * max(h, w) + 0.01
        return bool((self.outline >= -slack).all() and (self.outline <= [w + slack, h + slack]).all())
