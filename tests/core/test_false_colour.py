"""Cleaning up false colour: fringes go, coloured things stay, tiles agree."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
import shots

from irvane.core.image import BAYER, SIX_BY_SIX
from irvane.core.line.develop import denoise_whole, develop
from irvane.core.line.regional import denoise_region
from irvane.core.noise.denoise import Removal
from irvane.core.pixels.places import FrameRegion
from irvane.core.sensor.demosaic import demosaic
from irvane.core.sensor.false_colour import clean_colour
from irvane.core.settings import Settings

GAINS = 1 / shots.NEUTRAL / (1 / shots.NEUTRAL).min()
KNEE = 0.001
ARRAYS = pytest.mark.parametrize("cfa", [BAYER, SIX_BY_SIX], ids=["bayer", "six"])


def _zone_plate(side: int = 360) -> np.ndarray:
    """Grey circles that become finer outwards, up to the sampling limit: the usual chart for moiré."""
    y, x = np.mgrid[:side, :side]
    wave = 0.4 + 0.35 * np.cos((x**2 + y**2) * np.pi / (2 * side))
    return cv2.GaussianBlur(wave, (0, 0), 0.5)[..., None] * shots.NEUTRAL


def _colourfulness(camera: np.ndarray) -> float:
    balanced = camera * GAINS
    inner = balanced[16:-16, 16:-16]
    return float(np.abs(inner - inner.mean(axis=2, keepdims=True)).mean())


@ARRAYS
def test_moire_of_a_grey_chart_loses_its_colour(cfa: np.ndarray) -> None:
    mosaic = shots.mosaic_of(_zone_plate().astype(np.float32), cfa)
    raw = demosaic(mosaic, GAINS, KNEE)
    colours = [_colourfulness(raw)]
    for width in (4, 8):
        cleaned = clean_colour(raw, GAINS, KNEE, 1.0, width)
        colours.append(_colourfulness(cleaned))
        np.testing.assert_array_equal(cleaned[..., 1], raw[..., 1])  # green, and with it detail, is untouched
    assert colours[1] < 0.85 * colours[0]
    assert colours[2] < 0.65 * colours[0]


@ARRAYS
def test_photographs_keep_their_colours(cfa: np.ndarray) -> None:
    for name in ("coffee.png", "chelsea.png"):
        camera = shots.photograph(name) * shots.NEUTRAL.astype(np.float32)
        raw = demosaic(shots.mosaic_of(camera, cfa), GAINS, KNEE)
        cleaned = clean_colour(raw, GAINS, KNEE, 1.0, 4)
        before, after = (shots.psnr(np.sqrt(np.clip(p, 0, 1)), np.sqrt(camera)) for p in (raw, cleaned))
        assert after > before - 0.3


def test_nothing_changes_at_zero_and_flat_colours_stay() -> None:
    flat = np.full((60, 61, 3), (0.2, 0.5, 0.1), np.float32)
    flat[:, 30:] = (0.05, 0.1, 0.4)
    assert clean_colour(flat, GAINS, KNEE, 0.0, 4) is flat
    np.testing.assert_allclose(clean_colour(flat, GAINS, KNEE, 1.0, 16), flat, atol=1e-4)


@pytest.mark.parametrize("width", [2, 8, 12, 16])
def test_strips_and_regions_agree_with_the_whole(width: float, monkeypatch: pytest.MonkeyPatch) -> None:
    camera = shots.photograph("astronaut.png", reduced=False)[:432, :300] * shots.NEUTRAL.astype(np.float32)
    loaded = shots.loaded(np.ascontiguousarray(camera), 6400)
    settings = (
        Settings()
        .with_value("sensor.false_colour", 80.0)
        .with_value("sensor.false_colour_width", width)
        .sensor
    )
    developed = develop(loaded, settings)
    whole = denoise_whole(developed, settings, Removal(1.0)).read_all()
    region = FrameRegion(109, 71, 307, 233)
    patch = denoise_region(developed, settings, Removal(1.0), region)
    assert np.abs(patch.pixels - whole[109:307, 71:233]).max() < 3e-4
    monkeypatch.setattr("irvane.core.sensor.false_colour._BAND", 96)
    narrow = develop(loaded, settings).plain.read_all()
    assert np.abs(narrow - developed.plain.read_all()).max() < 1e-4
