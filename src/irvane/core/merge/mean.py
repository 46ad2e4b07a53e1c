"""The mean of a burst of equal frames: noise falls with the square root of their number, what moved is taken
from one of them."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from irvane.core.image import NoiseModel
from irvane.core.merge.align import warp
from irvane.core.merge.ghosts import Ghosts
from irvane.core.merge.hdr import Merged, find_movement
from irvane.core.merge.registration import Member, Plan
from irvane.core.progress import Progress, always, step


def mean(
    members: Sequence[Member], how: Plan, progress: Progress = always, found: Ghosts | None = None
) -> Merged:
    """Average frames as planned.

    Parameters
    ----------
    found : what moved, where that is known already.

    Returns
    -------
    A merge at the reference's exposure; its noise model is that of the mean where all frames count.
    """
    found = find_movement(members, how) if found is None else found
    shape = members[how.reference].picture.shape
    total, weight = np.zeros(shape, np.float32), np.zeros(shape[:2], np.float32)
    for place, index in enumerate(how.used):
        step(progress, place / len(how.used))
        moved = warp(members[index].picture, how.motions[index])
        outside = ~np.isfinite(moved[..., 0])
        counts = found.counts(index, shape[:2]) * ~outside
        total += np.nan_to_num(moved) * (counts * np.float32(how.ratios[index]))[..., None]
        weight += counts
    picture = np.where(
        weight[..., None] > 0, total / np.maximum(weight, 1e-6)[..., None], members[how.reference].picture
    )
    n = len(how.used)
    noise = members[how.reference].noise
    gain, read = tuple(g / n for g in noise.gain), tuple(r / np.sqrt(n) for r in noise.read)
    return Merged(
        picture.astype(np.float32),
        found.counts(how.reference, shape[:2]) < 0.5,
        NoiseModel((gain[0], gain[1], gain[2]), (read[0], read[1], read[2]), noise.origin),
    )
