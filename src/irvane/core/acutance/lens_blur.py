"""How soft a lens is, in the middle and in the corners, from the edges of a chart or of a series of
frames."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import scipy

from irvane.core.acutance.edge_blur import Edges

#: Rings of equal area about the middle; edges that a ring needs, and rings that tell.
_RINGS, _FEW, _NEEDED = 6, 60, 3
#: Share of a ring's edges, the sharpest, whose middle tells; what pixels and demosaicing add to an edge (σ,
#: pixels).
_SHARPEST, _PIXELS = 0.4, 0.72
#: Least σ that is told, and the one from which there is anything to undo.
_LEAST, _WORTH = 0.1, 0.35


@dataclass(frozen=True)
class LensBlur:
    """σ in pixels of what a lens softens, in the middle and in the corners; edges that told."""

    middle: float
    corner: float
    edges: int

    @property
    def worth(self) -> bool:
        """Is there anything to undo, be it in the corners alone?"""
        return max(self.middle, self.corner) >= _WORTH

    def words(self) -> str:
        """A sentence."""
        return f"σ {self.middle:.2f} px in the middle, {self.corner:.2f} px in the corners, from {self.edges:,} edges."


def measure_lens(frames: Sequence[tuple[Edges, tuple[int, int]]]) -> LensBlur | None:
    """A lens's softness, growing with the square of the distance from the middle; None where there are too
    few edges.

    Parameters
    ----------
    frames : edges of each with height and width. In rings about the middle the sharpest edges of all frames
        tell: what lies out of focus, or is soft itself, is never among them, unless all of a ring is.
    """
    shares, sigmas = [], []
    for edges, (h, w) in frames:
        y, x = edges.y - h / 2, edges.x - w / 2
        shares.append((y**2 + x**2) / ((h / 2) ** 2 + (w / 2) ** 2))
        sigmas.append(edges.sigma)
    if not shares:
        return None
    share, sigma = np.concatenate(shares), np.concatenate(sigmas)
    rows = []
    bounds = np.linspace(0, 1, _RINGS + 1)
    for low, high in pairwise(bounds):
        own = (share >= low) & (share < high)
        if own.sum() >= _FEW:
            wide = float(np.quantile(sigma[own], _SHARPEST / 2))
            rows.append((float(share[own].mean()), max(wide**2 - _PIXELS**2, 0.0), np.sqrt(own.sum())))
    if len(rows) < _NEEDED:
        return None
    at, variance, weight = (np.array(column) for column in zip(*rows, strict=True))
    # the variance is that of the middle and a share of what the corners have more, neither less than nothing
    (middle, more), _ = scipy.optimize.nnls(
        weight[:, None] * np.stack([np.ones_like(at), at], axis=1), weight * variance
    )
    return LensBlur(
        round(float(np.sqrt(middle)), 2), round(float(np.sqrt(middle + more)), 2), int(sigma.size)
    )
