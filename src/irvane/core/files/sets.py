"""Grouping frames into brackets by time, exposure steps and picture content."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import timedelta
from pathlib import Path

import cv2
import numpy as np

from irvane.core.files.formats import RAW_ENDINGS
from irvane.core.files.info import FrameInfo

#: Longest pause between the end of one frame and the start of the next within a bracket.
_PAUSE = timedelta(seconds=4)
#: Steps between the exposures of a bracket, in EV; what lies closer was exposed alike.
SMALLEST_STEP, _LARGEST_STEP = 0.3, 4.2
MOST_FRAMES = 15
_SMALLEST_BURST = 3
#: Times of a raw and a finished picture of one shot differ by no more than this; alike frames to choose among
#: follow each other within this.
_ONE_SHOT, _ONE_SERIES = timedelta(seconds=2), timedelta(seconds=30)
#: Correlation of contours above which two previews show the same scene.
_SAME_SCENE = 0.35
#: Values of a preview that are as good as black and white; share of it between them that says something of
#: the scene.
_BLACK, _WHITE, _TELLING = 8, 246, 0.5


@dataclass(frozen=True)
class Bracket:
    """Frames that belong together, in the order they were taken.

    Attributes
    ----------
    members : indexes into the list of frames.
    offsets : EV of each member against the middle exposure.
    """

    members: tuple[int, ...]
    offsets: tuple[float, ...]


def _contours(preview: np.ndarray) -> np.ndarray:
    """Brightness-independent contours of a preview, 96×96."""
    grey = cv2.cvtColor(preview, cv2.COLOR_RGB2GRAY).astype(np.float32)
    small = cv2.resize(grey, (96, 96), interpolation=cv2.INTER_AREA)
    small = cv2.createCLAHE(4.0, (6, 6)).apply(small.astype(np.uint8)).astype(np.float32)
    small = cv2.GaussianBlur(small, (0, 0), 1.5)
    edges = np.hypot(cv2.Sobel(small, cv2.CV_32F, 1, 0), cv2.Sobel(small, cv2.CV_32F, 0, 1))
    edges -= edges.mean()
    return edges / max(float(np.linalg.norm(edges)), 1e-6)


def same_scene(a: np.ndarray, b: np.ndarray) -> bool:
    """Do two previews (uint8 RGB) show the same scene, whatever their exposure and a small shift?"""
    if (a.shape[0] > a.shape[1]) != (b.shape[0] > b.shape[1]):
        return False
    first, second = _contours(a), _contours(b)
    core = second[8:-8, 8:-8]
    likeness = float(cv2.matchTemplate(first, core, cv2.TM_CCORR).max())
    return likeness > _SAME_SCENE * float(np.linalg.norm(core))


def _says_nothing(preview: np.ndarray) -> bool:
    """Is a preview mostly white or black, as the ends of a long bracket are? Its time and exposure tell where
    it belongs."""
    grey = cv2.cvtColor(preview, cv2.COLOR_RGB2GRAY)
    return float(((grey > _BLACK) & (grey < _WHITE)).mean()) < _TELLING


def _follows(previous: FrameInfo, current: FrameInfo) -> bool:
    if previous.moment is None or current.moment is None or previous.model != current.model:
        return False
    gap = current.moment - previous.moment - timedelta(seconds=previous.shutter or 0)
    if not timedelta(seconds=-1) <= gap <= _PAUSE:
        return False
    steps = previous.aperture == current.aperture or previous.shutter == current.shutter
    return steps and previous.focal == current.focal


def find_brackets(infos: Sequence[FrameInfo], previews: Sequence[np.ndarray | None]) -> list[Bracket]:
    """Group frames (in the order taken) into exposure brackets.

    A bracket is a run of frames of one camera, close in time, of the same scene, whose exposures are all
    different and evenly stepped (within a third of a stop). Previews that are None are not compared.
    """
    order = sorted(range(len(infos)), key=lambda i: (infos[i].moment is None, infos[i].moment or 0, i))
    brackets: list[Bracket] = []
    run: list[int] = []

    def close() -> None:
        bracket = _as_bracket(run, infos)
        if bracket is not None:
            brackets.append(bracket)
        run.clear()

    for index in order:
        if run:
            seen = [infos[i].exposure_value for i in run]
            value = infos[index].exposure_value
            fresh = value is not None and all(s is not None and abs(value - s) >= SMALLEST_STEP for s in seen)
            first, second = previews[run[-1]], previews[index]
            silent = any(one is None or _says_nothing(one) for one in (first, second))
            alike = silent or same_scene(first, second)  # type: ignore[arg-type]
            if not (fresh and alike and _follows(infos[run[-1]], infos[index]) and len(run) < MOST_FRAMES):
                close()
        run.append(index)
    close()
    return brackets


def find_bursts(infos: Sequence[FrameInfo], previews: Sequence[np.ndarray | None]) -> list[tuple[int, ...]]:
    """Frames of equal exposure that follow each other closely and show the same scene: three or more, to be
    averaged."""
    order = sorted(range(len(infos)), key=lambda i: (infos[i].moment is None, infos[i].moment or 0, i))
    bursts: list[tuple[int, ...]] = []
    run: list[int] = []
    for index in order:
        if run:
            one, two = infos[run[-1]].exposure_value, infos[index].exposure_value
            equal = one is not None and two is not None and abs(one - two) < 0.1
            first, second = previews[run[-1]], previews[index]
            alike = first is None or second is None or same_scene(first, second)
            if not (equal and alike and _follows(infos[run[-1]], infos[index])):
                bursts.append(tuple(run))
                run = []
        run.append(index)
    bursts.append(tuple(run))
    return [burst for burst in bursts if len(burst) >= _SMALLEST_BURST]


def _as_bracket(run: list[int], infos: Sequence[FrameInfo]) -> Bracket | None:
    values = [infos[i].exposure_value for i in run]
    known = [v for v in values if v is not None]
    if len(run) < 2 or len(known) != len(run):
        return None
    steps = np.diff(sorted(known))
    if steps.min() < SMALLEST_STEP or steps.max() > _LARGEST_STEP or np.ptp(steps) > 0.67:
        return None
    middle = float(np.median(known))
    return Bracket(tuple(run), tuple(round(v - middle, 2) for v in known))


def find_pairs(paths: Sequence[Path], infos: Sequence[FrameInfo]) -> list[tuple[int, int]]:
    """Raw and finished picture that a camera wrote of one shot: (index of the raw, of the other).

    They lie in one folder under one name but for the ending, and their times, where both are known, are the
    same.
    """
    raws: dict[tuple[Path, str], int] = {}
    for index, path in enumerate(paths):
        if path.suffix.lower() in RAW_ENDINGS:
            raws.setdefault((path.parent, path.stem.casefold()), index)
    pairs, taken = [], set()
    for index, path in enumerate(paths):
        raw = raws.get((path.parent, path.stem.casefold()))
        if path.suffix.lower() in RAW_ENDINGS or raw is None or raw in taken:
            continue
        one, two = infos[raw].moment, infos[index].moment
        if one is None or two is None or abs(one - two) <= _ONE_SHOT:
            pairs.append((raw, index))
            taken.add(raw)
    return pairs


def alike_run(
    infos: Sequence[FrameInfo], previews: Sequence[np.ndarray | None], start: int, most: int
) -> list[int]:
    """Frames that show the same as one of them and were taken around it, to choose among: indexes in the
    order taken, at most so many, `start` among them."""
    order = sorted(range(len(infos)), key=lambda i: (infos[i].moment is None, infos[i].moment or 0, i))
    place = order.index(start)
    first = last = place

    def joins(known: int, other: int) -> bool:
        one, two = infos[known].moment, infos[other].moment
        a, b = previews[start], previews[other]
        near = one is not None and two is not None and abs(two - one) <= _ONE_SERIES
        return near and a is not None and b is not None and same_scene(a, b)

    while last + 1 < len(order) and last + 1 - first < most and joins(order[last], order[last + 1]):
        last += 1
    while first > 0 and last + 1 - first < most and joins(order[first], order[first - 1]):
        first -= 1
    return order[first : last + 1]
