"""Reduced views that are denoised by themselves, while the whole frame is not."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import shots

from irvane.core.image import BAYER, SIX_BY_SIX, NoiseModel
from irvane.core.line.develop import develop
from irvane.core.line.engine import Engine
from irvane.core.line.frame import FINAL, ROUGH
from irvane.core.line.looks import LOOKS, render_look, settings_in, shown_as
from irvane.core.line.regional import denoise_view
from irvane.core.line.source import FileSource
from irvane.core.line.tasks import FAST_PART, FULL, Request
from irvane.core.noise.denoise import FAST, Removal
from irvane.core.noise.reduced import denoise_reduced, noise_of
from irvane.core.pixels.places import OutputRegion
from irvane.core.settings import Settings

ARRAYS = pytest.mark.parametrize("cfa", [BAYER, SIX_BY_SIX], ids=["bayer", "six"])
GAINS = 1 / shots.NEUTRAL


@ARRAYS
@pytest.mark.parametrize("step", [1.5, 2.0, 3.3, 5.0])
def test_noise_of_a_reduced_picture_is_foreseen(cfa: np.ndarray, step: float) -> None:
    h, w = 600, 720
    loaded = shots.loaded(np.full((h, w, 3), 0.2, np.float32) * shots.NEUTRAL.astype(np.float32), 6400, cfa)
    patch = develop(loaded, Settings().sensor).plain.read(OutputRegion(0, 0, h, w, step))
    expected = noise_of(loaded.noise, cfa, patch.step)
    inner = patch.pixels[8:-8, 8:-8]
    for colour in range(3):
        found = inner[..., colour].std() / expected.sigma(0.2 * shots.NEUTRAL[colour], colour)
        assert 0.85 < found < 1.15, (colour, found)


@ARRAYS
@pytest.mark.parametrize(("step", "left"), [(1.6, 0.6), (3.0, 0.75)])
def test_a_reduced_view_comes_nearer_to_the_truth(cfa: np.ndarray, step: float, left: float) -> None:
    # a photograph of scikit-image; what it is without noise is the truth
    camera = shots.photograph("chelsea.png", reduced=False)[:300, :444] * shots.NEUTRAL.astype(np.float32)
    camera = np.ascontiguousarray(camera)
    whole = OutputRegion(0, 0, 300, 444, step)
    dirty, true = (develop(shots.loaded(camera, iso, cfa), Settings().sensor) for iso in (51200, 1))
    before, truth = (developed.plain.read(whole) for developed in (dirty, true))
    after = denoise_view(dirty, Removal(1.0), whole)
    assert (after.top, after.left, after.step) == (before.top, before.left, before.step)

    def error(pixels: np.ndarray) -> float:
        return float(np.sqrt(np.mean((pixels - truth.pixels)[4:-4, 4:-4] ** 2)))

    assert error(after.pixels) < left * error(before.pixels)
    assert after.pixels.mean() == pytest.approx(truth.pixels.mean(), rel=0.02)


def test_a_picture_without_noise_is_left_alone() -> None:
    picture = shots.photograph()
    clean = denoise_reduced(picture, BAYER, NoiseModel((1e-7,) * 3, (1e-5,) * 3, "file"), GAINS, 4.0, 1.0)
    assert np.abs(clean - picture).max() < 0.004


@pytest.mark.parametrize("name", LOOKS)
def test_every_look_takes_it(name: str, frames: Path) -> None:
    engine, source = Engine(), FileSource(next(frames.glob("bench*.dng")))
    settings = Settings().with_value("noise.amount", 100).with_value("noise.luminance", 60)
    frame = engine.make(source, FULL, settings)
    h, w = frame.developed.extent
    region = OutputRegion(0, 0, h, w, 2.3)
    effective = settings_in(name, settings)
    frame = engine.make(source, FAST_PART, effective, region)
    clean, state = frame.stand_in(effective, region)
    assert state == ROUGH and clean is not None
    seen, plain = (
        render_look(name, frame.developed, settings, frame.context, region, c) for c in (clean, None)
    )
    assert seen.pixels.shape == plain.pixels.shape
    # of nothing that is sharpened nothing was added
    untouched = LOOKS[name].raw is not None or LOOKS[name].removed or LOOKS[name].acutance == "added"
    untouched = untouched and shown_as(name, region.step) == name
    assert np.array_equal(seen.pixels, plain.pixels) == untouched
    # another region, or another reach of the steps, is not served by it
    assert frame.rough(effective, OutputRegion(0, 0, h, w, 3.0)) is None
    assert frame.rough(settings.with_value("noise.method", FAST), region) is None


def test_it_gives_way_to_the_whole(frames: Path) -> None:
    engine, source = Engine(), FileSource(next(frames.glob("bench*.dng")))
    settings = Settings().with_value("noise.amount", 100)
    region = OutputRegion(0, 0, *engine.make(source, FULL, settings).developed.extent, 2.0)
    assert engine.make(source, FAST_PART, settings, region).stand_in(settings, region)[1] == ROUGH
    assert engine.complete(source, Request(settings)).stand_in(settings, region) == (None, FINAL)
