"""High dynamic range: frames merged in linear light, each pixel weighted by its noise.

The weight is the inverse variance of the frame's estimate of scene light (Granados et al. 2010; Hasinoff, Durand &
Freeman 2010), with the sensor's own noise model; clipped values count nothing. Where a frame disagrees with the
reference by more than noise and alignment explain, it is left out (ghosts).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numba
import numpy as np

from irvane.core.errors import MergeError
from irvane.core.files.info import FrameInfo
from irvane.core.image import LUMA_2020, NoiseModel
from irvane.core.kernels import inline, marked_kernel
from irvane.core.merge.align import STILL, Motion, align, warp
from irvane.core.progress import Progress, always, step

#: Signal from which a value fades out of the merge because it is about to clip.
_FADE, _CLIPPED = 0.85, 0.97
#: Disagreement with the reference, in standard deviations and as a share of the light, that counts as movement.
_GHOST_SIGMAS, _GHOST_SHARE = 4.0, 0.18
#: Blocks whose means are compared for the exposure ratio: their side, and how many are needed.
_BLOCK, _FEWEST_BLOCKS = 8, 60
#: Correlation of aligned contours below which two frames are not of one scene.
_SAME_SCENE = 0.5


@dataclass(frozen=True)
class Member:
    """A developed frame of a bracket: camera-linear float32 H×W×3 (1 = clipping), its noise and exposure."""

    picture: np.ndarray
    noise: NoiseModel
    info: FrameInfo


@dataclass(frozen=True)
class Plan:
    """How frames are brought together; found once, used for plain and denoised members.

    Attributes
    ----------
    reference : index of the frame whose geometry and moving objects are kept.
    ratios : exposure of the reference divided by each frame's, refined from content.
    motions : where each frame lies on the reference.
    """

    reference: int
    ratios: tuple[float, ...]
    motions: tuple[Motion, ...]


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


def choose_reference(infos: Sequence[FrameInfo]) -> int:
    """The middle exposure: it shares the most with the others."""
    values = [info.exposure_value or 0.0 for info in infos]
    return int(np.argsort(values)[len(values) // 2])


def _luminance(member: Member) -> np.ndarray:
    return np.ascontiguousarray(member.picture @ (LUMA_2020 / LUMA_2020.sum()))


def _refine_ratio(a: np.ndarray, b: np.ndarray, ratio: float, floors: tuple[float, float]) -> float:
    """Median ratio of small blocks where both frames hold; metadata round to the nominal stop.

    Which blocks are used is decided by the longer exposure alone, and blocks are means: noise cannot choose.
    """
    holds = ((a < _FADE) & (b < _FADE)).astype(np.float32)
    size = (a.shape[1] // _BLOCK, a.shape[0] // _BLOCK)
    mean_a, mean_b, whole = (cv2.resize(p, size, interpolation=cv2.INTER_AREA) for p in (a, b, holds))
    longer, floor = (mean_a, floors[1] * ratio) if ratio >= 1 else (mean_b, floors[0] / ratio)
    good = (whole > 0.999) & (longer > max(floor, *floors)) & (mean_b > 0)
    if np.count_nonzero(good) < _FEWEST_BLOCKS:
        return ratio
    measured = float(np.median(mean_a[good] / mean_b[good]))
    return measured if abs(math.log2(measured / ratio)) < 0.35 else ratio


def plan(members: Sequence[Member], progress: Progress = always) -> Plan:
    """Find reference, exposure ratios and motions of a bracket.

    Raises
    ------
    MergeError
        Fewer than two frames, different sizes, or unknown exposures.
    """
    if len(members) < 2:
        raise MergeError("A merge needs at least two frames.")
    if len({member.picture.shape for member in members}) > 1:
        raise MergeError("The frames differ in size; they cannot be merged.")
    infos = [member.info for member in members]
    reference = choose_reference(infos)
    ratios = exposure_ratios(infos, reference)
    if max(ratios) / min(ratios) < 1.1:
        raise MergeError("The frames all have the same exposure; there is no range to gain.")
    base = _luminance(members[reference])
    base_dark = members[reference].noise.read[1]
    motions: list[Motion] = []
    for index, member in enumerate(members):
        step(progress, index / len(members))
        if index == reference:
            motions.append(STILL)
            continue
        light = _luminance(member)
        motion = align(base, light, ratios[index], (base_dark, member.noise.read[1]))
        if 0 < motion.correlation < _SAME_SCENE:
            raise MergeError(
                f"Frame {index + 1} does not show the same scene as the others, or it moved too far."
            )
        motions.append(motion)
        moved = warp(light, motion)
        dark = (8 * base_dark + 1e-3, 8 * member.noise.read[1] + 1e-3)
        ratios[index] = _refine_ratio(base, np.nan_to_num(moved, nan=1.0), ratios[index], dark)
    return Plan(reference, tuple(ratios), tuple(motions))


@inline
def _hold(largest, rank):
    """Share with which a place counts: it fades out towards clipping."""
    hold = min(max((_CLIPPED - largest) / (_CLIPPED - _FADE), 0.0), 1.0)
    # the shortest exposure is all there is where everything clips
    return max(hold, 1e-4) if rank == 0 else hold


@marked_kernel
def _collect(picture, ratio, rank, light, exposure):
    """Add a frame's counts and its exposure: their quotient is the best guess that does not depend on noise."""
    for y in numba.prange(picture.shape[0]):
        for x in range(picture.shape[1]):
            largest = max(picture[y, x, 0], max(picture[y, x, 1], picture[y, x, 2]))
            if not largest < 1e9:  # outside the frame (NaN)
                continue
            hold = _hold(largest, rank)
            exposure[y, x] += hold / ratio
            for c in range(3):
                light[y, x, c] += hold * picture[y, x, c]


@marked_kernel
def _add(
    picture,
    reference,
    expected,
    ratio,
    gain,
    read2,
    ref_gain,
    ref_read2,
    is_reference,
    rank,
    total,
    weight,
    ghosts,
):
    for y in numba.prange(picture.shape[0]):
        for x in range(picture.shape[1]):
            largest = max(picture[y, x, 0], max(picture[y, x, 1], picture[y, x, 2]))
            if not largest < 1e9:  # outside the frame (NaN)
                continue
            hold = _hold(largest, rank)
            if not is_reference:
                # moved? only where the reference itself can be believed
                ref_largest = max(reference[y, x, 0], max(reference[y, x, 1], reference[y, x, 2]))
                if ref_largest < _FADE and largest < _FADE:
                    apart = 0.0
                    for c in range(3):
                        a = reference[y, x, c]
                        b = picture[y, x, c] * ratio
                        variance = ref_gain[c] * max(a, 0.0) + ref_read2[c]
                        variance += (gain[c] * max(picture[y, x, c], 0.0) + read2[c]) * ratio * ratio
                        limit = _GHOST_SIGMAS * np.sqrt(variance) + _GHOST_SHARE * max(a, b)
                        apart = max(apart, abs(a - b) / max(limit, 1e-9))
                    agree = min(max(2.0 - apart, 0.0), 1.0)
                    if agree < 0.5:
                        ghosts[y, x] = 1
                    hold *= agree
            if hold <= 0:
                continue
            for c in range(3):
                # from the expected light, not from this noisy value: else dark noise would outweigh bright noise
                variance = gain[c] * max(expected[y, x, c], 0.0) * ratio + read2[c] * ratio * ratio
                w = hold / variance
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


def merge(members: Sequence[Member], how: Plan, progress: Progress = always) -> Merged:
    """Merge frames as planned; see the module's text for the weights."""
    reference = members[how.reference]
    shape = reference.picture.shape
    order = sorted(range(len(members)), key=lambda i: -how.ratios[i])
    expected: np.ndarray = np.zeros(shape, np.float32)
    exposure = np.zeros(shape[:2], np.float32)
    for rank, index in enumerate(order):
        step(progress, 0.4 * rank / len(members))
        _collect(
            warp(members[index].picture, how.motions[index]), how.ratios[index], rank, expected, exposure
        )
    expected /= np.maximum(exposure, 1e-12)[..., None]
    expected = cv2.blur(expected, (3, 3))
    total = np.zeros(shape, np.float32)
    weight = np.zeros(shape, np.float32)
    ghosts = np.zeros(shape[:2], np.uint8)
    for rank, index in enumerate(order):
        step(progress, 0.4 + 0.6 * rank / len(members))
        member = members[index]
        moved = warp(member.picture, how.motions[index])
        _add(
            moved, reference.picture, expected, how.ratios[index],
            np.array(member.noise.gain), np.array(member.noise.read) ** 2 + 1e-12,
            np.array(reference.noise.gain), np.array(reference.noise.read) ** 2 + 1e-12,
            index == how.reference, rank, total, weight, ghosts,
        )  # fmt: skip
    merged = np.where(weight > 0, total / np.maximum(weight, 1e-30), reference.picture)
    deepest = members[min(range(len(members)), key=lambda i: how.ratios[i])]
    ratio = min(how.ratios)
    gain = tuple(g * ratio for g in deepest.noise.gain)
    read = tuple(r * ratio for r in deepest.noise.read)
    noise = NoiseModel((gain[0], gain[1], gain[2]), (read[0], read[1], read[2]), deepest.noise.origin)
    return Merged(merged.astype(np.float32), ghosts.astype(bool), noise)
