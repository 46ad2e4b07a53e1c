"""Noise: the model against known truth, stabilisation against its paper, denoising against its promises."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import shots
from skimage.restoration import denoise_nl_means

from irvane.core.errors import Cancelled
from irvane.core.image import BAYER, SIX_BY_SIX, Mosaic, NoiseModel
from irvane.core.noise.denoise import CLASSICAL, FAST, automatic_amount, denoise_mosaic, method_for
from irvane.core.noise.mixing import Shares, mix
from irvane.core.noise.model import from_sensitivity, measure
from irvane.core.noise.stabilise import stabilise, unstabilise

GAINS = 1 / shots.NEUTRAL / (1 / shots.NEUTRAL).min()


@pytest.mark.parametrize("iso", [3200, 12800, 25600])
@pytest.mark.parametrize("cfa", [BAYER, SIX_BY_SIX], ids=["bayer", "six"])
def test_measured_noise_is_near_the_truth(iso: float, cfa: np.ndarray) -> None:
    camera = shots.photograph(reduced=False) * shots.NEUTRAL.astype(np.float32)
    truth = shots.noise_of(iso)
    found = measure(shots.noisy(shots.mosaic_of(camera, cfa), truth))
    assert found.origin == "measured"
    for signal in (0.05, 0.15, 0.4):
        assert found.sigma(signal) == pytest.approx(truth.sigma(signal), rel=0.25)


def _levels(mosaic: Mosaic) -> np.ndarray:
    """Levels that hold at least 1 % of the pixels."""
    edges = np.geomspace(0.001, 0.95, 25)
    counts, _ = np.histogram(mosaic.data, edges)
    return np.sqrt(edges[1:] * edges[:-1])[counts > 0.01 * mosaic.data.size]


@pytest.mark.parametrize("iso", [100, 400, 1600, 12800, 51200])
@pytest.mark.parametrize("name", ["coffee.png", "chelsea.png", "astronaut.png"])
def test_texture_is_hardly_taken_for_noise(iso: float, name: str) -> None:
    """Against the sensor's noise alone, though the photographs bring grain of their own, which counts most at base ISO."""
    camera = shots.photograph(name, reduced=False) * shots.NEUTRAL.astype(np.float32)
    truth = shots.noise_of(iso)
    mosaic = shots.noisy(shots.mosaic_of(camera), truth)
    found = measure(mosaic)
    ratios = np.array([found.sigma(level) / truth.sigma(level) for level in _levels(mosaic)])
    assert ratios.min() > 0.9
    assert ratios.max() < {100: 1.85, 400: 1.5, 1600: 1.35}.get(iso, 1.1)


@pytest.mark.parametrize("iso", [100, 800, 6400, 51200])
@pytest.mark.parametrize("cfa", [BAYER, SIX_BY_SIX], ids=["bayer", "six"])
def test_noise_is_measured_within_ten_per_cent(iso: float, cfa: np.ndarray) -> None:
    """A scene without noise of its own: overlapping discs of random size, brightness and colour, partly textured."""
    scene = _discs((960, 1280)) * shots.NEUTRAL.astype(np.float32)
    truth = shots.noise_of(iso)
    mosaic = shots.noisy(shots.mosaic_of(scene, cfa), truth)
    found = measure(mosaic)
    for level in _levels(mosaic):
        assert found.sigma(level) == pytest.approx(truth.sigma(level), rel=0.1)


def test_pure_noise_is_measured_exactly() -> None:
    rng = np.random.default_rng(8)
    steps = np.repeat(np.geomspace(0.005, 0.6, 12), 64)
    scene = np.broadcast_to(steps[None, :], (768, 768))
    data = (rng.poisson(scene * 2000) / 2000 + rng.normal(0, 0.002, scene.shape)).astype(np.float32)
    for cfa in (BAYER, SIX_BY_SIX):
        found = measure(Mosaic(data, cfa))
        for level in (0.01, 0.05, 0.3):
            expected = np.sqrt(level / 2000 + 0.002**2)
            assert found.sigma(level) == pytest.approx(expected, rel=0.1)


def _discs(shape: tuple[int, int]) -> np.ndarray:
    """A dead-leaves scene (Lee, Mumford & Huang 2001): discs that cover each other, every third one textured."""
    rng = np.random.default_rng(5)
    scene = np.full((*shape, 3), 0.2, np.float32)
    y, x = np.mgrid[: shape[0], : shape[1]].astype(np.float32)
    for k in range(900):
        cy, cx = rng.uniform(0, 1, 2) * shape
        r = 12 / np.sqrt(rng.uniform(0.005, 1))
        box = np.s_[max(0, int(cy - r)) : int(cy + r) + 2, max(0, int(cx - r)) : int(cx + r) + 2]
        inside = (y[box] - cy) ** 2 + (x[box] - cx) ** 2 < r * r
        wave = 1 + (
            0.3 * np.sin(x[box] * rng.uniform(0.2, 2) + y[box] * rng.uniform(0.2, 2)) if k % 3 == 0 else 0
        )
        colour = 10 ** rng.uniform(-2.3, -0.15) * rng.uniform(0.4, 1, 3)
        scene[box] = np.where(
            inside[..., None], np.multiply.outer(wave * np.ones_like(y[box]), colour), scene[box]
        )
    return scene


def test_nothing_to_measure_falls_back_to_the_sensitivity() -> None:
    black = Mosaic(np.zeros((64, 64), np.float32), BAYER)
    assert measure(black, 1600) == from_sensitivity(1600)
    clipped = Mosaic(np.ones((64, 64), np.float32), BAYER)
    assert measure(clipped).origin == "sensitivity"


def test_stabilised_noise_has_unit_variance_and_the_inverse_keeps_means() -> None:
    # Mäkitalo & Foi 2013: unit variance, and an exact unbiased inverse of the mean of the stabilised values
    noise = NoiseModel((0.01,) * 3, (0.008,) * 3, "file")
    for level in (0.02, 0.1, 0.4):
        flat = Mosaic(np.full((600, 600), level, np.float32), BAYER)
        rng = np.random.default_rng(1)
        data = (rng.poisson(flat.data / 0.01) * 0.01 + rng.normal(0, 0.008, flat.data.shape)).astype(
            np.float32
        )
        stable = stabilise(data, BAYER, noise)
        assert stable.std() == pytest.approx(1, abs=0.06)
        back = unstabilise(np.full((4, 4), stable.mean(), np.float32), BAYER, noise)
        assert back.mean() == pytest.approx(data.mean(), rel=0.02, abs=3e-4)


@pytest.mark.parametrize("cfa", [BAYER, SIX_BY_SIX], ids=["bayer", "six"])
def test_denoising_gains_and_keeps_flat_means(cfa: np.ndarray) -> None:
    camera = shots.photograph()[:240, :288] * shots.NEUTRAL.astype(np.float32)
    noise = shots.noise_of(12800)
    clean = shots.mosaic_of(np.ascontiguousarray(camera), cfa)
    dirty = shots.noisy(clean, noise)
    result = denoise_mosaic(dirty, noise, GAINS)
    # beside it: scikit-image's non-local means (Buades, Coll & Morel 2005) on the stabilised mosaic's cells
    stable = stabilise(dirty.data, cfa, noise)
    n = cfa.shape[0]
    for row, column in np.ndindex(n, n):
        cell = stable[row::n, column::n]
        stable[row::n, column::n] = denoise_nl_means(cell, 5, 6, h=0.8, sigma=1.0)
    other = unstabilise(stable, cfa, noise)
    before, after, beside = (np.mean((x - clean.data) ** 2) for x in (dirty.data, result, other))
    assert 10 * np.log10(before / after) > 2.5
    assert after < 0.9 * beside
    flat = Mosaic(np.full((192, 192), 0.01, np.float32), cfa)
    smooth = denoise_mosaic(shots.noisy(flat, noise), noise, GAINS)
    assert smooth.mean() == pytest.approx(0.01, abs=max(0.0001, 0.05 * noise.sigma(0.01)))


@pytest.mark.parametrize("cfa", [BAYER, SIX_BY_SIX], ids=["bayer", "six"])
def test_a_part_is_denoised_as_in_the_whole(cfa: np.ndarray) -> None:
    camera = shots.photograph() * shots.NEUTRAL.astype(np.float32)
    noise = shots.noise_of(6400)
    dirty = shots.noisy(shots.mosaic_of(camera, cfa), noise)
    whole = denoise_mosaic(dirty, noise, GAINS)
    part = denoise_mosaic(dirty, noise, GAINS, rows=(60, 130), columns=(36, 150))
    # a value that lies between two whole numbers may be rounded to the other one: a fiftieth of the noise
    assert np.abs(part - whole[60:130, 36:150]).max() < 0.02 * noise.sigma(0.1)


def test_strength_zero_is_the_identity_and_work_can_be_cancelled() -> None:
    noise = shots.noise_of(1600)
    dirty = shots.noisy(shots.mosaic_of(shots.photograph()), noise)
    assert np.array_equal(denoise_mosaic(dirty, noise, GAINS, 0.0), dirty.data)
    with pytest.raises(Cancelled):
        denoise_mosaic(dirty, noise, GAINS, progress=lambda _share: False)


def test_mixing_ends_are_exact_and_kinds_are_apart() -> None:
    rng = np.random.default_rng(2)
    plain = rng.uniform(0.1, 0.5, (20, 24, 3)).astype(np.float32)
    clean = (plain + rng.normal(0, 0.02, plain.shape)).astype(np.float32)
    gains = GAINS.astype(np.float32)
    assert mix(plain, clean, gains, Shares(0, 0)) is plain
    assert mix(plain, clean, gains, Shares()) is clean
    assert np.allclose(mix(plain, clean, gains, Shares(0.99999, 0.99999)), clean, atol=1e-4)
    only_colour = (mix(plain, clean, gains, Shares(0, 1)) - plain) * gains
    luminance = 0.25 * (only_colour[..., 0] + 2 * only_colour[..., 1] + only_colour[..., 2])
    assert np.abs(luminance).max() < 1e-6


def test_automatic_amount_follows_common_practice() -> None:
    # common practice: denoising pays from about ISO 800, hardly at 500, does harm at 100–200
    amounts = {iso: automatic_amount(shots.noise_of(iso)) for iso in (100, 200, 800, 1600, 6400)}
    assert amounts[100] <= 35
    assert amounts[100] < amounts[800] <= amounts[1600] == amounts[6400] == 100
    assert automatic_amount(replace(shots.noise_of(100), gain=(1e-7,) * 3)) <= 20


@pytest.mark.parametrize("cfa", [BAYER, SIX_BY_SIX], ids=["bayer", "six"])
def test_the_fast_method_comes_close_to_the_thorough_one(cfa: np.ndarray) -> None:
    noise = shots.noise_of(6400)
    camera = shots.photograph("chelsea.png", reduced=False)[:300, :444] * shots.NEUTRAL.astype(np.float32)
    truth = shots.mosaic_of(np.ascontiguousarray(camera), cfa)
    dirty = shots.noisy(truth, noise)
    gains = 1 / shots.NEUTRAL
    fast, thorough = (
        denoise_mosaic(dirty, noise, gains, method=m) - truth.data for m in (method_for(cfa, FAST), CLASSICAL)
    )
    before = dirty.data - truth.data
    assert 10 * np.log10(np.mean(before**2) / np.mean(fast**2)) > 3
    assert 10 * np.log10(np.mean(fast**2) / np.mean(thorough**2)) < 0.9
    flat = shots.noisy(Mosaic(np.full((240, 240), 0.1, np.float32), cfa), noise)
    clean = denoise_mosaic(flat, noise, gains, method=method_for(cfa, FAST))
    assert clean.mean() == pytest.approx(0.1, abs=0.001 + 0.05 * noise.sigma(0.1))
    assert clean[16:-16, 16:-16].std() < 0.3 * noise.sigma(0.1)


@pytest.mark.parametrize("cfa", [BAYER, SIX_BY_SIX], ids=["bayer", "six"])
def test_a_part_is_denoised_as_in_the_whole_by_the_fast_method(cfa: np.ndarray) -> None:
    rng = np.random.default_rng(3)
    y, x = np.mgrid[:480, :480]
    light = 0.2 + 0.1 * np.sin(x / 19) * np.cos(y / 23) + 0.05 * ((x // 40 + y // 40) % 2)
    noise = NoiseModel((6e-4,) * 3, (1e-3,) * 3, "file")
    dirty = Mosaic((light + noise.sigma(0.2) * rng.standard_normal(light.shape)).astype(np.float32), cfa)
    method, gains = method_for(cfa, FAST), np.array([2.0, 1.0, 1.5])
    whole = denoise_mosaic(dirty, noise, gains, method=method)
    part = denoise_mosaic(dirty, noise, gains, rows=(150, 340), columns=(97, 300), method=method)
    assert np.abs(part - whole[150:340, 97:300]).max() < 1e-5
