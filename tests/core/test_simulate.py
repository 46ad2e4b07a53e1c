"""The simulated camera against the models it states: what it is known to do is the truth of other tests."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
import pytest
import rawpy
import tifffile

from irvane.core.files.collecting import collect
from irvane.core.files.raw import decode_raw
from irvane.core.image import BAYER, SIX_BY_SIX
from irvane.core.simulate.camera import Body, LensModel, apply_lens, camera_from_scene, expose, quiet
from irvane.core.simulate.card import GREYS, PATCHES, card
from irvane.core.simulate.demo import make_demo, make_frame, preview_jpeg, scene_light
from irvane.core.simulate.furnace import worker
from irvane.core.simulate.texture import box, ellipse, field, lettering, mask, paint

NEUTRAL = np.array([0.5, 1.0, 0.7])
FLAT = np.full((240, 240, 3), 0.18, np.float32)


def _counts(
    body: Body, iso: float, light: np.ndarray = FLAT, seed: int = 0, exposure: float = 1.0
) -> np.ndarray:
    return expose(
        light, body, iso=iso, exposure=exposure, neutral=NEUTRAL, rng=np.random.default_rng(seed)
    ).astype(float)


@pytest.mark.parametrize("iso", [100, 800, 6400, 51200])
def test_photon_transfer_gives_the_stated_gain(iso: float) -> None:
    # EMVA 1288: variance over mean of two flat exposures is the gain of the converter
    body = quiet(Body("Test"))
    a, b = _counts(body, iso, seed=1)[::2, 1::2], _counts(body, iso, seed=2)[::2, 1::2]
    mean = (a.mean() + b.mean()) / 2 - body.black
    variance = np.var(a - b) / 2
    step = (body.white - body.black) / body.well(iso)  # counts per electron
    expected = mean * step + (body.read_noise * step) ** 2 + 1 / 12
    assert variance == pytest.approx(expected, rel=0.04)


def test_the_noise_profile_is_the_sensors_truth() -> None:
    body = quiet(Body("Test"))
    for iso in (200, 3200):
        gain, offset = body.noise_profile(iso)
        data = (_counts(body, iso)[::2, 1::2] - body.black) / (body.white - body.black)
        assert np.var(data) == pytest.approx(gain * data.mean() + offset, rel=0.05)


def test_dark_frames_show_read_noise_banding_and_hot_pixels() -> None:
    dark = np.zeros((400, 400, 3), np.float32)
    plain = _counts(quiet(Body("Test")), 3200, dark)
    step = (16383 - 512) / Body("Test").well(3200)
    assert plain.mean() == pytest.approx(512, abs=1)
    assert plain.std() == pytest.approx(3 * step, rel=0.03)
    banded = _counts(replace(quiet(Body("Test")), banding=4.0), 3200, dark)
    assert banded.mean(axis=1).std() > 3 * plain.mean(axis=1).std()
    assert banded.mean(axis=0).std() < 2 * plain.mean(axis=0).std()
    hot = _counts(replace(quiet(Body("Test")), hot_share=1e-3), 3200, dark)
    assert 80 < (hot > 512 + 20 * step * 3).sum() < 260


def test_the_well_saturates_and_the_converter_ends() -> None:
    body = quiet(Body("Test"))
    counts = _counts(body, 100, np.full((60, 60, 3), 5, np.float32))
    assert (counts == body.white).all()


def test_sensitivity_halves_the_well_per_doubling() -> None:
    body = Body("Test")
    assert body.well(100) == 50_000
    assert body.well(51200) == pytest.approx(97.66, abs=0.01)


def test_white_stays_white_and_greys_follow_the_neutral() -> None:
    assert np.allclose(camera_from_scene(Body("Test")).sum(axis=1), 1)
    body = quiet(Body("Test"))
    counts = _counts(body, 100)
    means = [counts[y::2, x::2].mean() - 512 for y, x in ((0, 0), (0, 1), (1, 1))]
    assert np.array(means) / means[1] == pytest.approx(NEUTRAL, rel=0.01)


def test_both_arrays_have_their_shares_of_colours() -> None:
    assert [(c == BAYER).mean() for c in range(3)] == [0.25, 0.5, 0.25]
    assert [(c == SIX_BY_SIX).sum() for c in range(3)] == [8, 20, 8]
    for line in (*SIX_BY_SIX, *SIX_BY_SIX.T):
        assert set(line) == {0, 1, 2}, "every row and column holds all colours"


def test_the_lens_darkens_corners_bends_lines_and_splits_colours() -> None:
    flat = np.ones((200, 300, 3), np.float32)
    dark = apply_lens(flat, LensModel(vignetting=1.0, distortion=0, lateral_red=0, lateral_blue=0, blur=0))
    assert dark[100, 150, 1] == pytest.approx(1, abs=1e-3)
    assert np.log2(dark[0, 0, 1]) == pytest.approx(-1, abs=0.03)
    line = np.zeros((200, 300, 3), np.float32)
    line[20:23] = 1
    bent = apply_lens(line, LensModel(vignetting=0, distortion=-0.05, lateral_red=0, lateral_blue=0, blur=0))
    middle, edge = bent[:, 150, 1].argmax(), bent[:, 15, 1].argmax()
    assert middle != edge
    spot = np.zeros((200, 300, 3), np.float32)
    spot[10:13, 10:13] = 1
    apart = apply_lens(spot, LensModel(vignetting=0, distortion=0, lateral_red=6, lateral_blue=-6, blur=0))
    places = [
        np.array(np.unravel_index(cv2.GaussianBlur(apart[..., c], (0, 0), 2).argmax(), (200, 300)))
        for c in range(3)
    ]
    assert np.linalg.norm(places[0] - places[2]) >= 1


@pytest.mark.parametrize("name", ["furnace", "bench", "window", "card"])
def test_scenes_are_real_light_and_repeat(name: str) -> None:
    light = scene_light(name, (200, 300), 3)
    assert light.shape == (200, 300, 3)
    assert light.dtype == np.float32
    assert np.isfinite(light).all()
    assert light.min() >= 0
    assert np.log2(light.max() / np.percentile(light, 5)) > 3
    assert np.array_equal(light, scene_light(name, (200, 300), 3))
    if name != "card":
        assert not np.array_equal(light, scene_light(name, (200, 300), 4))


def test_the_card_holds_its_patches() -> None:
    light = card((600, 900), np.random.default_rng(0))
    u = 6.0
    step = (900 - 16 * u) / len(GREYS)
    for k in (0, 5, 12):
        x = int(8 * u + (k + 0.45) * step)
        assert light[int(14 * u), x] == pytest.approx([GREYS[k]] * 3, rel=1e-3)
    step = (900 - 16 * u) / len(PATCHES)
    for k in (0, 7):
        x = int(8 * u + (k + 0.45) * step)
        assert light[int(30 * u), x] == pytest.approx(PATCHES[k], rel=1e-3)
    assert GREYS[0] / GREYS[3] == pytest.approx(2), "three to the stop"


def test_the_worker_moves() -> None:
    room = scene_light("furnace", (200, 300), 1)
    left, right = worker(room, -1), worker(room, 1)
    assert not np.array_equal(left, right)
    assert np.array_equal(left[:, 260:], room[:, 260:])


def test_drawing_blocks() -> None:
    noise = field((80, 120), 20, np.random.default_rng(0))
    assert abs(noise.mean()) < 0.6
    assert 0.5 < noise.std() < 2
    shape = (60, 80)
    cover = mask(shape, box(10, 20, 30, 40)).full(shape)
    assert cover[30, 20] == 1
    assert cover[5, 5] == 0
    assert mask(shape, box(-50, -50, -20, -20)).full(shape).sum() == 0
    disc = mask(shape, ellipse((40, 30), (10, 8)), soft=2).full(shape)
    assert disc[30, 40] > 0.9
    assert 0 < disc[30, 51] < 1
    picture = np.ones((60, 80, 3), np.float32)
    paint(picture, mask(shape, box(10, 20, 30, 40)), (0.2, 0.3, 0.4))
    assert picture[30, 20] == pytest.approx((0.2, 0.3, 0.4))
    assert picture[5, 5] == pytest.approx((1, 1, 1))
    before = picture.copy()
    lettering(picture, "Ag", (2, 2), 14, (0, 0, 0))
    assert (picture < before).any()
    lettering(picture, "outside", (500, 2), 14, (0, 0, 0))


def test_previews_are_jpeg_of_the_stated_size() -> None:
    coded, shape = preview_jpeg(scene_light("card", (200, 300), 1), 0.0, 150)
    picture = cv2.imdecode(np.frombuffer(coded, np.uint8), cv2.IMREAD_COLOR)
    assert picture.shape[:2] == shape == (100, 150)


@pytest.mark.parametrize("six", [False, True])
def test_frames_of_any_size_for_benchmarks(tmp_path: Path, six: bool) -> None:
    path = tmp_path / "frame.dng"
    make_frame(path, 0.6, six=six, iso=800)
    raw = decode_raw(path)
    assert raw.counts.size == pytest.approx(600_000, rel=0.02)
    assert raw.counts.shape[0] % 6 == raw.counts.shape[1] % 6 == 0
    with rawpy.imread(str(path)) as other:
        assert np.array_equal(other.raw_image_visible, raw.counts)


def test_the_demo_is_complete_and_only_missing_frames_are_made(demo: Path, tmp_path: Path) -> None:
    names = sorted(p.name for p in demo.glob("*.dng"))
    assert names == [
        "bench-iso6400.dng", "furnace-hand-1.dng", "furnace-hand-2.dng", "furnace-hand-3.dng", "test-card.dng", "window-leaves.dng",
    ]  # fmt: skip
    stamps = {p.name: p.stat().st_mtime_ns for p in demo.glob("*.dng")}
    shares: list[float] = []
    make_demo(demo, seed=1, small=True, progress=lambda share, _what: shares.append(share) is None)
    assert {p.name: p.stat().st_mtime_ns for p in demo.glob("*.dng")} == stamps
    assert shares == [1.0]


def test_a_window_opens_on_the_first_frames_and_they_stay_as_they_are(tmp_path: Path) -> None:
    folder = tmp_path / "demo"
    make_demo(folder, small=True, first_only=True)
    first = {p.name: p.read_bytes() for p in folder.glob("*.dng")}
    assert sorted(first) == ["bench-iso6400.dng", "window-leaves.dng"]  # of the small demo
    collect([folder])  # opening a folder sweeps unfinished files away, and nothing else
    times = {p.name: p.stat().st_mtime_ns for p in folder.glob("*.dng")}
    made = make_demo(folder, small=True)
    assert all(path.exists() for path in made) and len(made) > len(first)
    assert {name: (folder / name).stat().st_mtime_ns for name in first} == times


def test_dng_tags_stand_where_the_specification_wants_them(demo: Path) -> None:
    # Adobe DNG specification 1.4: preview in IFD0, mosaic in a SubIFD, levels and colour data
    with tifffile.TiffFile(demo / "test-card.dng") as file:
        first = file.pages.first
        assert first.tags.valueof(50706) == b"\x01\x04\x00\x00" or tuple(first.tags.valueof(50706)) == (
            1,
            4,
            0,
            0,
        )
        assert first.tags.valueof(254) == 1
        assert first.tags.valueof(50778) == 17
        assert first.tags.valueof(50779) == 21
        assert len(first.tags.valueof(50721)) == 18
        mosaic = first.pages[0]
        assert mosaic.tags.valueof(262) == 32803
        assert mosaic.tags.valueof(50717) == 16383
        assert mosaic.shape == (600, 900)
