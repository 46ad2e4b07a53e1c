"""Texture, grain, gradients, dynamic range, differences: against constructions of known answer and scikit-image."""

from __future__ import annotations

import math

import cv2
import numpy as np
import pytest
import shots
import skimage.metrics

from irvane.core.colour.spaces import SPACES
from irvane.core.image import NoiseModel
from irvane.core.judge.colour_difference import delta_e, lab_of
from irvane.core.judge.difference import KINDS, difference_figures, difference_picture, ssim
from irvane.core.judge.gradient import gradient_figures
from irvane.core.judge.grain import grain_figures
from irvane.core.judge.texture import texture_figures
from irvane.core.noise.dynamic_range import (
    COMMON_PIXELS,
    CONDITIONS,
    USUAL,
    dynamic_range,
    range_facts,
    signal_at,
    stops,
)
from irvane.core.simulate.camera import Body

RNG = np.random.default_rng


def _texture() -> np.ndarray:
    return 0.3 + cv2.GaussianBlur(RNG(0).normal(0, 1, (200, 240)), (0, 0), 0.8) * 0.1


def test_texture_of_the_reference_is_whole_and_noise_does_not_count() -> None:
    reference = _texture()
    assert texture_figures(reference, reference).kept == pytest.approx(1)
    noisy = reference + RNG(1).normal(0, 0.05, reference.shape)
    assert texture_figures(noisy, reference).kept == pytest.approx(1, abs=0.03)
    assert texture_figures(noisy, reference).similar < 0.95
    assert texture_figures(2 * reference, reference).kept == pytest.approx(1), "brightness is matched"


def test_blur_takes_texture_as_its_transfer_function_says() -> None:
    reference = _texture()
    found = texture_figures(cv2.GaussianBlur(reference, (0, 0), 1.0), reference)
    expected = np.exp(-2 * (np.pi * found.frequencies) ** 2)
    inside = (found.frequencies > 0.05) & (found.frequencies < 0.4)
    assert np.abs(found.response - expected)[inside].max() < 0.04
    with pytest.raises(ValueError, match="no texture"):
        texture_figures(reference, np.full_like(reference, 0.3))
    with pytest.raises(ValueError, match="same number"):
        texture_figures(reference, reference[:-1])


def test_grain_is_told_from_blotches_and_patterns_are_found() -> None:
    plain = RNG(2).normal(0.2, 0.02, (64, 64))
    found = grain_figures(plain)
    assert found.words == "even grain" and found.pattern is None
    assert found.shares == pytest.approx(found.white, abs=0.08)
    assert grain_figures(cv2.GaussianBlur(plain, (0, 0), 5)).words == "blotches"
    sharpened = plain - cv2.GaussianBlur(plain, (0, 0), 1.0)
    assert grain_figures(sharpened).shares[2] > grain_figures(plain).shares[2]
    x = np.arange(64)
    assert grain_figures(plain + 0.012 * np.sin(2 * np.pi * x / 8)).pattern == pytest.approx(8, rel=0.05)
    uneven = plain + 0.3 * (x / 64) ** 2
    assert grain_figures(uneven).words == "even grain"
    hits = sum(grain_figures(RNG(k).normal(0, 1, (48, 48))).pattern is not None for k in range(200))
    assert hits <= 2, "chance is no pattern"


def test_steps_of_a_gradient_are_counted_and_measured() -> None:
    ramp = np.repeat(np.linspace(0.4, 0.6, 200)[None], 60, axis=0)
    assert gradient_figures(ramp).steps == 0
    levels = np.floor(ramp * 50) / 50
    found = gradient_figures(levels)
    assert found.steps == pytest.approx(10, abs=2)
    assert found.largest == pytest.approx(1 / 50, rel=0.35)
    assert gradient_figures(levels.T).steps == found.steps
    noisy = ramp + RNG(0).normal(0, 0.01, ramp.shape)
    assert gradient_figures(noisy).steps == 0, "noise hides no steps and makes none"
    assert gradient_figures(noisy).range == pytest.approx(0.2, abs=0.02)
    eight = np.rint(ramp * 255) / 255
    assert gradient_figures(eight).largest < 0.005


@pytest.mark.parametrize("ratio", [10, 3, 1])
@pytest.mark.parametrize("iso", [100, 3200])
def test_dynamic_range_is_that_of_the_bodys_electrons(ratio: float, iso: float) -> None:
    body = Body("Reference")
    gain, variance = body.noise_profile(iso)
    well = body.well(iso)
    noise = NoiseModel((gain,) * 3, (variance**0.5,) * 3, "file")
    # electrons e with e / √(e + read²) = ratio, rounding of the converter added (EMVA 1288)
    read2 = body.read_noise**2 + (well / (body.white - body.black)) ** 2 / 12
    electrons = (ratio**2 + math.sqrt(ratio**4 + 4 * ratio**2 * read2)) / 2
    assert stops(noise, ratio, 1) == pytest.approx(math.log2(well / electrons), abs=0.01)
    assert signal_at(gain, variance**0.5, ratio) * well == pytest.approx(electrons, rel=1e-3)
    assert stops(noise, ratio, 1, COMMON_PIXELS) == stops(noise, ratio, 1)
    assert stops(noise, ratio, 1, 32e6) > stops(noise, ratio, 1) + 0.9


def test_range_facts_take_the_worst_colour() -> None:
    noise = NoiseModel((1e-4, 1e-4, 4e-4), (1e-4,) * 3, "measured")
    facts = range_facts(noise, 24e6)
    assert facts["snr_10"]["per_pixel"] == round(stops(noise, 10, 2), 2)
    assert facts["snr_1"]["at_8_mp"] > facts["snr_1"]["per_pixel"] > facts["snr_10"]["per_pixel"]


def test_dynamic_range_under_each_condition() -> None:
    """Against the sensor's own electrons: EMVA 1288's full well over read noise, and the signal at an SNR by its definition."""
    well, read = 40_000.0, 4.0
    noise = NoiseModel((1 / well,) * 3, (read / well,) * 3, "measured")
    assert dynamic_range(noise, 24e6, "engineering") == pytest.approx(math.log2(well / read), abs=1e-6)
    for condition, ratio, pixels in (("snr-10", 10, 8e6), ("snr-3-8mp", 3, 24e6), ("snr-1-8mp", 1, 50e6)):
        found = dynamic_range(noise, pixels, condition)
        electrons = well / 2**found
        averaged = pixels / 8e6  # pixels whose mean one of the common picture is
        snr = electrons / math.sqrt((electrons + read**2) / averaged)
        assert snr == pytest.approx(ratio, rel=1e-6), condition
    assert set(CONDITIONS) >= {USUAL, "engineering"}


def _pair() -> tuple[np.ndarray, np.ndarray]:
    one = shots.photograph("coffee.png")[:180, :240]
    two = np.clip(cv2.GaussianBlur(one, (0, 0), 0.7) + RNG(3).normal(0, 0.01, one.shape), 0, 1)
    return np.ascontiguousarray(one, np.float32), two.astype(np.float32)


def test_psnr_and_ssim_agree_with_scikit_image() -> None:
    one, two = _pair()
    a, b = (SPACES["srgb"].encode(p).astype(float) for p in (one, two))
    found = difference_figures(one, two)
    assert found.psnr == pytest.approx(skimage.metrics.peak_signal_noise_ratio(a, b, data_range=1), abs=1e-6)
    luma = np.array([0.2126, 0.7152, 0.0722])
    expected = skimage.metrics.structural_similarity(
        a @ luma, b @ luma, data_range=1, gaussian_weights=True, sigma=1.5, use_sample_covariance=False
    )
    assert found.ssim == pytest.approx(expected, abs=1e-6)
    assert ssim(a @ luma, a @ luma) == pytest.approx(1)
    assert found.delta_e == pytest.approx(
        delta_e(lab_of(one, SPACES["srgb"]), lab_of(two, SPACES["srgb"])).mean()
    )
    same = difference_figures(one, one)
    assert same.psnr is None and same.delta_e == 0


@pytest.mark.parametrize("kind", KINDS)
def test_equal_pictures_have_an_even_difference(kind: str) -> None:
    one, two = _pair()
    even = SPACES["srgb"].encode(difference_picture(one, one, kind, 16))
    assert np.ptp(even) < 1e-6
    assert even.mean() == pytest.approx(0 if kind == "ΔE" else 0.5, abs=1e-3)
    near = one + (two - one) * np.float32(0.1)
    weak, strong = (
        np.abs(SPACES["srgb"].encode(difference_picture(one, near, kind, f)) - even.mean()).mean()
        for f in (2, 6)
    )
    assert strong > 2.2 * weak > 0


def test_differences_are_signed_and_split_into_brightness_and_colour() -> None:
    one = np.full((40, 40, 3), 0.2, np.float32)
    brighter, redder = one * np.float32(1.2), one * np.array([1.3, 0.95, 0.95], np.float32)
    signed = SPACES["srgb"].encode(difference_picture(one, brighter, "signed", 2))
    assert (signed > 0.52).all()
    assert np.ptp(SPACES["srgb"].encode(difference_picture(one, brighter, "colour", 4))) < 0.01
    colour = SPACES["srgb"].encode(difference_picture(one, redder, "colour", 4))[0, 0]
    assert colour[0] > 0.6 > colour[1]


def test_the_halo_map_sees_overshoot_beside_edges_alone() -> None:
    plain = np.full((60, 80, 3), 0.1, np.float32)
    plain[:, 40:] = 0.5
    halo = plain.copy()
    halo[:, 42:46] *= 1.2
    halo[:, 70:] *= 1.2  # far from the edge: not a halo
    shown = SPACES["srgb"].encode(difference_picture(plain, halo, "halo", 4))[30, :, 0]
    assert shown[43] > 0.6 and abs(shown[75] - 0.5) < 0.01 and abs(shown[20] - 0.5) < 0.01
