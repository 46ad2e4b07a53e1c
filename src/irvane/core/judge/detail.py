"""Smaller parts of the figures of detail: what texture can be read from, and how surely an edge is known."""

from __future__ import annotations

import numpy as np

from irvane.core.judge.edge import edge_figures
from irvane.core.judge.texture import NoiseSpectrum

#: Texture of a picture over its noise from which it can be told.
_OVER_NOISE = 0.5
#: Strips of an edge that are left out in turn.
_STRIPS = 4


def flattened(light: np.ndarray, slope: float) -> np.ndarray:
    """Light with differences as they are in the scene."""
    mean = float(light.mean())
    return mean + (np.asarray(light, np.float64) - mean) / slope


def structured(reference: np.ndarray, noise: NoiseSpectrum | None) -> bool:
    """Does the reference hold more than its noise?"""
    relative = float(np.var(reference)) / max(float(reference.mean()), 1e-9) ** 2
    expected = 0.0 if noise is None else noise.variance
    return relative - expected > _OVER_NOISE * expected and relative > 1e-6


def edge_error(light: np.ndarray, mtf50: float) -> float:
    """Standard error of an edge's MTF50: strips of its lines are left out in turn (jackknife)."""
    across = abs(float(light[:, -3:].mean() - light[:, :3].mean()))
    down = abs(float(light[-3:].mean() - light[:3].mean()))
    plane = light.T if down > across else light
    found = []
    for part in np.array_split(np.arange(plane.shape[0]), _STRIPS):
        try:
            one = edge_figures(np.delete(plane, part, axis=0)).mtf50
        except ValueError:
            continue
        found.append(mtf50 if one is None else one)
    if len(found) < 2:
        return 0.1 * mtf50
    values = np.array(found)
    return float(np.sqrt((len(found) - 1) / len(found) * ((values - values.mean()) ** 2).sum()))
