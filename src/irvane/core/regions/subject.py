"""The subject of a frame: where it is sharp, stands out from its borders, and is whole.

How much a place stands out from the background (:mod:`irvane.core.regions.saliency`), how sharp it is,
and what a small network makes of the picture (:mod:`irvane.core.regions.likely`) give a first guess; a graph
cut with colour models (Rother, Kolmogorov & Blake 2004, through OpenCV) makes it whole; its contours are
refined on the picture itself (guided filter, He, Sun & Tang 2013). Whether that is a subject is for
:mod:`irvane.core.regions.belief` to say.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from irvane.core.regions.belief import confidence, features
from irvane.core.regions.likely import likely
from irvane.core.regions.reference import Reference
from irvane.core.regions.saliency import saliency
from irvane.core.store.kept import STORE

#: Longer side of what the graph cut sees, and its rounds.
_SIDE, _ROUNDS = 420, 4
#: Share of the network in the guess, and of the frame that is its border; shares of the frame that a subject
#: has.
_LEARNED, _BORDER, _SHARES = 0.3, 0.06, (0.004, 0.75)
#: Guesses, relative to the highest, that count as surely subject, probably, hardly, and surely not; so many
#: pixels away from what is likely, what is hardly so is none.
_SURE, _PROBABLY, _HARDLY, _SURELY_NOT, _NEAR = 0.92, 0.65, 0.35, 0.15, 25
#: Likeness of a subject that is believed.
BELIEVED = 0.53
#: σ of edges, in pixels, that count as sharp, and as soft.
_SHARP, _SOFT = 1.0, 2.2


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


def subject_mask(reference: Reference) -> Subject:
    """The subject of a frame, looked for once."""
    return STORE.kept("subject", (reference,), None, lambda: _looked_for(reference))


def _looked_for(reference: Reference) -> Subject:
    h, w = reference.shape
    nothing = np.zeros((h, w), np.float32)
    whole, found = cut_out(reference)
    if found is None:
        return Subject(nothing, 0.0)
    sure = confidence(found)
    if sure < BELIEVED:
        return Subject(nothing, sure)
    large = cv2.resize(whole.astype(np.float32), (w, h), interpolation=cv2.INTER_LINEAR)
    return Subject(_refined(large, reference), sure)


def cut_out(reference: Reference) -> tuple[np.ndarray, np.ndarray | None]:
    """What is most likely the subject, bool on a reduced picture, and its features; None where nothing can be
    cut out."""
    h, w = reference.shape
    factor = min(1.0, _SIDE / max(h, w))
    size = max(8, round(w * factor)), max(8, round(h * factor))
    code, lab = _seen(reference, size)
    sharp = _sharpness(reference, size)
    classical = _guess(lab, sharp)
    learned = cv2.resize(likely(reference), size, interpolation=cv2.INTER_LINEAR)
    guess = _LEARNED * learned + (1 - _LEARNED) * classical
    guess = guess / max(float(np.quantile(guess, 0.998)), 1e-3)
    trimap = np.full(guess.shape, cv2.GC_PR_BGD, np.uint8)
    trimap[guess > _PROBABLY] = cv2.GC_PR_FGD
    trimap[guess > _SURE] = cv2.GC_FGD
    away = cv2.dilate((guess > 0.5).astype(np.uint8), np.ones((_NEAR, _NEAR))) == 0
    trimap[(guess < _SURELY_NOT) | (away & (guess < _HARDLY))] = cv2.GC_BGD
    if not (trimap == cv2.GC_FGD).any() or not (trimap == cv2.GC_BGD).any():
        return np.zeros(guess.shape, bool), None
    whole = _largest(_cut(code, trimap))
    if not _SHARES[0] < float(whole.mean()) < _SHARES[1]:
        return whole, None
    return whole, features(whole, classical, learned, sharp, lab)


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


def _sharpness(reference: Reference, size: tuple[int, int]) -> np.ndarray | None:
    """0 soft … 1 sharp, where edges tell; None when they tell nothing anywhere."""
    known = np.isfinite(reference.softness)
    if known.mean() < 0.02:
        return None
    sharp = np.clip((_SOFT - np.nan_to_num(reference.softness, nan=_SOFT)) / (_SOFT - _SHARP), 0, 1) * known
    a, b = (cv2.GaussianBlur(p.astype(np.float32), (0, 0), 1.0) for p in (sharp, known))
    return cv2.resize(a / np.maximum(b, 0.15), size, interpolation=cv2.INTER_LINEAR)


def _guess(lab: np.ndarray, sharp: np.ndarray | None) -> np.ndarray:
    """How likely every place belongs to the subject: float32, 0…1."""
    h, w = lab.shape[:2]
    stands = (saliency(lab) + _unlike(lab)) / 2
    y, x = np.mgrid[0:h, 0:w]
    centred = np.exp(-(((x / w - 0.5) / 0.42) ** 2 + ((y / h - 0.5) / 0.48) ** 2))
    if sharp is None or float(np.quantile(sharp, 0.9) - np.quantile(sharp, 0.3)) < 0.3:
        return np.asarray(stands * (0.45 + 0.55 * centred), np.float32)
    # what is in focus is meant; colours make it whole
    return np.asarray(np.clip(0.55 * sharp + 0.55 * stands, 0, 1) * (0.6 + 0.4 * centred), np.float32)


def _unlike(lab: np.ndarray) -> np.ndarray:
    """How far colours are from those of the frame's border: float32, 0…1."""
    h, w = lab.shape[:2]
    edge = max(2, round(_BORDER * min(h, w)))
    rim = np.ones((h, w), bool)
    rim[edge:-edge, edge:-edge] = False
    samples = lab[rim]
    rng = np.random.default_rng(2)
    centres = _clustered(samples[rng.choice(len(samples), min(len(samples), 1500), replace=False)])
    away = np.min([np.linalg.norm(lab - c, axis=2) for c in centres], axis=0)
    away = cv2.GaussianBlur(away.astype(np.float32), (0, 0), 2.0)
    return np.asarray(np.clip(away / max(float(np.quantile(away, 0.97)), 20.0), 0, 1), np.float32)


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
