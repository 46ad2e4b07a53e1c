"""No invented colour: where the fast method is right, the best one is not far off."""

from __future__ import annotations

import numpy as np
import pytest
import shots

from irvane.core.image import BAYER, SIX_BY_SIX
from irvane.core.line.develop import denoise_whole, develop
from irvane.core.noise.denoise import BEST, FAST, Removal
from irvane.core.settings import Sensor


def _error(picture: np.ndarray, camera: np.ndarray) -> np.ndarray:
    """Colour errors, white-balanced and sRGB-encoded (IEC 61966-2-1), the mean of the three taken off."""
    balanced = [np.clip(p / shots.NEUTRAL, 0, 1) for p in (picture, camera)]
    coded = [np.where(x <= 0.0031308, x * 12.92, 1.055 * x ** (1 / 2.4) - 0.055) for x in balanced]
    error = coded[0] - coded[1]
    return np.abs(error - error.mean(axis=-1, keepdims=True)).max(axis=-1)


@pytest.mark.parametrize("iso", [3200, 12_800])
@pytest.mark.parametrize("cfa", [BAYER, SIX_BY_SIX], ids=["bayer", "six"])
@pytest.mark.parametrize("name", ["coffee.png", "chelsea.png", "astronaut.png"])
def test_the_best_method_invents_no_colour(name: str, cfa: np.ndarray, iso: float) -> None:
    camera = shots.photograph(name) * shots.NEUTRAL.astype(np.float32)
    developed = develop(shots.loaded(camera, iso, cfa, seed=5), Sensor())
    best, fast = (
        _error(denoise_whole(developed, Sensor(), Removal(1.0, kind)).read_all(), camera)
        for kind in (BEST, FAST)
    )
    assert int(((best > 0.25) & (fast < 0.12)).sum()) == 0
