"""The rendered rooms of the demo: whole, of many stops, and photographed like any other light."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from irvane.core.simulate.demo import POSES, full_shots, shaken
from irvane.core.simulate.maps import BRIGHTEST, lit, read_map
from irvane.core.simulate.wall import COLUMNS, ROWS, direction, homography, position

_ROOMS = ("bench", "furnace", "window", "vases", "vases-behind", "yard", "night", "shelf")


@pytest.mark.parametrize("name", _ROOMS)
def test_a_room_is_whole_and_holds_many_stops(name: str) -> None:
    light = read_map(name)
    assert (
        light.shape == ((2080, 3936, 3) if name == "shelf" else (1600, 2400, 3)) and light.dtype == np.float32
    )
    assert np.isfinite(light).all() and light.min() >= 0 and light.max() <= BRIGHTEST
    low, high = np.quantile(light[::8, ::8] @ np.array([0.2627, 0.678, 0.0593], np.float32), (0.01, 0.999))
    assert np.log2(high / max(low, 1e-6)) > (5 if name in ("bench", "yard", "vases", "vases-behind") else 8)
    level = float(np.median(lit(name)[..., 1]))
    assert 0.001 < level < 0.4, "exposed about rightly at 0 EV"


def test_the_glassmaker_moves_and_the_room_does_not() -> None:
    room = lit("furnace")
    posed = [lit("furnace", pose) for pose in POSES[:2]]
    for one in posed:
        same = np.isclose(one, room, rtol=1e-5).all(axis=2)
        assert same[:, :400].all() and same[:, 1500:].all() and not same[500:1500, 500:1300].all()
    assert not np.allclose(posed[0], posed[1])


def test_every_shot_has_its_room() -> None:
    names = [shot.name for shot in full_shots()]
    assert len(names) == len(set(names))
    assert {shot.scene for shot in full_shots()} == {*_ROOMS, "card"}


def test_positions_of_the_wall_overlap_and_stay_on_it() -> None:
    size, wall = (100, 150), (2080, 3936)
    corners = np.array([[0, 0, 1], [149, 0, 1], [0, 99, 1], [149, 99, 1]], float).T
    for row in range(ROWS):
        for column in range(COLUMNS):
            x, y, w = homography(wall, size, *direction(row, column)) @ corners
            assert (
                (x / w).min() > 0
                and (x / w).max() < wall[1]
                and (y / w).min() > 0
                and (y / w).max() < wall[0]
            )
    left, right = position(0, 0, size), position(0, 1, size)
    between = np.linalg.inv(homography(wall, size, *direction(0, 0))) @ homography(
        wall, size, *direction(0, 1)
    )
    laid = cv2.warpPerspective(left, between, size[::-1], flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP)
    shared = (
        cv2.warpPerspective(np.ones(size, np.float32), between, size[::-1], flags=cv2.WARP_INVERSE_MAP) > 0.99
    )
    assert 0.25 < shared.mean() < 0.5
    apart = np.abs(np.log2(laid[shared] + 1e-3) - np.log2(right[shared] + 1e-3))
    assert np.median(apart) < 0.1, "the same light in both"


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
