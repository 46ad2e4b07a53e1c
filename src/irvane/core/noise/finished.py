"""Noise of finished pictures (TIFF, JPEG, linear raws): estimated as it is, correlated, and removed.

Demosaicing, resizing and compression leave noise that is stronger in some waves than in others. Its spectrum
over the cosine coefficients is read from the quietest places of the frame, at three scales, for luminance and
two colours; how its strength follows brightness is read from the quietest places of every brightness. Removal
is the sliding cosine transform of :mod:`irvane.core.noise.classical` with this spectrum. A raw file gives a
better result.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import cv2
import numpy as np
from numpy.lib.stride_tricks import sliding_window_view

from irvane.core.noise.classical import OPPONENT, quick, thorough
from irvane.core.noise.sliding import SIDE, cosine_spectra

#: Pixels around a place that its result depends on.
REACH = 96
#: Parts begin at multiples of this, so that windows and scales line up.
ALIGN = 48
_LEVELS = 3
_TILE = 32
_TILES = 3000
#: Share of the places that count as quiet, and the fewest that tell something.
_QUIET, _FEWEST = 0.02, 8
#: Encoded values nearer to black or white than this are taken for clipped; a place may have some.
_CLIPPED, _SOME = 0.015, 0.03
#: The quietest places of even noise have a little less of it than there is.
_CHOSEN = 1.05
_BINS = np.linspace(0, 1, 9)
_SMOOTH = 2.0


@dataclass(frozen=True)
class FinishedNoise:
    """Noise of a finished picture, on a square-root scale of light.

    Attributes
    ----------
    spectra : per scale float32 3×8×8, standard deviation per cosine coefficient of luminance and two colours.
    levels, strengths : brightness (square root of light) and the noise there, as multiples of the spectra.
    """

    spectra: tuple[np.ndarray, ...]
    levels: np.ndarray
    strengths: np.ndarray

    def sigmas(self, levels: np.ndarray) -> np.ndarray:
        """Standard deviation of luminance noise at some brightness, both as the square root of light."""
        total = np.sqrt(np.mean(self.spectra[0][0] ** 2) / 3)
        return np.asarray(total * np.interp(levels, self.levels, self.strengths), np.float32)


def _roots(linear: np.ndarray) -> np.ndarray:
    return np.sign(linear) * np.sqrt(np.abs(linear))


def _tiles(linear: np.ndarray) -> np.ndarray:
    """Places evenly spread over the frame: float32 n×32×32×3, as square roots, none of them clipped."""
    h, w = linear.shape[:2]
    rows = max(1, int(np.sqrt(_TILES * h / max(w, 1))))
    columns = max(1, _TILES // rows)
    found = []
    for top in np.linspace(0, h - _TILE, rows).astype(int):
        for left in np.linspace(0, w - _TILE, columns).astype(int):
            tile = _roots(linear[top : top + _TILE, left : left + _TILE])
            if np.mean((tile < _CLIPPED) | (tile > 1 - _CLIPPED)) < _SOME:
                found.append(tile)
    return np.stack(found) if found else np.zeros((0, _TILE, _TILE, 3), np.float32)


def estimate(linear: np.ndarray) -> FinishedNoise | None:
    """Estimate the noise of a picture (float32 H×W×3, linear, 0…1); None when no place of it tells
    anything."""
    if min(linear.shape[:2]) < _TILE:
        return None
    tiles = _tiles(linear)
    if len(tiles) < _FEWEST:
        return None
    planes = np.moveaxis(tiles @ OPPONENT.T, 3, 1)
    # what is no noise raises the variance of differences at every scale
    detail = planes[:, 0, 1:, 1:] - planes[:, 0, :-1, :-1]
    wide = planes[:, 0, 8:, 8:] - planes[:, 0, :-8, :-8]
    unrest = np.sqrt(detail.var(axis=(1, 2)) + wide.var(axis=(1, 2)))
    brightness = tiles.mean(axis=(1, 2, 3))
    levels, strengths, quiet = [], [], []
    for low, high in pairwise(_BINS):
        inside = np.flatnonzero((brightness >= low) & (brightness < high))
        if len(inside) < 4 * _FEWEST:
            continue
        chosen = inside[np.argsort(unrest[inside])[: max(3, int(_QUIET * len(inside)))]]
        levels.append(float(brightness[chosen].mean()))
        strengths.append(float(np.sqrt(np.mean(detail[chosen].var(axis=(1, 2))))))
        quiet.append(chosen)
    if not levels:
        return None
    factors = np.maximum(np.array(strengths), 1e-6)
    scaled = [planes[chosen] / factor for chosen, factor in zip(quiet, factors, strict=True)]
    spectra = _spectra(np.concatenate(scaled))
    return FinishedNoise(spectra, np.array(levels), factors)


def _spectra(planes: np.ndarray) -> tuple[np.ndarray, ...]:
    """Standard deviation per cosine coefficient at every scale: 3×8×8 of n×3×H×W."""
    found = []
    for _ in range(_LEVELS):
        windows = sliding_window_view(planes, (SIDE, SIDE), axis=(2, 3))[:, :, ::3, ::3]
        spectrum = cosine_spectra(windows)
        sigma = np.sqrt(
            np.median(spectrum**2, axis=(0, 2, 3)) / 0.4549
        )  # median of χ² with one degree of freedom
        sigma[:, 0, 0] = np.maximum(sigma[:, 0, 1], sigma[:, 1, 0])  # the mean of a place is no noise
        found.append(sigma.astype(np.float32))
        n, c, h, w = planes.shape
        planes = planes.reshape(n, c, h // 2, 2, w // 2, 2).mean(axis=(3, 5))
    return tuple(found)


def denoise_finished(
    linear: np.ndarray, noise: FinishedNoise, strength: float = 1.0, fast: bool = False
) -> np.ndarray:
    """Remove the noise from a picture or a part of it (float32 H×W×3, linear)."""
    roots = _roots(linear)
    brightness = cv2.GaussianBlur(roots.mean(axis=2), (0, 0), _SMOOTH)
    strengths = np.interp(brightness, noise.levels, noise.strengths).astype(np.float32)
    planes = roots @ OPPONENT.T / strengths[..., None]
    clean = np.empty_like(planes)
    way = quick if fast else thorough
    for k in range(3):
        sigmas = [strength * level[k] for level in noise.spectra]
        clean[..., k] = way(np.ascontiguousarray(planes[..., k]), sigmas, k > 0)
    result = (clean * strengths[..., None]) @ OPPONENT
    return np.ascontiguousarray(np.sign(result) * result**2, np.float32)
