"""High dynamic range: frames merged in linear light, each pixel weighted by its noise.

The weight is the inverse variance of the frame's estimate of scene light (Granados et al. 2010; Hasinoff, Durand &
Freeman 2010), with the sensor's own noise model; clipped values count nothing. What moved is taken from one frame (:mod:`irvane.core.merge.ghosts`).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import cv2
import numba
import numpy as np

from irvane.core.errors import MergeError
from irvane.core.files.info import FrameInfo
from irvane.core.image import LUMA_2020, NoiseModel, largest_colour
from irvane.core.kernels import inline, marked_kernel
from irvane.core.merge.align import STILL, Motion, warp
from irvane.core.merge.ghosts import Ghosts, Place, find_ghosts, sight, taken
from irvane.core.merge.local import locally
from irvane.core.merge.register import STANDS, register
from irvane.core.progress import Progress, always, part, step

#: Signal from which a value fades out of the merge because it is about to clip.
FADE, CLIPPED = 0.85, 0.97
#: Share of the energy of the finest structure that resampling gets wrong.
_RESAMPLED = 0.25
#: Blocks whose means are compared for the exposure ratio: their side, and how many are needed.
_BLOCK, _FEWEST_BLOCKS = 8, 60
#: Correlation of aligned contours below which two frames are not of one scene.
_SAME_SCENE = 0.5
#: Strength of the search for movement, 0…100.
GHOSTS = 50.0
#: Noise at black that pictures which were brought to one brightness are laid on each other with.
_EVEN_DARK = 0.001


@dataclass(frozen=True)
class Member:
    """A developed frame of a bracket: camera-linear float32 H×W×3 (1 = clipping), its noise and exposure.

    `step`: frame pixels per pixel, more than 1 for a binned mosaic.
    """

    picture: np.ndarray
    noise: NoiseModel
    info: FrameInfo
    step: int = 1


@dataclass(frozen=True)
class Plan:
    """How frames are brought together; found once, used for plain and denoised members.

    Attributes
    ----------
    reference : index of the frame whose geometry and moving objects are kept.
    ratios : exposure of the reference divided by each frame's, refined from content.
    motions : where each frame lies on the reference.
    left_out : indexes of frames that do not fit, with their reasons; they count nothing.
    estimated : the files do not state their exposures: ratios are estimated from content alone.
    equalised : the pictures were brought to one brightness: a value near white says nothing of the light.
    """

    reference: int
    ratios: tuple[float, ...]
    motions: tuple[Motion, ...]
    left_out: tuple[tuple[int, str], ...] = ()
    estimated: bool = False
    equalised: bool = False

    @property
    def used(self) -> tuple[int, ...]:
        """Indexes of the frames that are merged."""
        gone = {index for index, _ in self.left_out}
        return tuple(k for k in range(len(self.motions)) if k not in gone)

    @property
    def off(self) -> float:
        """Pixels by which the worst frame that is merged still lies off."""
        return max((self.motions[k].residual or 0.0 for k in self.used), default=0.0)


def exposure_ratios(infos: Sequence[FrameInfo], reference: int) -> list[float]:
    """Exposure of the reference over each frame's, from the metadata.

    Raises
    ------
    MergeError
        When a frame does not state its exposure.
    """
    values = [info.exposure_value for info in infos]
    known = [v for v in values if v is not None]
    if len(known) != len(values):
        raise MergeError("A frame does not state its shutter time; the exposure steps are unknown.")
    return [2.0 ** (known[reference] - v) for v in known]


def _middle_by_content(members: Sequence[Member]) -> int:
    """The frame of middle brightness."""
    levels = [float(np.median(_luminance(member)[::4, ::4])) for member in members]
    return int(np.argsort(levels)[len(levels) // 2])


def _estimated_ratios(members: Sequence[Member], reference: int, left_out: set[int]) -> list[float]:
    """Exposure of the reference over each frame's from content: the ratio at equal ranks of brightness, where both hold.

    Histograms do not care for small motions.
    """
    ranks = np.linspace(0.02, 0.98, 97)
    quantiles = [np.quantile(_luminance(member)[::4, ::4], ranks) for member in members]
    found = []
    for k, own in enumerate(quantiles):
        both = (own > 0.004) & (own < FADE) & (quantiles[reference] > 0.004) & (quantiles[reference] < FADE)
        known = k != reference and k not in left_out and both.sum() >= 5
        found.append(float(np.median(quantiles[reference][both] / own[both])) if known else 1.0)
    return found


def choose_reference(infos: Sequence[FrameInfo]) -> int:
    """The middle exposure: it shares the most with the others."""
    values = [info.exposure_value or 0.0 for info in infos]
    return int(np.argsort(values)[len(values) // 2])


def _luminance(member: Member) -> np.ndarray:
    return np.ascontiguousarray(member.picture @ (LUMA_2020 / LUMA_2020.sum()))


def _unclipped(member: Member) -> np.ndarray:
    """1 where no colour is near clipping, else 0: float32 H×W. One that clips alone would pull the luminance."""
    return (largest_colour(member.picture) < FADE).astype(np.float32)


def _refine_ratio(
    a: np.ndarray, b: np.ndarray, holds: np.ndarray, ratio: float, floors: tuple[float, float]
) -> float:
    """Median ratio of small blocks where both frames hold; metadata round to the nominal stop.

    Which blocks are used is decided by the longer exposure alone, and blocks are means: noise cannot choose.
    `holds`: 1 where no colour of either frame clips.
    """
    size = (a.shape[1] // _BLOCK, a.shape[0] // _BLOCK)
    mean_a, mean_b, whole = (cv2.resize(p, size, interpolation=cv2.INTER_AREA) for p in (a, b, holds))
    longer, floor = (mean_a, floors[1] * ratio) if ratio >= 1 else (mean_b, floors[0] / ratio)
    good = (whole > 0.999) & (longer > max(floor, *floors)) & (mean_b > 0)
    if np.count_nonzero(good) < _FEWEST_BLOCKS:
        return ratio
    measured = float(np.median(mean_a[good] / mean_b[good]))
    return measured if abs(math.log2(measured / ratio)) < 0.35 else ratio


def plan(
    members: Sequence[Member], progress: Progress = always, reference: int | None = None, aligns: bool = True,
    same_exposure: bool = False,
    equalised: bool = False,
) -> Plan:  # fmt: skip
    """Find reference, exposure ratios and motions of a bracket.

    Parameters
    ----------
    reference : index of the frame whose geometry and moving things are kept; None: the middle exposure.
    aligns : False: the frames are taken for standing still.
    same_exposure : a burst; otherwise frames that were all exposed alike are refused.
    equalised : the pictures were brought to one brightness already (:mod:`irvane.core.merge.equalise`).

    Raises
    ------
    MergeError
        Fewer than two frames, exposures all the same, or nothing that fits together.
    """
    if len(members) < 2:
        raise MergeError("A merge needs at least two frames.")
    infos = [member.info for member in members]
    estimated = not equalised and any(info.exposure_value is None for info in infos)
    if reference is None:
        reference = _middle_by_content(members) if estimated or equalised else choose_reference(infos)
    shape = members[reference].picture.shape
    left_out = [
        (k, f"is of another size ({m.picture.shape[1]} × {m.picture.shape[0]} pixels)")
        for k, m in enumerate(members)
        if m.picture.shape != shape
    ]
    if len(members) - len(left_out) < 2:
        raise MergeError("The frames differ in size; they cannot be merged.")
    sized = {k for k, _ in left_out}
    fitting = [k for k in range(len(members)) if k not in sized]
    if equalised:
        ratios = [1.0] * len(members)
    else:
        ratios = (
            _estimated_ratios(members, reference, sized) if estimated else exposure_ratios(infos, reference)
        )
    if (
        not (same_exposure or equalised)
        and max(ratios[k] for k in fitting) / min(ratios[k] for k in fitting) < 1.1
    ):
        raise MergeError("The frames all have the same exposure; there is no range to gain.")
    base = _luminance(members[reference])
    base_dark = _EVEN_DARK if equalised else members[reference].noise.read[1]
    base_holds = _unclipped(members[reference])
    motions: list[Motion] = [STILL] * len(members)
    for index, member in enumerate(members):
        step(progress, index / len(members))
        if index == reference or index in sized:
            continue
        light = _luminance(member)
        if aligns:
            dark_b = _EVEN_DARK if equalised else member.noise.read[1]
            motions[index] = register(base, light, ratios[index], (base_dark, dark_b), STANDS / member.step)
            if motions[index].correlation < _SAME_SCENE and motions[index].correlation != 0:
                left_out.append((index, "does not show the same scene as the others, or it moved too far"))
                continue
            if not motions[index].still and member.step == 1:
                motions[index] = locally(base, light, ratios[index], (base_dark, dark_b), motions[index])
        moved = warp(light, motions[index])
        dark = (8 * base_dark + 1e-3, 8 * member.noise.read[1] + 1e-3)
        if estimated or equalised:
            continue
        # resampling spreads what clips over its neighbours
        clear = cv2.erode(np.nan_to_num(warp(_unclipped(member), motions[index])), np.ones((5, 5), np.uint8))
        holds = ((clear > 0.99) & (base_holds > 0)).astype(np.float32)
        ratios[index] = _refine_ratio(base, np.nan_to_num(moved, nan=1.0), holds, ratios[index], dark)
    made = Plan(reference, tuple(ratios), tuple(motions), tuple(sorted(left_out)), estimated, equalised)
    if len(made.used) < 2:
        raise MergeError("The frames do not show the same scene; they cannot be merged.")
    return made


@inline
def hold(largest, rank):
    """Share with which a place counts: it fades out towards clipping."""
    share = min(max((CLIPPED - largest) / (CLIPPED - FADE), 0.0), 1.0)
    # the shortest exposure is all there is where everything clips
    return max(share, 1e-4) if rank == 0 else share


@marked_kernel
def _collect(picture, ratio, rank, light, exposure):
    """Add a frame's counts and its exposure: their quotient is the best guess that does not depend on noise."""
    for y in numba.prange(picture.shape[0]):
        for x in range(picture.shape[1]):
            largest = max(picture[y, x, 0], max(picture[y, x, 1], picture[y, x, 2]))
            if not largest < 1e9:  # outside the frame (NaN)
                continue
            share = hold(largest, rank)
            exposure[y, x] += share / ratio
            for c in range(3):
                light[y, x, c] += share * picture[y, x, c]


@marked_kernel
def _add(picture, counts, expected, doubt, ratio, gain, read2, rank, total, weight):
    """Add a frame's light by its weight; `counts`: by how much it counts at all, for every pixel; `doubt`: see :func:`_doubt`, of
    one pixel where there is none."""
    for y in numba.prange(picture.shape[0]):
        for x in range(picture.shape[1]):
            largest = max(picture[y, x, 0], max(picture[y, x, 1], picture[y, x, 2]))
            if not largest < 1e9:  # outside the frame (NaN)
                continue
            share = hold(largest, rank) * counts[y, x]
            if share <= 0:
                continue
            unsure = doubt[y, x] if doubt.size > 1 else np.float32(0)
            for c in range(3):
                # from the expected light, not from this noisy value: else dark noise would outweigh bright noise
                light = max(expected[y, x, c], 0.0)
                variance = gain[c] * light * ratio + read2[c] * ratio * ratio + unsure * light * light
                w = share / variance
                total[y, x, c] += w * picture[y, x, c] * ratio
                weight[y, x, c] += w


@dataclass(frozen=True)
class Merged:
    """A merge: camera-linear float32 at the reference's exposure (values above 1 are real light), and its noise.

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
        _collect(
            warp(members[index].picture, how.motions[index]), how.ratios[index], rank, expected, exposure
        )
    expected /= np.maximum(exposure, 1e-12)[..., None]
    return expected


def _doubt(expected: np.ndarray, noise: NoiseModel) -> np.ndarray:
    """Relative variance that resampling adds to a frame: where structure is as fine as pixels hold, what lies between them is not
    known, and the reference, which is not resampled, knows better. float32 H×W; `noise`: of the reference."""
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
        _add(
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
    members: Sequence[Member], how: Plan, strength: float = GHOSTS, places: Sequence[Place] = (), progress: Progress = always,
) -> Ghosts:  # fmt: skip
    """What moved between the frames that are merged, and what was chosen by hand; in the result the others count nothing."""
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
