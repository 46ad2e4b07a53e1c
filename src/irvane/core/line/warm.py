"""Compile every kernel ahead of its first use; the compiled code is kept on disk (Numba's cache)."""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime

import numpy as np

from irvane.core.files.info import FrameInfo
from irvane.core.image import BAYER, SIX_BY_SIX, CameraColour, Mosaic, NoiseModel
from irvane.core.line.context import make_context
from irvane.core.line.develop import denoise_whole, develop, quick
from irvane.core.line.marks import Limits
from irvane.core.line.picture import Picture, Region
from irvane.core.line.source import MOSAIC, Loaded
from irvane.core.line.view import render_view
from irvane.core.merge.hdr import Member, merge, plan
from irvane.core.noise.denoise import BEST, FAST, Removal
from irvane.core.sensor.levels import apply_levels
from irvane.core.settings import Acutance, Colour, Light, Settings

_SIDE = 192


def _loaded(cfa: np.ndarray, shutter: float) -> Loaded:
    rng = np.random.default_rng(0)
    ramp = np.linspace(0.01, 1.3, _SIDE) * shutter * 50
    light = np.clip(np.add.outer(ramp, ramp) / 2, 0, 1)
    noise = NoiseModel((1e-3,) * 3, (2e-3,) * 3, "file")
    counts = np.clip(light * 15000 + 512 + rng.normal(0, 40, light.shape), 0, 16383).astype(np.uint16)
    counts[20, 30] = 15000  # a defect
    levels = np.full(3, 512.0), np.full(3, 16383.0)
    colour = CameraColour(np.eye(3), None, 2856.0, 6504.0, np.array([0.5, 1.0, 0.7]), True)
    info = FrameInfo(shutter=shutter, iso=100.0, taken=datetime(2026, 1, 1))
    mosaic = Mosaic(apply_levels(counts, cfa, *levels), cfa)
    return Loaded(MOSAIC, mosaic, None, colour, noise, 0, info, ())


def warm() -> None:
    """Run every kernel once on small pictures of both arrays (seconds from the cache, about a minute without)."""
    light = Light(exposure=0.5, contrast=10, black=0.5, shadows=1.0, highlights=-1.0, tone_map="photographic")
    bend = ((-2.0, -1.5), (0.0, 0.2))
    light = replace(light, curve=bend, curve_red=bend, roll_off=1.0, local_small=20, local_large=20)
    everything = replace(
        Settings(), light=light, acutance=Acutance(50, 50, 50), colour=Colour(saturation=120)
    )
    for path in ("noise.shadows", "noise.fine", "noise.texture", "noise.luminance", "sensor.false_colour"):
        everything = everything.with_value(path, 50)
    everything = everything.with_value("lens.vignetting", 0.5).with_value("colour.reds", 20)
    whole = Region(0, 0, _SIDE, _SIDE)
    for cfa in (BAYER, SIX_BY_SIX):
        loaded = _loaded(cfa, 1 / 50)
        for settings in (everything, everything.with_value("sensor.demosaic", "linear")):
            developed = develop(loaded, settings.sensor)
            for kind in (BEST, FAST):
                developed.denoised = denoise_whole(developed, settings.sensor, Removal(1.0, kind))
            render_view(developed, settings, make_context(developed), whole, marks=Limits())
        coarse = quick(loaded)
        render_view(coarse, everything, make_context(coarse), whole)
    members = []
    for shutter in (1 / 100, 1 / 25):
        loaded = _loaded(BAYER, shutter)
        assert loaded.noise is not None
        picture: Picture = develop(loaded, everything.sensor).plain
        members.append(Member(picture.read_all(), loaded.noise, loaded.info))
    merge(members, plan(members))
