"""A chart photographed in a series of exposures and brought to equal brightness."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

import protocol
from irvane.core.colour.spaces import SPACES
from irvane.core.files.info import FrameInfo
from irvane.core.image import CameraColour, Mosaic, NoiseModel
from irvane.core.judge.colour_difference import lab_of
from irvane.core.line.context import make_context
from irvane.core.line.develop import develop
from irvane.core.line.source import MOSAIC, Loaded
from irvane.core.line.view import scene_patch, show
from irvane.core.pixels.places import OutputRegion
from irvane.core.sensor.levels import apply_levels
from irvane.core.settings import Settings
from irvane.core.simulate.camera import Body, expose

SIDE, ROWS, COLUMNS = 72, 4, 6


def chart() -> np.ndarray:
    """24 patches between 2 and 80 % reflectance, most of them coloured: linear BT.2020."""
    rng = np.random.default_rng(3)
    grey = np.linspace(0.03, 0.8, ROWS * COLUMNS)[:, None]
    tint = rng.uniform(0.55, 1.3, (ROWS * COLUMNS, 3))
    tint[::5] = 1
    cells = np.clip(grey * tint, 0.02, 0.85).reshape(ROWS, COLUMNS, 3)
    return np.repeat(np.repeat(cells, SIDE, 0), SIDE, 1).astype(np.float32)


def _shot(stops: float) -> Loaded:
    """The chart through the reference sensor (14 bits, black 512, banding and warm pixels as built), at ISO 100."""
    body = Body("Reference")
    rng = np.random.default_rng(int(stops) + 40)
    counts = expose(chart(), body, iso=100, exposure=2.0**stops, neutral=protocol.NEUTRAL, rng=rng)
    colour = CameraColour(body.matrix_d65, body.matrix_a, 2856.0, 6504.0, protocol.NEUTRAL, True)
    black, white = np.full(3, float(body.black)), np.full(3, float(body.white))
    mosaic = apply_levels(counts, body.cfa, black, white)
    s, o = body.noise_profile(100)
    noise = NoiseModel((s,) * 3, (o**0.5,) * 3, "file")
    return Loaded(MOSAIC, Mosaic(mosaic, body.cfa), None, colour, noise, 0, FrameInfo(iso=100.0), ())


def patches(stops: float) -> tuple[np.ndarray, np.ndarray]:
    """L*a*b* of the patches after exposure has been given back, noise averaged; and which of them are not clipped."""
    loaded = _shot(stops)
    settings = Settings().with_value("light.exposure", -stops).with_value("noise.amount", 0)
    developed = develop(loaded, settings.sensor)
    h, w = developed.extent
    context = make_context(developed)
    scene = scene_patch(developed, settings, context, OutputRegion(0, 0, h, w))
    m = SIDE // 5
    cells = scene.pixels.reshape(ROWS, SIDE, COLUMNS, SIDE, 3)[:, m:-m, :, m:-m].mean(axis=(1, 3))
    bits = np.zeros((h, w), np.uint8) if developed.clipped is None else developed.clipped
    clipped = bits.reshape(ROWS, SIDE, COLUMNS, SIDE)[:, m:-m, :, m:-m].any(axis=(1, 3))
    shown = show(replace(scene, pixels=np.ascontiguousarray(cells, np.float32)), developed, settings)
    return lab_of(shown, SPACES["srgb"]), ~clipped
