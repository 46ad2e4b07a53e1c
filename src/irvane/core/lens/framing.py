"""What of the corrected picture is shown: turned, straightened, set upright and cropped. Makes the geometry
of a proof.

The *corrected frame* is as large as the frame (after its quarter turn), its middle that of the frame. A crop
lies in it, in per cent of its sides, whatever the strength of a profile; it may reach beyond it where empty
corners are kept.
"""

from __future__ import annotations

import math
from dataclasses import replace
from functools import lru_cache

import numpy as np

from irvane.core.declaring import Crop
from irvane.core.lens.corrections import LensFacts, corrections_of, optics_for
from irvane.core.lens.profile import focal_pixels
from irvane.core.pixels.geometry import Geometry
from irvane.core.stations import Lens

#: Sides of outputs, in pixels; halvings by which the largest crop is found.
_LEAST, _MOST, _HALVINGS = 16, 60_000, 26
#: How much larger than the frame a crop may grow where the correction leaves room.
_LARGEST = 1.6
#: Steps (shares of the frame) by which the middle of the largest crop is moved.
_MOVES = (0.08, 0.03, 0.01)


def _rotation(degrees: float) -> np.ndarray:
    a = math.radians(degrees)
    return np.array([[math.cos(a), -math.sin(a), 0], [math.sin(a), math.cos(a), 0], [0, 0, 1.0]])


def _quarter(lens: Lens) -> np.ndarray:
    """From places of the turned and mirrored picture to those before, about the middle."""
    turns = int(lens.turn) // 90
    back = np.array(
        [[(1, 0), (0, 1)], [(0, 1), (-1, 0)], [(-1, 0), (0, -1)], [(0, -1), (1, 0)]][turns], float
    )
    made = np.eye(3)
    made[:2, :2] = back
    return made @ np.diag([-1.0, 1.0, 1.0]) if lens.mirror == "on" else made


def _upright(lens: Lens, focal: float) -> np.ndarray:
    """From upright places to those that the tilted and swung camera saw (a turn about its own place), about
    the middle.

    The middle keeps its place and its size.
    """
    if not lens.vertical and not lens.horizontal:
        return np.eye(3)
    tilt, swing = math.radians(lens.vertical), math.radians(lens.horizontal)
    about_x = np.array([[1, 0, 0], [0, math.cos(tilt), -math.sin(tilt)], [0, math.sin(tilt), math.cos(tilt)]])
    about_y = np.array(
        [[math.cos(swing), 0, math.sin(swing)], [0, 1, 0], [-math.sin(swing), 0, math.cos(swing)]]
    )
    camera = np.diag([focal, focal, 1.0])
    seen = camera @ about_x @ about_y @ np.linalg.inv(camera)
    # the middle of the picture stays the middle, as large as before
    back = np.linalg.inv(seen)
    x, y = (back @ [0, 0, 1.0])[:2] / (back @ [0, 0, 1.0])[2]
    seen = seen @ np.array([[1, 0, x], [0, 1, y], [0, 0, 1.0]])
    seen /= seen[2, 2]
    size = math.sqrt(abs(np.linalg.det(seen[:2, :2])))
    return seen @ np.diag([1 / size, 1 / size, 1.0])


def turned_extent(frame: tuple[int, int], lens: Lens) -> tuple[int, int]:
    """Height and width of the corrected frame."""
    h, w = frame
    return (h, w) if lens.turn in ("0", "180") else (w, h)


def _whole(facts: LensFacts, lens: Lens) -> tuple[np.ndarray, tuple[int, int]]:
    """From places of the corrected frame, about its middle, to corrected ones about the optical centre; and
    its extent."""
    corrections = corrections_of(facts, bending_only(lens))
    h, w = facts.frame
    off = np.eye(3)
    off[:2, 2] = w / 2 - corrections.centre[0], h / 2 - corrections.centre[1]
    focal = focal_pixels(optics_for(facts, lens), facts.frame)
    # a mirrored picture is turned the way it is seen
    turned = lens.straighten if lens.mirror == "on" else -lens.straighten
    made = off @ _upright(lens, focal) @ _rotation(turned) @ _quarter(lens)
    return made, turned_extent(facts.frame, lens)


def bending_only(lens: Lens) -> Lens:
    """The settings that corrections depend on: others do not make them anew."""
    return replace(
        lens, crop=(), straighten=0.0, vertical=0.0, horizontal=0.0, turn="0", mirror="off", edges="fill",
        fringing=0,
        fringe_hue=None, vignetting=0.0,
    )  # fmt: skip


@lru_cache(maxsize=256)
def geometry_of(facts: LensFacts, lens: Lens) -> Geometry:
    """The geometry of a frame under the settings of the station Lens."""
    whole, (h, w) = _whole(facts, lens)
    crop = lens.crop or largest_crop(facts, lens)
    x, y, wide, high = (v / 100 * side for v, side in zip(crop, (w, h, w, h), strict=True))
    return _cropped(facts, lens, whole, (x - w / 2, y - h / 2), (high, wide))


def _cropped(
    facts: LensFacts, lens: Lens, whole: np.ndarray, corner: tuple[float, float], size: tuple[float, float]
) -> Geometry:
    """A crop of the corrected frame: `corner` about its middle, and its height and width, on whole pixels."""
    corrections = corrections_of(facts, bending_only(lens))
    h, w = turned_extent(facts.frame, lens)
    high, wide = (int(np.clip(round(side), _LEAST, _MOST)) for side in size)
    # whole pixels of the corrected frame: what is only cropped is not resampled
    left, top = (round(c + side / 2) - side / 2 for c, side in zip(corner, (w, h), strict=True))
    shift = np.array([[1, 0, left], [0, 1, top], [0, 0, 1.0]])
    return Geometry(
        facts.frame, (high, wide), facts.flip, whole @ shift, corrections.radial, corrections.centre
    )


def uncropped(lens: Lens) -> Lens:
    """The same settings showing the whole corrected frame, empty corners and all."""
    return replace(lens, crop=(0.0, 0.0, 100.0, 100.0), edges="keep")


def turned_by(lens: Lens, quarters: int) -> dict[str, object]:
    """Values under which the picture, as it is seen, is turned clockwise by so many quarters; its crop goes
    along."""
    seen = -quarters if lens.mirror == "on" else quarters
    crop = lens.crop
    for _ in range(quarters % 4 if crop else 0):
        x, y, w, h = crop
        crop = (100 - y - h, x, h, w)
    return {"lens.turn": str((int(lens.turn) + 90 * seen) % 360), "lens.crop": crop}


def mirrored(lens: Lens) -> dict[str, object]:
    """Values under which the picture, as it is seen, is mirrored left to right; its crop and its turn go
    along."""
    x, y, w, h = lens.crop or (0.0, 0.0, 100.0, 100.0)
    crop = (100 - x - w, y, w, h) if lens.crop else ()
    return {
        "lens.mirror": "off" if lens.mirror == "on" else "on", "lens.crop": crop,
        "lens.straighten": -lens.straighten,
    }  # fmt: skip


def shaped(crop: Crop, extent: tuple[int, int], ratio: float) -> Crop:
    """A crop of the same middle and area, inside the corrected frame (height and width), whose sides have a
    ratio."""
    h, w = extent
    x, y, wide, high = (v / 100 * side for v, side in zip(crop, (w, h, w, h), strict=True))
    area = wide * high
    new_w = min(math.sqrt(area * ratio), w, h * ratio)
    new_h = new_w / ratio
    left = min(max(x + (wide - new_w) / 2, 0.0), w - new_w)
    top = min(max(y + (high - new_h) / 2, 0.0), h - new_h)
    return (100 * left / w, 100 * top / h, 100 * new_w / w, 100 * new_h / h)


def largest_crop(facts: LensFacts, lens: Lens, ratio: float | None = None) -> Crop:
    """The largest part of the corrected frame without empty corners (all of it where these are kept), in per
    cent.

    Parameters
    ----------
    ratio : width over height that it shall have; None: the frame's own.
    """
    plain = replace(lens, crop=(), fringing=0, fringe_hue=None, vignetting=0.0)
    return _largest(facts, plain, ratio)


@lru_cache(maxsize=256)
def _largest(facts: LensFacts, lens: Lens, ratio: float | None) -> Crop:
    whole, (h, w) = _whole(facts, lens)
    shape = ratio if ratio is not None else w / h
    wide, high = (w, w / shape) if w / shape <= h else (h * shape, h)
    if lens.edges == "keep" and ratio is None:
        return (0.0, 0.0, 100.0, 100.0)
    radial = corrections_of(facts, bending_only(lens)).radial
    probe = Geometry(
        facts.frame, (h, w), facts.flip, whole, radial, corrections_of(facts, bending_only(lens)).centre
    )
    t = np.linspace(-0.5, 0.5, 33)
    rim = np.concatenate(
        [np.column_stack([t, np.full(33, y)]) for y in (-0.5, 0.5)]
        + [np.column_stack([np.full(33, x), t]) for x in (-0.5, 0.5)]
    ) * [wide, high]  # fmt: skip
    fh, fw = facts.frame
    slack = 1e-6 * max(fh, fw)

    def fits(scale: float, middle: tuple[float, float]) -> bool:
        places = probe.to_frame(rim * scale + middle)
        return bool(
            (places >= -slack).all()
            and (places[:, 0] <= fw + slack).all()
            and (places[:, 1] <= fh + slack).all()
        )

    def largest_at(middle: tuple[float, float], above: float = 0.0) -> float:
        low, high_ = above, _LARGEST
        if not fits(low, middle):
            return 0.0
        for _ in range(_HALVINGS):
            mid = (low + high_) / 2
            low, high_ = (mid, high_) if fits(mid, middle) else (low, mid)
        return low

    middle, best = (0.0, 0.0), largest_at((0.0, 0.0))
    if lens.vertical or lens.horizontal or radial.tangential != (0.0, 0.0):
        for step in _MOVES:
            improved = True
            while improved:
                improved = False
                for dx, dy in ((step, 0), (-step, 0), (0, step), (0, -step)):
                    place = middle[0] + dx * w, middle[1] + dy * h
                    found = largest_at(place, best * (1 + 1e-4))
                    if found > best:
                        middle, best, improved = place, found, True
    # whole pixels inside of what fits
    x, y = w / 2 + middle[0], h / 2 + middle[1]
    left, top = (math.ceil(at - side * best / 2 - 1e-3) for at, side in ((x, wide), (y, high)))
    right, bottom = (math.floor(at + side * best / 2 + 1e-3) for at, side in ((x, wide), (y, high)))
    return (100 * left / w, 100 * top / h, 100 * max(right - left, 1) / w, 100 * max(bottom - top, 1) / h)


def without_geometry(lens: Lens) -> Lens:
    """The same settings with the light corrected and every pixel where the sensor has it (upright)."""
    return replace(
        uncropped(lens), profile_distortion=0.0, profile_aberration=0.0, projection="keep", distortion=0.0,
        aberration="off",
        vertical=0.0, horizontal=0.0, straighten=0.0, turn="0", mirror="off",
    )  # fmt: skip
