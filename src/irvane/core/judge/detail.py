"""Smaller parts of the figures of detail: what texture can be read from, and how surely an edge is known."""

from __future__ import annotations

from contextlib import suppress

import numpy as np

from irvane.core.judge.edge import SMALLEST, edge_figures
from irvane.core.judge.texture import NoiseSpectrum

#: Texture of a picture over its noise from which it can be told.
_OVER_NOISE = 0.5
#: Strips of an edge at most; standard error, as a share, of one that cannot be shared out.
_STRIPS, _UNSURE = 4, 0.1


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
    """Standard error of an edge's MTF50, from strips of its lines, each read by itself."""
    across = abs(float(light[:, -3:].mean() - light[:, :3].mean()))
    down = abs(float(light[-3:].mean() - light[:3].mean()))
    plane = light.T if down > across else light
    found = []
    for strip in np.array_split(plane, max(min(_STRIPS, plane.shape[0] // SMALLEST), 1)):
        with suppress(ValueError):
            one = edge_figures(strip).mtf50
            found.append(mtf50 if one is None else one)
    if len(found) < 2:
        return _UNSURE * mtf50
    return float(np.std(found, ddof=1) / np.sqrt(len(found)))
