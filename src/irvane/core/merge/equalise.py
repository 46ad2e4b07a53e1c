"""Finished pictures of one scene brought to one brightness, whatever their tone curves: by equal ranks of
their values.

A brightness transfer function is found from histograms alone, which do not care for small motions (Grossberg
& Nayar 2003).
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

#: Values (encoded) outside of which a picture is not believed: near black, near white.
_BLACK, _WHITE = 0.03, 0.955
_RANKS = np.linspace(0.002, 0.998, 400)
#: What marks a value as clipped for what comes after; values that are believed stay below.
_CLIPPED, _BELIEVED = 1.0, 0.80


def middle(frames: Sequence[np.ndarray]) -> int:
    """The frame of middle brightness."""
    levels = [float(np.median(frame[::4, ::4])) for frame in frames]
    return int(np.argsort(levels)[len(levels) // 2])


def equalised(frames: Sequence[np.ndarray], reference: int) -> list[np.ndarray]:
    """Frames with the values that the reference has at the same ranks, on a linear-like scale; clipped ones
    are 1, black ones 0.

    Parameters
    ----------
    frames : float32 H×W×3, encoded 0…1, of one scene.
    """
    base = frames[reference]
    out = []
    for number, frame in enumerate(frames):
        made = np.empty_like(frame, np.float32)
        for c in range(3):
            if number == reference:
                made[..., c] = frame[..., c]
                continue
            own, there = (np.quantile(one[::3, ::3, c], _RANKS) for one in (frame, base))
            # ranks at which both hold; beyond them the curve goes on
            both = (own > _BLACK) & (own < _WHITE) & (there > _BLACK) & (there < _WHITE)
            if both.sum() < 8:
                made[..., c] = frame[..., c]
                continue
            x, keep = np.unique(own[both], return_index=True)
            y = there[both][keep]
            # beyond: black stays black, and the curve goes on as it ends
            slope = (y[-1] - y[-len(y) // 8 - 1]) / max(x[-1] - x[-len(x) // 8 - 1], 1e-6)
            x, y = (
                np.concatenate([[0.0], x, [1.0]]),
                np.concatenate([[0.0], y, [y[-1] + slope * (1 - x[-1])]]),
            )
            made[..., c] = np.interp(frame[..., c], x, y)
        light = np.square(np.clip(made, 0, 1)) * np.float32(_BELIEVED)
        light[(frame > _WHITE).any(axis=2)] = _CLIPPED
        light[(frame < _BLACK).all(axis=2)] = 0.0
        out.append(light)
    return out
