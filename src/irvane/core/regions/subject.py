"""The subject of a frame: where it is sharp, stands out from its borders, and is whole.

A small network guesses where it is (:mod:`irvane.core.regions.likely`); a graph cut with colour models makes the guess whole (Rother,
Kolmogorov & Blake 2004, through OpenCV); its contours are refined on the picture itself (guided filter, He, Sun & Tang 2013).
"""

from __future__ import annotations

import threading
from dataclasses import dataclass
from weakref import WeakKeyDictionary

import cv2
import numpy as np

from irvane.core.regions.likely import likely
from irvane.core.regions.reference import Reference

#: Longer side of what the graph cut sees, and its rounds.
_SIDE, _ROUNDS = 420, 4
#: Share of the frame that is its border; guesses that count as surely subject, probably, and surely not; shares of the frame that a subject has.
_BORDER, _SURE, _PROBABLY, _SURELY_NOT, _SHARES = 0.06, 0.9, 0.5, 0.06, (0.004, 0.75)
#: Likeness of a subject that is believed.
BELIEVED = 0.5


@dataclass(frozen=True, eq=False)
class Subject:
    """What was found.

    Attributes
    ----------
    mask : float32 h×w on the reference's pixels; all 0 when nothing is believed. confidence : 0…1.
    """

    mask: np.ndarray
    confidence: float

    @property
    def found(self) -> bool:
        return self.confidence >= BELIEVED


_found: WeakKeyDictionary[Reference, Subject] = WeakKeyDictionary()
_lock = threading.Lock()


def subject_mask(reference: Reference) -> Subject:
    """The subject of a frame, looked for once."""
    with _lock:
        if reference not in _found:
            _found[reference] = _looked_for(reference)
        return _found[reference]


def _looked_for(reference: Reference) -> Subject:
    h, w = reference.shape
    factor = min(1.0, _SIDE / max(h, w))
    size = max(8, round(w * factor)), max(8, round(h * factor))
    code, _ = _seen(reference, size)
    guess = cv2.resize(likely(reference), size, interpolation=cv2.INTER_LINEAR)
    trimap = np.full(guess.shape, cv2.GC_PR_BGD, np.uint8)
    trimap[guess > _PROBABLY] = cv2.GC_PR_FGD
    trimap[guess > _SURE] = cv2.GC_FGD
    trimap[guess < _SURELY_NOT] = cv2.GC_BGD
    if not (trimap == cv2.GC_FGD).any() or not (trimap == cv2.GC_BGD).any():
        return Subject(np.zeros((h, w), np.float32), round(float(guess.max()) * BELIEVED, 2))
    whole = _largest(_cut(code, trimap))
    share = float(whole.mean())
    confidence = _confidence(whole, guess) if _SHARES[0] < share < _SHARES[1] else 0.0
    if confidence < BELIEVED:
        return Subject(np.zeros((h, w), np.float32), confidence)
    large = cv2.resize(whole.astype(np.float32), (w, h), interpolation=cv2.INTER_LINEAR)
    return Subject(_refined(large, reference), confidence)


def _cut(code: np.ndarray, trimap: np.ndarray) -> np.ndarray:
    """What a graph cut makes of a trimap: uint8, 1 inside."""
    cv2.setRNGSeed(3)
    models = np.zeros((1, 65)), np.zeros((1, 65))
    cv2.grabCut(code, trimap, None, *models, _ROUNDS, cv2.GC_INIT_WITH_MASK)  # type: ignore[call-overload]
    return np.isin(trimap, (cv2.GC_FGD, cv2.GC_PR_FGD)).astype(np.uint8)


def mended(reference: Reference, inside: np.ndarray, outside: np.ndarray) -> np.ndarray:
    """The subject with what rough strokes say of it: a graph cut that holds them for certain.

    Parameters
    ----------
    inside, outside : bool h×w on the reference's pixels, what was painted and what was erased.

    Returns
    -------
    float32 h×w on the reference's pixels.
    """
    h, w = reference.shape
    before = subject_mask(reference).mask
    factor = min(1.0, _SIDE / max(h, w))
    size = max(8, round(w * factor)), max(8, round(h * factor))
    code, lab = _seen(reference, size)
    now, yes, no = (
        cv2.resize(p.astype(np.float32), size, interpolation=cv2.INTER_AREA)
        for p in (before, inside, outside)
    )
    trimap = np.where(now > 0.5, cv2.GC_PR_FGD, cv2.GC_PR_BGD).astype(np.uint8)
    if not now.any():  # nothing was found: what is as the strokes are
        edge = max(2, round(_BORDER * min(trimap.shape)))
        away = cv2.distanceTransform((yes < 0.5).astype(np.uint8), cv2.DIST_L2, 5)
        near = away < 0.25 * max(size)
        likely = _alike(lab, yes > 0.5) & near
        trimap[likely] = cv2.GC_PR_FGD
        trimap[:edge], trimap[-edge:], trimap[:, :edge], trimap[:, -edge:] = (cv2.GC_BGD,) * 4
    trimap[yes > 0.5], trimap[no > 0.5] = cv2.GC_FGD, cv2.GC_BGD
    found = np.isin(trimap, (cv2.GC_FGD, cv2.GC_PR_FGD))
    if not found.any() or found.all():
        return np.asarray(inside, np.float32)
    made = _cut(code, trimap)
    count, labels = cv2.connectedComponents(made, connectivity=8)
    sure = {int(k) for k in np.unique(labels[(yes > 0.5) | (now > 0.5)])} - {0}
    whole = np.isin(labels, sorted(sure)) if count > 1 and sure else made.astype(bool)
    large = cv2.resize(whole.astype(np.float32), (w, h), interpolation=cv2.INTER_LINEAR)
    return _refined(large, reference)


def _alike(lab: np.ndarray, where: np.ndarray) -> np.ndarray:
    """Places whose colour is about one of those of certain places."""
    if not where.any():
        return np.zeros(where.shape, bool)
    samples = lab[where]
    rng = np.random.default_rng(2)
    few = samples[rng.choice(len(samples), min(len(samples), 800))]
    centres = _clustered(few) if len(few) > 20 else few[:5]
    return np.asarray(np.min([np.linalg.norm(lab - c, axis=2) for c in centres], axis=0) < 16)


def _seen(reference: Reference, size: tuple[int, int]) -> tuple[np.ndarray, np.ndarray]:
    """What the graph cut sees: 8 bits a colour, and the same as CIE L*a*b*."""
    light = cv2.resize(reference.light, size, interpolation=cv2.INTER_AREA)
    code = np.clip(np.sqrt(np.clip(light, 0, 1)) * 255, 0, 255).astype(np.uint8)
    return code, cv2.cvtColor(np.ascontiguousarray(code), cv2.COLOR_RGB2LAB).astype(np.float32)


def _clustered(samples: np.ndarray) -> np.ndarray:
    criteria = (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_MAX_ITER, 20, 0.5)
    cv2.setRNGSeed(5)
    _, _, centres = cv2.kmeans(samples.astype(np.float32), 5, None, criteria, 2, cv2.KMEANS_PP_CENTERS)  # type: ignore[call-overload]
    return np.asarray(centres)


def _largest(inside: np.ndarray) -> np.ndarray:
    """The largest joined part, and others at least a tenth of it."""
    opened = cv2.morphologyEx(inside, cv2.MORPH_OPEN, np.ones((3, 3), np.uint8))
    count, labels, stats, _ = cv2.connectedComponentsWithStats(opened, connectivity=8)
    if count < 2:
        return np.zeros(inside.shape, bool)
    areas = stats[1:, cv2.CC_STAT_AREA]
    kept = [k + 1 for k, area in enumerate(areas) if area >= 0.1 * areas.max()]
    return np.isin(labels, kept)


def _confidence(whole: np.ndarray, guess: np.ndarray) -> float:
    """How much likelier inside is than outside, and how well the cut agrees with the guess."""
    if not whole.any() or whole.all():
        return 0.0
    told = guess > _PROBABLY
    agrees = float((told & whole).sum() / max((told | whole).sum(), 1))
    return round(float(np.clip(guess[whole].mean() - guess[~whole].mean(), 0, 1)) * agrees**0.5, 2)


def _refined(mask: np.ndarray, reference: Reference) -> np.ndarray:
    """Contours that follow the picture: a guided filter along them."""
    guide = np.clip(reference.stops / 12 + 0.6, 0, 1)
    radius, eps = max(3, round(max(mask.shape) / 220)), 4e-4
    box = (2 * radius + 1, 2 * radius + 1)
    mean_i, mean_p = cv2.blur(guide, box), cv2.blur(mask, box)
    cov = cv2.blur(guide * mask, box) - mean_i * mean_p
    a = cov / (cv2.blur(guide * guide, box) - mean_i**2 + eps)
    b = mean_p - a * mean_i
    made = np.clip(cv2.blur(a, box) * guide + cv2.blur(b, box), 0, 1)
    return np.asarray(np.clip((made - 0.15) / 0.7, 0, 1), np.float32)
