"""Whole pictures in memory: what is the same in two developments of a frame is held once."""

from __future__ import annotations

import shutil
from pathlib import Path

import cv2
import numpy as np
import pytest
import shots

from irvane.core.line.engine import Engine
from irvane.core.line.source import FileSource
from irvane.core.line.tasks import FULL
from irvane.core.pixels.patches import FramePatch
from irvane.core.pixels.picture import Picture, decode16, encode16, whole_tiles
from irvane.core.pixels.places import FrameRegion
from irvane.core.settings import Settings, bare

REGIONS = [
    FrameRegion(0, 0, 700, 900),
    FrameRegion(123, 77, 411, 500),
    FrameRegion(127, 63, 129, 65),
    FrameRegion(0, 0, 700, 900, 2.0),
    FrameRegion(50, 60, 650, 800, 3.1),
]


@pytest.fixture(scope="module")
def light() -> np.ndarray:
    return np.random.default_rng(4).uniform(0, 1, (700, 900, 3)).astype(np.float32)


@pytest.mark.parametrize("region", REGIONS)
def test_a_sharing_picture_is_the_same_picture(light: np.ndarray, region: FrameRegion) -> None:
    first = Picture(light)
    changed = light.copy()
    changed[128, 64] = 0.9
    changed[300:310, 895:] = 0.1
    changed[699, 0] = 0.7
    whole = Picture(changed)
    shared = whole.sharing(first)
    assert shared.nbytes < 0.1 * whole.nbytes
    mine, its = whole.read(region), shared.read(region)
    assert np.array_equal(mine.pixels, its.pixels) and (mine.top, mine.left) == (its.top, its.left)
    assert np.array_equal(shared.codes, whole.codes)
    assert np.array_equal(shared.read_all(), whole.read_all())
    assert np.array_equal(first.read_all(), Picture(light).read_all()), "the other one stays as it was"


@pytest.mark.parametrize("region", REGIONS)
@pytest.mark.parametrize("exact", [False, True])
def test_a_picture_that_waits_on_disk_is_the_same_picture(
    light: np.ndarray, region: FrameRegion, exact: bool, tmp_path: Path
) -> None:
    picture = Picture(light, exact)
    changed = light.copy()
    changed[600:602, 3] = 0.9
    before, shared = picture.read(region), Picture(changed, exact).sharing(picture)
    whole, in_memory = picture.codes, picture.nbytes
    assert picture.page(tmp_path / "new")
    assert picture.nbytes < 0.3 * in_memory
    assert not list((tmp_path / "new").iterdir()), "the file has no name: nothing stays behind"
    assert np.array_equal(picture.read(region).pixels, before.pixels)
    assert np.array_equal(picture.codes, whole)
    assert np.array_equal(shared.read_all(), Picture(changed, exact).read_all())
    later = Picture(changed, exact).sharing(picture)
    assert later.nbytes == shared.nbytes and np.array_equal(later.codes, shared.codes)
    assert not picture.page(tmp_path), "it does already"


def test_a_picture_stays_in_memory_where_the_disk_takes_nothing(
    light: np.ndarray, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    (tmp_path / "file").write_text("in the way")
    picture = Picture(light)
    before = picture.nbytes
    assert not picture.page(tmp_path / "file") and picture.nbytes == before
    assert np.array_equal(picture.codes, Picture(light).codes)
    assert not Picture(light).page(Path("/dev/full")), "nor a device"
    room = shutil.disk_usage(tmp_path)._replace(free=light.size * 3)
    monkeypatch.setattr(shutil, "disk_usage", lambda _folder: room)
    assert not picture.page(tmp_path), "most of what is free is left to others"


@pytest.mark.parametrize("shares", [False, True])
def test_pixels_are_laid_over_a_picture_in_whole_tiles(light: np.ndarray, shares: bool) -> None:
    below = Picture(light).sharing(Picture(light)) if shares else Picture(light)
    region = whole_tiles(FrameRegion(130, 600, 690, 898), light.shape[:2])
    assert (region.top, region.left, region.bottom, region.right) == (128, 576, 700, 900)
    new = np.float32(0.25) + light[128:700, 576:900] / 2
    above = below.overlaid(FramePatch(new, 128, 576, 1.0))
    expected = Picture(light).read_all()
    expected[128:700, 576:900] = decode16(encode16(new))
    assert np.array_equal(above.read_all(), expected)
    assert above.nbytes == below.nbytes + new.size * 2
    coarse = FrameRegion(0, 0, 700, 900, 2.0)
    assert np.array_equal(above.read(coarse).pixels, below.read(coarse).pixels)
    assert np.array_equal(below.read_all(), Picture(light).read_all())


def test_what_differs_everywhere_is_held_by_itself(light: np.ndarray) -> None:
    first, second = Picture(light), Picture(light * np.float32(0.9))
    assert second.sharing(first) is second
    assert Picture(light, exact=True).sharing(first).exact
    assert second.sharing(Picture(light[:600])) is second, "another size"
    equal = Picture(light).sharing(first)
    assert equal.nbytes == 0 and np.array_equal(equal.read_all(), first.read_all())
    assert second.sharing(equal) is second


def test_the_bare_frame_costs_little_beside_its_proof(tmp_path: Path) -> None:
    path = tmp_path / "frame.dng"
    shots.dng(path, cv2.GaussianBlur(shots.photograph(reduced=False), (0, 0), 1.0))  # as a lens draws
    engine, source = Engine(), FileSource(path)
    proof = engine.make(source, FULL, Settings()).developed
    other = engine.make(source, FULL, bare()).developed
    alone = Engine().make(source, FULL, bare()).developed
    assert other.plain.nbytes < 0.6 * proof.plain.nbytes
    assert np.array_equal(other.plain.read_all(), alone.plain.read_all())
    assert other.clipped is proof.clipped
