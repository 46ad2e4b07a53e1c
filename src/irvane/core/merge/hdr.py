"""High dynamic range: frames merged in linear light, each pixel weighted by its noise.

The weight is the inverse variance of the frame's estimate of scene light (Granados et al. 2010; Hasinoff,
Durand & Freeman 2010), with the sensor's own noise model; clipped values count nothing. What moved is taken
from one frame (:mod:`irvane.core.merge.ghosts`).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import cv2
import numpy as np

from irvane.core.image import LUMA_2020, NoiseModel, largest_colour
from irvane.core.kernels import inline, marked
from irvane.core.merge.align import warp
from irvane.core.merge.ghosts import Ghosts, Place, find_ghosts, sight, taken
from irvane.core.merge.registration import CLIPPED, FADE, Member, Plan
from irvane.core.progress import Progress, always, part, step
from irvane.core.threads import share_out

#: Share of the energy of the finest structure that resampling gets wrong.
_RESAMPLED = 0.25
#: Strength of the search for movement, 0…100.
GHOSTS = 50.0


@inline
def hold(largest, rank):
    """Share with which a place counts: it fades out towards clipping."""
    share = min(max((CLIPPED - largest) / (CLIPPED - FADE), 0.0), 1.0)
    # the shortest exposure is all there is where everything clips
    return max(share, 1e-4) if rank == 0 else share


@marked
def _collect(begin, end, picture, ratio, rank, light, exposure):
    """Add a frame's counts and its exposure: their quotient is the best guess that does not depend on
    noise."""
    for y in range(begin, end):
        for x in range(picture.shape[1]):
            largest = max(picture[y, x, 0], max(picture[y, x, 1], picture[y, x, 2]))
            if not largest < 1e9:  # outside the frame (NaN)
                continue
            share = hold(largest, rank)
            exposure[y, x] += share / ratio
            for c in range(3):
                light[y, x, c] += share * picture[y, x, c]


@marked
def _add(begin, end, picture, counts, expected, doubt, ratio, gain, read2, rank, total, weight):
    """Add a frame's light by its weight; `counts`: by how much it counts at all, for every pixel; `doubt`:
    see :func:`_doubt`, of one pixel where there is none."""
    for y in range(begin, end):
        for x in range(picture.shape[1]):
            largest = max(picture[y, x, 0], max(picture[y, x, 1], picture[y, x, 2]))
            if not largest < 1e9:  # outside the frame (NaN)
                continue
            share = hold(largest, rank) * counts[y, x]
            if share <= 0:
                continue
            unsure = doubt[y, x] if doubt.size > 1 else np.float32(0)
            for c in range(3):
                # from the expected light, not from this noisy value: else dark noise would outweigh bright
                # noise
                light = max(expected[y, x, c], 0.0)
                variance = gain[c] * light * ratio + read2[c] * ratio * ratio + unsure * light * light
                w = share / variance
                total[y, x, c] += w * picture[y, x, c] * ratio
                weight[y, x, c] += w


@dataclass(frozen=True)
class Merged:
    """A merge: camera-linear float32 at the reference's exposure (values above 1 are real light), and its
    noise.

    Attributes
    ----------
    replaced : bool H×W, where movement made a frame count less.
    noise : model of the merge in its dark tones, for sharpening and figures.
    """

    picture: np.ndarray
    replaced: np.ndarray
    noise: NoiseModel


def expected_light(members: Sequence[Member], how: Plan, progress: Progress = always) -> np.ndarray:
    """About the light of every place, to weigh frames by: float32 H×W×3."""
    shape = members[how.reference].picture.shape
    order = sorted(how.used, key=lambda i: -how.ratios[i])
    expected: np.ndarray = np.zeros(shape, np.float32)
    exposure = np.zeros(shape[:2], np.float32)
    for rank, index in enumerate(order):
        step(progress, rank / len(order))
        shot = warp(members[index].picture, how.motions[index])
        share_out(_collect, len(shot), shot, how.ratios[index], rank, expected, exposure)
    expected /= np.maximum(exposure, 1e-12)[..., None]
    return expected


def _doubt(expected: np.ndarray, noise: NoiseModel) -> np.ndarray:
    """Relative variance that resampling adds to a frame: where structure is as fine as pixels hold, what lies
    between them is not known, and the reference, which is not resampled, knows better. float32 H×W; `noise`:
    of the reference."""
    light = np.maximum(expected @ (LUMA_2020 / LUMA_2020.sum()), 1e-6)
    fine = (light - cv2.GaussianBlur(light, (0, 0), 1.0)) ** 2
    random = noise.gain[1] * light + noise.read[1] ** 2
    sure = cv2.blur(np.maximum(fine - 3 * random, 0), (3, 3))
    return np.asarray(_RESAMPLED * sure / light**2, np.float32)


def merge(
    members: Sequence[Member],
    how: Plan,
    progress: Progress = always,
    ghosts: float = GHOSTS,
    found: Ghosts | None = None,
) -> Merged:
    """Merge frames as planned; see the module's text for the weights.

    Parameters
    ----------
    ghosts : strength of the search for movement, 0…100. found : what moved, where that is known already.
    """
    reference = members[how.reference]
    shape = reference.picture.shape
    order = sorted(how.used, key=lambda i: -how.ratios[i])
    found = find_movement(members, how, ghosts) if found is None else found
    expected = expected_light(members, how, part(progress, 0.0, 0.4))
    none = np.zeros((1, 1), np.float32)
    moved = any(not how.motions[k].still for k in how.used)
    doubt = _doubt(expected, reference.noise) if moved else none
    expected = cv2.blur(expected, (3, 3))
    total = np.zeros(shape, np.float32)
    weight = np.zeros(shape, np.float32)
    for rank, index in enumerate(order):
        step(progress, 0.4 + 0.6 * rank / len(order))
        member = members[index]
        # where a thing is taken from this frame it counts whatever it is: there is no other
        last = 0 if bool((found.source == index).any()) else rank
        share_out(
            _add, shape[0],
            warp(member.picture, how.motions[index]), found.counts(index, shape[:2]), expected,
            none if how.motions[index].still else doubt, how.ratios[index],
            np.array(member.noise.gain), np.array(member.noise.read) ** 2 + 1e-12, last, total, weight,
        )  # fmt: skip
    merged = np.divide(total, weight, out=reference.picture.copy(), where=weight > 0)
    deepest = members[min(how.used, key=lambda i: how.ratios[i])]
    ratio = min(how.ratios[i] for i in how.used)
    gain = tuple(g * ratio for g in deepest.noise.gain)
    read = tuple(r * ratio for r in deepest.noise.read)
    noise = NoiseModel((gain[0], gain[1], gain[2]), (read[0], read[1], read[2]), deepest.noise.origin)
    replaced = cv2.resize((found.source >= 0).astype(np.uint8), shape[1::-1], interpolation=cv2.INTER_NEAREST)
    return Merged(merged, replaced.astype(bool), noise)


def find_movement(
    members: Sequence[Member], how: Plan, strength: float = GHOSTS, places: Sequence[Place] = (),
    progress: Progress = always,
) -> Ghosts:  # fmt: skip
    """What moved between the frames that are merged, and what was chosen by hand; in the result the others
    count nothing."""
    found = _found_movement(members, how, strength, progress)
    return taken(found, places, how.used) if places else found


def origin_map(members: Sequence[Member], how: Plan, found: Ghosts, picture: np.ndarray) -> np.ndarray:
    """Which frame gives most of the light at every cell of a merge: int16 h×w.

    Parameters
    ----------
    picture : the merge. found : what moved.
    """
    size = found.source.shape
    light = np.maximum(cv2.resize(picture, size[::-1], interpolation=cv2.INTER_AREA), 0)
    largest, green = largest_colour(light), light[..., 1]
    best, which = np.full(size, -1.0, np.float32), np.full(size, how.reference, np.int16)
    deepest = max(how.used, key=lambda k: how.ratios[k])
    for k in how.used:
        ratio, noise, cells = how.ratios[k], members[k].noise, found.weights[k]
        share = np.clip((CLIPPED - largest / ratio) / (CLIPPED - FADE), 1e-4 if k == deepest else 0.0, 1)
        variance = noise.gain[1] * green * ratio + (noise.read[1] * ratio) ** 2 + 1e-12
        weight = share / variance * (1 if cells is None else cells)
        more = weight > best
        best[more], which[more] = weight[more], k
    return np.where(found.source >= 0, found.source, which).astype(np.int16)


def _found_movement(members: Sequence[Member], how: Plan, strength: float, progress: Progress) -> Ghosts:
    used = how.used
    if strength <= 0:
        return find_ghosts(
            [sight(members[k].picture, 1.0, members[k].noise, members[k].step) for k in used[:1]],
            0,
            [1.0],
            0,
            [0.0],
        ).among(len(members), used)
    sights = []
    for place, k in enumerate(used):
        step(progress, place / len(used))
        laid = warp(members[k].picture, how.motions[k])
        sights.append(sight(laid, how.ratios[k], members[k].noise, members[k].step))
    step(progress, 1.0)
    if how.equalised:
        sights = [replace(one, bright=np.zeros_like(one.bright)) for one in sights]
    off = [how.motions[k].residual or 0.0 for k in used]
    made = find_ghosts(sights, used.index(how.reference), [how.ratios[k] for k in used], strength, off)
    return made.among(len(members), used)


@dataclass(frozen=True)
class Single:
    """What one frame alone would lack of a merge.

    Attributes
    ----------
    index : of the frame that lacks least. lights, shadows : stops beyond its clipping, and below its SNR 3.
    """

    index: int
    lights: float
    shadows: float


def best_single(members: Sequence[Member], how: Plan, merged: np.ndarray) -> Single:
    """The frame that would do best alone; lamps and the last thousandth of the shadows do not count."""
    light = merged[::3, ::3]
    high = float(np.quantile(largest_colour(light), 0.995))
    low = max(float(np.quantile(light @ LUMA_2020, 0.005)), 1e-7)
    found = []
    for k in how.used:
        gain, read = members[k].noise.gain[1], members[k].noise.read[1]
        # the signal s at which s / sqrt(gain·s + read²) = 3
        floor = (9 * gain + math.sqrt(81 * gain * gain + 36 * read * read)) / 2
        lights = max(0.0, math.log2(max(high, 1e-7) / (how.ratios[k] * FADE)))
        found.append(Single(k, lights, max(0.0, math.log2(floor * how.ratios[k] / low))))
    return min(found, key=lambda one: (one.lights + one.shadows, abs(one.lights - one.shadows)))
