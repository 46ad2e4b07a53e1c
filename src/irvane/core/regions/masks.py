"""From shapes to masks. Gradients are evaluated where they are asked for, what is painted on the frame's own
pixels; all others once, on the reference's."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from dataclasses import dataclass, replace

import cv2
import numpy as np

from irvane.core.regions.painted import dabs, painted, stamped, with_stroke
from irvane.core.regions.reference import Reference
from irvane.core.regions.region import LocalRegion, Part, Stroke
from irvane.core.regions.subject import mended, subject_mask
from irvane.core.store.kept import STORE

_WHOLE = 65535
#: Frame pixels between places up to which what is painted is looked up on the frame's own pixels.
_CLOSE = 1.6
#: Colours that differ by so many EV are other things to a brush that follows contours.
_FOLLOWS = 0.5
#: Chroma below which a hue says nothing, and above which it says all.
_PALE = (0.06, 0.2)


@dataclass(frozen=True)
class Places:
    """Where the pixels of a view lie in the frame: shares of its width and height, float32 H×W each."""

    x: np.ndarray
    y: np.ndarray
    ratio: float  # the frame's height over its width


def ramp(value: np.ndarray, low: float, high: float) -> np.ndarray:
    """0 up to `low`, 1 from `high` on, straight between."""
    if high <= low:
        return (value >= high).astype(np.float32)
    return np.clip((value - np.float32(low)) / np.float32(high - low), 0, 1).astype(np.float32)


def _linear(numbers: tuple[float, ...], at: Places) -> np.ndarray:
    x0, y0, x1, y1 = numbers
    dx, dy = x1 - x0, (y1 - y0) * at.ratio
    length2 = max(dx * dx + dy * dy, 1e-12)
    along = (
        (at.x - np.float32(x0)) * np.float32(dx) + (at.y - np.float32(y0)) * np.float32(at.ratio * dy)
    ) / np.float32(length2)
    return np.clip(1 - along, 0, 1).astype(np.float32)


def _round(numbers: tuple[float, ...], at: Places) -> np.ndarray:
    x0, y0, rx, ry, angle, softness = numbers
    c, s = np.cos(np.radians(angle)), np.sin(np.radians(angle))
    dx, dy = at.x - np.float32(x0), (at.y - np.float32(y0)) * np.float32(at.ratio)
    u, v = (dx * c + dy * s) / max(rx, 1e-6), (-dx * s + dy * c) / max(ry, 1e-6)
    far = np.hypot(u, v)
    return (1 - ramp(far, 1 - np.clip(softness, 0, 1), 1.0)).astype(np.float32)


def paint(mask: np.ndarray, stroke: Stroke, reference: Reference) -> None:
    """Add a stroke to a mask (float32 h×w, 0…1) in place."""
    shape = mask.shape[0], mask.shape[1]
    places, radius = dabs(stroke, *shape)
    share = (lambda box, y, x: _alike(reference, box, y, x)) if stroke.follows else None
    mask[:] = with_stroke(mask, stamped(places, shape, stroke, radius, share), stroke.erases)


def _alike(reference: Reference, box: tuple[int, int, int, int], cy: int, cx: int) -> np.ndarray:
    """How like the place under a brush's middle its surroundings are, and joined to it."""
    y0, y1, x0, x1 = box
    stops = np.log2(np.maximum(reference.light[y0:y1, x0:x1], 1e-5))
    middle = np.log2(
        np.maximum(reference.light[max(cy - 1, 0) : cy + 2, max(cx - 1, 0) : cx + 2], 1e-5)
    ).mean(axis=(0, 1))
    apart = np.abs(stops - middle).max(axis=2)
    like = (apart < _FOLLOWS).astype(np.uint8)
    like[cy - y0, cx - x0] = 1
    _, labels = cv2.connectedComponents(like, connectivity=4)
    return cv2.GaussianBlur((labels == labels[cy - y0, cx - x0]).astype(np.float32), (0, 0), 0.7)


def _painted(strokes: tuple[Stroke, ...], reference: Reference) -> np.ndarray:
    mask = np.zeros(reference.shape, np.float32)
    for stroke in strokes:
        paint(mask, stroke, reference)
    return mask


def _spot(numbers: tuple[float, ...], reference: Reference) -> np.ndarray:
    """Like the place in a circle's middle in tone and colour, inside of the circle."""
    x0, y0, radius, tolerance = numbers
    h, w = reference.shape
    cy, cx = min(max(int(y0 * h), 0), h - 1), min(max(int(x0 * w), 0), w - 1)
    r = max(2, round(0.1 * radius * w))
    box = slice(max(cy - r, 0), cy + r + 1), slice(max(cx - r, 0), cx + r + 1)
    stops, light = np.median(reference.stops[box]), np.median(reference.light[box], axis=(0, 1))
    smooth = cv2.GaussianBlur(reference.stops, (0, 0), 2.0)
    tone = 1 - ramp(np.abs(smooth - np.float32(stops)), 0.6 * tolerance, tolerance)
    ratios = np.log2(
        np.maximum(reference.light, 1e-4)
        / np.maximum(reference.light @ (1 / 3 * np.ones(3, np.float32)), 1e-4)[..., None]
    )
    own = np.log2(np.maximum(light, 1e-4) / max(float(light.mean()), 1e-4))
    colour = cv2.GaussianBlur(np.abs(ratios - own.astype(np.float32)).max(axis=2), (0, 0), 2.0)
    alike = 1 - ramp(colour, 0.5, 1.0)
    y, x = np.mgrid[0:h, 0:w].astype(np.float32)
    far = np.hypot(x - x0 * w, y - y0 * h) / max(radius * w, 1.0)
    return tone * alike * (1 - ramp(far, 0.97, 1.0))


def _raster(part: Part, reference: Reference) -> np.ndarray:
    """A part on the reference's pixels: float32 h×w, 0…1."""
    n = part.numbers
    if part.kind == "brush":
        return _painted(part.strokes, reference)
    if part.kind == "tone":
        low, high, soft = n
        return ramp(reference.stops, low - soft, low) * (1 - ramp(reference.stops, high, high + soft))
    if part.kind == "hue":
        hue, wide, soft = n
        apart = np.abs((reference.hue - np.float32(hue) + 180) % 360 - 180)
        return (1 - ramp(apart, wide / 2, wide / 2 + soft)) * ramp(reference.chroma, *_PALE)
    if part.kind == "spot":
        return _spot(n, reference)
    if part.kind == "focus":
        known = np.isfinite(reference.softness)
        share = (1 - ramp(np.nan_to_num(reference.softness, nan=9.0), n[0], n[0] + n[1])) * known
        h, w = reference.shape
        return np.clip(cv2.resize(share.astype(np.float32), (w, h), interpolation=cv2.INTER_LINEAR), 0, 1)
    if not part.strokes:
        return subject_mask(reference).mask
    sides = (tuple(s for s in part.strokes if s.erases == erases) for erases in (False, True))
    inside, outside = (
        _painted(tuple(replace(s, erases=False, opacity=1.0) for s in own), reference) > 0.5 for own in sides
    )
    return mended(reference, inside & ~outside, outside)


def raster_of(part: Part, reference: Reference) -> np.ndarray:
    """A part on the reference's pixels, uint16 h×w, made once; its operation and inversion do not count."""
    alone = replace(part, operation="add", inverted=False)
    return _kept(reference, alone, lambda: _raster(part, reference))


def _kept(reference: Reference, key: Hashable, make: Callable[[], np.ndarray]) -> np.ndarray:
    """A raster (0…1) in 16 bits, made once."""

    def rounded() -> np.ndarray:
        return np.rint(np.clip(make(), 0, 1) * _WHOLE).astype(np.uint16)

    return STORE.kept("mask", (reference,), key, rounded)


def _sampled(raster: np.ndarray, at: Places) -> np.ndarray:
    h, w = raster.shape
    x, y = at.x * np.float32(w) - np.float32(0.5), at.y * np.float32(h) - np.float32(0.5)
    found = cv2.remap(raster.astype(np.float32), x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    return found * np.float32(1 / _WHOLE)


def _on_frame(part: Part, reference: Reference, at: Places) -> np.ndarray | None:
    """What is painted, at places that lie as close as the frame's pixels; None where they do not, or where
    contours are followed."""
    if part.kind != "brush" or any(stroke.follows for stroke in part.strokes) or min(at.x.shape) < 2:
        return None
    h, w = reference.extent
    if abs(float(at.x[0, 1] - at.x[0, 0])) * w + abs(float(at.x[1, 0] - at.x[0, 0])) * w > _CLOSE:
        return None
    x, y = at.x * np.float32(w) - np.float32(0.5), at.y * np.float32(h) - np.float32(0.5)
    left, top = (max(0, int(np.floor(v.min())) - 1) for v in (x, y))
    right, bottom = (min(n, int(np.ceil(v.max())) + 2) for n, v in ((w, x), (h, y)))
    if right <= left or bottom <= top:
        return np.zeros(at.x.shape, np.float32)
    whole = painted(part.strokes, reference.extent, top, left, bottom, right)
    found = cv2.remap(whole, x - left, y - top, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    return found * np.float32(1 / _WHOLE)


def _evaluated(part: Part, reference: Reference, at: Places) -> np.ndarray:
    if part.kind == "linear":
        found = _linear(part.numbers, at)
    elif part.kind == "round":
        found = _round(part.numbers, at)
    else:
        close = _on_frame(part, reference, at)
        found = _sampled(raster_of(part, reference), at) if close is None else close
    return 1 - found if part.inverted else found


def _combined(region: LocalRegion, reference: Reference, at: Places) -> np.ndarray:
    mask: np.ndarray | None = None
    for part in region.parts:
        own = _evaluated(part, reference, at)
        if mask is None:
            mask = 1 - own if part.operation == "subtract" else own
        elif part.operation == "add":
            mask = mask + own - mask * own
        elif part.operation == "subtract":
            mask = mask * (1 - own)
        else:
            mask = mask * own
    return np.zeros(at.x.shape, np.float32) if mask is None else mask


def grid_of(reference: Reference) -> Places:
    """The reference's own pixels as places."""
    h, w = reference.shape
    x, y = np.meshgrid((np.arange(w, dtype=np.float32) + 0.5) / w, (np.arange(h, dtype=np.float32) + 0.5) / h)
    return Places(x, y, reference.extent[0] / reference.extent[1])


def _grown(region: LocalRegion, reference: Reference) -> np.ndarray:
    mask = _combined(region, reference, grid_of(reference))
    diagonal = float(np.hypot(*mask.shape))
    by = round(abs(region.grow) / 100 * diagonal)
    if by:
        disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * by + 1, 2 * by + 1))
        mask = np.asarray((cv2.dilate if region.grow > 0 else cv2.erode)(mask, disc))
    sigma = region.feather / 100 * diagonal / 2
    return cv2.GaussianBlur(mask, (0, 0), sigma) if sigma > 0.3 else mask


def mask_of(region: LocalRegion, reference: Reference, at: Places) -> np.ndarray:
    """A region at the places of a view, its opacity counted in: float32 H×W, 0…1."""
    if region.feather > 0 or region.grow:
        key = replace(region, changes=(), name="", on=True, opacity=1.0, inverted=False)
        mask = _sampled(_kept(reference, key, lambda: _grown(region, reference)), at)
    else:
        mask = _combined(region, reference, at)
    if region.inverted:
        mask = 1 - mask
    return (mask * np.float32(region.opacity)).astype(np.float32)
