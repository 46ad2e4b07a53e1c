"""Settings from lines: drawn along what should be level, upright or straight, or found in the picture.

Lines are places in the frame (x, y in pixels), so that they stay on what they were drawn along whatever is
corrected.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import cv2
import numpy as np

from irvane.core.lens.corrections import LensFacts
from irvane.core.lens.framing import geometry_of, uncropped
from irvane.core.stations import Lens

LEVEL, UPRIGHT = "level", "upright"
#: Degrees beyond which a found line is neither level nor upright by accident, and within which lines agree.
_SLANTED, _AGREE = 12.0, 0.4
#: Shortest line that is looked at, as a share of the picture's longer side.
_SHORTEST = 0.03
#: Share of the lines (by length) that must agree, and their length in pictures' sides, for certainty.
_SURE_SHARE, _SURE_LENGTH = 0.35, 1.2
#: Largest values that are tried, per cent and degrees.
_MOST_BENT, _MOST_TILTED = 30.0, 45.0


def _corrected(facts: LensFacts, lens: Lens, places: np.ndarray) -> np.ndarray:
    """Where places of the frame lie in the corrected frame."""
    return geometry_of(facts, uncropped(lens)).to_output(np.asarray(places, float))


def _off(line: np.ndarray) -> float:
    """Degrees by which a line (2×2) is turned clockwise from the nearest of level and upright: −45…45."""
    (x0, y0), (x1, y1) = line
    return (math.degrees(math.atan2(y1 - y0, x1 - x0)) + 45) % 90 - 45


def levelled(facts: LensFacts, lens: Lens, line: np.ndarray) -> float:
    """The setting ``lens.straighten`` under which a line of the frame (2×2) is level or upright, whichever is
    nearer."""
    turned = lens.straighten - _off(_corrected(facts, lens, line))
    return round(min(max(turned, -45.0), 45.0), 2)


def set_upright(facts: LensFacts, lens: Lens, lines: Sequence[tuple[str, np.ndarray]]) -> dict[str, float]:
    """Settings under which lines of the frame are level or upright.

    Parameters
    ----------
    lines : kind (LEVEL or UPRIGHT) and ends (2×2) of each. Two upright ones tell the tilt, two level ones the
        swing; any tells the turn.

    Returns
    -------
    Values of ``lens.vertical``, ``lens.horizontal`` and ``lens.straighten``: those that the lines tell, the
    others as they are.
    """
    from scipy.optimize import least_squares

    names = ["straighten"]
    if sum(kind == UPRIGHT for kind, _ in lines) >= 2:
        names.append("vertical")
    if sum(kind == LEVEL for kind, _ in lines) >= 2:
        names.append("horizontal")

    def off(values: np.ndarray) -> np.ndarray:
        changed: dict[str, Any] = {name: float(v) for name, v in zip(names, values, strict=True)}
        tried = replace(lens, **changed)
        found = []
        for kind, line in lines:
            (x0, y0), (x1, y1) = _corrected(facts, tried, line)
            across, along = (x1 - x0, y1 - y0) if kind == UPRIGHT else (y1 - y0, x1 - x0)
            found.append(
                math.degrees(math.atan2(across, abs(along) + 1e-9)) if math.isfinite(across + along) else 45.0
            )
        return np.array([*found, *(1e-4 * values)])

    limits = np.full(len(names), _MOST_TILTED)
    start = np.clip([getattr(lens, name) for name in names], -limits + 0.1, limits - 0.1)
    solved = least_squares(off, start, bounds=(-limits, limits), diff_step=1e-3, x_scale=5.0)
    return {f"lens.{name}": round(float(v), 2) for name, v in zip(names, solved.x, strict=True)}


def straightened(facts: LensFacts, lens: Lens, curves: Sequence[np.ndarray]) -> float:
    """The setting ``lens.distortion`` under which curves of the frame (N×2 each, at least three places) are
    straightest."""
    from scipy.optimize import minimize_scalar

    def bent(value: float) -> float:
        tried = replace(lens, distortion=float(value))
        total = 0.0
        for curve in curves:
            places = _corrected(facts, tried, curve)
            if not np.isfinite(places).all():
                return 1e9
            about = places - places.mean(axis=0)
            # the least singular value: distances from the best straight line
            total += float(np.linalg.svd(about, compute_uv=False)[-1] ** 2 / np.sum(about**2))
        return total * 1e4 + 1e-7 * value**2

    coarse = min(np.arange(-_MOST_BENT, _MOST_BENT + 0.5, 1.0), key=bent)
    found = minimize_scalar(
        bent, bounds=(max(coarse - 1.5, -_MOST_BENT), min(coarse + 1.5, _MOST_BENT)), method="bounded",
        options={"xatol": 0.01},
    )  # fmt: skip
    return round(float(found.x), 2)


@dataclass(frozen=True)
class Levelling:
    """What the lines of a picture say of its level.

    Attributes
    ----------
    degrees : to turn it clockwise by.
    share : of the lines near level or upright (by length) that agree; 0 without any.
    sure : do enough of them agree?
    """

    degrees: float
    share: float
    sure: bool


def find_level(light: np.ndarray) -> Levelling:
    """How far a picture is from level, by its contours (line segments: von Gioi and others 2010, through
    OpenCV).

    Parameters
    ----------
    light : linear luminance, float32 H×W, about a thousand pixels across.
    """
    high = max(float(np.percentile(light, 99.5)), 1e-6)
    seen = (np.sqrt(np.clip(light / high, 0, 1)) * 255).astype(np.uint8)
    found = cv2.createLineSegmentDetector().detect(seen)[0]
    longest = max(seen.shape)
    if found is None:
        return Levelling(0.0, 0.0, False)
    lines = found.reshape(-1, 2, 2).astype(float)
    length = np.hypot(*(lines[:, 1] - lines[:, 0]).T)
    lines, length = lines[length > _SHORTEST * longest], length[length > _SHORTEST * longest]
    off = np.array([_off(line) for line in lines])
    near = np.abs(off) < _SLANTED
    off, weight = off[near], length[near]
    if off.size < 3:
        return Levelling(0.0, 0.0, False)
    tried = np.arange(-_SLANTED, _SLANTED + 0.05, 0.05)
    votes = [float(np.sum(weight * np.exp(-0.5 * ((off - t) / _AGREE) ** 2))) for t in tried]
    best = float(tried[int(np.argmax(votes))])
    agreeing = np.abs(off - best) < 2 * _AGREE
    best = float(np.average(off[agreeing], weights=weight[agreeing]))
    share = float(weight[agreeing].sum() / weight.sum())
    sure = share >= _SURE_SHARE and float(weight[agreeing].sum()) >= _SURE_LENGTH * longest
    return Levelling(round(-best, 2), share, sure)
