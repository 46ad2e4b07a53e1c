"""The whole finished picture, in bands that are never all in memory: what is written and what is measured."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from irvane.core.colour.camera import apply_camera, flat_transform
from irvane.core.colour.rendering import encode
from irvane.core.colour.spaces import SPACES, WORKING, between
from irvane.core.files.writers import quantise
from irvane.core.line.camera import camera_light
from irvane.core.line.context import Context, geometry_for
from irvane.core.line.develop import Developed
from irvane.core.line.view import plain_light, scene_patch, show
from irvane.core.pixels.patches import trim
from irvane.core.pixels.places import OutputRegion
from irvane.core.progress import Progress, always, step
from irvane.core.settings import Settings
from irvane.core.threads import each

_BAND = 128


@dataclass(frozen=True)
class Output:
    """How a finished picture is encoded.

    Attributes
    ----------
    space : key of the colour space.
    linear : no encoding curve, and no base rendering: scene-linear light, as it was before the station Light;
        `toned`: after it, with colour and sharpening.
    flat : the plain rendition for measuring, see :func:`_flat_band`.
    """

    space: str = "srgb"
    linear: bool = False
    flat: bool = False
    toned: bool = False


def finished_bands(
    developed: Developed,
    settings: Settings,
    context: Context,
    output: Output,
    depth: int = 32,
    progress: Progress = always,
) -> Iterator[tuple[int, np.ndarray]]:
    """The whole finished picture in bands from top to bottom: (first row, pixels encoded for the output).

    `depth` 8 or 16 gives whole numbers, 32 float32.

    Raises
    ------
    Cancelled
        When `progress` returns False.
    """

    def work(first: int) -> tuple[int, np.ndarray]:
        light = _light(developed, settings, context, output, first)
        return first, quantise(light, depth) if output.linear else encode(light, output.space, depth)

    h, _ = geometry_for(settings, context).output
    for first, band in each(work, range(0, h, _BAND)):
        step(progress, first / h)
        yield first, band


def finished_part(
    developed: Developed,
    settings: Settings,
    context: Context,
    output: Output,
    region: OutputRegion,
    depth: int,
) -> np.ndarray:
    """A part of the finished picture at 1:1, as it will be in the whole."""
    patch = trim(scene_patch(developed, settings, context, region), region)
    return encode(show(patch, developed, settings, output.space), output.space, depth)


def light_bands(
    developed: Developed, settings: Settings, context: Context, output: Output, progress: Progress = always
) -> Iterator[np.ndarray]:
    """The same before it is encoded: linear light in the output's space, in bands from top to bottom."""
    h, _ = geometry_for(settings, context).output
    for first, band in each(
        lambda k: (k, _light(developed, settings, context, output, k)), range(0, h, _BAND)
    ):
        step(progress, first / h)
        yield band


def _light(
    developed: Developed, settings: Settings, context: Context, output: Output, first: int
) -> np.ndarray:
    h, w = geometry_for(settings, context).output
    region = OutputRegion(first, 0, min(h, first + _BAND), w)
    if output.flat:
        return _flat_band(developed, settings, context, region, output)
    if output.linear and not output.toned:
        patch = plain_light(developed, settings, context, region)
        return patch.pixels @ between(WORKING, SPACES[output.space]).T.astype(np.float32)
    patch = trim(scene_patch(developed, settings, context, region), region)
    if output.linear:
        return patch.pixels @ between(WORKING, SPACES[output.space]).T.astype(np.float32)
    return show(patch, developed, settings, output.space)


def _flat_band(
    developed: Developed, settings: Settings, context: Context, region: OutputRegion, output: Output
) -> np.ndarray:
    """The plain scene-linear rendition: gains of the shot with smallest 1, each colour clipped at 1 before a
    matrix that keeps white, then exposure; 1.0 is the sensor's white. No curve, no base exposure, no
    sharpening."""
    cut = settings.with_value("sensor.highlights", "clip")
    patch = trim(camera_light(developed, cut, context, region), region)
    scale = np.float32(2.0**settings.light.exposure)
    if developed.colour is not None:
        balance, matrix = flat_transform(developed.colour, settings.colour, output.space)
        return apply_camera(patch.pixels, balance, matrix, 1.0) * scale
    return patch.pixels @ between(WORKING, SPACES[output.space]).T.astype(np.float32) * scale
