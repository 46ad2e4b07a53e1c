"""Whether a place is even is decided once, on the cleanest rendering of it."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
import shots

from irvane.core.image import BAYER, SIX_BY_SIX
from irvane.core.judge.place import PlaceFigures
from irvane.core.judge.probe import read_probe
from irvane.core.judge.scene_place import scene_place
from irvane.core.line.develop import develop
from irvane.core.line.even_place import even_place
from irvane.core.settings import Settings


def _figures(
    light: np.ndarray, noise: float, expected: float, seed: int, mtf50: float | None = None
) -> PlaceFigures:
    noisy = light + np.random.default_rng(seed).normal(0, noise, light.shape)
    pixels = np.repeat(noisy[..., None], 3, axis=2).astype(np.float32)
    return PlaceFigures(
        read_probe(pixels), "", mtf50, None, noisy, expected=expected, inner=noisy.astype(np.float32)
    )  # fmt: skip


_WALL = np.full((40, 40), 0.2)
_GRASS = 0.2 * (1 + 0.25 * np.random.default_rng(3).normal(0, 1, (40, 40)))


@pytest.mark.parametrize("seed", range(16))
def test_a_noisy_wall_is_a_wall_beside_a_clean_one(seed: int) -> None:
    """The truth is what the light was made of: noise of 20 % and of 0.7 % on an even wall, and on grass."""
    clean, noisy = (_figures(_WALL, sigma, sigma, seed) for sigma in (0.0015, 0.04))
    place = scene_place([noisy, clean])
    assert place is not None and place.even and not place.words
    assert noisy.probe.snr_db == pytest.approx(20 * np.log10(0.2 / 0.04), abs=0.6)
    clean, noisy = (_figures(_GRASS, sigma, sigma, seed) for sigma in (0.0015, 0.04))
    place = scene_place([noisy, clean])
    assert place is not None and not place.even and place.words == "structure"


def test_alone_it_is_held_against_the_noise_that_is_expected_or_seen() -> None:
    for expected in (0.04, 0.0):
        wall = scene_place([_figures(_WALL, 0.04, expected, 5)])
        assert wall is not None and wall.even, "a picture of which no noise is known, too"
    y = np.linspace(-0.1, 0.1, 40)[:, None]
    step = 0.2 + np.where(y > 0, 0.1, 0.0) + np.zeros((40, 40))
    edge = scene_place([_figures(step, 0.002, 0.002, 5, mtf50=0.3)])
    assert edge is not None and not edge.even and edge.edge and edge.words == "an edge"
    shading = scene_place([_figures(_WALL, 0.002, 0.002, 5, mtf50=0.04)])
    assert shading is not None and not shading.edge, "what rises over twenty pixels is no edge"
    assert scene_place([]) is None


@pytest.mark.parametrize("iso", [200, 12800])
@pytest.mark.parametrize("six", [False, True])
def test_the_first_place_lies_on_what_is_even(iso: float, six: bool) -> None:
    """The truth is the scene: gravel with one even sheet on it, and a clipped one."""
    rng = np.random.default_rng(4)
    light = 0.25 * (1 + 0.3 * rng.normal(0, 1, (480, 600))[..., None]) * np.ones(3)
    light = cv2.GaussianBlur(np.clip(light, 0.02, 1).astype(np.float32), (0, 0), 1.2)
    light[240:420, 300:500] = 0.2  # even
    light[60:200, 60:240] = 1.4  # clipped
    developed = develop(
        shots.loaded(light * shots.NEUTRAL.astype(np.float32), iso, SIX_BY_SIX if six else BAYER),
        Settings().sensor,
    )
    found = even_place(developed)
    assert found is not None
    h, w = developed.extent
    assert 300 < found[0] * w < 500 and 240 < found[1] * h < 420
