"""Regions in the line: the steps after denoising run once more under a region's settings, only where its mask
is, and what they change is added by the mask.

Exposure is exact: it multiplies light by two to the power of the sum of all changes. Wide operators of every
region read the frame's own guide, so nothing shows at a region's border. Denoised pixels and the demosaiced
picture are shared with the frame.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from irvane.core.acutance.intentional_blur import softness_map
from irvane.core.colour.camera import BASE_EXPOSURE, apply_camera, light_of, transform
from irvane.core.declaring import Choice
from irvane.core.line.camera import Upstream
from irvane.core.line.context import Context, geometry_for, noise_amount
from irvane.core.line.develop import Developed
from irvane.core.line.softness import edges_in
from irvane.core.line.source import DISPLAY
from irvane.core.line.steps import CAMERA, SCENE, around, around_at_most, key_of
from irvane.core.pixels.geometry import Geometry
from irvane.core.pixels.patches import FramePatch, OutputPatch
from irvane.core.pixels.places import OutputRegion
from irvane.core.regions.masks import Places, mask_of
from irvane.core.regions.reference import SIDE, Reference, make_reference
from irvane.core.regions.region import EXPOSURE, LocalRegion
from irvane.core.settings import Colour, Settings, spec
from irvane.core.store.kept import STORE

#: View pixels between places that the geometry is worked out for; what lies between follows straight.
_APART = 16
#: Masks below this change nothing that could be seen.
_NOTHING = 1e-5


def reference_of(developed: Developed, context: Context) -> Reference:
    """What regions of a frame are chosen by: made once, and once more when its plain picture was refined, as
    a file's is."""
    return STORE.kept(
        "reference", (context.guide,), developed.refined, lambda: _reference(developed, context)
    )


def _reference(developed: Developed, context: Context) -> Reference:
    small = developed.plain.whole(SIDE).pixels
    if developed.colour is not None and developed.entry != DISPLAY:
        balance, matrix = transform(developed.colour, Colour())
        small = apply_camera(small, balance * 2**BASE_EXPOSURE, matrix)
    softness = np.full((1, 1), np.nan, np.float32)
    if developed.step == 1:
        softness = softness_map(edges_in(developed, context), developed.extent)
    return make_reference(np.ascontiguousarray(small, np.float32), developed.extent, softness)


def places_of(geometry: Geometry, top: float, left: float, step: float, shape: tuple[int, int]) -> Places:
    """Where pixels of a part of the output lie in the frame."""
    h, w = shape
    high, wide = geometry.frame
    if geometry.identity:
        x = (np.float32(left) + (np.arange(w, dtype=np.float32) + 0.5) * np.float32(step)) / wide
        y = (np.float32(top) + (np.arange(h, dtype=np.float32) + 0.5) * np.float32(step)) / high
        across, down = np.meshgrid(x, y)
        return Places(across, down, high / wide)
    gy, gx = -(-h // _APART) + 1, -(-w // _APART) + 1
    nodes_y = top + (np.arange(gy) * _APART + 0.5) * step
    nodes_x = left + (np.arange(gx) * _APART + 0.5) * step
    nodes = np.stack(np.meshgrid(nodes_x, nodes_y), axis=-1).reshape(-1, 2)
    there = np.nan_to_num(geometry.to_frame(nodes) / (wide, high), nan=-1.0).reshape(gy, gx, 2)
    v, u = np.arange(h) / _APART, np.arange(w) / _APART
    j, i = np.minimum(v.astype(int), gy - 2), np.minimum(u.astype(int), gx - 2)
    fy, fx = (v - j)[:, None, None], (u - i)[None, :, None]
    above = there[j][:, i] * (1 - fx) + there[j][:, i + 1] * fx
    below = there[j + 1][:, i] * (1 - fx) + there[j + 1][:, i + 1] * fx
    found = (above * (1 - fy) + below * fy).astype(np.float32)
    return Places(np.ascontiguousarray(found[..., 0]), np.ascontiguousarray(found[..., 1]), high / wide)


def with_numbers(settings: Settings, developed: Developed, context: Context) -> Settings:
    """The settings with the numbers that stand for automatic ones, as far as regions change them."""
    paths = {path for one in settings.regions if one.acts for path, _ in one.changes}
    values: dict[str, float] = {}
    if "noise.amount" in paths and settings.noise.amount is None:
        values["noise.amount"] = noise_amount(settings, context)
    if {"colour.temperature", "colour.tint"} & paths and developed.colour is not None:
        kelvin, tint = light_of(developed.colour, settings.colour)
        values |= {"colour.temperature": kelvin, "colour.tint": tint}
        colour = settings.colour
        values = {
            p: v for p, v in values.items() if not p.startswith("colour.") or getattr(colour, p[7:]) is None
        }
    return settings.with_values(values) if values else settings


@dataclass(frozen=True, eq=False)
class Local:
    """A region at work on a part of the output.

    Attributes
    ----------
    mask : float32, for the pixels of the part. stops : exposure that it adds. settings : as it has them,
        exposure apart; None when nothing else changes. patch : camera-linear light under them, None: the
        frame's own.
    """

    mask: np.ndarray
    stops: float
    settings: Settings | None
    patch: OutputPatch | None


def masks_of(
    regions: list[LocalRegion], developed: Developed, settings: Settings, context: Context, part: OutputPatch
) -> list[np.ndarray]:
    """Masks of regions on the pixels of a part of the output; choices that contradict each other go to the
    strongest."""
    reference = reference_of(developed, context)
    at = places_of(geometry_for(settings, context), part.top, part.left, part.step, part.pixels.shape[:2])
    masks = [mask_of(one, reference, at) for one in regions]
    chosen: dict[str, list[int]] = {}
    for k, one in enumerate(regions):
        for path, _ in one.changes:
            if isinstance(spec(path), Choice):
                chosen.setdefault(path, []).append(k)
    for rivals in chosen.values():
        if len(rivals) < 2:
            continue
        strongest = np.max([masks[k] for k in rivals], axis=0)
        for k in rivals:
            masks[k] = np.where(masks[k] >= strongest, masks[k], np.float32(0))
    return masks


def locals_of(
    developed: Developed, settings: Settings, context: Context, part: OutputPatch, wanted: OutputRegion,
    clean: FramePatch | None,
    upstream: Upstream | None,
) -> list[Local]:  # fmt: skip
    """The regions of a proof that act on a part of the output (camera-linear light, as of
    :func:`irvane.core.line.camera.camera_light` of the region that is `wanted`)."""
    regions = [one for one in settings.regions if one.acts]
    if not regions:
        return []
    own = with_numbers(settings, developed, context)
    found = []
    shapes = tuple(replace(one, changes=(), name="") for one in regions)
    chosen = tuple(path for one in regions for path, _ in one.changes if isinstance(spec(path), Choice))
    place = (
        part.top,
        part.left,
        part.step,
        part.pixels.shape[:2],
        settings.lens,
        context.guide,
        developed.refined,
    )

    def make() -> list[np.ndarray]:
        return masks_of(regions, developed, settings, context, part)

    masks = make() if upstream is None else upstream.masks((shapes, chosen, place), make)
    for k, (region, mask) in enumerate(zip(regions, masks, strict=True)):
        if float(mask.max(initial=0.0)) < _NOTHING:
            continue
        stops = float(region.change(EXPOSURE) or 0.0)
        rest = region.with_change(EXPOSURE, None)
        if not rest.changes:
            found.append(Local(mask, stops, None, None))
            continue
        changed = own.in_region(rest)
        if clean is not None and changed.acutance.deblur != settings.acutance.deblur:
            # what stands in for the whole picture does not reach far enough for it
            changed = changed.with_value("acutance.deblur", settings.acutance.deblur)
        patch = None
        reduced = clean is not None and clean.step > 1  # it fits the frame's own settings alone
        if key_of(changed, CAMERA) != key_of(own, CAMERA) and not reduced:
            patch = _camera_part(
                developed, changed, settings, context, part, wanted, mask, clean, upstream, k
            )
        found.append(Local(mask, stops, changed, patch))
    return found


def _camera_part(
    developed: Developed, changed: Settings, settings: Settings, context: Context, part: OutputPatch,
    wanted: OutputRegion,
    mask: np.ndarray, clean: FramePatch | None, upstream: Upstream | None, number: int,
) -> OutputPatch:  # fmt: skip
    """Camera-linear light under a region's settings, where its mask is; elsewhere the frame's own."""
    margin = around(settings, SCENE)
    rows, columns = np.flatnonzero(mask.max(axis=1) >= _NOTHING), np.flatnonzero(mask.max(axis=0) >= _NOTHING)
    h, w = mask.shape
    y0, y1 = max(0, int(rows[0]) - margin), min(h, int(rows[-1]) + 1 + margin)
    x0, x1 = max(0, int(columns[0]) - margin), min(w, int(columns[-1]) + 1 + margin)
    if part.step > 1:  # reduced views lie on grids of their own
        box = wanted
    else:
        box = OutputRegion(
            max(wanted.top, round(part.top) + y0), max(wanted.left, round(part.left) + x0),
            min(wanted.bottom, round(part.top) + y1), min(wanted.right, round(part.left) + x1),
        )  # fmt: skip
    if box.bottom <= box.top or box.right <= box.left:
        return part
    again = Upstream() if upstream is None else upstream.of_region(number)
    made = again.light(developed, changed, context, box, clean)
    pixels = part.pixels.copy()
    ty, tx = round((made.top - part.top) / part.step), round((made.left - part.left) / part.step)
    y, x = max(0, -ty), max(0, -tx)  # it may reach farther than the part
    inner = made.pixels[y : y + h - max(ty, 0), x : x + w - max(tx, 0)]
    ty, tx = max(ty, 0), max(tx, 0)
    pixels[ty : ty + inner.shape[0], tx : tx + inner.shape[1]] = inner
    return replace(part, pixels=pixels)


def _columns(mask: np.ndarray) -> slice:
    """The columns of a mask that are not empty, with what sharpening needs around them."""
    seen = np.flatnonzero(mask.max(axis=0) >= _NOTHING)
    margin = around_at_most(SCENE)
    return slice(max(0, int(seen[0]) - margin), min(mask.shape[1], int(seen[-1]) + 1 + margin))


def blended(
    scene: OutputPatch,
    local: list[Local],
    rows: slice,
    render: Callable[[OutputPatch | None, Settings, slice, slice], np.ndarray],
) -> OutputPatch:
    """Scene-linear light of some rows of a part with its regions.

    Parameters
    ----------
    rows : of the part that `scene` holds. render : the same rows, and some columns, from camera-linear light
        (None: the frame's own) under settings.
    """
    stops: np.ndarray | None = None
    pixels = scene.pixels
    for one in local:
        mask = one.mask[rows]
        if float(mask.max(initial=0.0)) < _NOTHING:
            continue
        if one.stops:
            own = mask * np.float32(one.stops)
            stops = own if stops is None else stops + own
        if one.settings is not None:
            columns = _columns(mask)
            made = render(one.patch, one.settings, rows, columns)
            if pixels is scene.pixels:
                pixels = pixels.copy()
            pixels[:, columns] += mask[:, columns, None] * (made - scene.pixels[:, columns])
    if stops is not None:
        pixels = pixels * np.exp2(stops)[..., None]
    return (
        scene if pixels is scene.pixels else replace(scene, pixels=np.ascontiguousarray(pixels, np.float32))
    )
