"""All kinds of sets among frames: brackets (of finished pictures by their content), bursts, focus series and
panoramas. A set never reaches over a folder."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import timedelta
from pathlib import Path

import cv2
import numpy as np

from irvane.core.files.info import FrameInfo
from irvane.core.files.sets import MOST_FRAMES, SMALLEST_STEP, Bracket, find_brackets, find_bursts, same_scene

BRACKET, LADDER, BURST, FOCUS, PANORAMA = "bracket", "ladder", "burst", "focus series", "panorama"
#: Frames and EV from which a bracket that goes one way only is a ladder.
_LADDER_FRAMES, _LADDER_SPAN = 10, 9.0
#: Pause between the positions of a panorama at most; positions of single frames at least (of two brackets
#: that
#: overlap it is sure enough).
_NEXT_POSITION, _FEWEST_SINGLE = timedelta(seconds=45), 3
#: Exposures of positions differ by no more (EV).
_SAME_EXPOSURE = 0.5
#: Side that positions are compared at; shares of the picture that two neighbours have in common.
_SIDE = 96
_OVERLAP = 0.08, 0.85
#: Correlation of what two neighbours have in common, at least, and how far it stands above the second best.
_ALIKE = 0.72
#: Grid that sharpness is compared in; how much sharper a cell must be in its own frame of a focus series.
_CELLS, _SHARPER = 6, 1.35
#: Share of the cells with structure that tell where the focus is.
_TELLING_CELLS = 0.25
#: Finished pictures: encoded values between which brightness can be compared, pixels needed, and how evenly
#: the
#: light must have changed (EV, half the middle 80 %).
_DARK, _BRIGHT, _LEAST_PIXELS, _EVENLY = 24, 232, 400, 0.6
_NUMBER = re.compile(r"\d+")


@dataclass(frozen=True)
class FrameSet:
    """Frames that belong together.

    Attributes
    ----------
    kind : BRACKET, LADDER, BURST, FOCUS or PANORAMA.
    members : indexes into the list of frames, in the order taken.
    offsets : of a bracket or ladder, EV of each member against the middle exposure.
    positions : of a panorama, the members of each position; several are a bracket.
    """

    kind: str
    members: tuple[int, ...]
    offsets: tuple[float, ...] = ()
    positions: tuple[tuple[int, ...], ...] = ()

    def among(self, places: Sequence[int]) -> FrameSet:
        """The same set, its members by their places in a longer list."""
        moved = tuple(tuple(places[k] for k in position) for position in self.positions)
        return replace(self, members=tuple(places[k] for k in self.members), positions=moved)


def find_sets(
    paths: Sequence[Path], infos: Sequence[FrameInfo], previews: Sequence[np.ndarray | None]
) -> list[FrameSet]:
    """Sets among frames, those of each folder by themselves.

    Parameters
    ----------
    previews : uint8 RGB, some 100 to 400 pixels wide; None where there is none.
    """
    folders: dict[Path, list[int]] = {}
    for index, path in enumerate(paths):
        folders.setdefault(path.parent, []).append(index)
    found: list[FrameSet] = []
    for indexes in folders.values():
        own = _in_folder(
            [paths[k].stem for k in indexes], [infos[k] for k in indexes], [previews[k] for k in indexes]
        )
        found += [one.among(indexes) for one in own]
    return found


def _in_folder(
    names: Sequence[str], infos: Sequence[FrameInfo], previews: Sequence[np.ndarray | None]
) -> list[FrameSet]:
    brackets = find_brackets(infos, previews)
    taken = {k for one in brackets for k in one.members}
    brackets += [one for one in finished_brackets(names, infos, previews) if not taken & set(one.members)]
    found = [FrameSet(_kind(one.offsets), one.members, one.offsets) for one in brackets]
    taken = {k for one in brackets for k in one.members}
    for burst in find_bursts(infos, previews):
        if not taken & set(burst):
            focus = is_focus_series([previews[k] for k in burst], [infos[k] for k in burst])
            found.append(FrameSet(FOCUS if focus else BURST, burst))
            taken |= set(burst)
    positions = [one.members for one in brackets] + [(k,) for k in range(len(infos)) if k not in taken]
    found += [
        FrameSet(PANORAMA, tuple(k for p in one for k in p), (), one)
        for one in _panoramas(positions, infos, previews)
    ]
    return found


def _kind(offsets: Sequence[float]) -> str:
    one_way = np.all(np.diff(offsets) > 0) or np.all(np.diff(offsets) < 0)
    long = len(offsets) >= _LADDER_FRAMES and max(offsets) - min(offsets) >= _LADDER_SPAN
    return LADDER if long and one_way else BRACKET


# panoramas


def _structure(preview: np.ndarray) -> np.ndarray:
    """Brightness-independent structure of a picture, its longer side `_SIDE` pixels."""
    grey = cv2.cvtColor(preview, cv2.COLOR_RGB2GRAY)
    factor = _SIDE / max(grey.shape)
    size = (max(8, round(grey.shape[1] * factor)), max(8, round(grey.shape[0] * factor)))
    small = cv2.resize(grey, size, interpolation=cv2.INTER_AREA)
    small = cv2.createCLAHE(3.0, (4, 4)).apply(small).astype(np.float32)
    return cv2.GaussianBlur(small, (0, 0), 0.8) - cv2.GaussianBlur(small, (0, 0), 5.0)


def overlap_of(a: np.ndarray, b: np.ndarray) -> tuple[float, float]:
    """Where two previews (uint8 RGB) have something in common: the share of the picture, and how alike it is
    there (−1…1). Normalised cross-correlation over all shifts (Padfield 2012: masked, in the Fourier
    plane)."""
    first, second = _structure(a), _structure(b)
    if first.shape != second.shape:
        return 0.0, 0.0
    high, wide = first.shape
    shape = (2 * high, 2 * wide)

    def spectrum(x: np.ndarray) -> np.ndarray:
        return np.fft.rfft2(x, shape)

    ones = spectrum(np.ones_like(first))
    f, g = spectrum(first), spectrum(second)

    def correlated(x: np.ndarray, y: np.ndarray) -> np.ndarray:
        return np.fft.irfft2(x * np.conj(y), shape)

    count = np.maximum(correlated(ones, ones), 1)
    sum_f, sum_g = correlated(f, ones), correlated(ones, g)
    var_f = correlated(spectrum(first**2), ones) - sum_f**2 / count
    var_g = correlated(ones, spectrum(second**2)) - sum_g**2 / count
    joint = correlated(f, g) - sum_f * sum_g / count
    share = count / (high * wide)
    inside = (share >= _OVERLAP[0]) & (share <= _OVERLAP[1])
    floor = 1e-3 * count * float(first.std() * second.std() + 1e-6)
    alike = np.where(inside, joint / np.sqrt(np.maximum(var_f * var_g, floor**2)), -1.0)
    # chance finds a likeness in small parts more easily
    best = int(np.argmax(alike * np.sqrt(share)))
    return float(share.flat[best]), float(alike.flat[best])


def _panoramas(
    positions: list[tuple[int, ...]], infos: Sequence[FrameInfo], previews: Sequence[np.ndarray | None]
) -> list[tuple[tuple[int, ...], ...]]:
    """Runs of positions that follow each other and overlap."""

    def moment(position: tuple[int, ...]) -> tuple[bool, object, int]:
        when = infos[position[0]].moment
        return when is None, when or 0, position[0]

    def middle(position: tuple[int, ...]) -> int:
        known = sorted(position, key=lambda k: infos[k].exposure_value or 0.0)
        return known[len(known) // 2]

    runs: list[tuple[tuple[int, ...], ...]] = []
    run: list[tuple[int, ...]] = []

    def close() -> None:
        singles = all(len(one) == 1 for one in run)
        if len(run) >= (_FEWEST_SINGLE if singles else 2):
            runs.append(tuple(run))
        run.clear()

    for position in sorted(positions, key=moment):
        if run and not _goes_on(
            infos[middle(run[-1])], infos[middle(position)], len(run[-1]) == len(position)
        ):
            close()
        if run:
            here = previews[middle(position)]
            there = [previews[middle(one)] for one in run]
            if not any(_neighbours(here, one) for one in there):
                close()
        run.append(position)
    close()
    return runs


def _goes_on(before: FrameInfo, after: FrameInfo, alike: bool) -> bool:
    if before.moment is None or after.moment is None or before.model != after.model or not alike:
        return False
    if before.focal != after.focal or not timedelta(0) <= after.moment - before.moment <= _NEXT_POSITION:
        return False
    one, two = before.exposure_value, after.exposure_value
    return one is not None and two is not None and abs(one - two) <= _SAME_EXPOSURE


def _neighbours(a: np.ndarray | None, b: np.ndarray | None) -> bool:
    if a is None or b is None or same_scene(a, b):
        return False
    return overlap_of(a, b)[1] >= _ALIKE


# focus series


def is_focus_series(previews: Sequence[np.ndarray | None], infos: Sequence[FrameInfo]) -> bool:
    """Do frames of one scene differ in where they are sharp?

    By the distances that their files note, or else by their pictures: in a focus series other parts are
    sharpest in other frames; in a burst, however it moved, whole frames differ alike.
    """
    distances = [one.distance for one in infos]
    known = [d for d in distances if d is not None and d > 0]
    if len(known) == len(distances) and len(known) > 2:
        return len({round(np.log2(d), 2) for d in known}) == len(known)
    if any(one is None for one in previews) or len({one.shape for one in previews if one is not None}) != 1:
        return False
    energy = np.array([_sharpness(one) for one in previews if one is not None])  # frames × cells
    structured = energy.max(0) > 0.1 * energy.max()
    if structured.sum() < 4:
        return False
    part = energy[:, structured]
    part = part / np.median(part, axis=1, keepdims=True)
    best = part.argmax(0)
    clear = part.max(0) / np.median(part, 0) > _SHARPER
    return len(set(best[clear].tolist())) > 2 and clear.mean() >= _TELLING_CELLS


def _sharpness(preview: np.ndarray) -> np.ndarray:
    grey = cv2.cvtColor(preview, cv2.COLOR_RGB2GRAY).astype(np.float32)
    fine = np.abs(cv2.Laplacian(cv2.GaussianBlur(grey, (0, 0), 0.7), cv2.CV_32F))
    return cv2.resize(fine, (_CELLS, _CELLS), interpolation=cv2.INTER_AREA).ravel() + 1e-3


# finished pictures


def light_between(a: np.ndarray, b: np.ndarray) -> tuple[float, float] | None:
    """By how much the light of a finished picture (uint8 RGB, sRGB) exceeds another's of the same scene, in
    EV,
    and how much that differs over the picture; None where too little can be compared. Their tone curve is
    taken
    for sRGB's: a figure to sort by."""
    if a.shape != b.shape:
        return None
    one, two = (
        cv2.GaussianBlur(cv2.cvtColor(x, cv2.COLOR_RGB2GRAY), (0, 0), 2).astype(np.float64) for x in (a, b)
    )
    good = (one > _DARK) & (one < _BRIGHT) & (two > _DARK) & (two < _BRIGHT)
    if good.sum() < _LEAST_PIXELS:
        return None
    ratio = 2.2 * np.log2(one[good] / two[good])
    low, middle, high = np.percentile(ratio, (10, 50, 90))
    return float(middle), float(high - low) / 2


def finished_brackets(
    names: Sequence[str], infos: Sequence[FrameInfo], previews: Sequence[np.ndarray | None]
) -> list[Bracket]:
    """Brackets among pictures that note neither time nor exposure, by what they show: neighbours in the list,
    called alike but for a number, of one scene, whose light differs by a step."""
    brackets: list[Bracket] = []
    run: list[int] = []
    steps: list[float] = []

    def close() -> None:
        values = [0.0, *np.cumsum(steps).tolist()] if run else []
        apart = np.diff(sorted(values))
        if len(run) > 1 and (len(apart) == 0 or apart.min() >= SMALLEST_STEP):
            middle = float(np.median(values))
            brackets.append(Bracket(tuple(run), tuple(round(v - middle, 1) for v in values)))
        run.clear()
        steps.clear()

    for index, (info, shown) in enumerate(zip(infos, previews, strict=True)):
        if shown is None or info.moment is not None or info.exposure_value is not None:
            close()
            continue
        if run:
            before = previews[run[-1]]
            assert before is not None
            numbered = _NUMBER.sub("#", names[run[-1]]) == _NUMBER.sub("#", names[index])
            found = light_between(shown, before) if numbered and same_scene(before, shown) else None
            if found is not None and any(
                abs(sum(steps[k:]) + found[0]) < SMALLEST_STEP for k in range(len(steps) + 1)
            ):
                found = None  # as light as one that is in the run already: another begins
            if (
                found is None
                or abs(found[0]) < SMALLEST_STEP
                or found[1] > _EVENLY
                or len(run) >= MOST_FRAMES
            ):
                close()
            else:
                steps.append(found[0])
        run.append(index)
    close()
    return brackets
