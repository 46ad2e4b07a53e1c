"""Noise models that the frame itself has to tell: smoothed raws, profiles that do not fit, large and dark frames."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
import pytest
import shots

from irvane.core.image import BAYER, SIX_BY_SIX, Mosaic, NoiseModel
from irvane.core.line import source
from irvane.core.line.source import FileSource
from irvane.core.noise.model import contradicted, measure


@pytest.mark.parametrize(("iso", "middle"), [(3200, 0.6), (25600, 0.6), (25600, 0.8)])
@pytest.mark.parametrize("name", ["coffee.png", "chelsea.png", "astronaut.png"])
def test_the_noise_of_a_smoothed_raw_is_found(iso: int, name: str, middle: float) -> None:
    """Neighbours of one colour averaged, as some cameras do at high sensitivities: of white noise the squares' sum stays.

    Means of four see more texture than single pixels do.
    """
    camera = shots.photograph(name, reduced=False) * shots.NEUTRAL.astype(np.float32)
    truth = shots.noise_of(iso)
    mosaic = shots.noisy(shots.mosaic_of(camera), truth)
    taps = np.array([(1 - middle) / 2, 0, middle, 0, (1 - middle) / 2])
    smooth = Mosaic(cv2.sepFilter2D(mosaic.data, -1, taps, taps), mosaic.cfa)
    found = measure(smooth, iso)
    assert found.origin == "smoothed"
    for signal in (0.05, 0.18, 0.4):
        assert 0.85 < found.sigma(signal) / (truth.sigma(signal) * (taps**2).sum()) < 1.45


@pytest.mark.parametrize("well", [25_000, 200_000])
@pytest.mark.parametrize("iso", [100, 1600, 12800])
@pytest.mark.parametrize("name", ["coffee.png", "chelsea.png", "astronaut.png"])
def test_texture_does_not_make_a_raw_look_smoothed(well: int, iso: int, name: str) -> None:
    camera = shots.photograph(name, reduced=False) * shots.NEUTRAL.astype(np.float32)
    gain, read = iso / (100 * well), 3 * iso / (100 * well)
    truth = NoiseModel((gain,) * 3, (read,) * 3, "file")
    assert measure(shots.noisy(shots.mosaic_of(camera), truth), iso).origin == "measured"


@pytest.mark.parametrize("cfa", [BAYER, SIX_BY_SIX], ids=["bayer", "six"])
@pytest.mark.parametrize("factor", [0.4, 0.5, 2.0, 2.5])
def test_a_model_that_does_not_fit_is_contradicted(factor: float, cfa: np.ndarray) -> None:
    truth = shots.noise_of(6400)
    camera = shots.photograph(reduced=False) * shots.NEUTRAL.astype(np.float32)
    mosaic = shots.noisy(shots.mosaic_of(camera, cfa), truth)
    assert contradicted(truth, mosaic, 6400) is None
    found = contradicted(truth.times(factor), mosaic, 6400)
    assert found is not None
    assert found.sigma(0.18) == pytest.approx(truth.sigma(0.18), rel=0.1)


def test_a_model_is_not_held_against_a_frame_without_visible_noise() -> None:
    camera = shots.photograph(reduced=False) * shots.NEUTRAL.astype(np.float32)
    mosaic = shots.noisy(shots.mosaic_of(camera), shots.noise_of(100))
    assert contradicted(shots.noise_of(400), mosaic, 100) is None


def test_of_a_file_whose_profile_does_not_fit_the_noise_is_measured(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = tmp_path / "frame.dng"
    shots.dng(path, shots.photograph(reduced=False), iso=6400)
    right = FileSource(path).load()
    assert right.noise is not None and right.noise.origin == "file" and right.notes == ()
    decode = source.decode_raw
    monkeypatch.setattr(
        source, "decode_raw", lambda path: replace(decode(path), noise=right.noise.times(2.2))
    )
    wrong = FileSource(path).load()
    assert wrong.noise is not None and wrong.noise.origin == "measured"
    assert wrong.noise.sigma(0.18) == pytest.approx(right.noise.sigma(0.18), rel=0.1)
    assert wrong.notes == ("The file's noise profile does not fit its noise, which was measured instead.",)


@pytest.mark.parametrize("cfa", [BAYER, SIX_BY_SIX], ids=["bayer", "six"])
def test_large_frames_are_measured_in_parts_of_all_of_them(cfa: np.ndarray) -> None:
    """Steps of brightness from side to side: a part in one place would miss most of them."""
    rng = np.random.default_rng(3)
    scene = np.broadcast_to(np.repeat(np.geomspace(0.004, 0.6, 10), 380), (3000, 3800))
    data = (rng.poisson(scene * 900) / 900 + rng.normal(0, 0.003, scene.shape)).astype(np.float32)
    found = measure(Mosaic(data, cfa), 5000)
    for level in (0.005, 0.05, 0.5):
        assert found.sigma(level) == pytest.approx(np.sqrt(level / 900 + 0.003**2), rel=0.1)


@pytest.mark.parametrize("signal", [0.0, 0.003, 0.3])
def test_of_one_brightness_the_noise_there_is_found(signal: float) -> None:
    rng = np.random.default_rng(4)
    data = (rng.poisson(signal * 200, (600, 800)) + rng.normal(0, 3, (600, 800))) / 200
    found = measure(Mosaic(data.astype(np.float32), BAYER), 25600)
    assert found.sigma(signal) == pytest.approx(np.sqrt(signal / 200 + (3 / 200) ** 2), rel=0.1)
