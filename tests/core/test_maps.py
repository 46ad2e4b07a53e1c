"""The rendered rooms of the demo: whole, of many stops, and photographed like any other light."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from irvane.core.simulate.demo import POSED, full_shots, shaken
from irvane.core.simulate.maps import BRIGHTEST, lit, read_map

_ROOMS = ("bench", "furnace", "window", "vases", "yard", "night")


@pytest.mark.parametrize("name", _ROOMS)
def test_a_room_is_whole_and_holds_many_stops(name: str) -> None:
    light = read_map(name)
    assert light.shape == (1600, 2400, 3) and light.dtype == np.float32
    assert np.isfinite(light).all() and light.min() >= 0 and light.max() <= BRIGHTEST
    low, high = np.quantile(light[::8, ::8] @ np.array([0.2627, 0.678, 0.0593], np.float32), (0.01, 0.999))
    assert np.log2(high / max(low, 1e-6)) > (5 if name in ("bench", "yard", "vases") else 8)
    level = float(np.median(lit(name)[..., 1]))
    assert 0.001 < level < 0.4, "exposed about rightly at 0 EV"


def test_the_glassmaker_moves_and_the_room_does_not() -> None:
    room = lit("furnace")
    posed = [lit("furnace", pose) for pose in POSED[:2]]
    for one in posed:
        same = np.isclose(one, room, rtol=1e-5).all(axis=2)
        assert same[:, :400].all() and same[:, 1500:].all() and not same[500:1500, 500:1300].all()
    assert not np.allclose(posed[0], posed[1])


def test_every_shot_has_its_room() -> None:
    names = [shot.name for shot in full_shots()]
    assert len(names) == len(set(names))
    assert {shot.scene for shot in full_shots()} == {*_ROOMS, "card"}


def test_a_shaken_frame_is_smeared_along_the_camera_s_path() -> None:
    light = np.zeros((200, 300, 3), np.float32)
    light[100, 150] = 1.0
    light = cv2.GaussianBlur(light, (0, 0), 2.0)
    seen = shaken(light, ((-100.0, 0.0, 0.0), (100.0, 0.0, 0.0)))[..., 1]
    length = 200 * np.sqrt(200 * 300 / 6e6)  # motions are in pixels at 6 MP
    x, share = np.arange(300), seen.sum(axis=0)
    assert seen.sum() == pytest.approx(1, abs=0.01), "no light is lost"
    # variance of an even line is its length squared over twelve; that of the dot comes to it
    assert ((x - 150) ** 2 @ share) == pytest.approx(length**2 / 12 * 25 / 23 + 4, rel=0.05)
    assert ((np.arange(200) - 100) ** 2 @ seen.sum(axis=1)) == pytest.approx(4, rel=0.05), (
        "nothing across the path"
    )
