"""The cheap half of the line: from developed pictures to what is seen of them.

Every purpose runs the same steps through :func:`scene_patch` and :func:`show`; only the region and the step
differ.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from irvane.core.acutance import sharpen as acutance
from irvane.core.acutance.automatic import automatic_strengths, capture_strengths
from irvane.core.colour.camera import BASE_EXPOSURE, apply_camera, transform
from irvane.core.colour.rendering import WHITE_EV, render, to_screen
from irvane.core.colour.saturation import RANGES, saturate
from irvane.core.colour.spaces import SPACES, WORKING, between
from irvane.core.guidance import sample
from irvane.core.image import LUMA_2020, MID_GREY
from irvane.core.kernels import keep_finite
from irvane.core.light.curve import apply_curves, apply_roll_off
from irvane.core.light.tone import apply_operator, apply_tone, reads_guide
from irvane.core.line.camera import Upstream, camera_light, noise_left
from irvane.core.line.clip_flags import Limits, gamut_marks, output_marks, sensor_marks
from irvane.core.line.context import Context, geometry_for, noise_amount, softness_of
from irvane.core.line.deblurring import blur_of
from irvane.core.line.develop import Developed
from irvane.core.line.local import blended, locals_of
from irvane.core.line.placing import light_given, placed_guide
from irvane.core.line.source import CAMERA, DISPLAY, MOSAIC
from irvane.core.line.steps import SCENE, around, noise_shares
from irvane.core.noise.grain import add_grain
from irvane.core.pixels.patches import FramePatch, OutputPatch, trim
from irvane.core.pixels.places import OutputRegion
from irvane.core.settings import Acutance, Settings
from irvane.core.threads import each, strips

#: Space of a screen that is not known better (IEC 61966-2-1).
SCREEN = "srgb"
#: Least height of the strips that a view is shared out in.
_STRIP = 64
#: Fewer pixels are not worth a thread of their own.
_SMALL = 24_000


def remaining_noise(
    developed: Developed, settings: Settings, context: Context, denoised: bool
) -> tuple[float, float]:
    """Gain and read variance of luminance noise in scene-linear light, after mixing and exposure."""
    if developed.noise is None or developed.colour is None:
        return 0.0, 1e-8
    balance, matrix = transform(developed.colour, settings.colour)
    scale = 2.0 ** (settings.light.exposure + BASE_EXPOSURE)
    weights = (LUMA_2020 @ matrix) * balance
    gain = float(np.sum(weights**2 * np.array(developed.noise.gain) / balance) * scale)
    read2 = float(np.sum((weights * np.array(developed.noise.read)) ** 2) * scale**2)
    left = noise_left(noise_shares(settings.noise, noise_amount(settings, context))) if denoised else 1.0
    return gain * left**2, read2 * left**2


@dataclass(frozen=True)
class _Numbers:
    """What the steps from camera-linear light on need, found once per view and not once per strip of it."""

    balance: np.ndarray | None
    matrix: np.ndarray
    ceiling: float
    noise: tuple[float, float]
    hues: tuple[float, ...]
    given: np.ndarray | None
    output: tuple[int, int]
    acutance: Acutance


def _numbers(developed: Developed, settings: Settings, context: Context, clean: bool) -> _Numbers:
    balance, matrix = None, np.eye(3)
    if developed.colour is not None:
        balance, matrix = transform(developed.colour, settings.colour)
    noise, given, sharpening = (0.0, 0.0), None, settings.acutance
    if acutance.is_on(settings.acutance):
        given = light_given(context.lens, settings.lens)
        noise = remaining_noise(developed, settings, context, clean or developed.denoised is not None)
        sharpening = sharpening_in_force(settings, context, noise)[0]
    cut = settings.sensor.highlights == "clip" and developed.entry in (MOSAIC, CAMERA)
    ceiling = 1.0 if cut else np.inf
    hues = tuple(getattr(settings.colour, name) for name in RANGES)
    output = geometry_for(settings, context).output
    return _Numbers(balance, matrix * 2.0**BASE_EXPOSURE, ceiling, noise, hues, given, output, sharpening)


def sharpening_in_force(
    settings: Settings, context: Context, noise: tuple[float, float]
) -> tuple[Acutance, str]:
    """The station Acutance with its automatic strengths put in, and a sentence on them.

    Parameters
    ----------
    noise : gain and read variance of the luminance noise that remains.
    """
    own = settings.acutance
    if own.automatic == "off":
        return own, ""
    if not context.lens_measured:
        return own, "How soft the frame is has not been measured yet." if own.automatic == "on" else ""
    sigma = float(np.sqrt(noise[0] * MID_GREY + noise[1]))
    deblurred = blur_of(own, context.softness) is not None
    strengths = automatic_strengths if own.automatic == "on" else capture_strengths
    made = strengths(softness_of(context), context.softness, MID_GREY / max(sigma, 1e-6), deblurred)
    return made.on(own), made.words


def scene_context(settings: Settings, context: Context) -> Context:
    """The facts with the guide lying as the output does, as far as anything reads it there."""
    geometry = geometry_for(settings, context)
    if geometry.identity or not reads_guide(settings.light):
        return context
    return replace(context, guide=placed_guide(context.guide, geometry))


def scene_patch(
    developed: Developed,
    settings: Settings,
    context: Context,
    region: OutputRegion,
    clean: FramePatch | None = None,
    raised: float = 1.0,
) -> OutputPatch:
    """Scene-linear light of a region of the output (with what sharpening needs around it), before the base
    rendering. `raised`: factor of the light that the steps begin with, to see what they make of it."""
    patch = camera_light(developed, settings, context, region, clean)
    if raised != 1.0:
        patch = replace(patch, pixels=patch.pixels * np.float32(raised))
    numbers = _numbers(developed, settings, context, clean is not None)
    facts = scene_context(settings, context)
    scene = _scene_light(patch, developed, settings, facts, numbers)
    local = locals_of(developed, settings, context, patch, region, clean, None)
    if not local:
        return scene
    again = _Regional(developed, context, patch, clean is not None)
    return blended(scene, local, slice(0, patch.pixels.shape[0]), again.render)


def plain_light(
    developed: Developed, settings: Settings, context: Context, region: OutputRegion
) -> OutputPatch:
    """Light of a region of the output as it was in the scene: white balance and the camera's matrix alone,
    nothing of Light, Colour and Acutance's sharpening. 18 % grey lies at 0.18: a camera's light is raised by
    `BASE_EXPOSURE`."""
    patch = trim(camera_light(developed, settings, context, region), region)
    numbers = _numbers(developed, settings, context, False)
    if numbers.balance is None:
        return replace(patch, pixels=keep_finite(np.ascontiguousarray(patch.pixels)))
    made = apply_camera(patch.pixels, numbers.balance, numbers.matrix, numbers.ceiling)
    return replace(patch, pixels=keep_finite(made))


class _Regional:
    """Scene-linear light of rows of a part under a region's settings."""

    def __init__(self, developed: Developed, context: Context, part: OutputPatch, clean: bool) -> None:
        self.developed, self.context, self.part, self.clean = developed, context, part, clean
        self._known: dict[Settings, tuple[Context, _Numbers]] = {}

    def render(
        self, patch: OutputPatch | None, settings: Settings, rows: slice, columns: slice
    ) -> np.ndarray:
        """Rows and columns of the frame's own camera-linear light, or of `patch`."""
        if settings not in self._known:
            facts = scene_context(settings, self.context)
            self._known[settings] = facts, _numbers(self.developed, settings, self.context, self.clean)
        facts, numbers = self._known[settings]
        whole = self.part if patch is None else patch
        top, left = whole.top + rows.start * whole.step, whole.left + columns.start * whole.step
        cut = replace(whole, pixels=np.ascontiguousarray(whole.pixels[rows, columns]), top=top, left=left)
        return _scene_light(cut, self.developed, settings, facts, numbers).pixels


def _scene_light(
    patch: OutputPatch, developed: Developed, settings: Settings, context: Context, numbers: _Numbers
) -> OutputPatch:
    """All steps from camera-linear to scene-linear light; the guide of `context` lies as the output does."""
    picture, place = patch.pixels, (patch.top, patch.left)
    if numbers.balance is not None:
        picture = apply_camera(picture, numbers.balance, numbers.matrix, numbers.ceiling)
    picture = keep_finite(apply_tone(picture, settings.light, context.guide, *place, patch.step))
    picture = apply_operator(picture, settings.light, context.guide, white_ev(settings))
    picture = apply_curves(picture, settings.light)
    picture = keep_finite(apply_roll_off(picture, settings.light.roll_off, _paper_white(developed, settings)))
    colour = settings.colour
    picture = saturate(picture, colour.saturation, colour.pale, numbers.hues)
    given = numbers.given
    if given is not None:
        given = sample(given, numbers.output, *place, patch.step, picture.shape[:2])
    sharp = acutance.sharpen(picture, numbers.acutance, numbers.noise, patch.step, given)
    return replace(patch, pixels=keep_finite(sharp))


def white_ev(settings: Settings) -> float:
    """Stops above mid-grey that become paper white."""
    return WHITE_EV + settings.light.white


def _paper_white(developed: Developed, settings: Settings) -> float:
    """Stops above mid-grey that become white; finished pictures end at their own white."""
    return -float(np.log2(MID_GREY)) if developed.entry == DISPLAY else white_ev(settings)


def show(patch: OutputPatch, developed: Developed, settings: Settings, space: str = SCREEN) -> np.ndarray:
    """Display light (linear in the output space, 0…1) of a scene-linear patch; display sources skip the tone
    curve."""
    if developed.entry == DISPLAY:
        matrix = between(WORKING, SPACES[space]).astype(np.float32)
        light = np.clip(patch.pixels @ matrix.T, 0, 1)
    else:
        light = render(patch.pixels, white_ev(settings), space)
    grain = settings.noise.grain / 100
    return add_grain(light, grain, settings.noise.grain_size, patch.top, patch.left, patch.step)


@dataclass(frozen=True)
class Rendered:
    """A view ready to be painted.

    Attributes
    ----------
    pixels : uint8 H×W×4 (RGBA), encoded in `space`.
    top, left, bottom, right : the part of the output it shows, in output pixels.
    marks : uint8 H×W, the bits of :mod:`irvane.core.line.clip_flags`; None when they were not asked for.
    """

    pixels: np.ndarray
    top: float
    left: float
    bottom: float
    right: float
    marks: np.ndarray | None = None
    space: str = SCREEN


def render_view(
    developed: Developed,
    settings: Settings,
    context: Context,
    region: OutputRegion,
    clean: FramePatch | None = None,
    offset: float = 0.0,
    marks: Limits | None = None,
    finish: Callable[[np.ndarray], np.ndarray] | None = None,
    upstream: Upstream | None = None,
    space: str = SCREEN,
) -> Rendered:
    """A region of the output as it is shown on screen.

    Parameters
    ----------
    clean : denoised pixels of (at least) the region with its margin, while the whole denoised picture is
        missing; when they are reduced, of that what the view is made from
        (:func:`irvane.core.line.camera.source_of`).
    offset : EV by which the view (not the proof) is brightened, to match another pane.
    marks : limits of the clip marks; None: no marks.
    finish : finished light (linear sRGB) to what is seen instead.
    upstream : remembers what the view begins with, for the next one.
    space : key of the colour space that is seen; `finish` takes light in that.
    """
    outer = (upstream or Upstream()).light(developed, settings, context, region, clean)
    numbers = _numbers(developed, settings, context, clean is not None)
    placed = scene_context(settings, context)
    inner = trim(outer, region)
    h, w = inner.pixels.shape[:2]
    first, left = round((inner.top - outer.top) / outer.step), round((inner.left - outer.left) / outer.step)
    margin = around(settings, SCENE)
    pixels = np.empty((h, w, 4), np.uint8)
    local = locals_of(developed, settings, context, outer, region, clean, upstream)
    again = _Regional(developed, context, outer, clean is not None)
    found = (
        sensor_marks(developed.clipped, inner, geometry_for(settings, context)) if marks is not None else None
    )

    def work(rows: tuple[int, int]) -> None:
        top = max(0, first + rows[0] - margin)
        part = OutputPatch(
            outer.pixels[top : first + rows[1] + margin], outer.top + top * outer.step, outer.left, outer.step
        )
        scene = _scene_light(part, developed, settings, placed, numbers)
        if local:
            scene = blended(scene, local, slice(top, top + part.pixels.shape[0]), again.render)
        cut = slice(first + rows[0] - top, first + rows[1] - top), slice(left, left + w)
        light = np.ascontiguousarray(scene.pixels[cut])
        if offset:
            light *= np.float32(2.0**offset)
        corner = inner.top + rows[0] * inner.step, inner.left
        shown = show(OutputPatch(light, *corner, inner.step), developed, settings, space)
        if found is not None and marks is not None:
            found[rows[0] : rows[1]] |= output_marks(shown, marks) | gamut_marks(light, settings.finish.space)
        pixels[rows[0] : rows[1]] = to_screen(shown if finish is None else finish(shown), space)

    for _ in each(work, strips(h, max(_STRIP, _SMALL // w))):
        pass
    return Rendered(pixels, inner.top, inner.left, inner.bottom, inner.right, found, space)
