"""The arithmetic under every step: vector powers, threads, strips, and pixel loops against plain NumPy."""

from __future__ import annotations

import os
import threading
import time
from itertools import pairwise

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from irvane.core.acutance.sharpen import sharpen
from irvane.core.colour.camera import apply_camera
from irvane.core.colour.rendering import Curve, encode, render, to_screen
from irvane.core.errors import Cancelled
from irvane.core.image import BAYER, SIX_BY_SIX, Mosaic
from irvane.core.kernels import blank, flat, serial
from irvane.core.lens.vignetting import correct_vignetting
from irvane.core.noise.mixing import Shares, mix
from irvane.core.pixels.picture import decode16, encode16, halve
from irvane.core.powers import exp2, log2, power
from irvane.core.sensor.demosaic import bin_colour
from irvane.core.sensor.levels import apply_levels
from irvane.core.settings import Acutance
from irvane.core.threads import CORES, each, strips


@serial
def _log2(x, out):
    for i in range(x.size):
        out[i] = log2(x[i])


@serial
def _exp2(x, out):
    for i in range(x.size):
        out[i] = exp2(x[i])


@serial
def _power(x, exponent, out):
    for i in range(x.size):
        out[i] = power(x[i], exponent)


# powers, against NumPy in double precision


def test_logarithm_is_float32_exact_over_the_whole_range() -> None:
    x = np.exp2(np.linspace(-120, 120, 400_001)).astype(np.float32)
    out = np.empty_like(x)
    _log2(x, out)
    truth = np.log2(x.astype(np.float64))
    assert np.abs(out - truth).max() < 4e-6  # of values up to 120: half a unit in the last place
    near = np.linspace(0.5, 2, 100_001).astype(np.float32)
    out = np.empty_like(near)
    _log2(near, out)
    assert np.abs(out - np.log2(near.astype(np.float64))).max() < 2e-7


def test_exponential_is_float32_exact_and_limited() -> None:
    x = np.linspace(-125, 125, 400_001).astype(np.float32)
    out = np.empty_like(x)
    _exp2(x, out)
    assert np.abs(out / np.exp2(x.astype(np.float64)) - 1).max() < 3e-7
    ends = np.array([-1e30, -200, 200, 1e30], np.float32)
    out = np.empty_like(ends)
    _exp2(ends, out)
    assert np.isfinite(out).all()
    assert out[0] == out[1] == np.float32(2.0**-126)
    assert out[2] == out[3] == np.float32(2.0**126)


@given(st.floats(2**-20, 2**13, width=32), st.sampled_from([0.4, 2.5, 1 / 2.4, 0.8, 1.25]))
def test_power_agrees_with_numpy(x: float, exponent: float) -> None:
    out = np.empty(1, np.float32)
    _power(np.array([x], np.float32), np.float32(exponent), out)
    assert out[0] == pytest.approx(np.float64(np.float32(x)) ** exponent, rel=6e-6)


# threads


def test_results_come_in_order_whatever_takes_longest() -> None:
    def work(k: int) -> int:
        time.sleep(0.01 if k % 3 == 0 else 0)
        return k * k

    assert list(each(work, range(20))) == [k * k for k in range(20)]


def test_more_than_one_thread_works_and_few_items_wait_in_memory() -> None:
    seen: set[int] = set()
    ahead = 0
    begun = 0

    def work(k: int) -> int:
        nonlocal begun
        begun += 1
        seen.add(threading.get_ident())
        time.sleep(0.005)
        return k

    for k in each(work, range(30)):
        ahead = max(ahead, begun - k)
    assert len(seen) == min(CORES, 30)
    assert ahead <= 2 * CORES + 1


def test_an_exception_reaches_the_caller_and_ends_the_rest() -> None:
    done: list[int] = []

    def work(k: int) -> int:
        if k == 5:
            raise Cancelled
        done.append(k)
        return k

    with pytest.raises(Cancelled):
        list(each(work, range(1000)))
    assert len(done) < 5 + 4 * CORES


def test_threads_keep_the_priority_of_the_caller() -> None:
    found: list[int] = []

    def caller() -> None:
        os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), 7)
        found.extend(each(lambda _k: os.getpriority(os.PRIO_PROCESS, threading.get_native_id()), range(4)))

    thread = threading.Thread(target=caller)
    thread.start()
    thread.join()
    assert found == [7, 7, 7, 7]


@given(st.integers(1, 5000), st.integers(1, 300))
def test_strips_cover_every_row_once(rows: int, smallest: int) -> None:
    found = strips(rows, smallest)
    assert found[0][0] == 0 and found[-1][1] == rows
    assert all(a[1] == b[0] for a, b in pairwise(found))
    assert len(found) <= 2 * CORES
    assert all(b - a >= min(smallest, rows) for a, b in found)


def test_opencv_keeps_to_the_calling_thread() -> None:
    assert cv2.getNumThreads() == 1


# loops over pixels, against the same formula in NumPy


@pytest.fixture
def picture() -> np.ndarray:
    rng = np.random.default_rng(3)
    values = np.exp2(rng.uniform(-12, 2, (37, 53, 3))).astype(np.float32)
    values[0, 0] = 0
    values[0, 1] = (-0.01, 0.2, 0.1)
    values[0, 2] = (3.0, 0.01, 0.0)
    return values


def test_flat_copies_only_what_does_not_lie_in_one_piece(picture: np.ndarray) -> None:
    assert np.shares_memory(flat(picture), picture)
    turned = picture[::-1]
    assert not np.shares_memory(flat(turned), picture)
    np.testing.assert_array_equal(flat(turned).reshape(picture.shape), turned)
    assert blank(turned).flags.c_contiguous


def test_camera_matrix_and_ceiling(picture: np.ndarray) -> None:
    gains, matrix = (
        np.array([2.0, 1.0, 1.5]),
        np.array([[1.6, -0.4, -0.2], [-0.2, 1.5, -0.3], [0, -0.5, 1.5]]),
    )
    expected = np.minimum(picture * gains, 1.0) @ matrix.T
    np.testing.assert_allclose(apply_camera(picture, gains, matrix, 1.0), expected, atol=2e-6)
    turned = picture[:, ::-1]
    np.testing.assert_allclose(apply_camera(turned, gains, matrix), (turned * gains) @ matrix.T, atol=5e-6)


@pytest.mark.parametrize(("luminance", "colour"), [(1, 1), (0.5, 0.5), (0, 1), (0.3, 0.9)])
def test_mixing_is_linear_in_luminance_and_colour(
    picture: np.ndarray, luminance: float, colour: float
) -> None:
    clean = np.roll(picture, 1, 0)
    gains = np.array([2.0, 1.0, 1.6])
    change = (clean - picture) * gains
    common = change @ np.array([0.25, 0.5, 0.25])
    expected = picture + ((luminance - colour) * common[..., None] + colour * change) / gains
    np.testing.assert_allclose(mix(picture, clean, gains, Shares(luminance, colour)), expected, atol=3e-6)


def test_vignetting_is_nothing_in_the_centre_and_its_value_in_the_corner() -> None:
    grey = np.full((41, 61, 3), 0.25, np.float32)
    out = correct_vignetting(grey, 1.5, (0, 0), 1.0, (41, 61))
    assert out[20, 30, 1] == pytest.approx(0.25, rel=1e-4)
    assert out[0, 0, 1] == pytest.approx(0.25 * 2**1.5, rel=0.06)  # half a pixel inside the corner
    part = correct_vignetting(grey[10:20, 5:25], 1.5, (10, 5), 1.0, (41, 61))
    np.testing.assert_allclose(part, out[10:20, 5:25], rtol=1e-6)


def test_rendering_follows_its_documented_curve_on_greys() -> None:
    grey = np.exp2(np.linspace(-10, 3.9, 400)).astype(np.float32) * np.float32(0.18)
    picture = np.repeat(grey[None, :, None], 3, axis=2)
    expected = np.minimum(Curve.for_white(4.0)(grey.astype(float)), 1)
    shown = render(picture, 4.0, "srgb")[0]
    np.testing.assert_allclose(shown[:, 1], expected, rtol=2e-5, atol=1e-7)
    assert np.ptp(shown, axis=1).max() < 2e-6, "grey stays grey"


def test_rendered_light_is_in_range_and_black_is_black(picture: np.ndarray) -> None:
    shown = render(picture, 4.0, "srgb")
    assert shown.min() >= 0 and shown.max() <= 1.0001
    assert not shown[0, 0].any()


@pytest.mark.parametrize("depth", [8, 16, 32])
def test_encoding_rounds_to_the_nearest_code(depth: int) -> None:
    # IEC 61966-2-1
    x = np.linspace(0, 1, 3 * 4000).astype(np.float32).reshape(40, 100, 3)
    exact = np.where(x <= 0.0031308, 12.92 * x, 1.055 * x.astype(float) ** (1 / 2.4) - 0.055)
    coded = encode(x, "srgb", depth)
    if depth == 32:
        np.testing.assert_allclose(coded, exact, atol=1e-5)
    else:
        top = 2**depth - 1
        assert np.abs(coded.astype(float) - exact * top).max() <= 0.5 + 1e-5 * top
    screen = to_screen(x)
    assert (screen[..., 3] == 255).all()
    assert np.abs(screen[..., :3].astype(float) - exact * 255).max() <= 0.9


@pytest.mark.parametrize("shape", [(8, 10), (9, 11), (640, 642)])
def test_halving_is_the_mean_of_four(shape: tuple[int, int]) -> None:
    values = np.random.default_rng(0).random((*shape, 3), dtype=np.float32)
    h, w = shape[0] // 2, shape[1] // 2
    expected = values[: 2 * h, : 2 * w].reshape(h, 2, w, 2, 3).mean(axis=(1, 3))
    np.testing.assert_allclose(halve(values), expected, atol=1e-6)


def test_sixteen_bit_pictures_err_by_less_than_a_hundredth_of_a_code_at_white() -> None:
    values = np.linspace(-0.5, 3.9, 3 * 5000).astype(np.float32).reshape(50, 100, 3)
    back = decode16(encode16(values))
    # a step of the square root at v is 2·√(4v)/32767
    step = 2 * np.sqrt(4 * np.abs(values)) / 32767 + 4 / 32767**2
    assert (np.abs(back - values) <= 0.51 * step).all()


@pytest.mark.parametrize(
    "cfa", [BAYER, np.roll(BAYER, 1, 1), SIX_BY_SIX, np.roll(SIX_BY_SIX, (2, 5), (0, 1))]
)
def test_binning_averages_each_colour_of_a_cell(cfa: np.ndarray) -> None:
    rng = np.random.default_rng(1)
    data = rng.random((41, 50), dtype=np.float32)
    n = 2 if cfa.shape == (2, 2) else 3
    binned = bin_colour(Mosaic(data, cfa))
    assert binned.shape == (41 // n, 50 // n, 3)
    colours = cfa[np.ix_(np.arange(41) % cfa.shape[0], np.arange(50) % cfa.shape[0])]
    for y, x in ((0, 0), (3, 4), (12, 15), (41 // n - 1, 50 // n - 1)):
        cell = (slice(y * n, y * n + n), slice(x * n, x * n + n))
        for c in range(3):
            assert binned[y, x, c] == pytest.approx(data[cell][colours[cell] == c].mean(), rel=1e-5)


@pytest.mark.parametrize("cfa", [BAYER, SIX_BY_SIX])
def test_levels_are_per_colour(cfa: np.ndarray) -> None:
    counts = np.random.default_rng(2).integers(400, 16_000, (25, 31)).astype(np.uint16)
    black, white = np.array([500.0, 512.0, 520.0]), np.array([15_000.0, 16_000.0, 15_500.0])
    colours = cfa[np.ix_(np.arange(25) % cfa.shape[0], np.arange(31) % cfa.shape[0])]
    expected = (counts - black[colours]) / (white - black)[colours]
    np.testing.assert_allclose(apply_levels(counts, cfa, black, white), expected, atol=1e-6)


def test_sharpening_keeps_flat_light_and_hue_and_its_limit() -> None:
    flat_light = np.full((64, 64, 3), (0.3, 0.2, 0.1), np.float32)
    settings = Acutance(fine=150, medium=100, coarse=50, noise_floor=0, overshoot=0)
    np.testing.assert_allclose(sharpen(flat_light, settings, (0.0, 1e-8), 1.0), flat_light, rtol=1e-4)
    edge = flat_light.copy()
    edge[:, 32:] *= 4
    soft = cv2.GaussianBlur(edge, (0, 0), 1.2)
    out = sharpen(soft, settings, (0.0, 1e-8), 1.0)
    assert np.ptp(out[32, 31:33, 0]) > np.ptp(soft[32, 31:33, 0])
    assert out.max() <= soft.max() * 1.001, "no overshoot allowed, none made"
    np.testing.assert_allclose(out[..., 0] / out[..., 1], soft[..., 0] / soft[..., 1], rtol=1e-4)
