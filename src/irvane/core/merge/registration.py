"""How the frames of a bracket are laid on each other: which one stays, how they moved, how their exposures
compare, which are left out."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from irvane.core.errors import MergeError
from irvane.core.files.info import FrameInfo
from irvane.core.image import LUMA_2020, NoiseModel, largest_colour
from irvane.core.merge.align import STILL, Motion, warp
from irvane.core.merge.local import locally
from irvane.core.merge.register import STANDS, register
from irvane.core.progress import Progress, always, step

#: Signal from which a value fades out of the merge because it is about to clip.
FADE, CLIPPED = 0.85, 0.97
#: Blocks whose means are compared for the exposure ratio: their side, and how many are needed.
_BLOCK, _FEWEST_BLOCKS = 8, 60
#: Correlation of aligned contours below which two frames are not of one scene.
_SAME_SCENE = 0.5
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
    """Exposure of the reference over each frame's from content: the ratio at equal ranks of brightness, where
    both hold.

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
    """1 where no colour is near clipping, else 0: float32 H×W. One that clips alone would pull the
    luminance."""
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
