"""Frames that stand still, merged as mosaics: before any colour is interpolated, and before anything is
denoised.

Every sample is weighted by its own noise (Hasinoff, Durand & Freeman 2010; Granados and others 2010); what is
merged is a mosaic again, which is then denoised once, with its own noise, and interpolated once. How much a
frame counts near clipping, and where things moved, is decided on whole cells of the array, so that colours do
not shift where the set of frames changes.
"""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np

from irvane.core.kernels import marked
from irvane.core.merge.ghosts import Ghosts
from irvane.core.merge.hdr import expected_light, hold
from irvane.core.merge.registration import Member, Plan
from irvane.core.progress import Progress, always, step
from irvane.core.threads import share_out

_NEAR = np.ones((3, 3), np.uint8)


@marked
def _add(begin, end, data, largest, cells, expected, cfa, n, ratio, gain, read2, rank, total, weight):
    p, eh, ew = cfa.shape[0], expected.shape[0], expected.shape[1]
    ch, cw = cells.shape
    h, w = data.shape
    for y in range(begin, end):
        for x in range(w):
            counts = np.float32(1)
            if ch > 1:  # cells of what moved, straight between their middles
                fy = min(max((y + 0.5) * ch / h - 0.5, 0.0), ch - 1.0)
                fx = min(max((x + 0.5) * cw / w - 0.5, 0.0), cw - 1.0)
                j, i = min(int(fy), ch - 2), min(int(fx), cw - 2)
                v, u = np.float32(fy - j), np.float32(fx - i)
                counts = (cells[j, i] * (1 - u) + cells[j, i + 1] * u) * (1 - v) + (
                    cells[j + 1, i] * (1 - u) + cells[j + 1, i + 1] * u
                ) * v
            share = hold(largest[y, x], rank) * counts
            if share <= 0:
                continue
            c = cfa[y % p, x % p]
            light = max(expected[min(y // n, eh - 1), min(x // n, ew - 1), c], np.float32(0))
            part = share / (gain[c] * light * ratio + read2[c] * ratio * ratio)
            total[y, x] += part * data[y, x] * ratio
            weight[y, x] += part


def merge_mosaics(
    mosaics: Sequence[np.ndarray], cfa: np.ndarray, seen: Sequence[Member], how: Plan, found: Ghosts,
    progress: Progress = always,
) -> np.ndarray:  # fmt: skip
    """Merge the mosaics of frames that stand still.

    Parameters
    ----------
    mosaics : float32 H×W each, 1 = clipping. cfa : their array.
    seen : the same frames binned (:func:`irvane.core.sensor.demosaic.bin_colour`), in the same orientation,
        with their noise.
    how : of `seen`; every motion is still. found : what moved, in the same orientation.

    Returns
    -------
    A mosaic at the reference's exposure, float32 H×W; values above 1 are real light.
    """
    expected = cv2.blur(expected_light(seen, how), (3, 3))
    n = max(1, round(mosaics[0].shape[1] / expected.shape[1]))
    total, weight = np.zeros(mosaics[0].shape, np.float32), np.zeros(mosaics[0].shape, np.float32)
    none = np.ones((1, 1), np.float32)
    order = sorted(how.used, key=lambda k: -how.ratios[k])
    for rank, k in enumerate(order):
        step(progress, rank / len(order))
        cells = found.weights[k]
        share_out(
        _add, len(mosaics[k]),
            mosaics[k], cv2.dilate(mosaics[k], _NEAR), none if cells is None else cells, expected,
            np.ascontiguousarray(cfa, np.int64),
            n, np.float32(how.ratios[k]), np.array(seen[k].noise.gain, np.float32),
            (np.array(seen[k].noise.read) ** 2 + 1e-12).astype(np.float32),
            # where a thing is taken from this frame it counts whatever it is: there is no other
            0 if bool((found.source == k).any()) else rank, total, weight,
        )  # fmt: skip
    return np.divide(total, weight, out=mosaics[how.reference].copy(), where=weight > 0)
