"""A region: what part of the frame it is, and by how much settings differ there from the frame's own.

Places are shares of the upright frame's width and height, before any lens correction, straightening or crop:
a region stays on its thing. How overlapping regions combine is one rule. Numbers change in their own units:
each region's change is what it alone would do to the frame, weighted by its mask and opacity, and the changes
of all add (exposures in EV). Of choices that regions contradict each other in, the one whose mask is
strongest at a place counts there.
"""

from __future__ import annotations

import json
import math
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from irvane.core.declaring import Choice, Number
from irvane.core.errors import SettingError

#: What a region's parts can be, in words; and how many numbers each has.
KINDS = {
    "linear": ("linear gradient", 4), "round": ("radial gradient", 6), "brush": ("brush", 0),
    "tone": ("tones", 3), "hue": ("hues", 3), "spot": ("like this place", 4), "focus": ("in focus", 2),
    "subject": ("subject", 0),
}  # fmt: skip
OPERATIONS = ("add", "subtract", "intersect")
#: Settings that act in a region.
ALLOWED = (
    *(f"noise.{n}" for n in (
        "amount", "luminance", "colour", "texture", "shadows", "midtones", "highlights", "fine", "medium",
        "coarse", "clear_black",
    )),
    *(f"light.{n}" for n in (
        "exposure", "shadows", "highlights", "midtones", "contrast", "local_small", "local_large", "black",
        "tone_strength",
    )),
    *(f"colour.{n}" for n in (
        "temperature", "tint", "saturation", "pale", "reds", "yellows", "greens", "cyans", "blues", "purples",
    )),
    "lens.fringing",
    *(f"acutance.{n}" for n in (
        "deblur", "deblur_strength", "automatic", "fine", "medium", "coarse", "noise_floor", "overshoot",
    )),
)  # fmt: skip
#: The one that acts exactly by stops.
EXPOSURE = "light.exposure"
#: Most regions of a proof, parts of a region, points of all strokes of a part; longest name.
MOST, _MOST_PARTS, _MOST_POINTS, _LONGEST_NAME = 64, 64, 200_000, 60


@dataclass(frozen=True)
class Stroke:
    """A stroke of the brush.

    Attributes
    ----------
    points : x, y and pressure (0…1) in a row. size : diameter as a share of the frame's width.
    softness, opacity : 0…1. erases : does it take away? follows : does it keep to the contour under its
        middle?
    """

    points: tuple[float, ...]
    size: float
    softness: float = 0.5
    opacity: float = 1.0
    erases: bool = False
    follows: bool = False


@dataclass(frozen=True)
class Part:
    """One shape of a region.

    Attributes
    ----------
    kind : of KINDS. numbers : linear: x, y where it is whole, and where it ends; round: x, y, radii along x
        and y (shares of the width), angle in degrees, softness; tone: from, to (EV around mid-grey), softness
        in EV; hue: degrees, width, softness; spot: x, y, radius (share of the width), tolerance in EV; focus:
        largest σ in pixels, softness.
    operation : of OPERATIONS, with what the parts before it made.
    strokes : of a brush; of a subject those that mend it.
    """

    kind: str
    numbers: tuple[float, ...] = ()
    operation: str = "add"
    inverted: bool = False
    strokes: tuple[Stroke, ...] = ()


@dataclass(frozen=True)
class LocalRegion:
    """A named region.

    Attributes
    ----------
    opacity : 0…1. feather, grow : per cent of the frame's diagonal.
    changes : by full names, what is added to numbers, or what choices are instead.
    damaged : JSON that says nothing here; it is kept and written back as it is.
    """

    name: str
    parts: tuple[Part, ...] = ()
    changes: tuple[tuple[str, Any], ...] = ()
    on: bool = True
    opacity: float = 1.0
    inverted: bool = False
    feather: float = 0.0
    grow: float = 0.0
    damaged: str = field(default="", compare=True)

    @property
    def acts(self) -> bool:
        """Does it change anything?"""
        return self.on and self.opacity > 0 and bool(self.changes) and not self.damaged

    def change(self, path: str) -> Any:
        """What it changes of a setting; None when nothing."""
        return dict(self.changes).get(path)

    def with_change(self, path: str, value: Any) -> LocalRegion:
        """The same with one change; None (or 0 for numbers) takes it away."""
        kept = {name: v for name, v in self.changes if name != path}
        if value is not None and value != 0:
            kept[path] = value
        return replace(self, changes=tuple(sorted(kept.items())))


def changed(value: Any, change: Any, declared: Number | Choice) -> Any:
    """The frame's value as a region has it."""
    if isinstance(declared, Choice):
        return change
    return min(max(float(value) + float(change), declared.low), declared.high)


# JSON


def as_json(region: LocalRegion) -> dict[str, Any]:
    """JSON-ready form."""
    if region.damaged:
        return dict(json.loads(region.damaged))
    return {
        "name": region.name, "on": region.on, "opacity": region.opacity, "inverted": region.inverted,
        "feather": region.feather,
        "grow": region.grow, "changes": dict(region.changes),
        "parts": [
            {"kind": p.kind, "numbers": list(p.numbers), "operation": p.operation, "inverted": p.inverted}
            | ({"strokes": [_stroke_json(s) for s in p.strokes]} if p.strokes else {})
            for p in region.parts
        ],
    }  # fmt: skip


def _stroke_json(stroke: Stroke) -> dict[str, Any]:
    return {
        "points": [round(v, 5) for v in stroke.points], "size": stroke.size, "softness": stroke.softness,
        "opacity": stroke.opacity,
        "erases": stroke.erases, "follows": stroke.follows,
    }  # fmt: skip


def from_json(data: Any, spec: Mapping[str, Any]) -> tuple[LocalRegion, str]:
    """A region, and a sentence where it is damaged: it is kept then, and does nothing.

    Parameters
    ----------
    spec : declarations of the settings in ALLOWED.
    """
    try:
        return _read(data, spec), ""
    except (KeyError, TypeError, ValueError, AttributeError, OverflowError, SettingError) as error:
        name = str(data.get("name", "a region")) if isinstance(data, dict) else "a region"
        kept = json.dumps(data if isinstance(data, dict) else {"name": name, "data": data})
        words = str(error) if isinstance(error, SettingError) else "it is damaged"
        return LocalRegion(
            name[:_LONGEST_NAME], damaged=kept
        ), f"The region “{name[:_LONGEST_NAME]}” does nothing: {words}."


def _number(value: Any, low: float = -math.inf, high: float = math.inf) -> float:
    if isinstance(value, bool) or not isinstance(value, int | float) or not math.isfinite(value):
        raise ValueError(value)
    if not low <= value <= high:
        raise ValueError(value)
    return float(value)


def _read(data: Any, spec: Mapping[str, Any]) -> LocalRegion:
    parts = tuple(_part(one) for one in data["parts"])
    if len(parts) > _MOST_PARTS:
        raise ValueError
    changes: dict[str, Any] = {}
    for path, value in data["changes"].items():
        if path not in spec:
            raise SettingError(f"“{path}” is no setting that acts in a region")
        declared = spec[path]
        if isinstance(declared, Choice):
            if value not in [key for key, _ in declared.options]:
                raise ValueError(value)
            changes[path] = value
        else:
            span = declared.high - declared.low
            changes[path] = _number(value, -span, span)
    return LocalRegion(
        str(data["name"])[:_LONGEST_NAME], parts, tuple(sorted(changes.items())), bool(data.get("on", True)),
        _number(data.get("opacity", 1.0), 0, 1), bool(data.get("inverted", False)),
        _number(data.get("feather", 0.0), 0, 50),
        _number(data.get("grow", 0.0), -50, 50),
    )  # fmt: skip


def _part(data: Any) -> Part:
    kind, operation = data["kind"], data.get("operation", "add")
    numbers = tuple(_number(v, -1e4, 1e4) for v in data.get("numbers", ()))
    if kind not in KINDS or operation not in OPERATIONS or len(numbers) != KINDS[kind][1]:
        raise ValueError(kind)
    strokes = tuple(_stroke(one) for one in data.get("strokes", ()))
    if sum(len(s.points) for s in strokes) > 3 * _MOST_POINTS:
        raise ValueError
    return Part(kind, numbers, operation, bool(data.get("inverted", False)), strokes)


def _stroke(data: Any) -> Stroke:
    points = tuple(_number(v, -10, 10) for v in data["points"])
    if len(points) % 3 or not points:
        raise ValueError
    return Stroke(
        points, _number(data["size"], 1e-4, 2), _number(data.get("softness", 0.5), 0, 1),
        _number(data.get("opacity", 1.0), 0, 1),
        bool(data.get("erases", False)), bool(data.get("follows", False)),
    )  # fmt: skip
