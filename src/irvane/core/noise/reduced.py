"""Denoising of a reduced picture, for the time until the whole frame is denoised at full resolution.

A pixel of a reduced view is the mean of many samples of the mosaic: its noise is nearly white, and known from
the noise model. It is stabilised and shrunk as in :mod:`irvane.core.noise.classical`.
"""

from __future__ import annotations

import cv2
import numpy as np

from irvane.core.image import NoiseModel
from irvane.core.noise.classical import OPPONENT, quick
from irvane.core.noise.sliding import SIDE
from irvane.core.noise.stabilise import stabilise, unstabilise

#: Three colours beside each other, as the stabilisation takes a mosaic.
_INTERLEAVED = np.tile(np.arange(3), (3, 1))
_LEVELS = 3
#: Interpolation gives a pixel part in samples around it, red and blue in those of green too: by so much wider
#: are the squares whose mean it is (measured on even fields of both arrays).
_WIDER = np.array([1.7, 0.55, 1.7])


def noise_of(noise: NoiseModel, cfa: np.ndarray, step: float) -> NoiseModel:
    """The noise model of a picture whose pixels are `step` pixels of the mosaic wide (at least 1)."""
    samples = [max(1.0, float(np.mean(cfa == c)) * (step + _WIDER[c]) ** 2) for c in range(3)]
    gain, read = (
        tuple(value / n**power for value, n in zip(values, samples, strict=True))
        for values, power in ((noise.gain, 1.0), (noise.read, 0.5))
    )
    return NoiseModel(gain, read, noise.origin)  # type: ignore[arg-type]


def denoise_reduced(
    picture: np.ndarray, cfa: np.ndarray, noise: NoiseModel, gains: np.ndarray, step: float, strength: float
) -> np.ndarray:
    """A reduced camera-linear picture without noise.

    Parameters
    ----------
    picture : float32 H×W×3.
    cfa, noise : of the mosaic that it comes from.
    gains : reference white-balance gains of the three colours (they only steer what counts as colour).
    step : pixels of the mosaic per pixel.
    strength : multiple of the noise's standard deviation that is taken for noise.

    Returns
    -------
    float32 H×W×3.
    """
    h, w = picture.shape[:2]
    expected, scales = noise_of(noise, cfa, step), np.sqrt(np.asarray(gains, np.float32))
    lines = np.ascontiguousarray(picture, np.float32).reshape(h, 3 * w)
    stable = stabilise(lines, _INTERLEAVED, expected, scales).reshape(h, w, 3)
    sigmas = np.sqrt(OPPONENT**2 @ scales**2)
    changes = []
    for k, plane in enumerate(cv2.split(cv2.transform(stable, OPPONENT))):
        levels = [
            np.full((SIDE, SIDE), strength * sigmas[k] / 2**level, np.float32) for level in range(_LEVELS)
        ]
        changes.append(cv2.subtract(quick(plane, levels, k > 0), plane))
    stable += cv2.transform(cv2.merge(changes), OPPONENT.T)
    return unstabilise(stable.reshape(h, 3 * w), _INTERLEAVED, expected, scales).reshape(h, w, 3)
