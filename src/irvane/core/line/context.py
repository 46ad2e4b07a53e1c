"""Whole-frame facts: computed once per source from a fixed reduced copy, handed to every step."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from irvane.core.colour.camera import BASE_EXPOSURE, apply_camera, transform
from irvane.core.colour.rendering import WHITE_EV
from irvane.core.image import MID_GREY, NoiseModel
from irvane.core.light.guide import GUIDE_SIDE, Guide, make_guide
from irvane.core.light.suggest import Suggestion, suggest
from irvane.core.line.develop import Developed
from irvane.core.line.source import CAMERA, DISPLAY, MOSAIC
from irvane.core.noise.denoise import Removal, automatic_amount
from irvane.core.noise.haze import measure_haze
from irvane.core.sensor.highlights import HighlightMap, make_map, rebuild
from irvane.core.settings import Colour, Settings
from irvane.core.threads import together


@dataclass(frozen=True)
class Context:
    """Facts about a frame that hold for every view of it.

    Attributes
    ----------
    guide : local base brightness under the white balance of the shot, before any exposure.
    highlights : colour of the surroundings of clipped places.
    clipped_share : share of pixels with at least one colour clipped on the sensor.
    noise_amount : automatic denoising strength in per cent.
    haze : even light over the deepest tones, per colour of the sensor, relative to clipping.
    """

    guide: Guide
    highlights: HighlightMap
    clipped_share: float
    noise_amount: float
    haze: tuple[float, float, float] = (0.0, 0.0, 0.0)


def make_context(developed: Developed, side: int = GUIDE_SIDE) -> Context:
    """Compute the facts from a reduced copy of the plain picture, its longer side about `side` pixels."""
    picture = developed.plain.whole(side).pixels
    haze, (guide, where) = together(
        lambda: _haze(picture, developed.noise), lambda: _guide_and_highlights(developed, picture)
    )
    bits = developed.clipped
    share = 0.0 if bits is None else float(np.count_nonzero(bits) / bits.size)
    amount = automatic_amount(developed.noise) if developed.noise is not None else 0.0
    return Context(guide, where, share, amount, haze)


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
    """A starting point for the station Light; finished pictures end at their own white."""
    white = -float(np.log2(MID_GREY)) if developed.entry == DISPLAY else WHITE_EV
    return suggest(context.guide, context.clipped_share, white)


def noise_amount(settings: Settings, context: Context) -> float:
    """Denoising amount in force (per cent): the set one, or the automatic one."""
    return context.noise_amount if settings.noise.amount is None else settings.noise.amount


def noise_removal(settings: Settings, context: Context) -> Removal:
    """How the denoiser runs: up to 100 % its result is mixed with the plain picture, beyond it takes more for noise."""
    amount = noise_amount(settings, context)
    strength = 0.0 if amount <= 0 else 1.0 + max(0.0, amount - 100.0) / 100.0
    return Removal(strength, settings.noise.method, settings.noise.removed_by) if strength else Removal()
