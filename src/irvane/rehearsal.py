"""What people do, once and in small: with it the kernels that this takes are found (``scripts/kernels``) and
compiled."""

from __future__ import annotations

import tempfile
from collections.abc import Callable
from dataclasses import replace
from datetime import datetime
from functools import partial
from pathlib import Path

import numpy as np

from irvane.core.files.dng import DngColour, write_dng
from irvane.core.files.info import FrameInfo
from irvane.core.finish import job
from irvane.core.image import BAYER, SIX_BY_SIX
from irvane.core.judge.comparing import compare_entries, develop_entry
from irvane.core.judge.place import place_figures
from irvane.core.line.bands import Output
from irvane.core.line.clip_flags import Limits
from irvane.core.line.engine import Engine
from irvane.core.line.looks import LOOKS, render_look
from irvane.core.line.merge_options import MergeOptions
from irvane.core.line.merging import MergeSource
from irvane.core.line.source import FileSource
from irvane.core.line.tasks import COARSE, FAST_PART, FULL, LENS, PART, REFINED, Request
from irvane.core.line.view import render_view
from irvane.core.merge.kinds import FUSION
from irvane.core.pixels.picture import halve
from irvane.core.pixels.places import OutputRegion
from irvane.core.progress import Progress, always, step
from irvane.core.settings import Settings, bare

_SIDE = 480
_WHITE, _BLACK = 16383, 512
#: Every step of the line at work.
_EVERYTHING = {
    "light.exposure": 0.5, "light.contrast": 10, "light.black": 0.5, "light.shadows": 1,
    "light.highlights": -1,
    "light.midtones": 0.2, "light.roll_off": 1, "light.local_small": 20, "light.local_large": 20,
    "light.tone_map": "photographic", "light.curve": "-2:-1.5,0:0.2", "light.curve_red": "-2:-1.5,0:0.2",
    "acutance.fine": 50, "acutance.medium": 50, "acutance.coarse": 50, "colour.saturation": 120,
    "colour.pale": 20,
    "colour.reds": 20, "colour.temperature": 4500, "lens.vignetting": 0.5, "sensor.false_colour": 50,
    "sensor.banding": "both", "noise.shadows": 50, "noise.fine": 50, "noise.texture": 50,
    "noise.luminance": 50,
    "noise.red": 50, "noise.clear_black": 50, "noise.grain": 30,
}  # fmt: skip


def _raw(path: Path, cfa: np.ndarray, shutter: float) -> Path:
    """A small raw with everything that a frame can hold: shadows, noise, a defect, clipped places."""
    rng = np.random.default_rng(0)
    ramp = np.linspace(0.002, 1.6, _SIDE) * shutter * 100
    light = np.minimum(np.add.outer(ramp, ramp[::-1]) / 2 + 0.05 * np.sin(np.arange(_SIDE) / 3), 1.2)
    counts = np.clip(light * (_WHITE - _BLACK) + _BLACK + rng.normal(0, 60, light.shape), 0, _WHITE)
    counts[20, 30] = 15000
    colour = DngColour(np.eye(3), np.eye(3), np.array([0.5, 1.0, 0.7]))
    info = FrameInfo("Irvane", "Small", "", shutter, 4.0, 3200.0, 35.0, datetime(2026, 1, 1, 12))
    import cv2

    thumb = cv2.imencode(".jpg", np.full((32, 48, 3), 90, np.uint8))[1].tobytes()
    write_dng(
        path, counts.astype(np.uint16), cfa, black=_BLACK, white=_WHITE, colour=colour, info=info,
        noise_profile=None, preview_jpeg=thumb, preview_shape=(32, 48),
    )  # fmt: skip
    return path


def _write(frame: Path, target: Path, **values: object) -> None:
    settings = Settings().with_values({name.replace("__", "."): value for name, value in values.items()})
    job.run(FileSource(frame), settings, job.Target(target, overwrite=True))


def _show(frame: Path) -> None:
    """What the window does with a frame: coarse, whole, a part, reduced; all looks; figures."""
    engine, source, region = Engine(), FileSource(frame), OutputRegion(100, 100, 260, 260)
    proof = Settings().with_values(_EVERYTHING)
    for settings in (proof, bare()):
        coarse = engine.make(source, COARSE, settings)
        whole = OutputRegion(0, 0, *coarse.developed.extent)
        render_view(coarse.developed, settings, coarse.context, whole, marks=Limits())
        engine.make(source, FULL, settings)
    engine.make(source, FAST_PART, proof, OutputRegion(0, 0, *coarse.developed.extent, step=2.0))
    engine.make(source, PART, proof.with_value("noise.method", "fast"), region)
    engine.make(source, PART, proof, region)
    if engine.make(source, FULL, proof).to_be_refined(proof):
        engine.make(source, REFINED, proof, region)
    engine.make(source, LENS, proof)
    shown = engine.complete(source, Request(proof))
    bent = proof.with_values({"lens.straighten": 1.0, "lens.falloff": "frame", "lens.fringing": 50})
    render_view(shown.developed, bent, shown.context, region, marks=Limits())
    for look in LOOKS:
        render_look(look, shown.developed, proof, shown.context, region)
    render_view(shown.developed, proof, shown.context, region, marks=Limits())
    place_figures(shown.developed, proof, shown.context, OutputRegion(120, 120, 184, 184))


def _first(frame: Path) -> None:
    """What a window does before it shows its first frame as its proof is at first."""
    engine, source, settings = Engine(), FileSource(frame), Settings()
    halve(np.zeros((8, 8, 3), np.float32))  # the levels of frames that are larger than this one
    coarse = engine.make(source, COARSE, settings)
    whole = OutputRegion(0, 0, *coarse.developed.extent)
    render_view(coarse.developed, settings, coarse.context, whole, marks=Limits())
    reduced = OutputRegion(0, 0, *coarse.developed.extent, step=2.0)
    shown = engine.make(source, FAST_PART, settings, reduced)
    render_view(shown.developed, settings, shown.context, reduced, marks=Limits())
    region = OutputRegion(100, 100, 260, 260)
    render_view(shown.developed, settings, shown.context, region, marks=Limits())
    place_figures(shown.developed, settings, shown.context, OutputRegion(120, 120, 184, 184))


def _compare(frame: Path) -> None:
    entries = [
        develop_entry(FileSource(frame), s) for s in (Settings(), Settings().with_value("noise.amount", 0))
    ]
    compare_entries([replace(entry, name=name) for entry, name in zip(entries, "AB", strict=True)])


def rehearse(first_only: bool = False, progress: Progress = always) -> None:
    """Do everything on small pictures of both arrays, what a window shows first before the rest.

    Raises
    ------
    Cancelled
        When `progress` returns False.
    """
    with tempfile.TemporaryDirectory(prefix="irvane-rehearsal-") as name:
        folder = Path(name)
        bayer, six = _raw(folder / "b.dng", BAYER, 0.01), _raw(folder / "s.dng", SIX_BY_SIX, 0.01)
        bracket = [bayer, _raw(folder / "d.dng", BAYER, 0.0025)]
        steps: list[Callable[[], object]] = [partial(_first, bayer)]
        everything = {name.replace(".", "__"): value for name, value in _EVERYTHING.items()}
        flat = job.Target(folder / "c.tif", Output(linear=True, flat=True), 8, True)
        for frame in () if first_only else (bayer, six):
            steps += [
                partial(_write, frame, folder / "a.tif"),
                partial(_write, frame, folder / "a.jpg", noise__method="fast", noise__amount=150),
                partial(_write, frame, folder / "a.exr", sensor__demosaic="linear", noise__amount=0),
                partial(_write, frame, folder / "b.tif", **everything),
                partial(job.run, FileSource(frame), bare(), flat),
                partial(_show, frame),
            ]
        if not first_only:
            steps += [
                lambda: _write(folder / "a.tif", folder / "e.tif", noise__amount=100),
                lambda: _compare(bayer),
                lambda: job.run(MergeSource(bracket), Settings(), job.Target(folder / "m.tif")),
                lambda: MergeSource(bracket, MergeOptions(FUSION)).load(),
            ]
        for number, work in enumerate(steps):
            step(progress, number / len(steps))
            work()
