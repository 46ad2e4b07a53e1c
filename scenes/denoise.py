"""From several noisy rounds of one room to one map: outliers out, then non-local means that look at what is seen, not only how bright.

Rounds are split into two halves; each is smoothed by weights that the other one gives (Rousselle, Knaus & Zwicker 2012), on light
divided by the colour of the surface, so that textures stay; what differs between the smoothed halves is the noise that is left.
"""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import cv2
import numpy as np

_REACH, _PATCH = 6, 2
_FLOOR = 0.03


def _robust(rounds: np.ndarray) -> np.ndarray:
    """Mean of rounds (N×H×W×3) without those that lie far above their neighbours: sparks of light that came by chance."""
    if len(rounds) < 3:
        return rounds.mean(axis=0)
    middle = np.median(rounds, axis=0)
    spread = np.median(np.abs(rounds - middle), axis=0)
    limit = middle + 6 * spread + 0.08 * middle + 2e-4
    return np.minimum(rounds, limit).mean(axis=0)


def _halves(paths: Sequence[Path]) -> list[dict[str, np.ndarray]]:
    halves = []
    for start in (0, 1):
        loaded = [np.load(path) for path in paths[start::2]]
        lights = np.stack([one["light"] for one in loaded]).astype(np.float32)
        halves.append(
            {
                "light": np.maximum(np.nan_to_num(_robust(lights)), 0),
                "albedo": np.mean([one["albedo"].astype(np.float32) for one in loaded], axis=0),
                "normal": np.mean([one["normal"].astype(np.float32) for one in loaded], axis=0),
            }
        )
    return halves


def _shifted(plane: np.ndarray, dy: int, dx: int) -> np.ndarray:
    return np.roll(plane, (dy, dx), (0, 1))


def denoised(paths: Sequence[Path]) -> tuple[np.ndarray, float]:
    """The map, and its relative noise on ordinary tones (middle over the picture)."""
    one, two = _halves(paths)
    albedo = np.clip((one["albedo"] + two["albedo"]) / 2, 0, 1)
    normal = (one["normal"] + two["normal"]) / 2
    base = albedo + _FLOOR
    codes = [np.log1p(30 * half["light"] / base).astype(np.float32) for half in (one, two)]
    grey = [cv2.GaussianBlur(code.mean(axis=2), (0, 0), 0.6) for code in codes]
    difference = (codes[0] - codes[1]).mean(axis=2)
    variance = cv2.blur(difference**2, (9, 9)) / 2 + 1e-6
    feature = np.concatenate([albedo * 6.0, normal * 2.5], axis=2).astype(np.float32)
    sums = [np.zeros_like(codes[0]) for _ in range(2)]
    weights = [np.zeros(grey[0].shape, np.float32) for _ in range(2)]
    for dy in range(-_REACH, _REACH + 1):
        for dx in range(-_REACH, _REACH + 1):
            unlike = ((feature - _shifted(feature, dy, dx)) ** 2).sum(axis=2)
            for k in range(2):  # weights from the other half
                other = grey[1 - k]
                away = (other - _shifted(other, dy, dx)) ** 2
                away = cv2.blur(away, (2 * _PATCH + 1, 2 * _PATCH + 1))
                w = np.exp(-np.maximum(away - 0.35 * variance, 0) / (0.35 * variance + 2e-5) - unlike)
                sums[k] += w[..., None] * _shifted(codes[k], dy, dx)
                weights[k] += w
    smooth = [np.expm1(s / w[..., None]) / 30 * base for s, w in zip(sums, weights, strict=True)]
    light = (smooth[0] + smooth[1]) / 2
    level = light.mean(axis=2)
    left = np.abs(smooth[0] - smooth[1]).mean(axis=2) / np.maximum(level, 1e-4) / 2 / 0.8
    usual = (level > 0.05) & (level < 0.6)
    return np.maximum(light, 0).astype(np.float32), float(np.median(left[usual])) if usual.any() else 0.0
