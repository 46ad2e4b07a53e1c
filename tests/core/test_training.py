"""What the weights were made from: drawn scenes and photographs, apart from those that are measured."""

from __future__ import annotations

import sys
from pathlib import Path

import numpy as np
import pytest

ROOT = Path(__file__).parent.parent.parent
sys.path[:0] = [str(ROOT / "training"), str(ROOT / "benchmarks")]

import scenes  # noqa: E402

import photographs  # noqa: E402


def test_no_test_picture_is_trained_on() -> None:
    assert not set(photographs.TEST) & set(photographs.TRAINING)
    assert len(set(photographs.TRAINING)) == len(photographs.TRAINING)


@pytest.mark.parametrize("seed", range(4))
def test_drawn_scenes_are_light_and_repeat(seed: int) -> None:
    first, again = (scenes.drawn(np.random.default_rng(seed), 128) for _ in range(2))
    assert first.shape == (128, 128, 3)
    assert first.dtype == np.float32
    assert np.isfinite(first).all() and first.min() >= 0 and first.max() <= 1
    np.testing.assert_array_equal(first, again)
    assert first.std() > 0


def test_drawn_scenes_differ_in_kind() -> None:
    found = [scenes.drawn(np.random.default_rng(seed), 96) for seed in range(10)]
    brightness = [picture.mean() for picture in found]
    detail = [np.abs(np.diff(picture, axis=0)).mean() for picture in found]
    assert max(brightness) > 2 * min(brightness)
    assert max(detail) > 3 * min(detail)


def test_dead_leaves_have_edges_at_all_scales() -> None:
    # Lee, Mumford & Huang 2001: statistics that do not change with the scale
    picture = scenes.dead_leaves(np.random.default_rng(1), 256).mean(axis=2)
    small = picture.reshape(128, 2, 128, 2).mean(axis=(1, 3))
    spread = [np.log(np.abs(np.diff(p, axis=1)) + 1e-3).std() for p in (picture, small)]
    assert spread[1] == pytest.approx(spread[0], rel=0.35)


def test_pools_are_made_once(tmp_path: Path) -> None:
    calls = []

    def make():
        calls.append(1)
        yield np.full((4, 4, 3), 0.25, np.float32)

    first = scenes.pool(tmp_path / "deep" / "a.npy", make)
    second = scenes.pool(tmp_path / "deep" / "a.npy", make)
    assert len(calls) == 1
    np.testing.assert_array_equal(first, second)
    assert not list(tmp_path.rglob("*.part*"))


@pytest.mark.parametrize("seed", range(6))
def test_even_scenes_are_mostly_even(seed: int) -> None:
    scene = scenes.even(np.random.default_rng(seed), 384)
    assert scene.shape == (384, 384, 3) and scene.min() >= 0 and scene.max() <= 1
    grey = scene.mean(axis=2)
    steps = np.abs(np.diff(grey, axis=0))[:, 1:] + np.abs(np.diff(grey, axis=1))[1:]
    assert np.median(steps) < 0.02 < np.percentile(steps, 99), "even areas, and borders between them"
