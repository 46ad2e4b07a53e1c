"""Suggested exposure: scenes labelled with the level at which their 18 % grey is meant to lie (common practice).

Each scene is a mixture of parts: share, mean in EV above its own grey, spread in EV. It is taken too dark, right and too
bright by stops; the suggestion must not depend on that.
"""

from __future__ import annotations

import numpy as np
import pytest

from irvane.core.light.guide import make_guide
from irvane.core.light.suggest import suggest
from irvane.core.light.tone import tonal_shift

SCENES = {
    "street by day": ([(1.0, 0.0, 1.2)], 0.0),
    "snow": ([(0.8, 2.0, 0.4), (0.15, 0.0, 1.0), (0.05, -2.0, 1.0)], 0.0),
    "beach": ([(0.7, 1.3, 0.5), (0.3, -0.5, 1.2)], 0.0),
    "dark stage": ([(0.85, -6.0, 1.0), (0.13, 0.0, 1.0), (0.02, 2.5, 0.5)], 0.0),
    "town at night": ([(0.75, -4.0, 1.2), (0.2, -1.5, 1.0), (0.04, 0.0, 1.0), (0.01, 5.0, 0.5)], -1.0),
    "back light": ([(0.5, 3.0, 0.4), (0.4, -2.0, 0.8), (0.1, 0.0, 1.0)], -0.7),
    "fog": ([(1.0, 0.7, 0.4)], 0.0),
    "wood": ([(0.95, -1.0, 1.3), (0.05, 3.0, 0.4)], -0.3),
    "printed page": ([(0.9, 2.2, 0.15), (0.1, -2.0, 0.5)], 0.0),
    "interior": ([(0.8, -1.0, 1.1), (0.2, 1.5, 0.8)], 0.0),
    "portrait": ([(0.4, 0.6, 0.5), (0.6, -1.0, 1.2)], 0.4),
    "landscape": ([(0.4, 2.0, 0.5), (0.6, -0.7, 1.0)], -0.3),
}


def _scene(name: str, offset: float) -> np.ndarray:
    rng = np.random.default_rng(2)
    parts = [rng.normal(mean, spread, int(share * 90_000)) for share, mean, spread in SCENES[name][0]]
    stops = rng.permutation(np.concatenate(parts))[: 290 * 300].reshape(290, 300) + offset
    return np.repeat((0.18 * np.exp2(stops)).astype(np.float32)[..., None], 3, axis=2)


@pytest.mark.parametrize("offset", [-3.0, 0.0, 2.0])
@pytest.mark.parametrize("name", SCENES)
def test_grey_lands_where_it_is_meant_to(name: str, offset: float) -> None:
    scene = _scene(name, offset)
    found = suggest(make_guide(scene, scene.shape[:2]))
    meant = SCENES[name][1]
    assert offset + found.exposure == pytest.approx(meant, abs=0.7)
    stops = np.log2(scene[..., 0] / 0.18) + found.exposure
    shown = stops + tonal_shift(stops, found.shadows, found.highlights)
    if name == "dark stage" or name == "town at night":
        assert np.median(shown) < -2, "low key stays low"
    if name in ("snow", "printed page", "fog"):
        assert np.median(shown) > 0.2, "high key stays high"
    clipped = (shown > 4).mean() - (stops - found.exposure - offset > 4).mean()
    assert clipped <= 0.005
    assert f"{found.exposure:+.1f} EV".replace("-", "−") in found.words


@pytest.mark.parametrize("lights", [0.01, 0.03])
def test_lights_that_are_gone_do_not_darken_the_rest(lights: float) -> None:
    """A furnace, a low sun: grey is meant to lie a stop under."""
    rng = np.random.default_rng(4)
    stops = rng.normal(-3.0, 1.2, (200, 300))
    stops[rng.random(stops.shape) < lights] = 5.5
    scene = np.repeat((0.18 * np.exp2(stops)).astype(np.float32)[..., None], 3, axis=2)
    found = suggest(make_guide(scene, scene.shape[:2]), clipped=lights)
    assert abs(found.exposure) == 0.7
    assert found.highlights < 0 and "gone" in found.words


def test_finished_pictures_stay_below_their_own_white() -> None:
    """Display light ends 2.47 EV above mid-grey (1 / 0.18)."""
    scene = np.minimum(_scene("street by day", -1.0), 1)
    found = suggest(make_guide(scene, scene.shape[:2]), white=2.47)
    stops = np.log2(scene[..., 0] / 0.18) + found.exposure
    shown = stops + tonal_shift(stops, found.shadows, found.highlights)
    assert found.exposure > 0 and (shown > 2.47).mean() <= 0.005


def test_a_right_exposed_frame_is_hardly_changed_and_a_black_one_not_blown_up() -> None:
    scene = _scene("street by day", 0.0)
    assert abs(suggest(make_guide(scene, scene.shape[:2])).exposure) < 0.4
    black = np.zeros((60, 90, 3), np.float32)
    assert suggest(make_guide(black, (60, 90))).exposure <= 5
