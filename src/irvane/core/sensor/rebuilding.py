"""Clipped pixels rebuilt from what a map of the surroundings says at each: see
:mod:`irvane.core.sensor.highlights`."""

from __future__ import annotations

import numpy as np

from irvane.core.kernels import blank, copy, inline, serial
from irvane.core.sensor.clipping import CLIP_FULL, CLIP_START

#: Numbers of a place of the map, and where the light beside it and the gap are among them: see HighlightMap.
NUMBERS, LIGHT, GAP = 13, 9, 12
#: Variance that every ratio is taken to have at least, and the share of all weight that speaks for neutral
#: light.
RIDGE, NEUTRAL = 0.02, 0.05
_RARITY = 0.5  # how fast light above the clip becomes rare: per unit of its natural logarithm
_CONTRADICTS = 0.2  # natural logarithm by which a clipped colour may exceed what is said of it, before that is not believed
#: From where to where (natural logarithm) what lends its colour is too dark to be of the same kind as what
#: clips beside it: between a thing and its own highlight there is light of every level.
_NEAR, _FAR = 0.5, 1.0
_FIRST, _SAME = np.zeros(2), np.ones(2)


@inline
def _gone(v, start, full):
    return min(max((v - start) / (full - start), np.float32(0)), np.float32(1))


@inline
def _bound(gone, trust_other, brighter):
    """Trust in a clipped colour that even so is brighter than the surroundings' ratio to the other one, which
    holds, says.

    It is at least as bright as where it clipped: what the surroundings say of the third colour follows that.
    """
    return (
        gone * trust_other * min(max(brighter * np.float32(1 / _CONTRADICTS), np.float32(0)), np.float32(1))
    )


@inline
def _strange(gap):
    """How far a clipped place is none of the things that lend their colour, which are so much darker than the
    clip."""
    return min(max((gap - np.float32(_NEAR)) / np.float32(_FAR - _NEAR), np.float32(0)), np.float32(1))


@serial
def rebuild_pixels(camera, numbers, gains, start, full, out):
    """Pixels of a flat picture with what the map says at each, and from where to where clipping fades in."""
    for i in range(camera.size // 3):
        pixel, target = camera[3 * i : 3 * i + 3], out[3 * i : 3 * i + 3]
        told = numbers[NUMBERS * i : NUMBERS * (i + 1)]
        mean, slopes, doubts, beside = told[0:3], told[3:6], told[6:9], told[LIGHT:GAP]
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
            # light of the others as their surroundings' ratios see it; nearly clipped and very dark ones
            # speak softly
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
                # where both hold, their ratio says which of the surroundings' colours this one resembles one
                # alone is a poor witness where the surroundings' ratios vary: light just above the clip is
                # likelier
                doubt = trust_a * doubts[c + first - 1] + trust_b * doubts[c + second - 1]
                light -= np.float32(_RARITY) * doubt / held * (1 - min(trust_a, trust_b))
                light += slopes[c] * (light_a - light_b) * min(trust_a, trust_b)
                light += mean[c]
                # surroundings that a bound contradicts by more than they vary are other things: neutral is
                # likelier
                apart = light_a - light_b
                excess = apart * apart / (2 * (doubts[2 - c] + np.float32(RIDGE)))
                odds = np.float32(NEUTRAL) * np.exp(min(excess, np.float32(20)))
                neutral = (trust_a * (light_a + mean[first]) + trust_b * (light_b + mean[second])) / held
                other = 2 * max(bound_a, bound_b) / held * odds / (1 + odds)
                light += max(other, _strange(told[GAP])) * (neutral - light)
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
def highest(row):
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
        copy(row, target)
        if highest(row) <= start:
            continue
        count = 0
        for x in range(w):
            if max(row[3 * x], max(row[3 * x + 1], row[3 * x + 2])) > start:
                copy(row[3 * x : 3 * x + 3], seen[3 * count : 3 * count + 3])
                told = found[NUMBERS * count : NUMBERS * (count + 1)]
                look_up(numbers, corner[0] + y * steps[0], corner[1] + x * steps[1], told)
                places[count] = 3 * x
                count += 1
        held = seen[: 3 * count]
        rebuilt = held.copy()
        rebuild_pixels(held, found, gains, start, full, rebuilt)
        for k in range(count):
            copy(rebuilt[3 * k : 3 * k + 3], target[places[k] : places[k] + 3])


def rebuilt(
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
