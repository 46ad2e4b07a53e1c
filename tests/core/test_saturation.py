"""Saturation, against colour-science's Oklab."""

from __future__ import annotations

import colour as science
import numpy as np
import pytest

from irvane.core.colour.saturation import PALE_UNTIL, RANGES, hue_factors, saturate
from irvane.core.colour.spaces import SPACES, WORKING, between, to_xyz

PICTURE = np.random.default_rng(1).uniform(0.02, 0.9, (20, 30, 3)).astype(np.float32)
NONE = (0.0,) * 6


def _oklab(light: np.ndarray) -> np.ndarray:
    return science.XYZ_to_Oklab(light.astype(float) @ to_xyz(WORKING).T)


def _chroma(light: np.ndarray) -> np.ndarray:
    lab = _oklab(light)
    return np.hypot(lab[..., 1], lab[..., 2])


@pytest.mark.parametrize("per_cent", [0, 50, 180])
def test_chroma_is_scaled_and_lightness_and_hue_are_kept(per_cent: float) -> None:
    before, after = _oklab(PICTURE), _oklab(saturate(PICTURE, per_cent))
    assert np.abs(after[..., 0] - before[..., 0]).max() < 1e-3
    assert np.abs(after[..., 1:] - before[..., 1:] * per_cent / 100).max() < 1e-3


def test_monochrome_is_grey_and_grey_stays() -> None:
    assert np.ptp(saturate(PICTURE, 0), axis=2).max() < 2e-6
    grey = np.linspace(0.001, 20, 60, dtype=np.float32)[:, None, None].repeat(3, axis=2)
    changed = saturate(grey, 200, 100, (50.0,) * 6)
    np.testing.assert_allclose(changed, grey, rtol=2e-5)
    assert saturate(PICTURE, 100) is PICTURE


def test_what_is_not_changed_comes_back_and_dark_and_negative_light_too() -> None:
    light = np.concatenate([PICTURE * 1e-4, PICTURE * 30, PICTURE - 0.3]).astype(np.float32)
    back = saturate(light, 100, 0, (0.0, 0.0, 0.0, 0.0, 0.0, 1e-9))
    np.testing.assert_allclose(back, light, atol=2e-5 * np.abs(light).max(axis=2, keepdims=True).max())


def test_pale_colours_are_strengthened_and_saturated_ones_left_alone() -> None:
    before, after = _chroma(PICTURE), _chroma(saturate(PICTURE, 100, 60))
    share = before / _oklab(PICTURE)[..., 0]
    expected = 1 + 0.6 * np.maximum(1 - (share / PALE_UNTIL) ** 2, 0)
    np.testing.assert_allclose(after / before, expected, atol=1e-2)
    primary = np.array([[[0.8, 0.01, 0.01], [0.01, 0.5, 0.02]]], np.float32)
    np.testing.assert_allclose(saturate(primary, 100, 60), primary, atol=2e-4)


@pytest.mark.parametrize(("name", "rgb"), [
    ("reds", (1, 0, 0)), ("yellows", (1, 1, 0)), ("greens", (0, 1, 0)), ("cyans", (0, 1, 1)), ("blues", (0, 0, 1)),
    ("purples", (1, 0, 1)),
])  # fmt: skip
def test_each_range_has_its_middle_at_a_primary_or_secondary_of_srgb(name: str, rgb: tuple[int, ...]) -> None:
    light = (np.array(rgb, float) * 0.5 + 0.1) @ between(SPACES["srgb"], WORKING).T
    pixel = light.astype(np.float32)[None, None]
    lab = science.XYZ_to_Oklab(np.array(rgb, float) @ to_xyz(SPACES["srgb"]).T)
    assert np.degrees(np.arctan2(lab[2], lab[1])) % 360 == pytest.approx(RANGES[name], abs=0.5)
    for other in RANGES:
        changes = tuple(50.0 * (n == other) for n in RANGES)
        moved = float((_chroma(saturate(pixel, 100, 0, changes)) / _chroma(pixel))[0, 0])
        if other == name:
            assert moved > 1.4
        elif abs((RANGES[other] - RANGES[name] + 180) % 360 - 180) > 90:
            assert moved == pytest.approx(1, abs=0.02)


def test_hues_go_over_into_each_other() -> None:
    factors = hue_factors((80.0, -50.0, 20.0, 0.0, -100.0, 60.0))
    assert np.abs(np.diff(factors)).max() < 0.08 and factors[0] == pytest.approx(factors[-1])
    turned = _oklab(saturate(PICTURE, 100, 0, (80.0, -50.0, 20.0, 0.0, -90.0, 60.0)))
    before = _oklab(PICTURE)
    angle = np.degrees(
        np.arctan2(*np.moveaxis(turned[..., 1:], -1, 0)) - np.arctan2(*np.moveaxis(before[..., 1:], -1, 0))
    )
    angle = (angle + 180) % 360 - 180
    assert np.abs(angle[_chroma(PICTURE) > 0.05]).max() < 0.5
