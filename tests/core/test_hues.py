"""Saturation by hue, against colour-science's Oklab."""

from __future__ import annotations

import colour as science
import numpy as np
import pytest

from irvane.core.colour.hues import RANGES, hue_factors, hues_of, saturate_hues
from irvane.core.colour.spaces import SPACES, WORKING, between, to_xyz
from irvane.core.image import LUMA_2020

PICTURE = np.random.default_rng(1).uniform(0.02, 0.9, (20, 30, 3)).astype(np.float32)


def test_hues_are_those_of_oklab() -> None:
    lab = science.XYZ_to_Oklab(PICTURE.astype(float) @ to_xyz(WORKING).T)
    expected = np.degrees(np.arctan2(lab[..., 2], lab[..., 1])) % 360
    difference = (hues_of(PICTURE) - expected + 180) % 360 - 180
    far_from_grey = np.hypot(lab[..., 1], lab[..., 2]) > 0.02
    assert np.abs(difference[far_from_grey]).max() < 0.3


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
        grey = light @ LUMA_2020
        moved = np.linalg.norm(saturate_hues(pixel, changes)[0, 0] - grey) / np.linalg.norm(light - grey)
        if other == name:
            assert moved > 1.4
        elif abs((RANGES[other] - RANGES[name] + 180) % 360 - 180) > 90:
            assert moved == pytest.approx(1, abs=0.02)


def test_luminance_and_greys_are_kept_and_hues_go_over_into_each_other() -> None:
    changes = (80.0, -50.0, 20.0, 0.0, -100.0, 60.0)
    changed = saturate_hues(PICTURE, changes)
    np.testing.assert_allclose(changed @ LUMA_2020, PICTURE @ LUMA_2020, rtol=2e-3)
    grey = np.full((3, 4, 3), 0.3, np.float32)
    np.testing.assert_allclose(saturate_hues(grey, changes), grey, atol=1e-5)
    factors = hue_factors(changes)
    assert np.abs(np.diff(factors)).max() < 0.08 and factors[0] == pytest.approx(factors[-1])
    assert saturate_hues(PICTURE, (0.0,) * 6) is PICTURE
