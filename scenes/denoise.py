"""From several noisy rounds of one room to one map: outliers out, then a denoiser for renders that sees colour and form of surfaces.

Rounds are split into two halves that are smoothed by themselves (Open Image Denoise, Apache 2.0); their mean is the map, and what
differs between them tells the noise that is left, which is compared with that of the demo's camera at ISO 400, place by place.
"""

from __future__ import annotations

import sys
from collections.abc import Sequence
from pathlib import Path

import numpy as np
import pyoidn

sys.path.insert(0, str(Path(__file__).parent.parent / "src"))

from irvane.core.simulate.camera import Body

#: Mean of the size of a normal number's; light (18 % grey at 0.18) that is looked at; the ISO of the comparison.
_MEAN_SIZE, _USUAL, _ISO = 0.8, (0.02, 0.9), 400


def _robust(rounds: np.ndarray) -> np.ndarray:
    """Mean of rounds (N×H×W×3) without those that lie far above their neighbours: sparks of light that came by chance."""
    if len(rounds) < 3:
        return rounds.mean(axis=0)
    middle = np.median(rounds, axis=0)
    spread = np.median(np.abs(rounds - middle), axis=0)
    limit = middle + 6 * spread + 0.08 * middle + 2e-4
    return np.minimum(rounds, limit).mean(axis=0)


def _half(paths: Sequence[Path]) -> np.ndarray:
    loaded = [np.load(path) for path in paths]
    light = np.maximum(np.nan_to_num(_robust(np.stack([one["light"] for one in loaded]).astype(np.float32))), 0)
    albedo = np.clip(np.mean([one["albedo"].astype(np.float32) for one in loaded], axis=0), 0, 1)
    normal = np.mean([one["normal"].astype(np.float32) for one in loaded], axis=0)
    return np.asarray(pyoidn.denoise(light, albedo=albedo, normal=normal, hdr=True))


def denoised(paths: Sequence[Path], lit: Sequence[float]) -> tuple[np.ndarray, float]:
    """The map, and its noise over the camera's (median of ordinary tones); `lit`: what the map is multiplied by for photographing."""
    one, two = _half(paths[0::2]), _half(paths[1::2])
    light = np.maximum((one + two) / 2, 0).astype(np.float32)
    green = light[..., 1] * lit[1]
    left = np.abs(one - two)[..., 1] * lit[1] / 2 / _MEAN_SIZE
    gain, variance = Body("Reference").noise_profile(_ISO)
    usual = (green > _USUAL[0]) & (green < _USUAL[1])
    return light, float(np.median(left[usual] / np.sqrt(gain * green[usual] + variance)))
