"""Rebuilding clipped highlights from the colours that still hold.

Beside every clipped place, on a reduced copy of the whole frame, the ratios between the colours of bright unclipped
surroundings are spread into the clipped area (normalised convolution, Knutsson & Westin 1993, over growing radii).
A clipped colour is then what its neighbours' ratio to the surviving colours says, and never less than the level at
which it clipped. Where all three are gone, colour fades to neutral: what is gone is shown as gone.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from irvane.core.guidance import sample
from irvane.core.kernels import flat, serial

#: Signal, relative to clipping, from which a colour counts as clipped; it fades in from the first figure on.
CLIP_START, CLIP_FULL = 0.96, 0.995
_SPREADS = (2.0, 6.0, 18.0, 54.0, 160.0)
_MAP_SIDE = 900
_BRIGHT = 0.3  # surroundings must be at least this bright to lend their colour


@dataclass(frozen=True)
class HighlightMap:
    """Log ratios of the surroundings' colours to their mean, spread over the frame.

    Attributes
    ----------
    ratios : float32, h×w×3, natural logarithm of balanced colour over the geometric mean; None when nothing clips.
    extent : height and width of the frame in pixels.
    share : share of the frame's (reduced) pixels with at least one clipped colour.
    """

    ratios: np.ndarray | None
    extent: tuple[int, int]
    share: float


def _wide_blur(picture: np.ndarray, sigma: float) -> np.ndarray:
    """Gaussian blur; a wide one is done on a reduced copy, where it takes no longer than a narrow one."""
    factor = max(1, int(sigma / 3))
    h, w = picture.shape[:2]
    if factor == 1:
        return cv2.GaussianBlur(picture, (0, 0), sigma)
    size = (max(1, round(w / factor)), max(1, round(h / factor)))
    small = cv2.GaussianBlur(
        cv2.resize(picture, size, interpolation=cv2.INTER_AREA), (0, 0), sigma * size[0] / w
    )
    return cv2.resize(small, (w, h), interpolation=cv2.INTER_LINEAR)


def make_map(camera: np.ndarray, gains: np.ndarray, extent: tuple[int, int]) -> HighlightMap:
    """Build the map from a reduced camera-linear picture of the whole frame (float32 h×w×3, 1 = clipping)."""
    while max(camera.shape[:2]) > _MAP_SIDE:  # the map is smooth: a small copy tells the same
        h, w = (side // 2 for side in camera.shape[:2])
        camera = cv2.resize(camera[: 2 * h, : 2 * w], (w, h), interpolation=cv2.INTER_AREA)
    clipped = (camera >= CLIP_START).any(axis=2)
    share = float(clipped.mean())
    if share == 0:
        return HighlightMap(None, extent, 0.0)
    balanced = np.maximum(camera * gains.astype(np.float32), 1e-4)
    logs = np.log(balanced)
    ratios = logs - logs.mean(axis=2, keepdims=True)
    brightest = camera.max(axis=2)
    weight = np.where(clipped | (brightest < _BRIGHT), 0, brightest**2).astype(np.float32)
    spread = np.zeros_like(ratios)
    confidence = np.zeros(weight.shape, np.float32)
    weighted = np.dstack([ratios * weight[..., None], weight])
    longest = max(weight.shape)
    for sigma in _SPREADS:
        blurred = _wide_blur(weighted, max(0.6, sigma * longest / 1600))
        lent = blurred[..., 3]
        colour = blurred[..., :3] / np.maximum(lent, 1e-12)[..., None]
        trust = np.clip(lent / 0.02, 0, 1) * (1 - confidence)
        spread += colour * trust[..., None]
        confidence += trust
    spread /= np.maximum(confidence, 1e-6)[..., None]
    spread *= np.clip(confidence * 4, 0, 1)[..., None]
    return HighlightMap(cv2.GaussianBlur(spread, (0, 0), 2.0).astype(np.float32), extent, share)


@serial
def _rebuild(camera, ratios, gains, start, full, out):
    largest_gain = max(gains[0], max(gains[1], gains[2]))
    for i in range(camera.size // 3):
        pixel, ratio, target = camera[3 * i : 3 * i + 3], ratios[3 * i : 3 * i + 3], out[3 * i : 3 * i + 3]
        if max(pixel[0], max(pixel[1], pixel[2])) <= start:
            continue
        held = np.float32(0)
        total = np.float32(0)
        for c in range(3):
            v = pixel[c]
            gone = min(max((v - start) / (full - start), np.float32(0)), np.float32(1))
            # each colour that holds proposes a brightness; nearly clipped ones speak softly
            trust = (1 - gone) * max(v, np.float32(1e-3))
            held += trust
            total += trust * (np.log(max(v * gains[c], np.float32(1e-4))) - ratio[c])
        least = min(pixel[0], min(pixel[1], pixel[2]))
        all_gone = min(max((least - start) / (full - start), np.float32(0)), np.float32(1))
        level = total / max(held, np.float32(1e-6))
        for c in range(3):
            v = pixel[c]
            gone = min(max((v - start) / (full - start), np.float32(0)), np.float32(1))
            if gone <= 0:
                continue
            guess = v
            if held > np.float32(1e-6):
                guess = np.exp(min(level + ratio[c], np.float32(4))) / gains[c]
            guess = min(max(guess, v), np.float32(8))
            # nothing holds: the largest balanced colour, equally in all channels
            white = v + all_gone * max(largest_gain / gains[c] * min(v, np.float32(1)) - v, np.float32(0))
            guess = guess + all_gone * (white - guess)
            target[c] = v + gone * (guess - v)


def rebuild(
    camera: np.ndarray, gains: np.ndarray, where: HighlightMap, top: float, left: float, step: float
) -> np.ndarray:
    """Rebuild clipped colours of a view: float32 H×W×3 camera-linear in and out.

    Parameters
    ----------
    gains : white-balance gains of the shot (smallest 1).
    where : the frame's map.
    top, left, step : where the view lies, see :func:`irvane.core.light.guide.sample`.
    """
    if where.ratios is None or camera.max() <= CLIP_START:
        return camera
    ratios = sample(where.ratios, where.extent, top, left, step, camera.shape[:2])
    out = np.array(camera, np.float32, order="C")
    limits = np.float32(CLIP_START), np.float32(CLIP_FULL)
    _rebuild(flat(camera), flat(ratios), gains.astype(np.float32), *limits, flat(out))
    return out
