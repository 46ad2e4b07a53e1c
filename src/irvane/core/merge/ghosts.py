"""What moved between the frames of a bracket: whole things are taken from one frame, not pixel by pixel.

Frames are compared on means of four by four pixels with one picture that holds everywhere (the reference, and
where it clips or is dark, the frame nearest to it in exposure that does not). What differs by more than noise
and a remaining misalignment explain becomes regions; weak differences belong to a region only where they
touch a strong one (hysteresis, Canny 1986). In a region one frame counts: the reference, unless it clips or
is noise there (one source for a whole thing: Granados and others 2013).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
import scipy

from irvane.core.image import NoiseModel, largest_colour

#: Frame pixels of a cell that is compared.
CELL = 4
#: Signals near enough to clipping that a frame is not believed; signal-to-noise ratio below which it is not
#: either.
_CLIPS, _DARK = 0.85, 3.0
#: At the middle strength: differences in units of what is explained that make a region, and that belong to
#: one.
_STRONG, _WEAK = 1.6, 0.75
#: What is explained: standard deviations of noise, a share of the light, pixels of misalignment on the slope
#: of the light.
_SIGMAS, _SHARE, _PIXELS = 3.0, 0.07, 0.5
#: Cells of the smallest region; cells by which regions are widened, and over which a region's border is soft.
_SMALLEST, _WIDER, _SOFT = 14, 3, 1.5
#: Share of a region that a frame may clip in, to be its source.
_MAY_CLIP = 0.04


@dataclass(frozen=True)
class Sight:
    """A frame as it lies on the reference, reduced to cells, at the reference's exposure.

    Attributes
    ----------
    light : float32 h×w×3; not a number outside the frame.
    largest : the largest signal of a cell before it was brought to that exposure.
    sigma : standard deviation of its noise, at that exposure.
    bright : where a whole cell is near clipping: its light is at least what is seen.
    side : frame pixels of a cell.
    """

    light: np.ndarray
    largest: np.ndarray
    sigma: np.ndarray
    bright: np.ndarray
    side: int = CELL

    @property
    def held(self) -> np.ndarray:
        """Where it neither clips nor is mere noise."""
        with np.errstate(invalid="ignore"):
            good = self.largest < _CLIPS
            level = self.light.max(axis=2)
            return good & (level > _DARK * self.sigma.mean(axis=2)) & np.isfinite(level)


def sight(picture: np.ndarray, ratio: float, noise: NoiseModel, step: int = 1) -> Sight:
    """A frame (camera-linear, on the reference, NaN outside) as it is compared.

    Parameters
    ----------
    ratio : the reference's exposure over its own. step : frame pixels per pixel, more than 1 for a binned
        mosaic.
    """
    h, w = picture.shape[:2]
    cell = max(1, round(CELL / step))
    size = max(1, w // cell), max(1, h // cell)
    outside = ~np.isfinite(picture[..., 1])
    clean = np.where(outside[..., None], np.float32(0), picture) if outside.any() else picture
    light = cv2.resize(clean, size, interpolation=cv2.INTER_AREA)
    whole = cv2.resize((~outside).astype(np.float32), size, interpolation=cv2.INTER_AREA)
    top = largest_colour(clean)
    mean = cv2.resize(top, size, interpolation=cv2.INTER_AREA)
    # a cell with one pixel beside a clipped one is not believed: resampling mixes them
    beside = (cv2.dilate(top, np.ones((3, 3), np.uint8)) > _CLIPS).astype(np.float32)
    clipped = cv2.resize(beside, size, interpolation=cv2.INTER_AREA) > 0
    near = (top >= _CLIPS).astype(np.float32)
    bright = cv2.resize(near, size, interpolation=cv2.INTER_AREA) > 0.999
    gain, read2 = np.array(noise.gain), np.array(noise.read) ** 2
    # neighbouring samples of a demosaiced picture share noise: a mean of sixteen counts as one of six; binned
    # ones do not
    alone = 6 if step == 1 else cell * cell
    sigma = np.sqrt((gain * np.maximum(light, 0) + read2) / alone) * ratio
    light = light * np.float32(ratio)
    light[whole < 0.999] = np.nan
    return Sight(light, np.where(clipped, np.float32(1), mean), sigma.astype(np.float32), bright, cell * step)


def _anchor(sights: Sequence[Sight], order: Sequence[int]) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """One picture that holds as far as any frame does: its light, its noise, and whose it is; frames in
    `order` come first."""
    first = sights[order[0]]
    light, sigma = first.light.copy(), first.sigma.copy()
    whose = np.where(first.held, order[0], -1)
    for index in order[1:]:
        take = (whose < 0) & sights[index].held
        light[take], sigma[take], whose[take] = sights[index].light[take], sights[index].sigma[take], index
    return light, sigma, whose


def _apart(one: Sight, light: np.ndarray, sigma: np.ndarray, off: float) -> np.ndarray:
    """How far a frame differs from the anchor, in units of what is explained; of the worst colour. Where the
    frame is near clipping, only that it is brighter says something."""
    a, b = np.nan_to_num(light), np.nan_to_num(one.light)
    # a misalignment of a fraction of a pixel shows on slopes: largest difference to the neighbours
    slope = (cv2.dilate(a, np.ones((3, 3), np.uint8)) - cv2.erode(a, np.ones((3, 3), np.uint8))) * (
        off / one.side
    )
    explained = _SIGMAS * np.sqrt(sigma**2 + one.sigma**2) + _SHARE * np.maximum(a, b) + slope + 1e-6
    more = np.where(one.bright[..., None], np.maximum(b - a, 0), np.abs(a - b))
    return (more / explained).max(axis=2)


def _regions(apart: np.ndarray, strength: float) -> np.ndarray:
    """Differences as whole regions: bool h×w."""
    factor = 2.0 ** ((50 - strength) / 25)
    smooth = cv2.GaussianBlur(apart.astype(np.float32), (0, 0), 0.8)
    weak, strong = smooth > _WEAK * factor, smooth > _STRONG * factor
    weak = cv2.morphologyEx(weak.astype(np.uint8), cv2.MORPH_CLOSE, np.ones((5, 5), np.uint8)).astype(bool)
    labels, count = scipy.ndimage.label(weak, np.ones((3, 3)))
    if count == 0:
        return np.zeros(apart.shape, bool)
    numbers = np.arange(1, count + 1)
    sure = scipy.ndimage.sum_labels(strong, labels, numbers)
    size = scipy.ndimage.sum_labels(weak, labels, numbers)
    kept = np.concatenate([[False], (sure >= _SMALLEST / 3) & (size >= _SMALLEST)])
    whole = scipy.ndimage.binary_fill_holes(kept[labels])
    return cv2.dilate(
        whole.astype(np.uint8), cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * _WIDER + 1,) * 2)
    ).astype(bool)


@dataclass(frozen=True)
class Place:
    """A place that is to be taken from one frame, whatever was found there.

    Attributes
    ----------
    x, y : its middle as shares of width and height of the reference. radius : as a share of its width.
    frame : index of the frame.
    """

    x: float
    y: float
    radius: float
    frame: int


@dataclass(frozen=True)
class Ghosts:
    """Which frame counts where.

    Attributes
    ----------
    weights : per frame float32 h×w (cells), 0…1, by which it counts; None: everywhere.
    source : int16 h×w, the frame that a moving thing is taken from; −1 where nothing moved.
    """

    weights: tuple[np.ndarray | None, ...]
    source: np.ndarray

    @property
    def share(self) -> float:
        """Share of the picture in which something moved."""
        return float((self.source >= 0).mean())

    def counts(self, index: int, shape: tuple[int, int]) -> np.ndarray:
        """By how much a frame counts at every pixel of a picture of this height and width: float32."""
        cells = self.weights[index]
        if cells is None:
            return np.ones(shape, np.float32)
        return cv2.resize(cells, (shape[1], shape[0]), interpolation=cv2.INTER_LINEAR)

    def among(self, count: int, used: Sequence[int]) -> Ghosts:
        """The same for a longer list of frames, of which these are the `used` ones."""
        weights: list[np.ndarray | None] = [None] * count
        source = np.full(self.source.shape, -1, np.int16)
        for place, index in enumerate(used):
            weights[index] = self.weights[place] if place < len(self.weights) else None
            source[self.source == place] = index
        return Ghosts(tuple(weights), source)


def find_ghosts(
    sights: Sequence[Sight], reference: int, ratios: Sequence[float], strength: float, off: Sequence[float]
) -> Ghosts:
    """Find what moved.

    Parameters
    ----------
    ratios : the reference's exposure over each frame's. strength : 0 (nothing is taken for movement) to 100.
    off : pixels that each frame may still lie off the reference.
    """
    count, shape = len(sights), sights[0].light.shape[:2]
    source = np.full(shape, -1, np.int16)
    if strength <= 0:
        return Ghosts((None,) * count, source)
    near = sorted(range(count), key=lambda k: (abs(np.log2(ratios[k])), k))
    order = [reference, *(k for k in near if k != reference)]
    light, sigma, whose = _anchor(sights, order)
    moved = np.zeros(shape, bool)
    for k in range(count):
        told = sights[k].held | (sights[k].bright & np.isfinite(sights[k].light[..., 1]))
        comparable = told & (whose >= 0) & (whose != k)
        apart = np.where(comparable, _apart(sights[k], light, sigma, max(off[k], _PIXELS)), 0)
        moved |= _regions(apart, strength)
    labels, _ = scipy.ndimage.label(moved, np.ones((3, 3)))
    for number, box in enumerate(scipy.ndimage.find_objects(labels), 1):
        here = labels[box] == number
        source[box][here] = _source_of(
            [Sight(s.light[box], s.largest[box], s.sigma[box], s.bright[box], s.side) for s in sights],
            here,
            order,
        )
    return Ghosts(_weights(source, range(count), count), source)


def _weights(source: np.ndarray, used: Sequence[int], count: int) -> tuple[np.ndarray | None, ...]:
    """By how much each of so many frames counts, where things are taken from one of the `used` ones."""
    weights: list[np.ndarray | None] = [None] * count
    if not (source >= 0).any():
        return tuple(weights)
    for k in used:
        left_out = ((source >= 0) & (source != k)).astype(np.float32)
        soft = cv2.GaussianBlur(left_out, (0, 0), _SOFT)
        weights[k] = 1 - np.clip(np.maximum(soft, left_out), 0, 1)
    return tuple(weights)


def taken(found: Ghosts, places: Sequence[Place], used: Sequence[int]) -> Ghosts:
    """What moved, with places that were chosen by hand: a disc each, and the whole thing that moved under its
    middle.

    Parameters
    ----------
    used : the frames that are merged; places of others count nothing.
    """
    labels, _ = scipy.ndimage.label(found.source >= 0, np.ones((3, 3)))
    source = found.source.copy()
    h, w = source.shape
    y, x = np.mgrid[0:h, 0:w]
    for place in places:
        if place.frame not in used:
            continue
        middle = labels[min(max(int(place.y * h), 0), h - 1), min(max(int(place.x * w), 0), w - 1)]
        disc = np.hypot(x + 0.5 - place.x * w, y + 0.5 - place.y * h) <= max(place.radius * w, 0.75)
        source[disc | ((labels == middle) if middle else False)] = place.frame
    return Ghosts(_weights(source, used, len(found.weights)), source)


def _source_of(sights: Sequence[Sight], here: np.ndarray, order: Sequence[int]) -> int:
    """The frame that a region is taken from: the first in order that neither clips nor is dark there, nor
    ends; else the one that does so least."""
    faults = {}
    for k in order:
        one = sights[k]
        inside = np.isfinite(one.light[..., 1][here])
        clips = float((one.largest[here] >= _CLIPS).mean())
        level = np.nan_to_num(one.light[here]).mean()
        dark = float(level < 2 * one.sigma[here].mean())
        if inside.all() and clips <= _MAY_CLIP and not dark:
            return k
        faults[k] = clips + 0.5 * dark + 2 * float((~inside).mean())
    return min(faults, key=lambda k: faults[k])
