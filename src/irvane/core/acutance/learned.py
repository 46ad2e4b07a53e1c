"""A known blur undone by a small network that is told the kernel through what classical methods make of it.

It sees the blurred plane, the splitting's result and two Wiener filtered ones of different caution (after
Dong, Roth & Schiele 2020, "Deep Wiener deconvolution"), how much noise there is and how wide the blur, and
mends the splitting's result (``training/deblurrer.py``). How far it may leave the classical results is
bounded.
"""

from __future__ import annotations

import cv2
import numpy as np

from irvane.core import networks
from irvane.core.acutance.blurs import Blur
from irvane.core.acutance.deconvolve import deconvolve, wiener

_PACKAGE, _NETWORK = "irvane.core.acutance", "deblur"
#: Cautions of the Wiener filters, for noise of 1 % of the light; least of each.
_CAUTIONS, _LEAST = (0.0015, 0.015), 2e-5
#: What the network's answer is multiplied by; sides are made whole multiples of so many pixels.
SCALE, _ALIGN = 0.2, 4
#: Pixels around a place within which the classical results bound it, and the share of their range by which it
#: may leave them.
_AROUND, _BEYOND = 5, 0.25


def fingerprint() -> str:
    """Hash of the network's weights."""
    return networks.fingerprint(_PACKAGE, _NETWORK)


def coded(plane: np.ndarray) -> np.ndarray:
    """Light around 1 as the network sees it."""
    return np.asarray(0.5 * np.sqrt(np.maximum(plane, 0)), np.float32)


def planes_for(
    plane: np.ndarray, blur: Blur, sigma: float, fine: float = 1.0, known: np.ndarray | None = None,
    clipped: np.ndarray | None = None,
) -> tuple[np.ndarray, np.ndarray]:  # fmt: skip
    """What the network sees of a plane (float32 6×H×W), and the splitting's result; parameters as of
    :func:`deconvolve`."""
    split = deconvolve(plane, blur, sigma, fine, known, clipped)
    seen = [coded(plane), coded(split)]
    for caution in _CAUTIONS:
        seen.append(coded(wiener(plane, blur, caution / fine * (sigma / 0.01) ** 2 + _LEAST)))
    facts = np.log2(max(sigma, 1e-4) / 0.01) / 8, min(blur.width, 10.0) / 10
    seen += [np.full(plane.shape, fact, np.float32) for fact in facts]
    return np.stack(seen), split


def restore(
    plane: np.ndarray, blur: Blur, sigma: float, fine: float = 1.0, known: np.ndarray | None = None,
    clipped: np.ndarray | None = None,
) -> np.ndarray:  # fmt: skip
    """A plane without its blur; parameters as of :func:`deconvolve`."""
    seen, split = planes_for(plane, blur, sigma, fine, known, clipped)
    h, w = plane.shape
    rest = (0, -h % _ALIGN), (0, -w % _ALIGN)
    padded = np.pad(seen, ((0, 0), *rest), mode="reflect")
    added = SCALE * networks.run(_PACKAGE, _NETWORK, padded)[0, :h, :w]
    made = split + (2 * np.maximum(seen[1] + added, 0)) ** 2 - (2 * seen[1]) ** 2
    return _bounded(made, split, plane, sigma)


def _bounded(made: np.ndarray, split: np.ndarray, plane: np.ndarray, sigma: float) -> np.ndarray:
    around = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (_AROUND, _AROUND))
    low, high = cv2.erode(np.minimum(split, plane), around), cv2.dilate(np.maximum(split, plane), around)
    room = _BEYOND * (high - low) + np.float32(sigma)
    return np.asarray(np.clip(made, low - room, high + room), np.float32)
