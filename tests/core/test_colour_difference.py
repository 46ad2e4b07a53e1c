"""CIEDE2000 and L*a*b* against the published data and colour-science."""

from __future__ import annotations

import colour
import numpy as np
import pytest
from colour.difference.tests import test_delta_e as published

from irvane.core.colour.spaces import SPACES
from irvane.core.judge.colour_difference import delta_e, lab_of


def test_the_data_of_sharma_wu_and_dalal(monkeypatch: pytest.MonkeyPatch) -> None:
    """colour-science carries 33 of the 34 pairs (one is on the fence of two branches) of Sharma, Wu & Dalal 2005 as a test of its own; here it tests ours."""
    asked = []

    def ours(a: np.ndarray, b: np.ndarray) -> np.ndarray:
        asked.append(len(a))
        return delta_e(a, b)

    monkeypatch.setattr(published, "delta_E_CIE2000", ours)
    published.TestDelta_E_CIE2000().test_delta_E_CIE2000_Sharma2004()
    assert asked == [33]


def test_any_pair_agrees_with_colour_science() -> None:
    rng = np.random.default_rng(0)
    one = rng.uniform((0, -120, -120), (100, 120, 120), (4000, 3))
    near = one + rng.normal(0, 3, one.shape)
    far = rng.uniform((0, -120, -120), (100, 120, 120), (4000, 3))
    grey = one * (1, 0, 0)
    for other in (near, far, grey, one):
        expected = colour.delta_E(one, other, method="CIE 2000")
        assert np.abs(delta_e(one, other) - expected).max() < 1e-4


@pytest.mark.parametrize(
    ("key", "name"), [("srgb", "sRGB"), ("rec2020", "ITU-R BT.2020"), ("prophoto", "ROMM RGB")]
)
def test_lab_agrees_with_colour_science(key: str, name: str) -> None:
    light = np.random.default_rng(1).uniform(0, 1, (50, 40, 3)) ** 3
    space = colour.RGB_COLOURSPACES[name]
    matrix = colour.normalised_primary_matrix(space.primaries, space.whitepoint)
    expected = colour.XYZ_to_Lab(light @ matrix.T, space.whitepoint)
    assert np.abs(lab_of(light, SPACES[key]) - expected).max() < 0.02
    assert delta_e(lab_of(light, SPACES[key]), expected).max() < 0.01
