"""Which of several frames is sharper where it matters."""

from __future__ import annotations

import math
from collections.abc import Sequence
from datetime import timedelta

from irvane.core.files.info import FrameInfo
from irvane.core.judge.measured import Measured

#: Frames that follow each other so soon, with one camera and focal length, show the same thing.
_SOON = timedelta(seconds=5)


def ranks(frames: Sequence[tuple[FrameInfo, Measured | None]]) -> list[float]:
    """A number for each frame, smaller is sharper: σ of its subject's edges in pixels, or of its sharpest
    ones where no subject is known.

    Of frames that follow each other, where some have a subject, one without has it out of focus: a sharp
    ground does not count for it, so that it ranks behind them. Frames that were not measured are infinite.
    """
    found = [math.inf if m is None or m.ranked is None else m.ranked for _, m in frames]
    for group in _groups(frames):
        subjects = [m.subject for k in group if (m := frames[k][1]) is not None and m.subject is not None]
        for k in group:
            told = frames[k][1]
            if subjects and told is not None and told.subject is None and told.focused is None:
                found[k] += max(subjects)
    return found


def _groups(frames: Sequence[tuple[FrameInfo, Measured | None]]) -> list[list[int]]:
    """Places of frames that follow each other."""
    timed = [(info.moment, k) for k, (info, _) in enumerate(frames) if info.moment is not None]
    made: list[list[int]] = []
    for _, k in sorted(timed):
        info, before = frames[k][0], frames[made[-1][-1]][0] if made else None
        alike = before is not None and (before.model, before.focal) == (info.model, info.focal)
        if (
            alike
            and before is not None
            and before.moment
            and info.moment
            and info.moment - before.moment <= _SOON
        ):
            made[-1].append(k)
        else:
            made.append([k])
    return made
