"""From a mosaic, denoised or not, to full colour: the same steps for whole frames, parts of them and
merges."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from irvane.core.image import Mosaic, NoiseModel
from irvane.core.noise import denoise
from irvane.core.noise.denoise import Removal
from irvane.core.sensor import demosaic as demosaicing
from irvane.core.sensor import false_colour, refine, unclip
from irvane.core.sensor.clipping import BELIEF_REACH, believed, hold_clipped
from irvane.core.sensor.encoding import knee_for
from irvane.core.sensor.highlights import HighlightMap
from irvane.core.sensor.padding import Borders
from irvane.core.sensor.refine import Removed
from irvane.core.sensor.unclip import unclipped
from irvane.core.settings import Sensor

#: Pixels after which both colour arrays begin anew.
PERIOD = 12


@dataclass(frozen=True)
class Colouring:
    """How a frame gets its colour.

    Attributes
    ----------
    cfa : colours of its array. factors : reference gains of red, green, blue. lent : what surrounds clipped
        places.
    noise, removal : its noise, and how that was removed; strength 0 where it was not.
    sensor : the station's settings. refined : by the network?
    """

    cfa: np.ndarray
    factors: np.ndarray
    lent: HighlightMap
    noise: NoiseModel
    sensor: Sensor
    removal: Removal = Removal()
    refined: bool = False

    @property
    def reach(self) -> int:
        """Pixels of the mosaic around a place that its colour depends on."""
        return reach_of(self.cfa, self.sensor, self.refined, self.removal.strength > 0)

    def colour(
        self, part: np.ndarray, before: np.ndarray, place: tuple[int, int], borders: Borders
    ) -> np.ndarray:
        """Full colour (float32 H×W×3) of a part of a mosaic.

        Parameters
        ----------
        part, before : samples after and before denoising (the same where there was none), from a multiple of
            PERIOD on.
        place : row and column that it begins at. borders : which of its sides are the frame's.
        """
        mosaic, held, noisy = Mosaic(part, self.cfa), before, None
        knee = knee_for(self.noise.read[1])
        if self.removal.strength:
            noisy = removed_from(before, mosaic, self.noise, self.removal)
            held, knee = noisy.held, clean_knee(self.noise)
        raised = unclipped(mosaic, held, self.factors, self.lent, *place)
        return full_colour(raised, self.factors, knee, self.sensor, self.refined, noisy, borders)


def reach_of(cfa: np.ndarray, settings: Sensor, refined: bool, removed: bool) -> int:
    """Pixels of the mosaic around a place that its colour depends on."""
    more = BELIEF_REACH if removed else 0
    more += (refine.REACH if refined else 0) + (false_colour.REACH if settings.false_colour else 0)
    return demosaicing.reach(cfa) + unclip.REACH + more


def is_refined(cfa: np.ndarray, settings: Sensor, removal: Removal) -> bool:
    """Is the picture of a denoised mosaic refined by the network?"""
    best = removal.kind == denoise.BEST
    return best and settings.demosaic == demosaicing.AUTO and refine.possible(cfa, denoised=True)


def denoised_name(cfa: np.ndarray, settings: Sensor, removal: Removal) -> str:
    """Name of the demosaicing method of a denoised picture, with its weights' hash where it has some."""
    if is_refined(cfa, settings, removal):
        return f"{refine.name(cfa, denoised=True)} {refine.fingerprint(cfa, denoised=True)}"
    return demosaicing.method_name(cfa, settings.demosaic)


def removed_from(before: np.ndarray, after: Mosaic, noise: NoiseModel, removal: Removal) -> Removed:
    """What a denoiser did to a part of a mosaic with this noise."""
    held = before if removal.by == denoise.FIRST else believed(Mosaic(before, after.cfa), after.data, noise)
    return Removed(before, after.data, noise.times(removal.strength), held)


def full_colour(
    mosaic: Mosaic, factors: np.ndarray, knee: float, settings: Sensor, refined: bool,
    removed: Removed | None,
    borders: Borders, clips: bool = True,
) -> np.ndarray:  # fmt: skip
    """Full colour of a part of a mosaic that begins at a multiple of 12 pixels and ends at some of the
    frame's borders.

    `clips`: is 1 where the sensor clips? In a merge it is light like any other.
    """
    full = demosaicing.demosaic(mosaic, factors, knee, settings.demosaic, borders)
    if refined:
        full = refine.refine(full, mosaic.cfa, factors, knee, removed, settings.colour_by)
    full = false_colour.clean_colour(
        full, factors, knee, settings.false_colour / 100, settings.false_colour_width
    )
    if clips:
        hold_clipped(full, mosaic if removed is None else Mosaic(removed.held, mosaic.cfa))
    return full


def clean_knee(noise: NoiseModel) -> float:
    """Knee of the interpolation domain for a denoised mosaic: a fraction of the noise is left."""
    return knee_for(0.25 * noise.read[1])
