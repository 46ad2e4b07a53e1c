"""Whole-frame facts: computed once per source from a fixed reduced copy, handed to every step."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace

import cv2
import numpy as np

from irvane.core.acutance.blur_cause import SIDE, Cause, cause_of, mean_spectrum, where_blurred
from irvane.core.acutance.blurs import Blur
from irvane.core.acutance.diffraction import diffraction
from irvane.core.acutance.edge_blur import Edges, edges_of, find_edges, sharpest
from irvane.core.acutance.intentional_blur import judged, soft_places, softness_map
from irvane.core.colour.camera import BASE_EXPOSURE, apply_camera, transform
from irvane.core.colour.rendering import WHITE_EV
from irvane.core.image import MID_GREY, NoiseModel
from irvane.core.lens.aberration import measure_aberration
from irvane.core.lens.corrections import AUTO, OFF, LensFacts, carries, profile_for
from irvane.core.lens.falloff import measure_falloff
from irvane.core.lens.framing import geometry_of
from irvane.core.lens.fringing import fringe_hue
from irvane.core.lens.profile import pixel_pitch
from irvane.core.light.guide import GUIDE_SIDE, Guide, make_guide
from irvane.core.light.suggest import Suggestion, suggest
from irvane.core.line.develop import Developed
from irvane.core.line.source import CAMERA, DISPLAY, MERGED, MOSAIC
from irvane.core.noise.denoise import Removal, automatic_amount
from irvane.core.noise.haze import measure_haze
from irvane.core.orientation import to_upright
from irvane.core.pixels.geometry import Geometry
from irvane.core.pixels.places import FrameRegion
from irvane.core.sensor.highlights import HighlightMap, make_map, rebuild
from irvane.core.settings import Colour, Settings
from irvane.core.store.kept import STORE
from irvane.core.threads import together

#: Smaller pictures tell nothing of the lens.
_LEAST_SIDE = 64
#: Sides of the middle of a picture that its blur is looked for in, where there is no mosaic; noise that is
#: assumed there.
_SEEN, _ASSUMED = 2048, 0.01
#: Share of a part that lies in wanted places, for it to tell of them.
_WITHIN = 0.8
#: Blur of the sharpest edges of a frame that is sharp: what the pixels and demosaicing add; pixels of a small
#: frame.
_SHARP, _SMALL = 0.72, 4_000_000


@dataclass(frozen=True)
class Context:
    """Facts about a frame that hold for every view of it.

    Attributes
    ----------
    guide : local base brightness under the white balance of the shot, before any exposure.
    highlights : colour of the surroundings of clipped places.
    clipped_share : share of pixels with at least one colour clipped on the sensor.
    noise_amount : automatic denoising strength in per cent.
    lens : what the lens corrections depend on.
    haze : even light over the deepest tones, per colour of the sensor, relative to clipping.
    lens_measured : was the lateral aberration looked for, and the blur?
    softness : what softened it; None when that was not looked for.
    edges : of the upright frame, with how soft each is; None when they were not looked for.
    """

    guide: Guide
    highlights: HighlightMap
    clipped_share: float
    noise_amount: float
    lens: LensFacts
    haze: tuple[float, float, float] = (0.0, 0.0, 0.0)
    lens_measured: bool = False
    softness: Cause | None = None
    edges: Edges | None = None


def make_context(developed: Developed, side: int = GUIDE_SIDE) -> Context:
    """Compute the facts from a reduced copy of the plain picture, its longer side about `side` pixels."""
    picture = developed.plain.whole(side).pixels
    haze, (guide, where) = together(
        lambda: _haze(picture, developed.noise), lambda: _guide_and_highlights(developed, picture)
    )
    bits = developed.clipped
    share = 0.0 if bits is None else float(np.count_nonzero(bits) / bits.size)
    amount = automatic_amount(developed.noise) if developed.noise is not None else 0.0
    return Context(guide, where, share, amount, _lens_facts(developed, picture), haze)


def _lens_facts(developed: Developed, picture: np.ndarray) -> LensFacts:
    raw = developed.entry in (MOSAIC, CAMERA, MERGED)
    falloff = measure_falloff(picture) if min(picture.shape[:2]) >= _LEAST_SIDE else None
    return LensFacts(developed.extent, developed.flip, raw, developed.optics, None, falloff)


def to_be_measured(developed: Developed, settings: Settings, context: Context) -> bool:
    """Do the settings ask for what is measured of the lens, in a frame in which that was not looked for
    yet?"""
    lens = settings.lens
    if context.lens_measured or developed.step > 1:
        return False
    if any(
        one.change(f"acutance.{n}") for one in settings.regions if one.acts for n in ("deblur", "automatic")
    ):
        return True
    if lens.fringing and lens.fringe_hue is None:
        return True
    if settings.acutance.deblur != "off" or settings.acutance.automatic != "off":
        return True
    if developed.cfa is None or lens.aberration == OFF:
        return False
    if lens.aberration == "measured":
        return True
    profile = profile_for(context.lens, lens)
    known = profile is not None and "aberration" in profile.corrects
    return not known and not (lens.profile == AUTO and carries(context.lens.optics))


def with_lens_measured(developed: Developed, context: Context) -> Context:
    """The facts with the lateral aberration, as far as there are contours of a mosaic to tell it, and the hue
    of fringes."""
    mosaic = developed.mosaic
    found, edges = together(
        lambda: None if mosaic is None else measure_aberration(mosaic), lambda: find_edges_of(developed)
    )
    hue, soft = together(
        lambda: fringe_hue(developed.plain, developed.clipped, developed.gains),
        lambda: _told(developed, edges),
    )
    facts = replace(context.lens, aberration=found, fringe_hue=hue)
    return replace(context, lens=facts, lens_measured=True, softness=soft, edges=edges)


def measure_softness(developed: Developed) -> Cause:
    """What softened a frame, and by how much."""
    return _told(developed, find_edges_of(developed))


def softness_of(context: Context) -> float | None:
    """σ in pixels by which a frame's sharpest edges are softer than a sharp frame's; None when that is not
    known."""
    edges = context.edges
    return None if edges is None else STORE.kept("softness", (edges,), None, lambda: softness_in(edges))


def softness_in(edges: Edges) -> float | None:
    """σ in pixels by which the sharpest of some edges are softer than a sharp frame's; None where there are
    too few."""
    wide = sharpest(edges)
    return None if wide is None else float(np.sqrt(max(wide**2 - _SHARP**2, 0.0)))


def _told(developed: Developed, edges: Edges) -> Cause:
    """What softened a frame, and how much of that is diffraction."""
    optics = developed.optics
    pitch = pixel_pitch(optics, developed.extent)
    least = diffraction(optics.aperture, pitch) if optics.aperture and pitch else 0.0
    return replace(_softness(developed, edges), diffraction=round(least, 2))


def _softness(developed: Developed, edges: Edges) -> Cause:
    soft = softness_in(edges)

    def of_all() -> Cause:
        return cause_of(mean_spectrum(_parts(developed)), soft, edges)

    # crowded edges look sharper than they are: a frame that is blurred all over would seem to have sharp
    # places
    alone = edges.chosen(edges.alone)
    found = softness_map(alone, developed.extent)
    places = soft_places(found)
    if places is None:
        return of_all()
    inside = edges.chosen(_within(edges, places, developed.extent))
    cause, of_part = together(
        of_all,
        lambda: cause_of(mean_spectrum(_parts(developed, places)), softness_in(inside), inside, part=True),
    )
    return judged(cause, found, of_part, alone, developed.extent)


def _within(edges: Edges, places: np.ndarray, extent: tuple[int, int]) -> np.ndarray:
    """Which edges lie in places of a coarse map."""
    h, w = places.shape
    rows = np.minimum(edges.y * h / extent[0], h - 1).astype(int)
    columns = np.minimum(edges.x * w / extent[1], w - 1).astype(int)
    return np.asarray(places[rows, columns])


def blurred_there(blur: Blur, context: Context) -> np.ndarray | None:
    """By how much places of the frame are as soft as a blur makes them (:func:`where_blurred`); None when
    that is not known."""
    edges, frame = context.edges, context.lens.frame
    if edges is None:
        return None
    return STORE.kept("where blurred", (edges,), (blur, frame), lambda: where_blurred(blur, edges, frame))


def _parts(developed: Developed, places: np.ndarray | None = None) -> Iterator[np.ndarray]:
    """Green of parts all over a frame, at 1:1; beside each other, and closer in small frames; or of its
    places on a coarse map alone."""
    h, w = developed.extent
    apart = SIDE if h * w > _SMALL else SIDE // 2
    if places is not None and h * w > 2 * _SMALL:
        apart *= 2
    for top in range(0, h - SIDE + 1, apart):
        lefts = list(range(0, w - SIDE + 1, apart))
        if places is not None:
            rows, columns = places.shape[0] / h, places.shape[1] / w
            band = places[int(top * rows) : max(int((top + SIDE) * rows), int(top * rows) + 1)]
            lefts = [
                x for x in lefts if band[:, int(x * columns) : int((x + SIDE) * columns) + 1].mean() > _WITHIN
            ]
            if not lefts:
                continue
        green = developed.plain.read(FrameRegion(top, 0, top + SIDE, w)).pixels[..., 1]
        for left in lefts:
            yield np.ascontiguousarray(green[:, left : left + SIDE])


def find_edges_of(developed: Developed) -> Edges:
    """Edges of the upright frame with their blur in pixels; of its middle only where there is no mosaic."""
    if developed.mosaic is not None and developed.noise is not None:
        found = edges_of(developed.mosaic, developed.noise)
        x, y = to_upright((found.x, found.y), developed.sensor_extent, developed.flip)
        turn = np.pi / 2 if developed.flip in (5, 6) else 0.0
        return replace(found, y=y, x=x, across=(found.across + turn) % np.pi)
    h, w = developed.extent
    top, left = max(0, h - _SEEN) // 2, max(0, w - _SEEN) // 2
    plane = np.ascontiguousarray(
        developed.plain.read(FrameRegion(top, left, min(top + _SEEN, h), min(left + _SEEN, w))).pixels[..., 1]
    )
    noise: float | np.ndarray = _ASSUMED
    if developed.noise is not None:
        signal = np.maximum(cv2.GaussianBlur(plane, (0, 0), 2.0), 0)
        noise = np.sqrt(developed.noise.gain[1] * signal + developed.noise.read[1] ** 2).astype(np.float32)
    found = find_edges(plane, noise)
    return found.moved(top, left)


def geometry_for(settings: Settings, context: Context) -> Geometry:
    """The map between a frame and the output of a proof."""
    return geometry_of(context.lens, settings.lens)


def _haze(picture: np.ndarray, noise: NoiseModel | None) -> tuple[float, float, float]:
    return (0.0, 0.0, 0.0) if noise is None else measure_haze(picture, noise)


def _guide_and_highlights(developed: Developed, picture: np.ndarray) -> tuple[Guide, HighlightMap]:
    """The guide is made with highlights rebuilt."""
    if developed.entry not in (MOSAIC, CAMERA) or developed.colour is None:
        return make_guide(picture, developed.extent), HighlightMap(None, developed.extent, 0.0)
    if developed.lent is not None:
        where = developed.lent.upright(developed.flip)
    else:
        where = make_map(picture, developed.gains, developed.extent, developed.clipped)
    picture = rebuild(picture, developed.gains, where, 0, 0, developed.extent[1] / picture.shape[1])
    balance, matrix = transform(developed.colour, Colour())
    scene = apply_camera(picture, balance * 2**BASE_EXPOSURE, matrix)
    return make_guide(scene, developed.extent), where


def suggested_light(developed: Developed, context: Context) -> Suggestion:
    """A starting point for the station Light."""
    return suggest(context.guide, context.clipped_share, white_of(developed))


def white_of(developed: Developed) -> float:
    """EV above mid-grey that become white; finished pictures end at their own."""
    return -float(np.log2(MID_GREY)) if developed.entry == DISPLAY else WHITE_EV


def noise_amount(settings: Settings, context: Context) -> float:
    """Denoising amount in force (per cent): the set one, or the automatic one."""
    return context.noise_amount if settings.noise.amount is None else settings.noise.amount


def noise_removal(settings: Settings, context: Context) -> Removal:
    """How the denoiser runs: up to 100 % its result is mixed with the plain picture, beyond it takes more for
    noise."""
    amount = noise_amount(settings, context)
    # a region that removes more needs the denoised picture too
    more = max((one.change("noise.amount") or 0.0 for one in settings.regions if one.acts), default=0.0)
    amount = max(amount, min(amount + more, 100.0))
    strength = 0.0 if amount <= 0 else 1.0 + max(0.0, amount - 100.0) / 100.0
    return Removal(strength, settings.noise.method, settings.noise.removed_by) if strength else Removal()
