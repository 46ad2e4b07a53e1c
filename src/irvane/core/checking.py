"""Values of settings that consist of several numbers, checked and converted; they may come as text."""

from __future__ import annotations

import math
from itertools import pairwise
from typing import Any

from irvane.core.declaring import Crop, Curve, Path, Points, Trail
from irvane.core.errors import SettingError

#: Smallest side of a crop and how far it may lie outside, in per cent of the frame; pixels that a path has at
#: least.
_CROP_LEAST, _CROP_MOST, _MOVED = 0.5, 400.0, 0.5


def _pairs(value: Any, wanted: str) -> tuple[tuple[float, float], ...]:
    """Pairs of numbers, also from text: ``0:0, 3:1.5``; ``none`` is none. `wanted`: what is said
    otherwise."""
    try:
        if isinstance(value, str):
            parts = [] if value.strip() in ("", "none") else value.split(",")
            value = [part.split(":") for part in parts]
        return tuple((float(x), float(y)) for x, y in value)
    except (TypeError, ValueError):
        raise SettingError(f"{wanted}, not “{value}”.") from None


def check_points(path: str, value: Any, declared: Points) -> Curve:
    """Points as pairs, or as text: ``-4:-3.5, 0:0.5``; ``none`` is a straight line."""
    wanted = f"“{path}” takes up to {declared.most} points IN:OUT in EV, both rising"
    points = _pairs(value, wanted)
    numbers = [number for point in points for number in point]
    if not all(math.isfinite(n) and declared.low <= n <= declared.high for n in numbers):
        raise SettingError(f"{wanted}, from {declared.low:g} to {declared.high:g} {declared.unit}.")
    rising = all(a[0] < b[0] and a[1] <= b[1] for a, b in pairwise(points))
    if not rising or len(points) > declared.most:
        raise SettingError(f"{wanted}.")
    return points


def check_path(path: str, value: Any, declared: Trail) -> Path:
    """Points as pairs, or as text: ``0:0, 3:1.5, 5:6``; ``none`` is a straight line."""
    wanted = f"“{path}” takes 2 to {declared.most} points X:Y in pixels, no farther than {declared.far:g} px from the first"
    points = _pairs(value, wanted)
    if not points:
        return ()
    off = [abs(v - first) for point in points for v, first in zip(point, points[0], strict=True)]
    if not 2 <= len(points) <= declared.most or not all(map(math.isfinite, off)) or max(off) > declared.far:
        raise SettingError(f"{wanted}.")
    if max(off) < _MOVED:
        raise SettingError(f"“{path}” takes points that lie apart from each other.")
    return points


def check_crop(path: str, value: Any) -> Crop:
    """Four numbers, or as text ``X,Y,W,H``; ``auto`` and nothing are the largest crop without empty
    corners."""
    wanted = f"“{path}” takes X,Y,W,H: left, top, width and height in per cent of the corrected frame"
    if value is None or (isinstance(value, str) and value.strip() in ("", "auto")):
        return ()
    try:
        numbers = tuple(float(v) for v in (value.split(",") if isinstance(value, str) else value))
    except (TypeError, ValueError):
        raise SettingError(f"{wanted}, not “{value}”.") from None
    if not numbers:
        return ()
    if len(numbers) != 4 or not all(math.isfinite(v) and abs(v) <= _CROP_MOST for v in numbers):
        raise SettingError(f"{wanted}, not “{value}”.")
    if min(numbers[2:]) < _CROP_LEAST:
        raise SettingError(f"{wanted}; width and height are at least {_CROP_LEAST:g} %.")
    return numbers
