"""Noise of finished pictures: estimated although it is correlated, removed on demand, untouched otherwise."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
import pytest
import shots
from scipy.ndimage import gaussian_filter

from irvane.core.finish import job
from irvane.core.line.develop import denoise_whole, develop
from irvane.core.line.engine import Engine
from irvane.core.line.regional import denoise_region
from irvane.core.line.source import FileSource
from irvane.core.line.tasks import FULL, Request
from irvane.core.noise.denoise import Removal
from irvane.core.noise.finished import denoise_finished, estimate
from irvane.core.pixels.places import FrameRegion
from irvane.core.settings import Settings


def _scene(side: int = 512) -> np.ndarray:
    """Even places of many brightnesses with edges and some texture: encoded as square roots."""
    y, x = np.mgrid[:side, :side]
    roots = 0.2 + 0.6 * ((x // 128 + 2 * (y // 128)) % 5) / 4
    roots = roots + 0.05 * np.sin(x * 0.7) * ((x > 300) & (y > 300))
    return np.repeat(gaussian_filter(roots, 0.7)[..., None], 3, 2).astype(np.float32)


def _noisy(sigma: float, blur: float = 0.0, seed: int = 0) -> tuple[np.ndarray, np.ndarray]:
    noise = np.random.default_rng(seed).standard_normal((512, 512, 3)).astype(np.float32)
    if blur:
        noise = gaussian_filter(noise, (blur, blur, 0))
        noise /= noise.std()
    clean = _scene()
    return np.square(np.clip(clean + sigma * noise, 0, 1)), np.square(clean)


@pytest.mark.parametrize("sigma", [0.01, 0.03, 0.06])
@pytest.mark.parametrize("blur", [0.0, 0.8, 1.5])
def test_noise_is_estimated_whatever_its_correlation(sigma: float, blur: float) -> None:
    linear, _ = _noisy(sigma, blur)
    found = estimate(linear)
    assert found is not None
    # luminance averages the three channels' independent noise; of wide noise, part is wider than the windows
    assert found.sigmas(np.array(0.5)) == pytest.approx(sigma / np.sqrt(3), rel=0.15 if blur < 1 else 0.2)


def test_white_noise_is_estimated_as_others_do() -> None:
    linear, _ = _noisy(0.03)
    found = estimate(linear)
    # Immerkær, "Fast noise variance estimation", CVIU 64(2), 1996
    mask = np.array([[1, -2, 1], [-2, 4, -2], [1, -2, 1]], np.float32)
    response = np.abs(cv2.filter2D(np.sqrt(linear).mean(axis=2), cv2.CV_32F, mask)[1:-1, 1:-1])
    reference = np.sqrt(np.pi / 2) * response.mean() / 6
    assert found is not None
    assert found.sigmas(np.array(0.5)) == pytest.approx(reference, rel=0.15)


@pytest.mark.parametrize("blur", [0.0, 1.0])
@pytest.mark.parametrize("fast", [False, True])
def test_removal_beats_non_local_means(blur: float, fast: bool) -> None:
    linear, clean = _noisy(0.04, blur)
    found = estimate(linear)
    assert found is not None
    ours = denoise_finished(linear, found, fast=fast)

    def quality(picture: np.ndarray) -> float:
        return shots.psnr(np.sqrt(np.clip(picture, 0, 1)), np.sqrt(clean))

    eight = np.uint8(np.sqrt(linear) * 255)
    others = [cv2.fastNlMeansDenoisingColored(eight, None, h, h, 7, 21) for h in (5, 10, 15)]
    best = max(quality(np.square(np.float32(other) / 255)) for other in others)
    assert quality(ours) > quality(linear) + 2
    assert quality(ours) > best - 0.2
    assert ours.mean() == pytest.approx(clean.mean(), rel=0.01)


def test_pictures_that_tell_nothing_have_no_model() -> None:
    assert estimate(np.full((20, 400, 3), 0.3, np.float32)) is None
    assert estimate(np.ones((200, 200, 3), np.float32)) is None
    assert estimate(np.zeros((200, 200, 3), np.float32)) is None


def _png(path: Path, sigma: float = 0.04) -> Path:
    linear, _ = _noisy(sigma)
    encoded = np.where(linear <= 0.0031308, 12.92 * linear, 1.055 * linear ** (1 / 2.4) - 0.055)
    cv2.imwrite(str(path), np.uint8(np.round(encoded * 255)))
    return path


def test_untouched_pictures_are_written_as_they_are_and_denoised_when_asked(tmp_path: Path) -> None:
    source = FileSource(_png(tmp_path / "scan.png"))
    original = cv2.imread(str(source.path)).astype(int)
    for name, amount in (("same", None), ("clean", 100.0)):
        settings = Settings().with_value("noise.amount", amount)
        job.run(source, settings, job.Target(tmp_path / f"{name}.tif", depth=8))
    same, clean = (cv2.imread(str(tmp_path / f"{name}.tif")).astype(int) for name in ("same", "clean"))
    assert np.abs(same - original).max() <= 1
    even = (slice(20, 110), slice(20, 110))
    assert clean[even].std() < 0.4 * original[even].std()
    assert clean[even].mean() == pytest.approx(original[even].mean(), abs=1)


@pytest.mark.parametrize("kind", ["best", "fast"])
def test_regions_are_what_they_are_in_the_whole(tmp_path: Path, kind: str) -> None:
    developed = develop(FileSource(_png(tmp_path / "scan.png")).load(), Settings().sensor)
    assert developed.can_be_denoised and developed.mosaic is None
    removal = Removal(1.0, kind)
    whole = denoise_whole(developed, Settings().sensor, removal).read_all()
    region = FrameRegion(203, 310, 420, 480)
    patch = denoise_region(developed, Settings().sensor, removal, region)
    assert np.abs(patch.pixels - whole[203:420, 310:480]).max() < 1e-3


def test_the_engine_denoises_finished_pictures_on_demand(tmp_path: Path) -> None:
    source, engine = FileSource(_png(tmp_path / "scan.png")), Engine()
    frame = engine.make(source, FULL, Settings())
    assert frame.denoised_for(Settings())
    wished = Settings().with_value("noise.amount", 80.0)
    assert not frame.denoised_for(wished)
    assert engine.complete(source, Request(wished)).denoised_for(wished)
