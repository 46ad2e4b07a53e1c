"""Judging spots and alignment of pictures, against constructions of known answer."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
import shots

from irvane.core.image import LUMA_2020
from irvane.core.judge.alignment import find_mapping, same_place
from irvane.core.judge.spots import KINDS, find_spots
from irvane.core.pixels.places import FrameRegion
from irvane.core.simulate.card import card


def test_spots_of_the_test_card_hold_what_they_say() -> None:
    light = card((1000, 1500), np.random.default_rng(0))
    noisy = (light + np.random.default_rng(1).normal(0, 0.002, light.shape)).astype(np.float32)
    spots = {spot.kind: spot for spot in find_spots(noisy)}
    assert set(spots) <= set(KINDS) and {"texture", "edge", "smooth", "lettering", "patches"} <= set(spots)

    def at(kind: str, half: int = 16) -> np.ndarray:
        x, y = round(spots[kind].x * 1500), round(spots[kind].y * 1000)
        return light[max(0, y - half) : y + half, max(0, x - half) : x + half] @ LUMA_2020

    assert at("smooth").std() < 0.02 * at("smooth").mean()
    assert at("texture").std() > 0.1 * at("texture").mean()
    assert 0.2 < spots["lettering"].y < 0.9 and at("lettering").max() > 3 * at("lettering").min()
    assert at("patches", 6).std() < 0.02
    assert at("edge").std() > 0.1 * at("edge").mean()
    assert [spot.kind for spot in find_spots(noisy)] == [k for k in KINDS if k in spots]


def test_empty_frames_have_no_spots() -> None:
    assert find_spots(np.zeros((600, 900, 3), np.float32)) == []
    assert find_spots(np.full((600, 900, 3), 5.0, np.float32)) == []
    assert find_spots(np.full((50, 60, 3), 0.2, np.float32)) == []


def _light() -> np.ndarray:
    return np.ascontiguousarray(shots.photograph("chelsea.png", reduced=False) @ LUMA_2020, np.float32)


@pytest.mark.parametrize(("degrees", "scale", "shift"), [
    (0, 1, (0, 0)), (0, 1, (12.4, -7.3)), (1.5, 1, (3.2, 5.7)), (0.6, 1.03, (-9.1, 2.2)), (-2.0, 0.95, (14, 9)),
])  # fmt: skip
def test_handheld_frames_are_aligned_within_a_third_of_a_pixel(
    degrees: float, scale: float, shift: tuple[float, float]
) -> None:
    light = _light()
    h, w = light.shape
    matrix = cv2.getRotationMatrix2D((w / 2, h / 2), degrees, scale)
    matrix[:, 2] += shift
    moved = cv2.warpAffine(light, matrix, (w, h), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT_101)
    rng = np.random.default_rng(0)
    other = 0.5 * moved + rng.normal(0, 0.01, moved.shape).astype(np.float32)
    found = find_mapping(light, other, (h, w), (h, w))
    assert found.found
    for x, y in ((60, 50), (w - 60, 50), (w / 2, h / 2), (60, h - 50)):
        expected = matrix @ np.array([x - 0.5, y - 0.5, 1]) + 0.5
        assert np.hypot(*(np.array(found.place(x, y)) - expected)) < 0.3
    assert found.scale == pytest.approx(scale, abs=0.003)


def test_another_pixel_count_and_a_crop_are_aligned_and_the_common_field_is_stated() -> None:
    light = _light()
    h, w = light.shape
    inner = light[40 : h - 40, 60 : w - 60]
    small = cv2.resize(
        inner, (round(inner.shape[1] * 0.7), round(inner.shape[0] * 0.7)), interpolation=cv2.INTER_AREA
    )
    found = find_mapping(light, small, (h, w), (2 * small.shape[0], 2 * small.shape[1]))
    assert found.scale == pytest.approx(1.4, abs=0.02)
    x, y = found.place(200, 150)
    assert (x, y) == (pytest.approx((200 - 60) * 1.4, abs=1), pytest.approx((150 - 40) * 1.4, abs=1))
    assert found.common == pytest.approx((h - 80) * (w - 120) / (h * w), abs=0.02)
    assert found.residual is not None and found.residual < 1
    place = found.region(FrameRegion(140, 180, 160, 220))
    assert (place.right - place.left, place.bottom - place.top) == (56, 28)


def test_what_has_nothing_in_common_is_laid_corner_on_corner() -> None:
    rng = np.random.default_rng(0)
    a, b = (rng.random((200, 300)).astype(np.float32) for _ in range(2))
    found = find_mapping(a, b[:150, :200], (200, 300), (150, 200))
    assert not found.found
    assert found.place(300, 200) == pytest.approx((200, 150))
    assert same_place((10, 20), (10, 20)).plain
