"""The list of steps: what a changed setting makes anew, and what is told of the steps."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest
import shots

from irvane.core.declaring import Choice, Cropping, Method, Name, Number
from irvane.core.line import engine as engines
from irvane.core.line import executor
from irvane.core.line.camera import Upstream
from irvane.core.line.engine import Engine
from irvane.core.line.source import FileSource
from irvane.core.line.steps import (
    CAMERA,
    DENOISED,
    DEVELOPED,
    LINE,
    RESULTS,
    SCENE,
    around,
    developing,
    key_of,
    made_anew,
)
from irvane.core.line.tasks import Request
from irvane.core.line.view import render_view
from irvane.core.pixels.places import OutputRegion
from irvane.core.settings import STATIONS, Settings, default, names, spec

PATHS = [path for station in STATIONS for path in names(station)]


def _another(path: str) -> Any:
    """A value that is not the one of a new proof."""
    declared = spec(path)
    now = default(path)
    if isinstance(declared, Choice):
        return next(key for key, _ in declared.options if key != now)
    if isinstance(declared, Number):
        return declared.low if now != declared.low else declared.high
    if isinstance(declared, Name):
        return "off"
    if isinstance(declared, Cropping):
        return (10.0, 10.0, 60.0, 60.0)
    return ((-2.0, -1.0), (0.0, 0.5))


def test_every_setting_belongs_to_a_step() -> None:
    known = {one for step in LINE for one in step.reads}
    for path in PATHS:
        assert path in known or f"{path.partition('.')[0]}.*" in known, path
    assert [RESULTS.index(step.makes) for step in LINE] == sorted(RESULTS.index(step.makes) for step in LINE)


def test_the_steps_are_told_in_their_order() -> None:
    text = (Path(__file__).parents[2] / "docs" / "line.md").read_text("utf-8")
    steps = [step for step in LINE if step.makes != DENOISED]  # told before what it makes possible
    places = [text.find(f"\n| {step.name}") for step in steps]
    assert min(places) > 0, [step.name for step, place in zip(steps, places, strict=True) if place < 0]
    assert places == sorted(places)


@pytest.fixture(scope="module")
def made(tmp_path_factory: pytest.TempPathFactory) -> tuple[Engine, FileSource, Upstream, dict[str, int]]:
    path = tmp_path_factory.mktemp("steps") / "frame.dng"
    shots.dng(path, shots.photograph(), iso=3200)
    return Engine(), FileSource(path), Upstream(), {}


@pytest.mark.parametrize("path", PATHS)
def test_a_change_makes_nothing_anew_that_lies_before_it(
    path: str, made: tuple[Engine, FileSource, Upstream, dict[str, int]], monkeypatch: pytest.MonkeyPatch
) -> None:
    engine, source, upstream, _ = made
    ran = {DEVELOPED: 0, DENOISED: 0}

    def counted(name: str, work: Any) -> Any:
        def call(*given: Any, **more: Any) -> Any:
            ran[name] += 1
            return work(*given, **more)

        return call

    settings = Settings().with_value("noise.method", "fast")
    if path == "noise.method":
        settings = Settings()
    region = OutputRegion(40, 40, 90, 110)

    def show(chosen: Settings) -> int:
        frame = engine.complete(source, Request(chosen))
        before = upstream.made
        render_view(frame.developed, chosen, frame.context, region, upstream=upstream)
        return upstream.made - before

    show(settings)
    assert show(settings) == 0, "the same again makes nothing"
    monkeypatch.setattr(engines, "develop", counted(DEVELOPED, engines.develop))
    monkeypatch.setattr(executor, "denoise_whole", counted(DENOISED, executor.denoise_whole))
    changed = settings.with_value(path, "fast" if path == "noise.method" else _another(path))
    anew = made_anew(path)
    lit = show(changed)
    assert ran[DEVELOPED] == (RESULTS.index(anew) <= RESULTS.index(DEVELOPED))
    if RESULTS.index(anew) > RESULTS.index(DENOISED):
        assert ran[DENOISED] == 0
    if RESULTS.index(anew) > RESULTS.index(CAMERA):
        # sharpening that is switched on needs more around the view
        assert lit == (around(changed, SCENE) != around(settings, SCENE))
    else:
        assert lit == 1


def test_keys_hold_what_is_read_and_nothing_else() -> None:
    one = Settings()
    assert key_of(one, CAMERA) == key_of(one.with_value("light.exposure", 2.0), CAMERA)
    assert key_of(one, CAMERA) != key_of(one.with_value("lens.straighten", 2.0), CAMERA)
    other = one.with_value("sensor.highlights", "clip")
    assert developing(other.sensor) == developing(one.sensor), "highlights do not develop or denoise again"
    assert developing(one.with_value("sensor.banding", "off").sensor) != developing(one.sensor)
    assert not any(isinstance(spec(path), Method) for path in PATHS)
