"""Rebuilding clipped highlights from the colours that still hold.

On a reduced copy of the whole frame the ratios between the colours of bright unclipped places are spread into
the clipped areas (normalised convolution, Knutsson & Westin 1993, with a long-tailed kernel: the nearest
places speak loudest, and the brightest, which are most likely of the same kind), and with them the slope with
which one ratio follows another: leaves and sky side by side lend each to its own. Cells that hold any clipped
pixel lend nothing at first; once they are rebuilt, those of which two colours hold lend to those of which one
does. A clipped colour is then what its neighbours' ratio to the surviving colours says, and never less than
the level at which it clipped; where that level alone contradicts the ratio, it is a witness for the third
colour: a sky that clips in green and blue behind leaves is none of the leaves' colour. Nor does it take their
ratio where everything that lends is much darker than the clip: light is then likelier to be neutral. Where
all three are gone, light is as in the places beside it where some hold, above all those where the last is
almost gone, and at least as bright as each colour was: no grey and no step in a flame, and the mark says that
it is gone.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from irvane.core.kernels import flat, serial
from irvane.core.orientation import upright
from irvane.core.powers import log2
from irvane.core.sensor.clipping import CLIP_FULL, CLIP_START
from irvane.core.sensor.rebuilding import GAP, LIGHT, NEUTRAL, NUMBERS, RIDGE, highest, rebuilt
from irvane.core.threads import each, share_out

#: Gaussian radii that together make a kernel with a long tail, and the weight from each to the next wider
#: one.
_SPREADS = (1.5, 5.0, 15.0, 45.0, 135.0, 400.0)
_FALL = 0.3
#: Least Gaussian radius, in pixels of a reduced copy.
_NARROW = 2.5
_LN2 = float(np.log(2))
_LEAST = 1e-9  # of weight: what is lent from so far that less arrives fades to neutral
_FAINT = 1e-5  # of weight: what clips in part and is so far that less arrives tells nothing, light is neutral
#: Longer side of the map, at most.
MAP_SIDE = 900
_NEARLY = 0.03  # weight of places of which one colour is lost, beside those that hold
_BRIGHT = 0.15  # surroundings must be at least this bright to lend their colour


@dataclass(frozen=True)
class HighlightMap:
    """What the colours of the surroundings say about lost ones, spread over the frame.

    Attributes
    ----------
    numbers : float32 h×w×13; None when nothing clips. Three ratios: natural logarithm of balanced colour over
        the geometric mean. Three slopes: by how much the logarithm of a colour (over the mean of the two
        others) follows the logarithm of their ratio (the first over the second, in the order red, green,
        blue). Three doubts: variance of the logarithm of red over green, red over blue, green over blue.
        Light: natural logarithm of the three balanced colours that places have whose colours are gone only in
        part. Gap: by how much (natural logarithm) the places that lend their colour are darker than the clip.
    extent : height and width of the frame in pixels.
    share : share of the frame's (reduced) pixels with at least one clipped colour.
    """

    numbers: np.ndarray | None
    extent: tuple[int, int]
    share: float

    def upright(self, flip: int) -> HighlightMap:
        """The map of the upright picture, from that in the sensor's orientation."""
        h, w = self.extent
        turned = None if self.numbers is None else upright(self.numbers, flip)
        return HighlightMap(turned, (h, w) if flip in (0, 3) else (w, h), self.share)


def _sorted(camera: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """The least, the middle and the largest colour of every pixel: float32 h×w each."""
    red, green, blue = cv2.split(camera)
    low, high = cv2.min(red, green), cv2.max(red, green)
    return cv2.min(low, blue), cv2.max(low, cv2.min(high, blue)), cv2.max(high, blue)


def _touched(camera: np.ndarray, bits: np.ndarray | None) -> np.ndarray:
    """Pixels of a reduced picture that hold any clipped pixel of the whole frame: bool h×w."""
    over = np.asarray(_sorted(camera)[2] >= CLIP_START)
    if bits is None:
        return over
    share_out(_spread, over.shape[0], bits, over)
    return over


@serial
def _spread(begin, end, bits, over):
    """Mark every cell of a reduced picture that any marked pixel of the whole one lies in."""
    h, w = over.shape
    for j in range(begin, end):
        marks = np.zeros(bits.shape[1], np.uint8)
        for y in range(j * bits.shape[0] // h, -(-(j + 1) * bits.shape[0] // h)):
            _gather(bits[y], marks)
        for i in range(w):
            for x in range(i * marks.size // w, -(-(i + 1) * marks.size // w)):
                over[j, i] |= marks[x] != 0


@serial
def _gather(row, marks):
    for x in range(row.size):
        marks[x] |= row[x]


def make_map(
    camera: np.ndarray, gains: np.ndarray, extent: tuple[int, int], bits: np.ndarray | None = None
) -> HighlightMap:
    """Build the map from a reduced picture of the whole frame.

    Parameters
    ----------
    camera : float32, h×w×3, camera-linear, 1 = clipping.
    gains : white-balance gains of the shot.
    extent : height and width of the frame.
    bits : uint8 H×W of the whole frame, not 0 where a colour is clipped; None when not known (or nothing
        clips).
    """
    clipped = _touched(camera, bits)
    share = float(clipped.mean())
    if share == 0:
        return HighlightMap(None, extent, 0.0)
    while max(camera.shape[:2]) > MAP_SIDE:  # the map is smooth: a small copy tells the same
        h, w = (side // 2 for side in camera.shape[:2])
        camera = cv2.resize(camera[: 2 * h, : 2 * w], (w, h), interpolation=cv2.INTER_AREA)
        rows = clipped[: 2 * h : 2, : 2 * w] | clipped[1 : 2 * h : 2, : 2 * w]
        clipped = rows[:, ::2] | rows[:, 1::2]
    gains = gains.astype(np.float32)
    lends = (~clipped).astype(np.float32)
    numbers = _numbers(camera, gains, lends)
    least, middle, most = _sorted(camera)
    # cells at a dark edge hold something of both: a colour has to clip in all around them, too
    inside = cv2.erode((most >= CLIP_FULL).astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
    nearly = inside & (middle < CLIP_START)
    if nearly.any():
        # two colours hold: they tell of what is beside them, though not as surely as what holds entirely
        lends[nearly] = _NEARLY
        numbers = _numbers(np.where(nearly[..., None], rebuilt(camera, gains, numbers), camera), gains, lends)
    # what is almost gone is most like what is
    held = np.where(inside & (least < CLIP_START), np.maximum(least, 0), 0).astype(np.float32) ** 8
    numbers[..., LIGHT:GAP] = _light_beside(camera, gains, numbers, held)
    return HighlightMap(numbers, extent, share)


def _numbers(camera: np.ndarray, gains: np.ndarray, lends: np.ndarray) -> np.ndarray:
    """A map without light yet, by how much every pixel lends its colour (float32 h×w)."""
    h, w = camera.shape[:2]
    once, twice = np.empty((h, w, 4), np.float32), np.empty((h, w, 3), np.float32)
    _moments(flat(camera), gains, flat(lends), flat(once), flat(twice))
    numbers = np.empty((h, w, NUMBERS), np.float32)
    _ratios(*(flat(total) for total in each(_lent, (once, twice))), flat(numbers))
    numbers[..., LIGHT:GAP] = np.log(gains.max())
    return numbers


def _light_beside(camera: np.ndarray, gains: np.ndarray, numbers: np.ndarray, held: np.ndarray) -> np.ndarray:
    """Light of places that clip in part, rebuilt, as it reaches all others: logarithms of balanced colours.

    `held` are their weights (float32 h×w). Where none reaches, it is what `numbers` hold before.
    """
    none = numbers[..., LIGHT:GAP]
    light = np.log(np.maximum(rebuilt(camera, gains, numbers) * gains, np.float32(1e-4)))
    weighted = _lent(np.dstack([light * held[..., None], held]))
    total = weighted[..., 3:] + np.float32(_FAINT)
    return (weighted[..., :3] + np.float32(_FAINT) * none) / total


def _lent(moments: np.ndarray) -> np.ndarray:
    """What reaches every pixel from all others.

    Wide kernels are made of narrow ones on reduced copies, each reduced from the one before.
    """
    h, w = moments.shape[:2]
    levels: list[np.ndarray] = []
    small = moments
    for number, spread in enumerate(_SPREADS):
        sigma = max(0.6, spread * max(h, w) / 900)
        factor = max(1, int(sigma / _NARROW))
        if factor > 1:
            size = (max(1, round(w / factor)), max(1, round(h / factor)))
            small = cv2.resize(small, size, interpolation=cv2.INTER_AREA)
        narrow = sigma * small.shape[1] / w
        levels.append(cv2.GaussianBlur(small, (0, 0), narrow) * np.float32(_FALL**number))
    total = levels.pop()
    while levels:
        level = levels.pop()
        total = level + cv2.resize(total, level.shape[1::-1], interpolation=cv2.INTER_LINEAR)
    return total


@serial
def _moments(camera, gains, lends, once, twice):
    """Of every pixel its weight, times the log ratios of red and green to the geometric mean and the log of
    its brightest colour, and times the products of the ratios."""
    for i in range(lends.size):
        r = log2(max(camera[3 * i] * gains[0], np.float32(1e-4)))
        g = log2(max(camera[3 * i + 1] * gains[1], np.float32(1e-4)))
        b = log2(max(camera[3 * i + 2] * gains[2], np.float32(1e-4)))
        mean = (r + g + b) * np.float32(1 / 3)
        r, g = (r - mean) * np.float32(_LN2), (g - mean) * np.float32(_LN2)
        brightest = max(camera[3 * i], max(camera[3 * i + 1], camera[3 * i + 2]))
        level = min(brightest, np.float32(1))
        square = level * level
        weight = square * square * square * square * lends[i]
        weight = weight if level >= np.float32(_BRIGHT) else np.float32(0)
        once[4 * i] = weight
        once[4 * i + 1] = weight * r
        once[4 * i + 2] = weight * g
        once[4 * i + 3] = weight * log2(max(level, np.float32(_BRIGHT))) * np.float32(_LN2)
        twice[3 * i] = weight * r * r
        twice[3 * i + 1] = weight * r * g
        twice[3 * i + 2] = weight * g * g


@serial
def _ratios(once, twice, numbers):
    """What the spread moments say at every pixel: see :class:`HighlightMap`. The three log ratios sum to
    0."""
    ridge, half, none = np.float32(RIDGE), np.float32(0.5), np.float32(0)
    for i in range(once.size // 4):
        told = numbers[NUMBERS * i : NUMBERS * (i + 1)]
        # some of the light is taken to be neutral: what is bright often is, and the slopes then pass through
        # it
        total = 1 / max(once[4 * i] * np.float32(1 + NEUTRAL), np.float32(_LEAST))
        r, g = once[4 * i + 1] * total, once[4 * i + 2] * total
        rr = twice[3 * i] * total - r * r
        rg = twice[3 * i + 1] * total - r * g
        gg = twice[3 * i + 2] * total - g * g
        rb, gb, bb = -rr - rg, -rg - gg, rr + 2 * rg + gg
        told[0], told[1], told[2] = r, g, -r - g
        apart_gb, apart_rb, apart_rg = gg + bb - 2 * gb, rr + bb - 2 * rb, rr + gg - 2 * rg
        told[3] = (rg - rb - half * (gg - bb)) / (max(apart_gb, none) + ridge)
        told[4] = (rg - gb - half * (rr - bb)) / (max(apart_rb, none) + ridge)
        told[5] = (rb - gb - half * (rr - gg)) / (max(apart_rg, none) + ridge)
        told[6], told[7], told[8] = max(apart_rg, none), max(apart_rb, none), max(apart_gb, none)
        told[GAP] = -once[4 * i + 3] / max(once[4 * i], np.float32(_LEAST))


def rebuild(
    camera: np.ndarray, gains: np.ndarray, where: HighlightMap, top: float, left: float, step: float
) -> np.ndarray:
    """Rebuild clipped colours of a view: float32 H×W×3 camera-linear in and out.

    Parameters
    ----------
    gains : white-balance gains of the shot (smallest 1).
    where : the frame's map.
    top, left, step : where the view lies: frame position of its corner, and frame pixels per view pixel.
    """
    if where.numbers is None or highest(flat(camera)) <= CLIP_START:
        return camera
    scale = np.array(where.numbers.shape[:2]) / where.extent
    corner = (np.array([top, left]) + 0.5 * step) * scale - 0.5
    return rebuilt(camera, gains.astype(np.float32), where.numbers, corner, step * scale)
