"""Deblurring in the line: on tiles of a fixed grid of the frame, so that every view and the file agree.

A place's result depends on more around it than any other step's, and takes long: tiles are made whole, with
what they need around them, blended where they overlap, and kept. Reduced views take the kernel reduced as
they are.
"""

from __future__ import annotations

from collections.abc import Callable, Hashable, Sequence
from dataclasses import replace

import cv2
import numpy as np
import scipy

from irvane.core.acutance.blur_cause import Cause
from irvane.core.acutance.blurs import LENS, MOTION, Blur, kernel_of, path_of
from irvane.core.acutance.deconvolve import deconvolve, deconvolve_smooth, margin_of
from irvane.core.acutance.learned import restore
from irvane.core.image import NoiseModel
from irvane.core.pixels.patches import FramePatch
from irvane.core.pixels.places import FrameRegion
from irvane.core.settings import Acutance
from irvane.core.store.kept import STORE
from irvane.core.threads import each

#: A method: a plane, blur, noise, strength, what is known and what clips give the plane without its blur.
Way = Callable[[np.ndarray, Blur, float, float, np.ndarray | None, np.ndarray | None], np.ndarray]
#: The method of the first proofs; the choice that means the network; blades that make a polygon.
FIRST, BEST, FEWEST_BLADES = "sparse@1", "best", 3
#: Pixels by which a blur may change between places that are undone by themselves; most of them along a tile's
#: side.
_CHANGE, _MOST_NODES = 0.8, 5
#: Side of a tile, and pixels by which neighbours overlap.
TILE, _OVERLAP = 512, 32
_PITCH = TILE - _OVERLAP
#: What denoising leaves is no even noise: it counts for so many times as much.
_BESIDE = 3.0
#: Blur (root of the mean variance, pixels) below which there is nothing to undo; shares of the light that
#: noise is never taken to be below, with and without a model of it; darkest level that a tile is measured by.
_LEAST, _FLOOR, _UNKNOWN, _DARK = 0.35, 0.016, 0.006, 2e-4
#: Noise of a luminance of demosaiced colours against that of a sample; weights of the colours in it.
_DEMOSAICED, _WEIGHTS = 0.7, np.array([0.25, 0.5, 0.25], np.float32)
#: How far luminance may move, as a part of the range within the kernel's reach.
_FARTHEST = 0.6
#: Part of the darkest within the kernel's reach below which no colour goes.
_DARKEST = 0.5
#: What blurring a result again may be off by, as a part of the range around: up to the first the kernel is
#: right, from the second it is not; a range of so little of the mean light is noise.
_RIGHT, _WRONG, _LITTLE = 0.14, 0.30, 0.02
#: Signal from which a place counts as clipped.
_CLIPS = 0.97


def blur_of(acutance: Acutance, found: Cause | None) -> Blur | None:
    """The blur that is to be undone; None where there is none.

    Parameters
    ----------
    found : what softened the frame; None when it is not known.
    """
    kind = acutance.deblur
    if kind == "off" or acutance.deblur_strength <= 0:
        return None
    measured = None if found is None else found.blur
    if kind == "auto":
        blur = measured
    elif kind == MOTION:
        straight = Blur(MOTION, acutance.length, acutance.angle)
        blur = path_of(np.asarray(acutance.path)) if acutance.path else straight
        blur = replace(blur, turn=acutance.roll)
    else:
        size = acutance.radius or measured_size(kind, found)
        blur = None if size is None else Blur(kind, size)
        if blur is not None and kind == LENS:
            blur = replace(blur, corner=acutance.corners or 0.0)
        elif blur is not None and acutance.blades >= FEWEST_BLADES:
            blur = replace(blur, blades=int(acutance.blades), angle=acutance.angle)
    return blur if blur is not None and max(blur.width, blur.corner) >= _LEAST else None


def measured_size(kind: str, found: Cause | None) -> float | None:
    """Radius of discs (DEFOCUS) or σ (LENS) that is as wide as what was measured of the frame, or of its soft
    places; None where nothing was."""
    blur = None if found is None else found.blur or found.beside
    if blur is None or blur.cause == MOTION or kind == MOTION:
        return None
    return round(blur.width / Blur(kind, 1.0).width, 2)


def way_of(acutance: Acutance) -> Way:
    """How a blur is undone: the method of the proof's age and of its choice."""
    learned = acutance.deblurred_by != FIRST and acutance.method == BEST
    return restore if learned else deconvolve


def _margin(blur: Blur, extent: tuple[int, int]) -> int:
    """Pixels around a tile that it depends on, wherever it lies."""
    corners = ((0, 0), (0, extent[1]), (extent[0], 0), extent) if blur.varies else ()
    least = max(margin_of(one) for one in (blur, *(blur.at(y, x, extent) for y, x in corners)))
    # sides that are quickly transformed
    side = TILE + 2 * least
    while scipy.fft.next_fast_len(side, real=True) != side:
        side += 2
    return (side - TILE) // 2


def tiled(region: FrameRegion, extent: tuple[int, int], blur: Blur) -> FrameRegion:
    """The part of a frame that the tiles of a region are made from."""
    margin = _margin(blur, extent)
    rows, columns = (
        _of(a, b, n)
        for a, b, n in ((region.top, region.bottom, extent[0]), (region.left, region.right, extent[1]))
    )
    return FrameRegion(
        max(0, rows[0] * _PITCH - margin), max(0, columns[0] * _PITCH - margin),
        min(extent[0], rows[-1] * _PITCH + TILE + margin), min(extent[1],
        columns[-1] * _PITCH + TILE + margin), region.step,
    )  # fmt: skip


def _of(first: int, end: int, side: int) -> range:
    """Numbers of the tiles along a side that reach into a range."""
    last = max(0, -(-(side - _OVERLAP) // _PITCH) - 1)
    return range(min(max(0, (first - _OVERLAP) // _PITCH), last), min((end - 1) // _PITCH, last) + 1)


def deblurred(
    light: Callable[[FrameRegion], FramePatch], region: FrameRegion, extent: tuple[int, int], blur: Blur,
    way: Way, strength: float,
    noise: NoiseModel | None, gains: np.ndarray, clips: bool, there: np.ndarray | None, name: Hashable,
    held: Sequence[object],
) -> FramePatch:  # fmt: skip
    """A region of a frame without its blur.

    Parameters
    ----------
    light : gives camera-linear light of any region of the frame. extent : its height and width. way : the
        method.
    strength : 0…2; 1 is as much as the noise allows.
    noise : what is left of it in that light; None: not known. gains : reference gains of the colours.
    clips : does the light end at 1? there : by how much places are blurred, evenly over the frame; None: all
        are.
    name, held : of all that `light` depends on, for keeping tiles; the things that the name names.
    """
    if region.step > 1:
        patch, less = light(region), blur.reduced(region.step)
        if less.width < _LEAST:
            return patch
        if blur.varies:
            less = blur.at(
                (region.top + region.bottom) / 2, (region.left + region.right) / 2, extent
            ).reduced(region.step)
        made = _undone(patch.pixels, less, way, strength, _reduced(noise, region.step), gains, clips)
        return _there(patch, replace(patch, pixels=made), there, extent)
    rows, columns = (
        _of(a, b, n)
        for a, b, n in ((region.top, region.bottom, extent[0]), (region.left, region.right, extent[1]))
    )
    places = [(row, column) for row in rows for column in columns]

    def tile(place: tuple[int, int]) -> np.ndarray:
        top, left = place[0] * _PITCH, place[1] * _PITCH
        core = FrameRegion(top, left, min(top + TILE, extent[0]), min(left + TILE, extent[1]))
        key = name, blur, way.__name__, strength, place
        return STORE.kept(
            "deblurred",
            held,
            key,
            lambda: _tile(light, core, extent, blur, way, strength, noise, gains, clips),
        )

    out = np.zeros((region.bottom - region.top, region.right - region.left, 3), np.float32)
    total = np.zeros(out.shape[:2], np.float32)
    for (row, column), pixels in zip(places, each(tile, places), strict=True):
        top, left = row * _PITCH, column * _PITCH
        h, w = pixels.shape[:2]
        share = np.outer(_ramp(h, row > 0, top + h < extent[0]), _ramp(w, column > 0, left + w < extent[1]))
        a, b = max(top, region.top), min(top + h, region.bottom)
        c, d = max(left, region.left), min(left + w, region.right)
        inner, target = (slice(a - top, b - top), slice(c - left, d - left)), (slice(a - region.top,
            b - region.top), slice(c - region.left, d - region.left))  # fmt: skip
        out[target] += pixels[inner] * share[inner][..., None]
        total[target] += share[inner]
    whole = FramePatch(out / total[..., None], region.top, region.left, 1.0)
    return whole if there is None else _there(light(region), whole, there, extent)


def _there(
    before: FramePatch, made: FramePatch, there: np.ndarray | None, extent: tuple[int, int]
) -> FramePatch:
    """Light without its blur where it is blurred at all."""
    if there is None:
        return made
    # exactly the same whatever the region: no table of fractions, which would begin at its corner
    rows = _between(there.shape[0], extent[0], made.top, made.step, made.pixels.shape[0])
    columns = _between(there.shape[1], extent[1], made.left, made.step, made.pixels.shape[1])
    share = (rows @ there @ columns.T).astype(np.float32)[..., None]
    return replace(made, pixels=before.pixels + share * (made.pixels - before.pixels))


def _between(nodes: int, side: int, first: float, step: float, count: int) -> scipy.sparse.csr_matrix:
    """count×nodes: straight weights of values that lie evenly along a side, at the pixels of a part of it."""
    at = np.clip((first + (np.arange(count) + 0.5) * step) * nodes / side - 0.5, 0, nodes - 1)
    low = np.minimum(at.astype(int), max(nodes - 2, 0))
    share, pixels = at - low, np.arange(count)
    places = np.concatenate([low, np.minimum(low + 1, nodes - 1)])
    values = np.concatenate([1 - share, share])
    return scipy.sparse.csr_matrix((values, (np.tile(pixels, 2), places)), (count, nodes))


def _ramp(count: int, before: bool, after: bool) -> np.ndarray:
    """Shares of a tile along a side: falling where a neighbour overlaps."""
    at = np.arange(count, dtype=np.float32) + 0.5
    low = np.clip(at / _OVERLAP, 0, 1) if before else np.ones(count, np.float32)
    return np.asarray(low * (np.clip(at[::-1] / _OVERLAP, 0, 1) if after else 1), np.float32)


def _tile(
    light: Callable[[FrameRegion], FramePatch], core: FrameRegion, extent: tuple[int, int], blur: Blur,
    way: Way, strength: float,
    noise: NoiseModel | None, gains: np.ndarray, clips: bool,
) -> np.ndarray:  # fmt: skip
    margin = _margin(blur, extent)
    outer = FrameRegion(
        max(0, core.top - margin), max(0, core.left - margin), min(extent[0], core.bottom + margin),
        min(extent[1], core.right + margin)
    )  # fmt: skip
    pixels = light(outer).pixels
    lacks = (
        margin - (core.top - outer.top), margin - (outer.bottom - core.bottom),
        margin - (core.left - outer.left),
        margin - (outer.right - core.right),
    )  # fmt: skip
    known = cv2.copyMakeBorder(np.ones(pixels.shape[:2], np.uint8), *lacks, cv2.BORDER_CONSTANT, value=0) > 0
    pixels = cv2.copyMakeBorder(pixels, *lacks, cv2.BORDER_REPLICATE)
    h, w = core.bottom - core.top, core.right - core.left
    middle = blur.at((core.top + core.bottom) / 2, (core.left + core.right) / 2, extent)
    several = min(_MOST_NODES, int(np.ceil(max(h, w) * np.radians(abs(blur.turn)) / _CHANGE)))
    if several < 2:
        made = _undone(pixels, middle, way, strength, noise, gains, clips, known)
        return np.ascontiguousarray(made[margin : margin + h, margin : margin + w])
    # where the blur differs within the tile: blurs of places in between are blended (Hirsch and others 2011)
    out, total = np.zeros((h, w, 3), np.float32), np.zeros((h, w, 1), np.float32)
    for row in range(several):
        for column in range(several):
            y, x = (row + 0.5) * h / several, (column + 0.5) * w / several
            rows, columns = _around(y, h, several), _around(x, w, several)
            part = slice(rows[0], rows[1] + 2 * margin), slice(columns[0], columns[1] + 2 * margin)
            there = blur.at(core.top + y, core.left + x, extent)
            made = _undone(pixels[part], there, way, strength, noise, gains, clips, known[part])
            share = np.outer(_fading(rows, y, h, several), _fading(columns, x, w, several))[..., None]
            target = slice(*rows), slice(*columns)
            out[target] += share * made[margin:-margin, margin:-margin]
            total[target] += share
    return out / total


def _around(at: float, side: int, several: int) -> tuple[int, int]:
    """Pixels of a side that a place in between has a share in."""
    return max(0, int(at - side / several)), min(side, int(np.ceil(at + side / several)))


def _fading(pixels: tuple[int, int], at: float, side: int, several: int) -> np.ndarray:
    """Weight of the result for one place at every pixel around it: 1 at the place, 0 at the next one."""
    off = np.abs(np.arange(*pixels) + 0.5 - at) * several / side
    return np.asarray(np.maximum(1 - off, 1e-4), np.float32)


def _reduced(noise: NoiseModel | None, step: float) -> NoiseModel | None:
    """The model after means of so many pixels along each side."""
    if noise is None:
        return None
    gain, read = (np.array(noise.gain) / step**2, np.array(noise.read) / step)
    return replace(noise, gain=tuple(gain), read=tuple(read))


def told(
    pixels: np.ndarray, noise: NoiseModel | None, factors: np.ndarray
) -> tuple[np.ndarray, float, float]:
    """Of camera-linear light: luminance (float32 H×W), its level, and the noise that a method reckons with,
    as a part of the level."""
    luminance = (pixels * factors) @ _WEIGHTS
    level = max(float(luminance.mean()), _DARK)
    sigma = _UNKNOWN
    if noise is not None:
        signal = level / factors
        variance = (_WEIGHTS * factors) ** 2 * (np.array(noise.gain) * signal + np.array(noise.read) ** 2)
        sigma = _DEMOSAICED * float(np.sqrt(variance.sum())) / level
    return luminance, level, float(np.hypot(_BESIDE * sigma, _FLOOR))


def _undone(
    pixels: np.ndarray, blur: Blur, way: Way, strength: float, noise: NoiseModel | None, gains: np.ndarray,
    clips: bool,
    known: np.ndarray | None = None,
) -> np.ndarray:  # fmt: skip
    """Camera-linear light (H×W×3) without its blur: luminance iterated, colours in one step."""
    factors = np.asarray(gains, np.float32)
    balanced = pixels * factors
    luminance, level, sigma = told(pixels, noise, factors)
    clipped = pixels.max(axis=2) >= _CLIPS if clips else None
    fine = max(strength, 1.0) ** 2
    sharp = way(luminance / np.float32(level), blur, sigma, fine, known, clipped) * np.float32(level)
    sharp = _held(sharp, luminance, blur)
    made = np.empty_like(balanced)
    for c in range(3):
        made[..., c] = sharp + deconvolve_smooth(balanced[..., c] - luminance, blur, sigma)
    made = np.asarray(np.maximum(made, _floor(balanced, blur)) / factors, np.float32)
    share = np.float32(min(strength, 1.0))
    if clipped is not None and clipped.any():
        made = _around_clipped(pixels, made, clipped, blur)
    return np.asarray(pixels + share * (made - pixels), np.float32)


def _floor(seen: np.ndarray, blur: Blur) -> np.ndarray:
    """How dark colours (H×W×3) may become: part of the darkest around. Around small lights a kernel that is a
    little too wide would dig rings."""
    least = cv2.erode(np.ascontiguousarray(seen), np.ones_like(_reached(blur)))  # squares are quickly done
    return np.asarray(np.minimum(np.where(least > 0, _DARKEST * least, 0), seen), np.float32)


def _reached(blur: Blur) -> np.ndarray:
    """What lies within a kernel's reach, for filters by rank."""
    side = 2 * int(np.ceil(blur.reach)) + 1
    return np.asarray(cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (side, side)))


def _held(sharp: np.ndarray, seen: np.ndarray, blur: Blur) -> np.ndarray:
    """Luminance no farther from what is seen than a part of the range around it, and as it is seen where
    blurring it again does not give what is seen: where a kernel is not that of the place, it rings."""
    around = _reached(blur)
    span = cv2.dilate(seen, around) - cv2.erode(seen, around)
    made = np.asarray(seen + np.clip(sharp - seen, -_FARTHEST * span, _FARTHEST * span), np.float32)
    again = cv2.filter2D(np.maximum(made, 0), -1, kernel_of(blur), borderType=cv2.BORDER_REFLECT_101)
    wide = max(blur.reach / 2, 1.0)
    off, usual = (cv2.GaussianBlur(plane, (0, 0), wide) for plane in (np.abs(again - seen), span))
    share = off / (usual + (_LITTLE * float(seen.mean()) + 1e-6))
    right = np.asarray(np.clip((_WRONG - share) / (_WRONG - _RIGHT), 0, 1), np.float32)
    share_kept = cv2.GaussianBlur(cv2.erode(right, np.ones_like(around)), (0, 0), wide)
    return np.asarray(seen + share_kept * (made - seen), np.float32)


def _around_clipped(pixels: np.ndarray, made: np.ndarray, clipped: np.ndarray, blur: Blur) -> np.ndarray:
    """What lies within a kernel's reach of a clipped place is not known well enough to be undone: it
    stays."""
    reach = int(np.ceil(blur.reach))
    beside = cv2.dilate(
        clipped.astype(np.uint8), cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * reach + 1,) * 2)
    )
    near = cv2.GaussianBlur(beside.astype(np.float32), (0, 0), max(reach / 3, 1.0))[..., None]
    return np.asarray(made + np.clip(near, 0, 1) * (pixels - made), np.float32)
