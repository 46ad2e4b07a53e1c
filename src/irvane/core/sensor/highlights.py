"""Rebuilding clipped highlights from the colours that still hold.

On a reduced copy of the whole frame the ratios between the colours of bright unclipped places are spread into the
clipped areas (normalised convolution, Knutsson & Westin 1993, with a long-tailed kernel: the nearest places speak
loudest, and the brightest, which are most likely of the same kind), and with them the slope with which one ratio
follows another: leaves and sky side by side lend each to its own. Cells that hold any clipped pixel lend nothing at
first; once they are rebuilt, those of which two colours hold lend to those of which one does.
A clipped colour is then what its neighbours' ratio to the surviving colours says, and never less than the level at
which it clipped; where that level alone contradicts the ratio, it is a witness for the third colour: a sky that clips
in green and blue behind leaves is none of the leaves' colour. Nor does it take their ratio where everything that
lends is much darker than the clip: light is then likelier to be neutral. Where all three are gone, light is as in the
places beside it where some hold, above all those where the last is almost gone, and at least as bright as each
colour was: no grey and no step in a flame, and the mark says that it is gone.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numba
import numpy as np

from irvane.core.kernels import blank, flat, inline, kernel, serial
from irvane.core.orientation import upright
from irvane.core.powers import log2
from irvane.core.sensor.clipping import CLIP_FULL, CLIP_START
from irvane.core.threads import each

#: Gaussian radii that together make a kernel with a long tail, and the weight from each to the next wider one.
_SPREADS = (1.5, 5.0, 15.0, 45.0, 135.0, 400.0)
_FALL = 0.3
#: Least Gaussian radius, in pixels of a reduced copy.
_NARROW = 2.5
_LN2 = float(np.log(2))
_RIDGE = 0.02
_NEUTRAL = 0.05  # of all weight
_RARITY = 0.5  # how fast light above the clip becomes rare: per unit of its natural logarithm
_LEAST = 1e-9  # of weight: what is lent from so far that less arrives fades to neutral
_FAINT = 1e-5  # of weight: what clips in part and is so far that less arrives tells nothing, light is neutral
#: Longer side of the map, at most.
MAP_SIDE = 900
_CONTRADICTS = 0.2  # natural logarithm by which a clipped colour may exceed what is said of it, before that is not believed
_NEARLY = 0.03  # weight of places of which one colour is lost, beside those that hold
_BRIGHT = 0.15  # surroundings must be at least this bright to lend their colour
#: From where to where (natural logarithm) what lends its colour is too dark to be of the same kind as what clips beside
#: it: between a thing and its own highlight there is light of every level.
_NEAR, _FAR = 0.5, 1.0
#: Numbers of a place of the map, and where the light beside it and the gap are among them.
NUMBERS, _LIGHT, _GAP = 13, 9, 12
_FIRST, _SAME = np.zeros(2), np.ones(2)


@dataclass(frozen=True)
class HighlightMap:
    """What the colours of the surroundings say about lost ones, spread over the frame.

    Attributes
    ----------
    numbers : float32 h×w×13; None when nothing clips. Three ratios: natural logarithm of balanced colour over the
        geometric mean. Three slopes: by how much the logarithm of a colour (over the mean of the two others) follows the
        logarithm of their ratio (the first over the second, in the order red, green, blue). Three doubts: variance of the
        logarithm of red over green, red over blue, green over blue. Light: natural logarithm of the three balanced colours
        that places have whose colours are gone only in part. Gap: by how much (natural logarithm) the places that
        lend their colour are darker than the clip.
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
    _spread(bits, over)
    return over


@kernel
def _spread(bits, over):
    """Mark every cell of a reduced picture that any marked pixel of the whole one lies in."""
    h, w = over.shape
    for j in numba.prange(h):
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
    bits : uint8 H×W of the whole frame, not 0 where a colour is clipped; None when not known (or nothing clips).
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
        numbers = _numbers(
            np.where(nearly[..., None], _rebuilt(camera, gains, numbers), camera), gains, lends
        )
    # what is almost gone is most like what is
    held = np.where(inside & (least < CLIP_START), np.maximum(least, 0), 0).astype(np.float32) ** 8
    numbers[..., _LIGHT:_GAP] = _light_beside(camera, gains, numbers, held)
    return HighlightMap(numbers, extent, share)


def _numbers(camera: np.ndarray, gains: np.ndarray, lends: np.ndarray) -> np.ndarray:
    """A map without light yet, by how much every pixel lends its colour (float32 h×w)."""
    h, w = camera.shape[:2]
    once, twice = np.empty((h, w, 4), np.float32), np.empty((h, w, 3), np.float32)
    _moments(flat(camera), gains, flat(lends), flat(once), flat(twice))
    numbers = np.empty((h, w, NUMBERS), np.float32)
    _ratios(*(flat(total) for total in each(_lent, (once, twice))), flat(numbers))
    numbers[..., _LIGHT:_GAP] = np.log(gains.max())
    return numbers


def _light_beside(camera: np.ndarray, gains: np.ndarray, numbers: np.ndarray, held: np.ndarray) -> np.ndarray:
    """Light of places that clip in part, rebuilt, as it reaches all others: logarithms of balanced colours.

    `held` are their weights (float32 h×w). Where none reaches, it is what `numbers` hold before.
    """
    none = numbers[..., _LIGHT:_GAP]
    rebuilt = _rebuilt(camera, gains, numbers)
    light = np.log(np.maximum(rebuilt * gains, np.float32(1e-4)))
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
    """Of every pixel its weight, times the log ratios of red and green to the geometric mean and the log of its brightest
    colour, and times the products of the ratios."""
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
    """What the spread moments say at every pixel: see :class:`HighlightMap`. The three log ratios sum to 0."""
    ridge, half, none = np.float32(_RIDGE), np.float32(0.5), np.float32(0)
    for i in range(once.size // 4):
        told = numbers[NUMBERS * i : NUMBERS * (i + 1)]
        # some of the light is taken to be neutral: what is bright often is, and the slopes then pass through it
        total = 1 / max(once[4 * i] * np.float32(1 + _NEUTRAL), np.float32(_LEAST))
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
        told[_GAP] = -once[4 * i + 3] / max(once[4 * i], np.float32(_LEAST))


@inline
def _gone(v, start, full):
    return min(max((v - start) / (full - start), np.float32(0)), np.float32(1))


@inline
def _bound(gone, trust_other, brighter):
    """Trust in a clipped colour that even so is brighter than the surroundings' ratio to the other one, which holds, says.

    It is at least as bright as where it clipped: what the surroundings say of the third colour follows that.
    """
    return (
        gone * trust_other * min(max(brighter * np.float32(1 / _CONTRADICTS), np.float32(0)), np.float32(1))
    )


@inline
def _strange(gap):
    """How far a clipped place is none of the things that lend their colour, which are so much darker than the clip."""
    return min(max((gap - np.float32(_NEAR)) / np.float32(_FAR - _NEAR), np.float32(0)), np.float32(1))


@serial
def rebuild_pixels(camera, numbers, gains, start, full, out):
    """Pixels of a flat picture with what the map says at each, and from where to where clipping fades in."""
    for i in range(camera.size // 3):
        pixel, target = camera[3 * i : 3 * i + 3], out[3 * i : 3 * i + 3]
        told = numbers[NUMBERS * i : NUMBERS * (i + 1)]
        mean, slopes, doubts, beside = told[0:3], told[3:6], told[6:9], told[_LIGHT:_GAP]
        if max(pixel[0], max(pixel[1], pixel[2])) <= start:
            continue
        least = min(pixel[0], min(pixel[1], pixel[2]))
        all_gone = _gone(least, start, full)
        lift = np.float32(0)
        if all_gone > 0:
            for c in range(3):
                lift = max(lift, np.log(gains[c]) - beside[c])
        for c in range(3):
            v = pixel[c]
            gone = _gone(v, start, full)
            if gone <= 0:
                continue
            first, second = (c + 1) % 3, (c + 2) % 3
            if first > second:
                first, second = second, first
            a, b = pixel[first], pixel[second]
            # light of the others as their surroundings' ratios see it; nearly clipped and very dark ones speak softly
            light_a = np.log(max(a * gains[first], np.float32(1e-4))) - mean[first]
            light_b = np.log(max(b * gains[second], np.float32(1e-4))) - mean[second]
            trust_a = (
                (1 - _gone(a, start, full))
                * max(a, np.float32(1e-4))
                / (max(a, np.float32(0)) + np.float32(0.02))
            )
            trust_b = (
                (1 - _gone(b, start, full))
                * max(b, np.float32(1e-4))
                / (max(b, np.float32(0)) + np.float32(0.02))
            )
            bound_a = _bound(_gone(a, start, full), trust_b, light_a - light_b)
            bound_b = _bound(_gone(b, start, full), trust_a, light_b - light_a)
            trust_a, trust_b = trust_a + bound_a, trust_b + bound_b
            held = trust_a + trust_b
            guess = v
            if held > np.float32(1e-6):
                light = (trust_a * light_a + trust_b * light_b) / held
                # where both hold, their ratio says which of the surroundings' colours this one resembles
                # one alone is a poor witness where the surroundings' ratios vary: light just above the clip is likelier
                doubt = trust_a * doubts[c + first - 1] + trust_b * doubts[c + second - 1]
                light -= np.float32(_RARITY) * doubt / held * (1 - min(trust_a, trust_b))
                light += slopes[c] * (light_a - light_b) * min(trust_a, trust_b)
                light += mean[c]
                # surroundings that a bound contradicts by more than they vary are other things: neutral is likelier
                apart = light_a - light_b
                excess = apart * apart / (2 * (doubts[2 - c] + np.float32(_RIDGE)))
                odds = np.float32(_NEUTRAL) * np.exp(min(excess, np.float32(20)))
                neutral = (trust_a * (light_a + mean[first]) + trust_b * (light_b + mean[second])) / held
                other = 2 * max(bound_a, bound_b) / held * odds / (1 + odds)
                light += max(other, _strange(told[_GAP])) * (neutral - light)
                guess = np.exp(min(light, np.float32(4))) / gains[c]
            guess = min(max(guess, v), np.float32(8))
            # nothing holds: as what is gone in part beside it, and as bright as every colour was at least
            white = np.exp(min(beside[c] + lift, np.float32(4))) / gains[c]
            guess += all_gone * (max(white, v) - guess)
            target[c] = v + gone * (guess - v)


@inline
def look_up(numbers, y, x, values):
    """Bilinear values of a map at a place in it."""
    h, w = numbers.shape[:2]
    y, x = min(max(y, 0.0), h - 1.0), min(max(x, 0.0), w - 1.0)
    j, i = min(int(y), max(h - 2, 0)), min(int(x), max(w - 2, 0))
    below, right = min(j + 1, h - 1), min(i + 1, w - 1)
    v, u = np.float32(y - j), np.float32(x - i)
    for n in range(NUMBERS):
        first = numbers[j, i, n] + u * (numbers[j, right, n] - numbers[j, i, n])
        second = numbers[below, i, n] + u * (numbers[below, right, n] - numbers[below, i, n])
        values[n] = first + v * (second - first)


@serial
def _highest(row):
    highest = row[0]
    for x in range(row.size):
        highest = max(highest, row[x])
    return highest


@serial
def _rebuild(camera, numbers, corner, steps, gains, start, full, out):
    """Clipped pixels of a picture (rows of flat pixels), whose first one lies at `corner` of the map."""
    h, w = camera.shape[0], camera.shape[1] // 3
    seen, found, places = (
        np.empty(3 * w, np.float32),
        np.empty(NUMBERS * w, np.float32),
        np.empty(w, np.int64),
    )
    for y in range(h):
        row, target = camera[y], out[y]
        target[:] = row
        if _highest(row) <= start:
            continue
        count = 0
        for x in range(w):
            if max(row[3 * x], max(row[3 * x + 1], row[3 * x + 2])) > start:
                seen[3 * count : 3 * count + 3] = row[3 * x : 3 * x + 3]
                told = found[NUMBERS * count : NUMBERS * (count + 1)]
                look_up(numbers, corner[0] + y * steps[0], corner[1] + x * steps[1], told)
                places[count] = 3 * x
                count += 1
        held = seen[: 3 * count]
        rebuilt = held.copy()
        rebuild_pixels(held, found, gains, start, full, rebuilt)
        for k in range(count):
            target[places[k] : places[k] + 3] = rebuilt[3 * k : 3 * k + 3]


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
    if where.numbers is None or _highest(flat(camera)) <= CLIP_START:
        return camera
    scale = np.array(where.numbers.shape[:2]) / where.extent
    corner = (np.array([top, left]) + 0.5 * step) * scale - 0.5
    return _rebuilt(camera, gains.astype(np.float32), where.numbers, corner, step * scale)


def _rebuilt(
    camera: np.ndarray, gains: np.ndarray, numbers: np.ndarray, corner: np.ndarray = _FIRST,
    steps: np.ndarray = _SAME,
) -> np.ndarray:  # fmt: skip
    """The picture with its clipped pixels rebuilt; pixel for pixel as the map's unless told otherwise."""
    out = blank(camera)
    h = camera.shape[0]
    limits = np.float32(CLIP_START), np.float32(CLIP_FULL)
    rows, target = np.ascontiguousarray(camera, np.float32).reshape(h, -1), out.reshape(h, -1)
    lent = np.ascontiguousarray(numbers)
    _rebuild(rows, lent, corner, steps, gains, *limits, target)
    return out
