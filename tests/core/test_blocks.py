"""Building blocks on their own: domains, tables, guides, pictures, profiles, turning, atomic files."""

from __future__ import annotations

import io
import os
import pickle
import threading
from pathlib import Path

import cv2
import numpy as np
import pytest
import shots
from hypothesis import example, given, settings
from hypothesis import strategies as st
from PIL import ImageCms
from scipy.fft import dctn

from irvane.core.colour.icc import profile
from irvane.core.colour.rendering import Curve, encode, render, to_screen
from irvane.core.colour.spaces import SPACES
from irvane.core.errors import Cancelled, FileError, ReadError, WriteError
from irvane.core.guidance import sample
from irvane.core.image import BAYER, SIX_BY_SIX, Mosaic, finite
from irvane.core.lens.vignetting import correct_vignetting
from irvane.core.light.guide import log_luminance, make_guide
from irvane.core.line.camera import covers, wanted
from irvane.core.noise.sliding import SIDE, denoise_plane
from irvane.core.orientation import to_sensor, to_upright, upright, upright_rect
from irvane.core.pixels.patches import FramePatch, trim
from irvane.core.pixels.picture import Picture, halve
from irvane.core.pixels.places import FrameRegion
from irvane.core.progress import always, part, step
from irvane.core.sensor.encoding import SMALLEST_KNEE, from_ratio, knee_for, to_ratio
from irvane.core.sensor.linear import interpolate_linear
from irvane.core.sensor.six_by_six import phase, plain_filters
from irvane.core.store.atomic import atomic_file

# domains and tables


@given(st.floats(-0.05, 4), st.floats(0.001, 0.05))
def test_the_interpolation_domain_inverts(value: float, knee: float) -> None:
    x, k = np.float32(value), np.float32(knee)
    base = k ** np.float32(0.4)
    assert float(from_ratio(to_ratio(x, k), k, base)) == pytest.approx(value, abs=2e-6, rel=1e-4)


def test_the_knee_follows_the_noise() -> None:
    assert knee_for(0.0) == SMALLEST_KNEE
    assert knee_for(0.01) == pytest.approx(0.04)


@pytest.mark.parametrize("space", list(SPACES))
@pytest.mark.parametrize("depth", [8, 16, 32])
def test_table_encoding_is_the_exact_curve(space: str, depth: int) -> None:
    linear = (
        np.concatenate([np.linspace(-0.1, 1.1, 3000), np.geomspace(1e-6, 1, 3000)])
        .astype(np.float32)
        .reshape(-1, 4, 3)
    )
    exact = SPACES[space].encode(linear)
    coded = encode(linear, space, depth)
    if depth == 32:
        assert np.abs(coded - exact).max() < 5e-5
    else:
        top = 2**depth - 1
        assert np.abs(coded.astype(float) - exact * top).max() <= (0.51 if depth == 8 else 3.5)


def test_screen_values_are_the_rounded_encoding() -> None:
    linear = np.linspace(0, 1, 3000, dtype=np.float32).reshape(100, 10, 3)
    shown = to_screen(linear)
    assert shown.shape == (100, 10, 4)
    assert (shown[..., 3] == 255).all()
    assert np.abs(shown[..., :3] - SPACES["srgb"].encode(linear) * 255).max() < 1.0


@pytest.mark.parametrize("white", [1.0, 4.0, 9.0])
def test_the_rendered_curve_is_the_documented_one(white: float) -> None:
    values = np.geomspace(1e-4, 0.18 * 2.0**white, 600).astype(np.float32)
    picture = np.repeat(values[:, None, None], 3, axis=2)
    expected = np.minimum(Curve.for_white(white)(values), 1)
    assert np.abs(render(picture, white)[:, 0, 0] - expected).max() < 2e-4


# arrays


def test_finite_replaces_and_counts() -> None:
    picture = np.array([[1.0, np.nan], [np.inf, -np.inf]], np.float32)
    clean, count = finite(picture)
    assert count == 3
    assert clean.tolist() == [[1, 0], [1, 0]]
    good = np.ones((2, 2), np.float32)
    assert finite(good)[0] is good
    assert finite(np.full((2, 2), np.nan, np.float32))[0].tolist() == [[0, 0], [0, 0]]


def test_mosaics_know_their_colours() -> None:
    mosaic = Mosaic(np.zeros((7, 8), np.float32), SIX_BY_SIX)
    assert mosaic.colours().shape == (7, 8)
    assert (mosaic.colours()[6] == mosaic.colours()[0]).all()
    assert not mosaic.is_bayer


@pytest.mark.parametrize("shift", [(0, 0), (1, 4), (3, 3), (5, 2)])
def test_the_phase_of_the_six_by_six_array_is_found(shift: tuple[int, int]) -> None:
    rolled = np.roll(SIX_BY_SIX, shift, axis=(0, 1))
    row, column = phase(rolled)
    reference = phase(SIX_BY_SIX)
    again = np.roll(SIX_BY_SIX, (reference[0] - row, reference[1] - column), axis=(0, 1))
    assert np.array_equal(again, rolled)


@pytest.mark.parametrize("cfa", [BAYER, SIX_BY_SIX], ids=["bayer", "six"])
def test_linear_interpolation_is_linear_and_keeps_flats(cfa: np.ndarray) -> None:
    rng = np.random.default_rng(0)
    a, b = rng.normal(0, 1, (2, 48, 60)).astype(np.float32)
    both = interpolate_linear(2 * a - 3 * b, cfa)
    apart = 2 * interpolate_linear(a, cfa) - 3 * interpolate_linear(b, cfa)
    assert np.allclose(both, apart, atol=2e-4)
    flat = interpolate_linear(np.full((48, 60), 0.4, np.float32), cfa)
    assert np.allclose(flat, 0.4, atol=2e-3)


@pytest.mark.parametrize("shape", [(40, 90), (23, 31), (16, 1217), (70, 2405)])
@pytest.mark.parametrize("shift", [(0, 0), (4, 1)])
def test_linear_interpolation_of_the_six_by_six_array_is_that_of_single_windows(
    shape: tuple[int, int], shift: tuple[int, int]
) -> None:
    rng = np.random.default_rng(1)
    cfa = np.roll(SIX_BY_SIX, shift, axis=(0, 1))
    mosaic = rng.random(shape, np.float32)
    made, filters, (row, column) = interpolate_linear(mosaic, cfa), plain_filters(), phase(cfa)
    for y, x in rng.integers((4, 4), np.array(shape) - 4, (200, 2)):
        window = mosaic[y - 4 : y + 5, x - 4 : x + 5]
        taps = filters[(row + y) % 6 * 6 + (column + x) % 6]
        np.testing.assert_allclose(made[:, y, x], (taps * window).sum((1, 2)), atol=3e-6)


@pytest.mark.parametrize("cfa", [BAYER, SIX_BY_SIX], ids=["bayer", "six"])
def test_linear_interpolation_gives_shares_of_colours(cfa: np.ndarray) -> None:
    mosaic = np.random.default_rng(2).random((50, 62), np.float32)
    axes = np.array([[0.2, 0.7, 0.1], [1, 0, -1], [0, 1, 0]], np.float32)
    shares = np.einsum("kc,chw->khw", axes, interpolate_linear(mosaic, cfa))
    np.testing.assert_allclose(interpolate_linear(mosaic, cfa, axes), shares, atol=3e-6)


# shrinkage


def test_without_noise_shrinkage_is_the_identity() -> None:
    plane = cv2.resize(shots.photograph()[..., 1], (123, 90))
    clean = denoise_plane(plane, np.full((SIDE, SIDE), 1e-6, np.float32))
    assert np.abs(clean - plane).max() < 1e-3


def test_pure_noise_is_removed_and_its_mean_kept() -> None:
    rng = np.random.default_rng(0)
    plane = (5 + rng.normal(0, 1, (160, 200))).astype(np.float32)
    spectrum = dctn(rng.normal(0, 1, (4000, SIDE, SIDE)), axes=(1, 2), norm="ortho").std(
        axis=0
    )  # white: all ones
    clean = denoise_plane(plane, spectrum.astype(np.float32))
    assert clean.std() < 0.25
    assert clean.mean() == pytest.approx(plane.mean(), abs=0.01)


# turning

FLIPS = (0, 3, 5, 6)


@pytest.mark.parametrize("flip", FLIPS)
def test_turning_agrees_with_numpy_and_points_follow(flip: int) -> None:
    h, w = 5, 8
    picture = np.arange(h * w).reshape(h, w)
    turned = upright(picture, flip)
    assert turned.shape == ((h, w) if flip in (0, 3) else (w, h))
    for y in range(h):
        for x in range(w):
            ux, uy = to_upright((x + 0.5, y + 0.5), (h, w), flip)
            assert turned[int(uy), int(ux)] == picture[y, x]
            assert to_sensor((ux, uy), (h, w), flip) == (x + 0.5, y + 0.5)


@pytest.mark.parametrize("flip", FLIPS)
def test_rectangles_turn_with_the_picture(flip: int) -> None:
    picture = np.arange(6 * 9).reshape(6, 9)
    turned = upright(picture, flip)
    rows, columns = (1, 4), (2, 5)
    sensor_rows, sensor_columns = upright_rect(rows, columns, (6, 9), flip)
    part_ = upright(picture[slice(*sensor_rows), slice(*sensor_columns)], flip)
    assert np.array_equal(part_, turned[slice(*rows), slice(*columns)])


# pictures and regions


@settings(max_examples=40, deadline=None)
@example(0, 0, 271, 21, 3.3)
@given(
    st.integers(0, 700),
    st.integers(0, 1000),
    st.integers(20, 300),
    st.integers(20, 300),
    st.sampled_from([1.0, 2.0, 3.3, 5.0]),
)
def test_reading_a_region_covers_it(top: int, left: int, height: int, width: int, scale: float) -> None:
    picture = _PICTURE
    h, w = picture.shape
    region = FrameRegion(
        min(top, h - 20), min(left, w - 20), min(top + height, h), min(left + width, w), scale
    )
    if region.bottom - region.top < 20 or region.right - region.left < 20:
        return
    patch = picture.read(region)
    assert patch.top <= region.top
    assert patch.left <= region.left
    assert patch.bottom >= region.bottom - 4 * scale
    assert patch.right >= region.right - 4 * scale
    middle = patch.pixels[patch.pixels.shape[0] // 2, patch.pixels.shape[1] // 2]
    x = patch.left + (patch.pixels.shape[1] // 2 + 0.5) * patch.step
    y = patch.top + (patch.pixels.shape[0] // 2 + 0.5) * patch.step
    assert middle[0] == pytest.approx(x / w, abs=0.02)
    assert middle[1] == pytest.approx(y / h, abs=0.02)


def _ramp(h: int, w: int) -> np.ndarray:
    y, x = np.mgrid[0:h, 0:w].astype(np.float32)
    return np.stack([(x + 0.5) / w, (y + 0.5) / h, np.full((h, w), 0.5, np.float32)], axis=-1).astype(
        np.float32
    )


_PICTURE = Picture(_ramp(800, 1200))


def test_pictures_keep_reduced_levels_in_few_bytes() -> None:
    assert _PICTURE.nbytes < 800 * 1200 * 6 * 1.4
    assert Picture.from_codes(_PICTURE.codes).nbytes == _PICTURE.nbytes
    assert np.abs(_PICTURE.read_all() - _ramp(800, 1200)).max() < 1e-4
    exact = Picture(_ramp(80, 120) * 50, exact=True)
    assert np.array_equal(exact.read_all(), _ramp(80, 120) * 50)
    assert halve(_ramp(81, 121)).shape == (40, 60, 3)
    assert max(_PICTURE.whole(300).pixels.shape[:2]) <= 310


def test_regions_grow_are_covered_and_trimmed() -> None:
    region = FrameRegion(100, 100, 200, 220)
    outer = wanted(region, (800, 1200))
    assert outer.top < 100
    assert outer.right > 220
    assert wanted(FrameRegion(0, 0, 800, 1200), (800, 1200)) == FrameRegion(0, 0, 800, 1200)
    patch = FramePatch(
        np.zeros((outer.bottom - outer.top, outer.right - outer.left, 3), np.float32),
        outer.top,
        outer.left,
        1.0,
    )
    assert covers(patch, region)
    assert not covers(patch, FrameRegion(0, 0, 50, 50))
    inner = trim(patch, region)
    assert (inner.top, inner.left, inner.bottom, inner.right) == (100, 100, 200, 220)


def test_guides_are_read_the_same_at_every_scale() -> None:
    plane = _ramp(40, 60)[..., 0].copy()
    whole = sample(plane, (400, 600), 0, 0, 1.0, (400, 600))
    part_ = sample(plane, (400, 600), 120, 200, 1.0, (50, 60))
    assert np.abs(part_ - whole[120:170, 200:260]).max() < 1e-5
    coarse = sample(plane, (400, 600), 0, 0, 4.0, (100, 150))
    assert np.abs(coarse - cv2.resize(whole, (150, 100), interpolation=cv2.INTER_AREA)).max() < 2e-3


def test_the_guide_knows_the_scene() -> None:
    picture = np.full((90, 120, 3), 0.18, np.float32)
    picture[:, 60:] = 0.18 * 4
    guide = make_guide(picture, (900, 1200))
    assert guide.log_average == pytest.approx(1, abs=0.01)
    assert guide.levels.brightest == pytest.approx(2, abs=0.01)
    assert guide.peak == pytest.approx(2, abs=0.01)
    assert guide.levels.darkest == pytest.approx(0, abs=0.01)
    slopes, offsets = guide.planes[..., 0::2], guide.planes[..., 1::2]
    base = (slopes * log_luminance(picture)[..., None] + offsets).mean(axis=2)
    assert base[45, 5] == pytest.approx(0, abs=0.02)
    assert base[45, 115] == pytest.approx(2, abs=0.02)


def test_corner_light_is_given_in_stops() -> None:
    flat = np.ones((200, 300, 3), np.float32)
    bright = correct_vignetting(flat, 2.0, (0, 0), 1.0, (200, 300))
    assert np.log2(bright[0, 0, 0]) == pytest.approx(2, abs=0.03)
    assert bright[100, 150, 0] == pytest.approx(1, abs=1e-3)
    part_ = correct_vignetting(flat[:20, :30], 2.0, (180, 270), 1.0, (200, 300))
    assert np.allclose(part_, bright[180:, 270:], atol=1e-5)
    assert correct_vignetting(flat, 0.0, (0, 0), 1.0, (200, 300)) is flat


# profiles, files, errors, progress


@pytest.mark.parametrize("space", list(SPACES))
@pytest.mark.parametrize("linear", [False, True])
def test_profiles_are_opened_by_littlecms(space: str, linear: bool) -> None:
    coded = profile(space, linear)
    assert len(coded) < 1000
    opened = ImageCms.ImageCmsProfile(io.BytesIO(coded))
    assert opened.profile.xcolor_space.strip() == "RGB"
    assert opened.profile.version == pytest.approx(4.3)
    assert ("linear" in ImageCms.getProfileDescription(opened)) == linear
    assert ImageCms.isIntentSupported(
        opened, ImageCms.Intent.RELATIVE_COLORIMETRIC, ImageCms.Direction.OUTPUT
    )


def test_files_appear_whole_or_not_at_all(tmp_path: Path) -> None:
    target = tmp_path / "a.txt"

    def fail_half_way() -> None:
        with atomic_file(target) as temporary:
            temporary.write_text("half")
            raise RuntimeError

    with pytest.raises(RuntimeError):
        fail_half_way()
    assert list(tmp_path.iterdir()) == []
    with atomic_file(target) as temporary:
        temporary.write_text("whole")
        assert not target.exists()
    assert target.read_text() == "whole"
    with pytest.raises(WriteError, match="exists"), atomic_file(target, overwrite=False) as temporary:
        temporary.write_text("other")
    assert target.read_text() == "whole"


def test_two_writers_never_mix(tmp_path: Path) -> None:
    target = tmp_path / "a.txt"

    def write(word: str) -> None:
        for _ in range(30):
            with atomic_file(target) as temporary:
                temporary.write_text(word * 1000)

    threads = [threading.Thread(target=write, args=(word,)) for word in "xy"]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert set(target.read_text()) in ({"x"}, {"y"})
    assert os.listdir(tmp_path) == ["a.txt"]


def test_errors_name_the_file_and_survive_processes() -> None:
    error = ReadError("a.dng", "it is damaged")
    assert str(error) == "a.dng: it is damaged"
    again = pickle.loads(pickle.dumps(error))
    assert isinstance(again, ReadError)
    assert isinstance(again, FileError)
    assert str(again) == str(error)


def test_progress_of_parts() -> None:
    seen: list[float] = []
    half = part(lambda share: seen.append(share) is None, 0.5, 1.0)
    assert half(0)
    assert half(1)
    assert seen == [0.5, 1.0]
    step(always, 0.3)
    with pytest.raises(Cancelled):
        step(lambda _share: False, 0.3)
