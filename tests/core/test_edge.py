"""Slanted edges of known response, rendered analytically with the aperture of the pixel (ISO 12233)."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from scipy.optimize import brentq
from scipy.special import erf

from irvane.core.judge.edge import edge_figures

HEIGHT, WIDTH = 120, 80
OVER = 8


def _edge(angle: float, sigma: float, box: float = 0.0, low: float = 0.1, high: float = 0.6) -> np.ndarray:
    """Pixels (means over their area) of an edge blurred by a Gaussian, or by a box across the edge."""
    fine = (np.arange(HEIGHT * OVER) + 0.5) / OVER, (np.arange(WIDTH * OVER) + 0.5) / OVER
    y, x = fine[0][:, None] - HEIGHT / 2, fine[1][None] - WIDTH / 2 - 0.3
    t = np.radians(angle)
    distance = x * np.cos(t) + y * np.sin(t)
    if box:
        share = np.clip(distance / box + 0.5, 0, 1)
    else:
        share = 0.5 * (1 + erf(distance / (np.sqrt(2) * max(sigma, 1e-6))))
    return (low + (high - low) * share).reshape(HEIGHT, OVER, WIDTH, OVER).mean(axis=(1, 3))


def _true_mtf50(angle: float, sigma: float, box: float = 0.0, level: float = 0.5) -> float:
    t = np.radians(angle)

    def response(f: float) -> float:
        pixel = np.sinc(f * np.cos(t)) * np.sinc(f * np.sin(t))
        return float(pixel * (np.sinc(f * box) if box else np.exp(-2 * (np.pi * sigma * f) ** 2)) - level)

    return brentq(response, 1e-4, 0.95)


@pytest.mark.parametrize("angle", [3, 5, 9, 15])
@pytest.mark.parametrize(("sigma", "box"), [(0.5, 0), (0.8, 0), (1.5, 0), (3.0, 0), (0, 1.5), (0, 3.0)])
def test_mtf50_is_that_of_the_blur_and_the_pixel(angle: float, sigma: float, box: float) -> None:
    found = edge_figures(_edge(angle, sigma, box))
    assert found.mtf50 == pytest.approx(_true_mtf50(angle, sigma, box), rel=0.02)
    assert found.angle == pytest.approx(angle, abs=0.1)
    assert found.step == pytest.approx(np.log2(6), abs=0.02)
    assert found.overshoot < 0.01
    if sigma:
        assert found.mtf10 == pytest.approx(_true_mtf50(angle, sigma, level=0.1), rel=0.03)


@pytest.mark.parametrize("sigma", [0.7, 1.2])
def test_mtf50_through_noise(sigma: float) -> None:
    """A step of twenty standard deviations."""
    errors = []
    for seed in range(12):
        plane = _edge(5, sigma) + np.random.default_rng(seed).normal(0, 0.5 / 20, (HEIGHT, WIDTH))
        errors.append(edge_figures(plane).mtf50 / _true_mtf50(5, sigma) - 1)
    assert np.abs(errors).max() < 0.05


@pytest.mark.parametrize(
    "turn", [lambda p: p[:, ::-1], lambda p: p[::-1], lambda p: p.T, lambda p: p.T[::-1], lambda p: 0.7 - p]
)
def test_orientation_and_polarity_do_not_matter(turn) -> None:
    plane = _edge(7, 0.9)
    assert edge_figures(turn(plane)).mtf50 == pytest.approx(edge_figures(plane).mtf50, rel=0.003)


def test_overshoot_is_a_share_of_the_step() -> None:
    soft, softer = _edge(5, 0.8, low=0.2, high=0.7), _edge(5, 2.0, low=0.2, high=0.7)
    sharpened = soft + 1.5 * (soft - softer)
    fine = np.linspace(-20, 20, 8001)
    wave = 0.5 * (1 + erf(fine / np.sqrt(2) / 0.85)), 0.5 * (1 + erf(fine / np.sqrt(2) / 2.02))
    expected = (wave[0] + 1.5 * (wave[0] - wave[1])).max() - 1
    assert edge_figures(sharpened).overshoot == pytest.approx(expected, abs=0.02)


@pytest.mark.parametrize(("plane", "words"), [
    (np.full((60, 60), 0.4), "no clear edge"),
    (0.4 + np.random.default_rng(0).normal(0, 0.05, (60, 60)), "no clear edge"),
    (np.where(np.arange(60) < 30, 0.1, 0.8) * np.ones((60, 1)), "slanted"),
    (np.zeros((8, 80)), "at least"),
])  # fmt: skip
def test_what_is_no_slanted_edge_is_said(plane: np.ndarray, words: str) -> None:
    with pytest.raises(ValueError, match=words):
        edge_figures(plane)


def test_textures_of_any_kind_are_told_from_edges() -> None:
    """Whatever lies in a rectangle, it is measured or refused with a sentence."""
    refused = 0
    for seed in range(200):
        rng = np.random.default_rng(seed)
        plane = cv2.GaussianBlur(rng.random((40, 48)).astype(np.float32), (0, 0), float(rng.uniform(0.5, 6)))
        plane = (plane - plane.min()) / np.ptp(plane) * rng.uniform(0.1, 1) + rng.choice([0, 0.0, 0.1])
        side = np.where(np.arange(48) < 24, 0, rng.uniform(0, 0.6)) * np.ones((40, 1))
        plane = plane + side if rng.random() < 0.7 else plane
        if rng.random() < 0.3:
            plane[:, rng.integers(0, 48) :] = plane.max()
        try:
            edge_figures(plane)
        except ValueError as error:
            refused += str(error).endswith(".")
    assert refused > 150
