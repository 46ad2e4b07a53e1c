"""A series of exposures of one scene, brought to equal brightness: colours agree with the rightly exposed frame."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import shots

from irvane.core.colour.spaces import SPACES, between
from irvane.core.files.info import FrameInfo
from irvane.core.image import Mosaic, NoiseModel
from irvane.core.judge.colour_difference import delta_e, lab_of
from irvane.core.line.context import make_context
from irvane.core.line.develop import develop
from irvane.core.line.picture import Region
from irvane.core.line.source import MOSAIC, Loaded
from irvane.core.line.view import scene_patch, show
from irvane.core.sensor.levels import apply_levels
from irvane.core.settings import Settings
from irvane.core.simulate.camera import Body, expose

SIDE, ROWS, COLUMNS = 72, 4, 6


def _chart() -> np.ndarray:
    """24 patches between 2 and 80 % reflectance, most of them coloured: linear BT.2020."""
    rng = np.random.default_rng(3)
    grey = np.linspace(0.03, 0.8, ROWS * COLUMNS)[:, None]
    tint = rng.uniform(0.55, 1.3, (ROWS * COLUMNS, 3))
    tint[::5] = 1
    patches = np.clip(grey * tint, 0.02, 0.85).reshape(ROWS, COLUMNS, 3)
    return np.repeat(np.repeat(patches, SIDE, 0), SIDE, 1).astype(np.float32)


def _shot(stops: float) -> Loaded:
    """The chart through the reference sensor (14 bits, black 512, banding and warm pixels as built), at ISO 100."""
    body = Body("Reference")
    rng = np.random.default_rng(int(stops) + 40)
    counts = expose(_chart(), body, iso=100, exposure=2.0**stops, neutral=shots.NEUTRAL, rng=rng)
    black, white = np.full(3, float(body.black)), np.full(3, float(body.white))
    mosaic = apply_levels(counts, body.cfa, black, white)
    s, o = body.noise_profile(100)
    noise = NoiseModel((s,) * 3, (o**0.5,) * 3, "file")
    return Loaded(MOSAIC, Mosaic(mosaic, body.cfa), None, shots.colour(), noise, 0, FrameInfo(iso=100.0), ())


def _patches(stops: float) -> tuple[np.ndarray, np.ndarray]:
    """L*a*b* of the patches after exposure has been given back, noise averaged; and which of them are not clipped."""
    loaded = _shot(stops)
    settings = Settings().with_value("light.exposure", -stops).with_value("noise.amount", 0)
    developed = develop(loaded, settings.sensor)
    h, w = developed.extent
    context = make_context(developed)
    scene = scene_patch(developed, settings, context, Region(0, 0, h, w))
    m = SIDE // 5
    cells = scene.pixels.reshape(ROWS, SIDE, COLUMNS, SIDE, 3)[:, m:-m, :, m:-m].mean(axis=(1, 3))
    bits = np.zeros((h, w), np.uint8) if developed.clipped is None else developed.clipped
    clipped = bits.reshape(ROWS, SIDE, COLUMNS, SIDE)[:, m:-m, :, m:-m].any(axis=(1, 3))
    shown = show(replace(scene, pixels=np.ascontiguousarray(cells, np.float32)), developed, settings)
    return lab_of(shown, SPACES["srgb"]), ~clipped


@pytest.fixture(scope="module")
def right() -> np.ndarray:
    lab, whole = _patches(0)
    assert whole.mean() > 0.9
    return lab


@pytest.mark.parametrize(("stops", "limit"), [
    (2, 1.5), (1, 1.5), (-1, 1.5), (-3, 1.5), (-5, 1.5), (-6, 3.0), (-8, 3.0),
])  # fmt: skip
def test_frames_agree_with_the_rightly_exposed_one(right: np.ndarray, stops: int, limit: float) -> None:
    lab, whole = _patches(stops)
    assert whole.sum() >= 6
    assert delta_e(lab, right)[whole].mean() < limit


def test_the_chart_is_what_was_photographed(right: np.ndarray) -> None:
    # the base rendering is a curve on the largest colour: lightness is in the order of the chart's
    chart = _chart()[SIDE // 2 :: SIDE, SIDE // 2 :: SIDE] @ between(SPACES["rec2020"], SPACES["srgb"]).T
    order = np.corrcoef(lab_of(chart, SPACES["srgb"])[..., 0].ravel(), right[..., 0].ravel())[0, 1]
    assert order > 0.98
