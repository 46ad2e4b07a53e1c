"""Looks: other ways to see a region, which change nothing in the result.

The finished picture lifted by some stops, reduced to its luminance, its colour or one channel; what denoising
removed; the mosaic as the sensor gave it.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from irvane.core.colour.rendering import to_screen
from irvane.core.colour.soft_proof import SoftProof, proofed
from irvane.core.image import BLUE, GREEN, MID_GREY, RED, Mosaic
from irvane.core.line.acutance_looks import (
    added_by_acutance,
    added_light,
    alone_light,
    softness_light,
)
from irvane.core.line.camera import Upstream, camera_patch, mixed_patch, placed, source_of
from irvane.core.line.clip_flags import Limits
from irvane.core.line.colouring import PERIOD
from irvane.core.line.context import Context, geometry_for
from irvane.core.line.develop import Developed
from irvane.core.line.enlarged_look import with_enlarging
from irvane.core.line.mask_looks import with_mask
from irvane.core.line.source import Origin
from irvane.core.line.view import SCREEN, Rendered, render_view
from irvane.core.orientation import upright, upright_rect
from irvane.core.pixels.patches import FramePatch, trim
from irvane.core.pixels.picture import reduced
from irvane.core.pixels.places import FrameRegion, OutputRegion
from irvane.core.sensor.demosaic import bin_colour
from irvane.core.settings import Settings

PICTURE = "picture"
#: Luminance of linear sRGB (IEC 61966-2-1).
_LUMA = np.array([0.2126, 0.7152, 0.0722], np.float32)
#: Contrast of the colour look against the picture's.
_COLOUR_GAIN = 2.0
#: Removed noise: one standard deviation of the frame's noise is this share of the range around grey.
_SIGMA_SHARE = 0.1


@dataclass(frozen=True)
class Look:
    """One way to see.

    Attributes
    ----------
    words, help : for the window.
    lift : stops of brightening.
    finish : finished light (linear sRGB, H×W×3) to what is seen instead, in the same form; None: as it is.
    raw : colour of the mosaic that is shown (RED, GREEN, BLUE; −1 for all) instead of the picture.
    changes : settings that are tried on the proof for the eye only.
    removed : what denoising took away is shown instead of the picture.
    origin : which frame of a merge gave what.
    mask : ``over``, ``alone`` or ``inside``: of a region, whose number follows the look's name after a colon.
    enlarged : with the pixels of the enlarged file.
    acutance : ``added``, ``alone`` or ``softness``, see :mod:`irvane.core.line.acutance_looks`.
    """

    words: str
    help: str
    lift: float = 0.0
    finish: Callable[[np.ndarray], np.ndarray] | None = None
    raw: int | None = None
    removed: bool = False
    changes: tuple[tuple[str, float], ...] = ()
    origin: bool = False
    acutance: str = ""
    mask: str = ""
    enlarged: bool = False

    @property
    def is_light(self) -> bool:
        """Is it the finished picture, lifted or not?"""
        other = self.removed or self.changes or self.origin or self.acutance or self.mask or self.enlarged
        return self.finish is None and self.raw is None and not other


def _grey(values: np.ndarray) -> np.ndarray:
    return np.repeat(values[..., None], 3, axis=2)


def _luminance(light: np.ndarray) -> np.ndarray:
    return _grey(light @ _LUMA)


def _colour(light: np.ndarray) -> np.ndarray:
    """Colour at equal luminance: differences of the encoded values around mid-grey."""
    root = np.sqrt(light)
    return np.square(np.clip(0.43 + _COLOUR_GAIN * (root - _grey(root @ _LUMA)), 0, 1))


def _channel(c: int) -> Callable[[np.ndarray], np.ndarray]:
    return lambda light: _grey(light[..., c])


def _zones(light: np.ndarray) -> np.ndarray:
    """Brightness in whole stops around mid-grey: what is half a stop off falls into the next zone."""
    stops = np.round(np.log2(np.maximum(light @ _LUMA, 1e-6) / MID_GREY))
    return _grey(np.minimum(MID_GREY * np.exp2(stops), 1).astype(np.float32))


LOOKS: dict[str, Look] = {
    PICTURE: Look("picture", "The proof as it will be written."),
    "lifted-2": Look("lifted +2 EV", "Brighter by two stops, to see into dark pictures.", lift=2.0),
    "lifted-4": Look("lifted +4 EV", "Brighter by four stops, to see into the deepest tones.", lift=4.0),
    "luminance": Look("luminance", "Brightness alone: luminance noise and texture.", finish=_luminance),
    "colour": Look(
        "colour", "Colour alone at equal brightness, twice as strong: colour noise and casts.", finish=_colour
    ),
    "zones": Look(
        "zones", "Brightness in whole stops around mid-grey, each an even grey.", finish=_zones
    ),
    "red": Look("red channel", "The red of the finished picture.", finish=_channel(RED)),
    "green": Look("green channel", "The green of the finished picture.", finish=_channel(GREEN)),
    "blue": Look("blue channel", "The blue of the finished picture: usually the noisiest.",
    finish=_channel(BLUE)),
    "removed": Look(
        "removed noise", "What denoising took away. It should look like sand, without outlines.", removed=True
    ),
    "stress-contrast": Look(
        "stress: local contrast", "As after strong local contrast: hidden noise and halos come out.",
        changes=(("acutance.coarse", 200.0), ("acutance.medium", 100.0)),
    ),
    "stress-shadows": Look(
        "stress: shadows +3 EV", "As after lifting the shadows by three stops.", changes=(("light.shadows",
        3.0),)
    ),
    "stress-curve": Look(
        "stress: steep curve",
        "As after a steep curve in the bright tones: skies show their noise and steps.",
        changes=(("light.contrast", 80.0), ("light.exposure", -1.0)),
    ),
    "added": Look(
        "what was added", "What deblurring and sharpening add to brightness, four times as strong, around "
                          "grey. The frame itself does not "
        "hold it: it should look like contours, not like noise or rings.", acutance="added",
    ),
    "alone": Look(
        "what is left alone", "Striped where nothing is deblurred or sharpened: sky, water, fog and what is "
                              "blurred should be.",
        acutance="alone",
    ),
    "enlarged": Look(
        "as enlarged", "At 100 % and more: with the pixels that the enlarged file will have, twice as many "
                       "along a side where Finish does not "
        "enlarge. Look at 200 % or 400 %.", enlarged=True,
    ),
    "softness": Look(
        "where it is soft", "Tinted by how soft edges are: lemon sharp, violet soft, grey where there are "
                            "too few.", acutance="softness"
    ),
    "mosaic": Look("mosaic", "The values as the sensor gave them, each in the colour of its filter.", raw=-1),
    "mosaic-red": Look("mosaic, red", "The red values of the sensor alone.", raw=RED),
    "mosaic-green": Look("mosaic, green", "The green values of the sensor alone.", raw=GREEN),
    "origin": Look(
        "what came from where", "Of a merge: each place in the tint of the frame that gave most of it, "
                                "striped where a thing that moved, "
        "or a place chosen by hand, is taken from one.", origin=True,
    ),
    "mosaic-blue": Look("mosaic, blue", "The blue values of the sensor alone.", raw=BLUE),
}  # fmt: skip


#: Looks that are right from 100 % on only.
_FINE = ("added", "alone")


#: Looks at the mask of a region; they are chosen with it, not among the others.
MASKS: dict[str, Look] = {
    "mask-over": Look("mask hatched", "The picture, hatched where the region is.", mask="over"),
    "mask-alone": Look("mask alone", "The mask in grey: white is all of it.", mask="alone"),
    "mask-inside": Look("inside only", "The picture where the region is.", mask="inside"),
}


def look_of(name: str) -> Look:
    """A look by its name, which for masks is followed by a colon and the region's number."""
    return LOOKS[name] if name in LOOKS else MASKS[name.partition(":")[0]]


#: The look that shows best what a control does, while it is moved.
FITTING = {
    "noise.luminance": "luminance", "noise.colour": "colour", "sensor.false_colour": "colour",
    "noise.red": "red", "noise.green": "green", "noise.blue": "blue",
}  # fmt: skip


def shown_as(name: str, step: float) -> str:
    """The look that a view of so many output pixels a pixel shows instead: of what is as fine as pixels the
    picture."""
    return PICTURE if step > 1 and look_of(name).acutance in _FINE else name


def missing(name: str, developed: Developed, step: float = 1.0) -> str:
    """Why a look cannot be had of a developed frame (in a view of so many output pixels a pixel); empty when
    it can, or will be.

    What deblurring and sharpening do is as fine as pixels: reduced, what is added cancels out and nothing
    seems to be touched.
    """
    look = look_of(name)
    if shown_as(name, step) != name:
        return f"the picture: {look.words} is seen from 100 % on (R)"
    if developed.step == 1 and look.raw is not None and developed.cfa is None:
        return "no mosaic in this file"
    if look.origin and developed.step == 1 and developed.origin is None:
        return "no HDR merge is shown here"
    known = developed.noise is not None or developed.finished is not None
    return "no noise is removed here" if look.removed and not known else ""


def settings_in(name: str, settings: Settings) -> Settings:
    """The settings under which a look shows a proof."""
    for path, value in look_of(name).changes:
        settings = settings.with_value(path, value)
    return settings


def on_medium(rendered: Rendered, medium: SoftProof) -> Rendered:
    """A view as it will look on a medium."""
    return replace(rendered, pixels=proofed(rendered.pixels, rendered.space, medium), space=SCREEN)


def render_look(
    name: str,
    developed: Developed,
    settings: Settings,
    context: Context,
    region: OutputRegion,
    clean: FramePatch | None = None,
    offset: float = 0.0,
    marks: Limits | None = None,
    upstream: Upstream | None = None,
    space: str = SCREEN,
) -> Rendered:
    """A region in one of the LOOKS; the picture where the look cannot be had.

    Parameters are those of :func:`irvane.core.line.view.render_view`.
    """
    look, settings = look_of(name), settings_in(name, settings)
    mosaic = developed.mosaic
    if look.raw is not None and mosaic is not None:
        light = _raw(
            developed,
            mosaic,
            source_of(settings, context, region),
            look.raw,
            settings.light.exposure + offset,
        )
        return _seen(light, settings, context, region)
    if look.removed and (developed.noise is not None or developed.finished is not None):
        light = _removed(developed, settings, context, source_of(settings, context, region), clean)
        return _seen(light, settings, context, region)
    if look.origin and developed.origin is not None:
        light = _origin(
            developed, developed.origin, settings, context, source_of(settings, context, region), clean
        )
        return _seen(light, settings, context, region)
    if look.acutance == "softness":
        light = softness_light(developed, settings, context, source_of(settings, context, region), clean)
        return _seen(light, settings, context, region)
    if look.acutance and shown_as(name, region.step) == name:
        plain, added, patch = added_by_acutance(developed, settings, context, region, clean)
        seen = (added_light if look.acutance == "added" else alone_light)(plain, added)
        h, w = seen.shape[:2]
        bottom, right = patch.top + h * patch.step, patch.left + w * patch.step
        return Rendered(to_screen(seen), patch.top, patch.left, bottom, right)
    if look.mask:
        number = int(name.partition(":")[2] or 0)
        whole = render_view(developed, settings, context, region, clean, offset, marks, None, upstream, space)
        if number >= len(settings.regions):
            return whole
        return with_mask(look.mask, whole, settings.regions[number], developed, settings, context)
    if look.enlarged:
        return with_enlarging(
            lambda part: render_view(developed, settings, context, part, clean, offset, marks, None, upstream,
            space),
            settings, context, region,
        )  # fmt: skip
    space = space if look.finish is None else SCREEN
    return render_view(
        developed, settings, context, region, clean, offset + look.lift, marks, look.finish, upstream, space
    )


def _seen(light: FramePatch, settings: Settings, context: Context, region: OutputRegion) -> Rendered:
    """Light of a part of the frame (0…1), as it lies in the output."""
    patch = trim(placed(light, geometry_for(settings, context), region), region)
    pixels = to_screen(np.clip(patch.pixels, 0, 1))
    return Rendered(pixels, patch.top, patch.left, patch.bottom, patch.right)


def _raw(developed: Developed, mosaic: Mosaic, region: FrameRegion, colour: int, lift: float) -> FramePatch:
    h, w = developed.sensor_extent
    rows, columns = upright_rect(
        (region.top, region.bottom), (region.left, region.right), developed.sensor_extent, developed.flip
    )
    top, left = (v // PERIOD * PERIOD for v in (rows[0], columns[0]))
    bottom, right = (min(n, -(-v // PERIOD) * PERIOD) for n, v in ((h, rows[1]), (w, columns[1])))
    part = Mosaic(np.ascontiguousarray(mosaic.data[top:bottom, left:right]), mosaic.cfa)
    seen = _single(part, colour) if colour >= 0 else _tinted(part)
    inner = upright(
        seen[rows[0] - top : rows[1] - top, columns[0] - left : columns[1] - left], developed.flip
    )
    patch = reduced(FramePatch(np.ascontiguousarray(inner), region.top, region.left, 1.0), region.step)
    return FramePatch(patch.pixels * np.float32(2.0**lift), patch.top, patch.left, patch.step)


def _tinted(part: Mosaic) -> np.ndarray:
    out = np.zeros((*part.data.shape, 3), np.float32)
    np.put_along_axis(out, part.colours()[..., None].astype(np.int64), part.data[..., None], axis=2)
    return out


def _single(part: Mosaic, colour: int) -> np.ndarray:
    """One colour's values; a cell that holds several shows their mean."""
    cells = bin_colour(part)[..., colour]
    n = 2 if part.is_bayer else 3
    h, w = part.data.shape
    large = np.repeat(np.repeat(cells, n, 0), n, 1)
    return _grey(np.pad(large, ((0, h - large.shape[0]), (0, w - large.shape[1])), mode="edge"))


def _removed(
    developed: Developed, settings: Settings, context: Context, region: FrameRegion, clean: FramePatch | None
) -> FramePatch:
    """Plain minus mixed, in standard deviations of the noise that is expected there, around mid-grey."""
    clean = None if clean is not None and clean.step > 1 else clean  # what takes a view's place is no measure
    mixed = mixed_patch(developed, settings, context, region, clean)
    plain = camera_patch(developed, region, "plain")
    light = np.maximum(mixed.pixels, 0)
    if developed.noise is not None:
        gain, read = (np.array(v, np.float32) for v in (developed.noise.gain, developed.noise.read))
        sigma = np.sqrt(light * gain + read**2)
    else:
        assert developed.finished is not None
        root = np.sqrt(light)
        sigma = 2 * np.maximum(root, 0.02) * developed.finished.sigmas(root)
    sigma = sigma / max(region.step, 1.0)
    seen = np.clip(0.5 + _SIGMA_SHARE * (plain.pixels - mixed.pixels) / sigma, 0, 1)
    return FramePatch(np.square(seen), mixed.top, mixed.left, mixed.step)


#: Tints by the order of frames, and what they are called; more frames begin anew.
TINTS = {
    "blue": (0.25, 0.45, 1.0), "amber": (1.0, 0.62, 0.10), "green": (0.20, 0.80, 0.35), "rose": (1.0, 0.40,
    0.62),
    "violet": (0.62, 0.42, 1.0), "lemon": (0.95, 0.92, 0.30), "turquoise": (0.15, 0.82, 0.85),
}  # fmt: skip
_STRIPE = 12


def origin_words(origin: Origin) -> str:
    """Which tint stands for which frame, and what share of the picture it gave."""
    shares = [(float((origin.frames == k).mean()), name, k) for k, name in enumerate(origin.names)]
    tints = list(TINTS)
    told = [
        f"{tints[k % len(tints)]}: {name} ({share:.0%})"
        for share, name, k in sorted(shares, reverse=True)
        if share > 0.001
    ]
    return ", ".join(told)


def _origin(
    developed: Developed,
    origin: Origin,
    settings: Settings,
    context: Context,
    region: FrameRegion,
    clean: FramePatch | None,
) -> FramePatch:
    """The picture in grey, each place in the tint of the frame that gave most of it."""
    mixed = mixed_patch(developed, settings, context, region, clean)
    high, wide = mixed.pixels.shape[:2]
    h, w = origin.frames.shape
    y, x = (np.arange(n) * mixed.step + first for n, first in ((high, mixed.top), (wide, mixed.left)))
    rows = np.clip(y * h / developed.extent[0], 0, h - 1).astype(int)
    columns = np.clip(x * w / developed.extent[1], 0, w - 1).astype(int)
    tints = np.array(list(TINTS.values()), np.float32)[origin.frames % len(TINTS)]
    shown = _compressed(np.maximum(mixed.pixels @ _LUMA, 0) * np.float32(2.0**settings.light.exposure))
    seen = (0.15 + 0.85 * shown[..., None]) * tints[rows[:, None], columns[None, :]]
    stripes = (y[:, None] + x[None, :]) // (_STRIPE * max(mixed.step, 1.0)) % 2 == 0
    stripes &= origin.moved[rows[:, None], columns[None, :]]
    seen[stripes] = 1 - 0.35 * (1 - seen[stripes])
    return FramePatch(np.square(seen).astype(np.float32), mixed.top, mixed.left, mixed.step)


def _compressed(light: np.ndarray) -> np.ndarray:
    """Scene-linear luminance as values to look at, 0…1, all of it seen: the curve of Reinhard and others
    (2002)."""
    scaled = light * np.float32(4.0)
    return np.sqrt(scaled / (1 + scaled))
