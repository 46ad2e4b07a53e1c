"""Which frames belong together, by folder, time, exposure and content. Limits are the issue of common practice."""

from __future__ import annotations

import itertools
from dataclasses import replace
from datetime import datetime, timedelta
from pathlib import Path

import cv2
import numpy as np
import pytest
from skimage import data, transform

from irvane.core.files.frame_sets import (
    BRACKET,
    BURST,
    FOCUS,
    LADDER,
    PANORAMA,
    find_sets,
    is_focus_series,
    light_between,
    overlap_of,
)
from irvane.core.files.info import FrameInfo

START = datetime(2026, 5, 1, 12)


def _info(ev: float, second: float) -> FrameInfo:
    taken = START + timedelta(seconds=second)
    return FrameInfo(model="A", shutter=2.0**ev / 60, iso=100, aperture=4, focal=35, taken=taken)


def _paths(count: int, folder: str = "/a") -> list[Path]:
    return [Path(f"{folder}/{k:03d}.dng") for k in range(count)]


def _views(count: int = 4, wide: int = 240, apart: int = 130) -> list[np.ndarray]:
    """Parts of a photograph as a camera that is turned sees them: a little larger, turned and brighter each."""
    whole = data.rocket() if count < 3 else np.hstack([data.coffee(), data.coffee()[:, ::-1]])
    views = []
    for k in range(count):
        part = whole[60:360, k * apart : k * apart + wide]
        turned = transform.rotate(part, 0.7 * (-1) ** k, mode="edge")
        views.append((np.clip(turned * (1 + 0.05 * k), 0, 1) * 255).astype(np.uint8))
    return views


def test_sets_never_reach_over_a_folder() -> None:
    infos = [_info(ev, k) for k, ev in enumerate((-2, 0, 2))] + [
        _info(ev, k) for k, ev in enumerate((-1, 0, 1))
    ]
    paths = [*_paths(3, "/a"), *_paths(3, "/b")]
    found = find_sets(paths, infos, [None] * 6)
    assert [(one.kind, one.members, one.offsets) for one in found] == [
        (BRACKET, (0, 1, 2), (-2.0, 0.0, 2.0)), (BRACKET, (3, 4, 5), (-1.0, 0.0, 1.0)),
    ]  # fmt: skip


@pytest.mark.parametrize("step", [0.18, 0.24])
def test_steps_below_a_quarter_stop_are_no_bracket(step: float) -> None:
    infos = [_info(0, 0), _info(step, 2)]
    assert find_sets(_paths(2), infos, [None] * 2) == []


def test_a_long_one_way_series_is_a_ladder_and_nine_frames_are_a_bracket() -> None:
    long = [_info(3 - k, 2 * k) for k in range(12)]
    nine = [_info(k - 4, 2 * k) for k in range(9)]
    assert [one.kind for one in find_sets(_paths(12), long, [None] * 12)] == [LADDER]
    assert [one.kind for one in find_sets(_paths(9), nine, [None] * 9)] == [BRACKET]


def test_positions_of_a_panorama_are_found_with_their_brackets() -> None:
    views = _views()
    infos = [_info(0, 8 * k) for k in range(4)]
    (found,) = find_sets(_paths(4), infos, views)
    assert found.kind == PANORAMA and found.positions == ((0,), (1,), (2,), (3,))
    infos = [_info(ev, 12 * k + 2 * n) for k in range(4) for n, ev in enumerate((-2, 0, 2))]
    shown = [(view * factor).astype(np.uint8) for view in views for factor in (0.5, 0.8, 1.0)]
    found = find_sets(_paths(12), infos, shown)
    assert [one.kind for one in found] == [BRACKET] * 4 + [PANORAMA]
    assert found[-1].positions == tuple((3 * k, 3 * k + 1, 3 * k + 2) for k in range(4))
    late = [replace(info, taken=info.taken + timedelta(minutes=k)) for k, info in enumerate(infos)]  # type: ignore[operator]
    assert not any(one.kind == PANORAMA for one in find_sets(_paths(12), late, shown)), "minutes apart"


def test_overlap_is_told_from_chance() -> None:
    views = _views()
    for one, two in itertools.pairwise(views):
        share, alike = overlap_of(one, two)
        assert alike > 0.72 and share == pytest.approx(1 - 130 / 240, abs=0.12)
    others = [data.astronaut(), data.cat(), data.chelsea(), data.coffee(), data.rocket()]
    small = [cv2.resize(one, (320, 240), interpolation=cv2.INTER_AREA) for one in others]
    for k, one in enumerate(small):
        for two in small[k + 1 :]:
            assert np.array_equal(one, two) or overlap_of(one, two)[1] < 0.72
    infos = [_info(0, 8 * k) for k in range(5)]
    assert not any(one.kind == PANORAMA for one in find_sets(_paths(5), infos, small))


def test_a_focus_series_is_told_from_a_burst() -> None:
    rng = np.random.default_rng(3)
    sharp = cv2.resize(data.astronaut(), (320, 320), interpolation=cv2.INTER_AREA)
    soft = cv2.GaussianBlur(sharp, (0, 0), 2.0)
    series = []
    for k in range(5):
        rows = np.abs(np.arange(320) - 32 - 64 * k) < 40
        series.append(np.where(rows[:, None, None], sharp, soft))
    burst = [np.clip(sharp + rng.normal(0, 4, sharp.shape), 0, 255).astype(np.uint8) for _ in range(5)]
    burst[2] = cv2.GaussianBlur(burst[2], (0, 0), 1.5)  # one was shaken
    infos = [_info(0, k) for k in range(5)]
    assert is_focus_series(series, infos) and not is_focus_series(burst, infos)
    assert [one.kind for one in find_sets(_paths(5), infos, series)] == [FOCUS]
    assert [one.kind for one in find_sets(_paths(5), infos, burst)] == [BURST]
    noted = [replace(info, distance=0.5 + 0.1 * k) for k, info in enumerate(infos)]
    assert is_focus_series([None] * 5, noted), "by the distances that the files note"


def test_brackets_of_finished_pictures_are_found_by_content() -> None:
    light = (cv2.resize(data.coffee(), (320, 213)) / 255.0) ** 2.2
    shown = [(np.clip(light * 2.0**ev, 0, 1) ** (1 / 2.2) * 255).astype(np.uint8) for ev in (-1.5, 0, 1.5)]
    found = light_between(shown[1], shown[0])
    assert found is not None and found[0] == pytest.approx(1.5, abs=0.2)
    (one,) = find_sets([Path(f"/a/{k}.jpg") for k in range(3)], [FrameInfo()] * 3, shown)
    assert one.kind == BRACKET and one.members == (0, 1, 2)
    assert one.offsets == pytest.approx((-1.5, 0, 1.5), abs=0.25)
    # one before it that is called otherwise, and another bracket after it
    names = [Path(f"/a/{name}.jpg") for name in ("cup", "x1", "x2", "x3", "x4", "x5", "x6")]
    found = find_sets(names, [FrameInfo()] * 7, [shown[1], *shown, *shown])
    assert [one.members for one in found] == [(1, 2, 3), (4, 5, 6)]
    again = [shown[0], shown[0], shown[0]]
    assert find_sets([Path(f"/a/{k}.jpg") for k in range(3)], [FrameInfo()] * 3, again) == []
