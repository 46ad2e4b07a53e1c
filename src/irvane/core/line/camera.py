"""From developed pictures to camera-linear light of the output: noise mixing, highlights, fringes, corner
light, geometry.

Everything here works in pixels of the frame up to the one resampling, and in pixels of the output from there
on.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from irvane.core.image import NoiseModel
from irvane.core.lens.corrections import corrections_of
from irvane.core.lens.framing import bending_only
from irvane.core.lens.fringing import remove_fringes
from irvane.core.lens.resample import resample
from irvane.core.lens.vignetting import correct_by_grid, correct_vignetting
from irvane.core.line.context import Context, blurred_there, geometry_for, noise_amount
from irvane.core.line.deblurring import blur_of, deblurred, tiled, way_of
from irvane.core.line.develop import Developed
from irvane.core.line.source import CAMERA as CAMERA_ENTRY
from irvane.core.line.source import DISPLAY, MOSAIC
from irvane.core.line.steps import (
    CAMERA,
    DEBLURRED,
    FRINGES,
    SCENE,
    around,
    around_at_most,
    key_of,
    noise_shares,
)
from irvane.core.noise import mixing
from irvane.core.noise.haze import clear_black
from irvane.core.pixels.geometry import Geometry
from irvane.core.pixels.patches import FramePatch, OutputPatch, trim
from irvane.core.pixels.places import FrameRegion, OutputRegion
from irvane.core.sensor.highlights import rebuild
from irvane.core.settings import Settings

#: Pixels around a place that noise mixing and sharpening need together.
REACH = around_at_most(SCENE) + around_at_most(DEBLURRED) - FRINGES
#: Share of the noise's standard deviation that denoising at 100 % leaves in fine structures.
LEFT_BY_DENOISING = 0.2
#: Side of the parts of the output that are resampled at once: a band of a slanted frame would need much
#: beside it.
_PART = 768


def wanted(region: FrameRegion, extent: tuple[int, int], around: int = REACH) -> FrameRegion:
    """The region grown by so many view pixels, cut at the frame."""
    margin = int(np.ceil(around * region.step))
    return FrameRegion(
        max(0, region.top - margin), max(0, region.left - margin), min(extent[0], region.bottom + margin),
        min(extent[1], region.right + margin), region.step,
    )  # fmt: skip


def source_of(settings: Settings, context: Context, region: OutputRegion) -> FrameRegion:
    """The part of the frame that a view of the output is made from under these settings."""
    geometry = geometry_for(settings, context)
    box = geometry.frame_box(region.grown(around(settings, SCENE), geometry.output))
    return wanted(box, geometry.frame, around(settings, DEBLURRED))


def part_of(settings: Settings, context: Context, region: OutputRegion) -> FrameRegion:
    """The same with the largest margin that any settings of noise and sharpening need: a part that is kept
    serves on."""
    geometry = geometry_for(settings, context)
    fringes = FRINGES if settings.lens.fringing else 0
    box = geometry.frame_box(region)
    blur = blur_of(settings.acutance, context.softness)
    if blur is not None and region.step <= 1:
        box = tiled(box, geometry.frame, blur)
    return wanted(box, geometry.frame, REACH + fringes)


def camera_patch(developed: Developed, region: FrameRegion, kind: str) -> FramePatch:
    """A region of the plain or denoised picture, in frame coordinates (quick forms are binned)."""
    picture = developed.denoised if kind == "denoised" and developed.denoised is not None else developed.plain
    if developed.step == 1:
        return picture.read(region)
    s = developed.step
    inner = FrameRegion(
        int(region.top / s), int(region.left / s), int(np.ceil(region.bottom / s)),
        int(np.ceil(region.right / s)),
        max(1.0, region.step / s),
    )  # fmt: skip
    patch = picture.read(inner)
    steps = None if patch.steps is None else (patch.steps[0] * s, patch.steps[1] * s)
    return FramePatch(patch.pixels, patch.top * s, patch.left * s, patch.step * s, steps)


def mixed_patch(
    developed: Developed,
    settings: Settings,
    context: Context,
    region: FrameRegion,
    clean: FramePatch | None = None,
) -> FramePatch:
    """The region after noise mixing; `clean` stands in where the whole denoised picture is not there yet."""
    mixed = _mixed(developed, settings, context, region, clean)
    share = settings.noise.clear_black / 100
    return mixed if share == 0 else replace(mixed, pixels=clear_black(mixed.pixels, context.haze, share))


def _mixed(
    developed: Developed, settings: Settings, context: Context, region: FrameRegion, clean: FramePatch | None
) -> FramePatch:
    shares = noise_shares(settings.noise, noise_amount(settings, context))
    if shares.is_nothing or (clean is None and (developed.denoised is None or developed.step != 1)):
        return camera_patch(developed, region, "plain")
    clean = camera_patch(developed, region, "denoised") if clean is None else _fitted(clean, region)
    if shares.is_all:
        return clean
    plain = camera_patch(developed, region, "plain")
    mixed = mixing.mix(plain.pixels, clean.pixels, developed.gains, shares, developed.noise, plain.step)
    return replace(plain, pixels=mixed)


def _fitted(clean: FramePatch, region: FrameRegion) -> FramePatch:
    """Denoised pixels cut to a region; a reduced view was made for this very region."""
    return trim(clean, region) if clean.step == 1 else clean


def covers(patch: FramePatch, region: FrameRegion) -> bool:
    """Does a patch at 1:1 hold the whole region?"""
    return (
        patch.top <= region.top
        and patch.left <= region.left
        and patch.bottom >= region.bottom
        and patch.right >= region.right
    )


def camera_light(
    developed: Developed,
    settings: Settings,
    context: Context,
    region: OutputRegion,
    clean: FramePatch | None = None,
) -> OutputPatch:
    """Camera-linear light of a region of the output, in output pixels, with what sharpening needs around it.

    Parameters
    ----------
    clean : denoised pixels of the frame that stand in where the whole denoised picture is not there: at 1:1
        of (at least) :func:`part_of` the region, reduced of just :func:`source_of` it.
    """
    geometry = geometry_for(settings, context)
    if geometry.identity or geometry.exact:
        source = source_of(settings, context, region)
        return _turned(_frame_light(developed, settings, context, source, clean), geometry)
    outer = region.grown(around(settings, SCENE), geometry.output)
    if region.step > 1 or developed.step > 1:
        source = source_of(settings, context, region)
        return placed(_frame_light(developed, settings, context, source, clean), geometry, outer)
    out = np.empty((outer.bottom - outer.top, outer.right - outer.left, 3), np.float32)
    for top in range(outer.top, outer.bottom, _PART):
        for left in range(outer.left, outer.right, _PART):
            part = OutputRegion(top, left, min(top + _PART, outer.bottom), min(left + _PART, outer.right))
            source = wanted(geometry.frame_box(part), geometry.frame, around(settings, DEBLURRED))
            patch = placed(_frame_light(developed, settings, context, source, clean), geometry, part)
            y, x = part.top - outer.top, part.left - outer.left
            out[y : y + patch.pixels.shape[0], x : x + patch.pixels.shape[1]] = patch.pixels
    return OutputPatch(out, outer.top, outer.left, 1.0)


def _frame_light(
    developed: Developed, settings: Settings, context: Context, region: FrameRegion, clean: FramePatch | None
) -> FramePatch:
    """Camera-linear light of a part of the frame, in frame pixels: what is resampled."""
    blur = blur_of(settings.acutance, context.softness)
    if blur is None or developed.step > 1:
        return _even_light(_blurred_light(developed, settings, context, region, clean), settings, context)
    denoised = clean is not None or developed.denoised is not None
    parts = developed.plain, developed.denoised, clean, context
    patch = deblurred(
        lambda part: _blurred_light(developed, settings, context, part, clean), region, developed.extent,
        blur, way_of(settings.acutance),
        settings.acutance.deblur_strength / 100, left_noise(developed, settings, context, denoised),
        developed.gains,
        developed.entry in (MOSAIC, CAMERA_ENTRY, DISPLAY), blurred_there(blur, context),
        key_of(settings, DEBLURRED), parts,
    )  # fmt: skip
    return _even_light(patch, settings, context)


def left_noise(
    developed: Developed, settings: Settings, context: Context, denoised: bool
) -> NoiseModel | None:
    """The noise model of camera-linear light after mixing; None where there is none."""
    noise = developed.noise
    if noise is None or not denoised:
        return noise
    left = noise_left(noise_shares(settings.noise, noise_amount(settings, context)))
    gain, read = (
        tuple(v * part for v in values) for values, part in ((noise.gain, left**2), (noise.read, left))
    )
    return NoiseModel((gain[0], gain[1], gain[2]), (read[0], read[1], read[2]), noise.origin)


def noise_left(shares: mixing.Shares) -> float:
    """Share of the noise's standard deviation that is left in the luminance of fine structures."""
    share = (
        shares.luminance * min(shares.tones[1], shares.scales[0], shares.channels[1]) * (1 - shares.texture)
    )
    return 1 - (1 - LEFT_BY_DENOISING) * share


def _blurred_light(
    developed: Developed, settings: Settings, context: Context, region: FrameRegion, clean: FramePatch | None
) -> FramePatch:
    """The same before deblurring and evening: noise mixed, highlights rebuilt, fringes taken away."""
    patch = mixed_patch(developed, settings, context, region, clean)
    place = patch.top, patch.left, patch.step
    picture = patch.pixels
    if developed.entry in (MOSAIC, CAMERA_ENTRY) and settings.sensor.highlights == "rebuild":
        picture = rebuild(picture, developed.gains, context.highlights, *place)
    lens = settings.lens
    hue = lens.fringe_hue if lens.fringe_hue is not None else context.lens.fringe_hue
    if hue is not None:
        picture = remove_fringes(picture, developed.gains, lens.fringing / 100, hue, patch.step)
    return replace(patch, pixels=picture)


def _even_light(patch: FramePatch, settings: Settings, context: Context) -> FramePatch:
    """The light of a part of the frame as bright in the corners as in the middle."""
    picture, lens, place = patch.pixels, settings.lens, (patch.top, patch.left, patch.step)
    corrections = corrections_of(context.lens, bending_only(lens))
    for grid in corrections.grids:
        picture = correct_by_grid(picture, grid, context.lens.frame, context.lens.flip, place[:2], patch.step)
    picture = correct_vignetting(
        picture,
        lens.vignetting,
        place[:2],
        patch.step,
        context.lens.frame,
        corrections.gains,
        corrections.centre,
    )
    return replace(patch, pixels=picture)


def placed(light: FramePatch, geometry: Geometry, region: OutputRegion) -> OutputPatch:
    """Light of a part of the frame as it lies in a region of the output (or around it, where nothing is
    resampled)."""
    if geometry.identity or geometry.exact:
        return _turned(light, geometry)
    step = max(region.step, light.step)
    h, w = region.bottom - region.top, region.right - region.left
    shape = max(1, round(h / step)), max(1, round(w / step))
    exact = w / shape[1] if w >= h else h / shape[0]
    place, first = (light.top, light.left), (float(region.top), float(region.left))
    scale = light.steps or (light.step, light.step)
    pixels = resample(light.pixels, place, scale, geometry.bending, first, exact, shape)
    return OutputPatch(pixels, region.top, region.left, exact)


def _turned(patch: FramePatch, geometry: Geometry) -> OutputPatch:
    """A part of the frame in output pixels, where these lie on whole frame pixels."""
    if geometry.identity:
        return OutputPatch(patch.pixels, patch.top, patch.left, patch.step)
    across, down = np.round(geometry.matrix[:2, 0]), np.round(geometry.matrix[:2, 1])
    pixels = patch.pixels
    if across[0] == 0:  # along a row of the output lies a column of the frame
        pixels = pixels.swapaxes(0, 1)
    pixels = pixels[:: int(down.sum()), :: int(across.sum())]
    corners = np.array([(x, y) for x in (patch.left, patch.right) for y in (patch.top, patch.bottom)])
    left, top = geometry.to_output(corners).min(axis=0)
    return OutputPatch(np.ascontiguousarray(pixels), float(top), float(left), patch.step)


class Upstream:
    """Camera-linear light of the view that was rendered last: settings further down the line do not make it
    again.

    Attributes
    ----------
    made : how often it was made.
    """

    def __init__(self) -> None:
        self._parts: tuple[object, ...] = ()
        self._key: object = None
        self._patch: OutputPatch | None = None
        self._regions: dict[int, Upstream] = {}
        self._masks: tuple[object, list[np.ndarray]] = None, []
        self.made = 0

    def masks(self, key: object, make: Callable[[], list[np.ndarray]]) -> list[np.ndarray]:
        """The masks of the view that was rendered last, or new ones."""
        if self._masks[0] != key:
            self._masks = key, make()
        return self._masks[1]

    def of_region(self, number: int) -> Upstream:
        """The same for a region of the proof, by its number."""
        return self._regions.setdefault(number, Upstream())

    def light(
        self,
        developed: Developed,
        settings: Settings,
        context: Context,
        region: OutputRegion,
        clean: FramePatch | None,
    ) -> OutputPatch:
        """:func:`camera_light` of a region."""
        parts = (developed.plain, developed.denoised, context, clean)
        key = (key_of(settings, CAMERA), region, around(settings, SCENE))
        same = len(self._parts) == len(parts) and all(a is b for a, b in zip(self._parts, parts, strict=True))
        if self._patch is None or not same or key != self._key:
            patch = camera_light(developed, settings, context, region, clean)
            self._parts, self._key, self._patch = parts, key, patch
            self.made += 1
        return self._patch
