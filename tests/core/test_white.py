"""The white that a sensor clips at: lowered where light piles up, never elsewhere."""

from __future__ import annotations

import numpy as np
import pytest
import shots

from irvane.core.image import BAYER, SIX_BY_SIX
from irvane.core.sensor.white import clipping_white

BLACK, WHITE = np.full(3, 512.0), np.full(3, 16_383.0)
ELECTRONS = 30_000.0


def _counts(light: np.ndarray, cfa: np.ndarray, clip: float, read: float = 3.0, seed: int = 0) -> np.ndarray:
    """A mosaic in counts: Poisson noise of the electrons, read noise, cut off at a share of the stated range."""
    rng = np.random.default_rng(seed)
    h, w = light.shape[:2]
    places = cfa[np.arange(h)[:, None] % cfa.shape[0], np.arange(w) % cfa.shape[1]]
    wanted = np.take_along_axis(light, places[..., None], axis=2)[..., 0]
    seen = rng.poisson(np.maximum(wanted, 0) * ELECTRONS) / ELECTRONS
    span = WHITE[0] - BLACK[0]
    noisy = np.minimum(seen, clip) * span + BLACK[0] + rng.normal(0, read, seen.shape)
    return np.clip(np.rint(noisy), 0, 65_535).astype(np.uint16)


@pytest.mark.parametrize("cfa", [BAYER, SIX_BY_SIX], ids=["Bayer", "6×6"])
@pytest.mark.parametrize("clip", [0.99, 0.97, 0.92])
def test_a_wall_below_the_stated_white_is_found(clip: float, cfa: np.ndarray) -> None:
    """The clip that was simulated, within a thousandth."""
    light = shots.photograph("coffee.png", reduced=False) * np.float32(2.0)
    found = clipping_white(_counts(light, cfa, clip), cfa, BLACK, WHITE)
    np.testing.assert_allclose((found - BLACK) / (WHITE - BLACK), clip, atol=0.001)


def test_a_wall_at_the_stated_white_is_the_stated_white() -> None:
    light = shots.photograph("coffee.png", reduced=False) * np.float32(2.0)
    assert clipping_white(_counts(light, BAYER, 1.0, 0.0), BAYER, BLACK, WHITE) is WHITE


def test_frames_that_do_not_clip_keep_their_white() -> None:
    """Forty frames: photographs of several brightnesses, bright even walls, steps and ramps, broken pixels."""
    rng = np.random.default_rng(4)
    frames = [
        shots.photograph(name, reduced=False) / np.float32(shots.photograph(name, reduced=False).max()) * np.float32(top)
        for name in ("coffee.png", "astronaut.png", "chelsea.png", "rocket.jpg")
        for top in (0.3, 0.6, 0.8, 0.87, 0.9, 0.93, 0.96)
    ]  # fmt: skip
    frames += [np.full((300, 400, 3), level, np.float32) for level in (0.86, 0.88, 0.9, 0.92, 0.94, 0.96)]
    frames += [
        np.repeat(np.linspace(0, top, 400, dtype=np.float32)[None, :, None], 300, 0).repeat(3, 2)
        for top in (0.9, 0.96)
    ]
    frames += [
        np.where(rng.random((300, 400, 1)) < 0.5, 0.4, top).astype(np.float32).repeat(3, 2)
        for top in (0.87, 0.9, 0.93, 0.95)
    ]
    assert len(frames) == 40
    for number, light in enumerate(frames):
        counts = _counts(light, BAYER, 1.0, seed=number)
        counts[rng.integers(0, counts.shape[0], 30), rng.integers(0, counts.shape[1], 30)] = 16_000
        assert clipping_white(counts, BAYER, BLACK, WHITE) is WHITE, number


def test_one_colour_that_clips_tells_of_the_others() -> None:
    """Green alone piles up: red and blue, which stay below, are given the same white."""
    light = shots.photograph("coffee.png", reduced=False) * np.array([0.4, 2.0, 0.3], np.float32)
    found = clipping_white(_counts(light, BAYER, 0.95), BAYER, BLACK, WHITE)
    np.testing.assert_allclose((found - BLACK) / (WHITE - BLACK), 0.95, atol=0.001)
