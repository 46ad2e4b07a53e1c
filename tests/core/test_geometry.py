"""The map between a frame and its output, and the one resampling."""

from __future__ import annotations

from dataclasses import replace
from math import erf

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.ndimage import map_coordinates

from irvane.core.judge.edge import edge_figures
from irvane.core.lens.corrections import LensFacts
from irvane.core.lens.framing import geometry_of, largest_crop, mirrored, shaped, turned_by, uncropped
from irvane.core.lens.lines import LEVEL, UPRIGHT, find_level, levelled, set_upright, straightened
from irvane.core.lens.optics import Optics, Warp
from irvane.core.lens.resample import resample
from irvane.core.pixels.places import OutputRegion
from irvane.core.stations import Lens

OFF = Lens(profile="off", aberration="off")
WARP = Warp(((1.02, -0.05, 0.012, 0.0, 4e-4, -3e-4), (1.02, -0.052, 0.012, 0.0, 4e-4, -3e-4), (1.02, -0.053, 0.012, 0.0, 4e-4, -3e-4)),
            (0.51, 0.49))  # fmt: skip


def _facts(extent: tuple[int, int] = (400, 600), flip: int = 0, *corrections: Warp) -> LensFacts:
    return LensFacts(extent, flip, True, Optics(corrections=corrections))


LENSES = st.builds(
    Lens,
    profile=st.sampled_from(["auto", "off"]), aberration=st.just("auto"),
    distortion=st.floats(-12, 12), vertical=st.floats(-25, 25), horizontal=st.floats(-25, 25),
    straighten=st.floats(-45, 45), turn=st.sampled_from(["0", "90", "180", "270"]), mirror=st.sampled_from(["off", "on"]),
    crop=st.sampled_from([(), (10.0, 5.0, 70.0, 60.0)]), edges=st.sampled_from(["fill", "keep"]),
)  # fmt: skip


@settings(max_examples=80, deadline=None)
@given(LENSES, st.sampled_from([0, 3, 5, 6]), st.booleans())
def test_there_and_back_again(lens: Lens, flip: int, warped: bool) -> None:
    extent = (400, 600) if flip in (0, 3) else (600, 400)
    geometry = geometry_of(_facts(extent, flip, *([WARP] if warped else [])), lens)
    h, w = geometry.output
    rng = np.random.default_rng(1)
    places = rng.random((60, 2)) * (w, h)
    for colour in range(3):
        there = geometry.to_frame(places, colour)
        inside = (
            np.isfinite(there).all(axis=1)
            & (there >= 0).all(axis=1)
            & (there <= [extent[1], extent[0]]).all(axis=1)
        )
        back = geometry.to_output(there[inside], colour)
        assert np.isfinite(back).all()
        # in pixels of the frame: the output may be stretched by perspective
        again = geometry.to_frame(back, colour)
        assert inside.sum() == 0 or np.abs(again - there[inside]).max() < 0.01
    sensor = geometry.to_sensor(places)
    good = np.isfinite(sensor).all(axis=1)
    np.testing.assert_allclose(
        geometry.from_sensor(sensor[good]), geometry.to_output(geometry.to_frame(places[good])), atol=1e-6
    )


def test_what_is_only_turned_mirrored_or_cropped_is_not_resampled() -> None:
    rng = np.random.default_rng(0)
    picture = rng.random((40, 60, 3)).astype(np.float32)
    facts = _facts((40, 60))
    assert geometry_of(facts, OFF).identity
    for turns in range(4):
        for mirror in ("off", "on"):
            lens = replace(OFF, turn=str(90 * turns), mirror=mirror)
            geometry = geometry_of(facts, lens)
            assert geometry.exact
            expected = np.rot90(picture, -turns)
            expected = expected[:, ::-1] if mirror == "on" else expected
            seen = resample(picture, (0, 0), (1.0, 1.0), geometry.bending, (0, 0), 1.0, geometry.output)
            np.testing.assert_array_equal(seen, expected)
    cropped = geometry_of(facts, replace(OFF, crop=(10.0, 25.0, 50.0, 50.0)))
    assert cropped.exact and cropped.output == (20, 30) and cropped.kept == pytest.approx(0.25, abs=0.01)


def test_resampling_follows_a_spline_of_higher_order() -> None:
    """Against SciPy's interpolation by splines of order 5, on a picture without the highest frequencies."""
    y, x = np.mgrid[0:120, 0:160]
    plane = (0.5 + 0.2 * np.sin(x / 3.1) * np.cos(y / 4.3) + 0.1 * np.sin(0.9 * x + 0.3 * y)).astype(
        np.float32
    )
    picture = np.repeat(plane[..., None], 3, axis=2)
    geometry = geometry_of(_facts((120, 160)), replace(OFF, straighten=7.0, distortion=4.0))
    seen = resample(picture, (0, 0), (1.0, 1.0), geometry.bending, (0, 0), 1.0, geometry.output)
    h, w = geometry.output
    j, i = np.mgrid[0:h, 0:w]
    places = geometry.to_frame(np.column_stack([i.ravel() + 0.5, j.ravel() + 0.5]))
    expected = map_coordinates(
        plane, (places[:, 1] - 0.5, places[:, 0] - 0.5), order=5, mode="mirror"
    ).reshape(h, w)
    inner = np.s_[5:-5, 5:-5]
    assert np.abs(seen[inner][..., 1] - expected[inner]).max() < 0.012
    assert np.sqrt(np.mean((seen[inner][..., 1] - expected[inner]) ** 2)) < 0.002


def _edge(
    height: float, low: float, sigma: float, shape: tuple[int, int] = (120, 120), slant: float = 0.09
) -> np.ndarray:
    y, x = np.mgrid[0 : shape[0], 0 : shape[1]] + 0.5
    across = (x - shape[1] / 2 + slant * (y - shape[0] / 2)) / np.hypot(1, slant)
    step = np.vectorize(lambda d: 0.5 * (1 + erf(d / (sigma * 2**0.5))))(across)
    return np.repeat((low + height * step)[..., None], 3, axis=2).astype(np.float32)


def test_half_a_pixel_costs_little_sharpness() -> None:
    # a Gaussian whose response is one half at 0.25 cycles per pixel
    sigma = float(np.sqrt(np.log(2) / (2 * np.pi**2 * 0.25**2)))
    picture = _edge(0.6, 0.2, sigma)
    geometry = geometry_of(_facts((120, 120)), OFF)
    half = replace_matrix(geometry, np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1.0]]))
    moved = resample(picture, (0, 0), (1.0, 1.0), half.bending, (0, 0), 1.0, (118, 118))
    before, after = edge_figures(picture[4:-4, 4:-4, 1]).mtf50, edge_figures(moved[4:-4, 4:-4, 1]).mtf50
    assert before == pytest.approx(0.25, abs=0.01)
    assert after > 0.93 * before


def replace_matrix(geometry, by: np.ndarray):  # type: ignore[no-untyped-def]
    return replace(geometry, matrix=geometry.matrix @ by)


@pytest.mark.parametrize("sigma", [0.3, 0.5, 0.8])
def test_a_strong_edge_does_not_ring(sigma: float) -> None:
    """Six stops: beside the edge nothing goes beyond either side by more than 3 % of its height."""
    low, high = 1 / 64, 1.0
    picture = _edge(high - low, low, sigma)
    geometry = geometry_of(_facts((120, 120)), replace(OFF, straighten=2.3, distortion=1.0))
    seen = resample(picture, (0, 0), (1.0, 1.0), geometry.bending, (0, 0), 1.0, geometry.output)[4:-4, 4:-4]
    beyond = max(float(seen.max()) - high, low - float(seen.min()))
    assert beyond < 0.03 * (high - low)


def test_fine_texture_keeps_its_contrast() -> None:
    """The limit beside edges must not flatten waves near the finest that pixels hold."""
    x = np.mgrid[0:100, 0:200][1]
    wave = (0.5 + 0.3 * np.sin(2 * np.pi * 0.35 * x)).astype(np.float32)
    geometry = geometry_of(_facts((100, 200)), OFF)
    half = replace_matrix(geometry, np.array([[1, 0, 0.5], [0, 1, 0.0], [0, 0, 1.0]]))
    moved = resample(
        np.repeat(wave[..., None], 3, 2), (0, 0), (1.0, 1.0), half.bending, (0, 0), 1.0, (100, 190)
    )
    assert moved[10:-10, 10:-10, 1].std() > 0.8 * wave.std()


@settings(max_examples=40, deadline=None)
@given(st.floats(-20, 20), st.floats(-12, 12), st.floats(-8, 8))
def test_the_largest_crop_is_full_and_cannot_grow(straighten: float, tilt: float, distortion: float) -> None:
    lens = replace(OFF, straighten=straighten, vertical=tilt, distortion=distortion)
    facts = _facts((400, 600))
    geometry = geometry_of(facts, lens)
    assert geometry.full
    x, y, w, h = largest_crop(facts, lens)
    grown = replace(lens, crop=(x - 1, y - 1, w + 2, h + 2))
    assert not geometry_of(facts, grown).full
    assert 0 < geometry.kept <= 1


def test_the_field_of_view_is_the_share_of_the_frame_that_is_seen() -> None:
    facts = _facts((400, 600))
    assert geometry_of(facts, replace(OFF, crop=(0.0, 0.0, 50.0, 50.0))).kept == pytest.approx(0.25, abs=0.01)
    turned = geometry_of(facts, replace(OFF, straighten=5.0))
    h, w = turned.output
    assert turned.kept == pytest.approx(h * w / (400 * 600), abs=0.015)  # turning keeps areas


def test_a_crop_is_not_moved_by_the_strength_of_a_correction() -> None:
    facts = _facts((400, 600), 0, WARP)
    crop = (40.0, 40.0, 20.0, 20.0)
    middles = [
        geometry_of(facts, Lens(profile_distortion=share, crop=crop)).to_frame(np.array([[60.0, 40.0]]))[0]
        for share in (0.0, 50.0, 100.0)
    ]
    assert np.ptp(middles, axis=0).max() < 3.0
    assert {geometry_of(facts, Lens(profile_distortion=s, crop=crop)).output for s in (0.0, 100.0)} == {
        (80, 120)
    }


def test_turning_and_mirroring_take_the_crop_along() -> None:
    facts = _facts((400, 600))
    lens = replace(OFF, crop=(10.0, 20.0, 30.0, 40.0))
    corner = geometry_of(facts, lens).to_frame(np.array([[0.0, 0.0]]))[0]
    right = replace(lens, **{k.partition(".")[2]: v for k, v in turned_by(lens, 1).items()})
    w = geometry_of(facts, right).output[1]
    np.testing.assert_allclose(geometry_of(facts, right).to_frame(np.array([[w, 0.0]]))[0], corner, atol=0.51)
    left_again = replace(right, **{k.partition(".")[2]: v for k, v in turned_by(right, -1).items()})
    assert left_again == lens
    other = replace(lens, **{k.partition(".")[2]: v for k, v in mirrored(lens).items()})
    np.testing.assert_allclose(
        geometry_of(facts, other).to_frame(np.array([[geometry_of(facts, other).output[1], 0.0]]))[0],
        corner,
        atol=0.51,
    )


def test_a_shaped_crop_has_its_ratio_and_stays_inside() -> None:
    x, y, w, h = shaped((70.0, 5.0, 28.0, 90.0), (400, 600), 16 / 9)
    assert w * 600 / (h * 400) == pytest.approx(16 / 9)
    assert min(x, y) >= -1e-9 and max(x + w, y + h) <= 100 + 1e-9


def test_places_of_figures_are_rectangles_of_the_frame() -> None:
    geometry = geometry_of(_facts((400, 600)), replace(OFF, straighten=10.0, crop=(20.0, 20.0, 50.0, 50.0)))
    region = OutputRegion(50, 60, 82, 92)
    place = geometry.place_of(region)
    assert (place.bottom - place.top, place.right - place.left) == (32, 32)
    middle = geometry.to_frame(np.array([[76.0, 66.0]]))[0]
    assert (
        abs((place.left + place.right) / 2 - middle[0]) <= 0.5
        and abs((place.top + place.bottom) / 2 - middle[1]) <= 0.5
    )
    box = geometry.frame_box(region)
    assert box.top <= place.top and box.bottom >= place.bottom


# lines


def test_a_drawn_line_becomes_level_or_upright() -> None:
    facts = _facts((400, 600))
    for line in ([[100, 200], [500, 230]], [[300, 50], [280, 380]]):
        found = levelled(facts, replace(OFF, straighten=2.0), np.array(line, float))
        a, b = geometry_of(facts, uncropped(replace(OFF, straighten=found))).to_output(np.array(line, float))
        assert min(abs(a - b)) < 0.3


def test_four_lines_set_a_front_upright() -> None:
    facts = _facts((400, 600))
    truth = replace(OFF, vertical=9.0, horizontal=-6.0, straighten=2.0)
    through = geometry_of(facts, uncropped(truth))
    lines = [
        (kind, through.to_frame(np.array(ends, float)))
        for kind, ends in (
            (UPRIGHT, [[150, 60], [150, 340]]), (UPRIGHT, [[450, 60], [450, 340]]),
            (LEVEL, [[150, 60], [450, 60]]), (LEVEL, [[150, 340], [450, 340]]),
        )
    ]  # fmt: skip
    found = set_upright(facts, OFF, lines)
    assert found["lens.vertical"] == pytest.approx(9.0, abs=0.1)
    assert found["lens.horizontal"] == pytest.approx(-6.0, abs=0.1)
    assert found["lens.straighten"] == pytest.approx(2.0, abs=0.1)


def test_a_bent_line_tells_the_distortion() -> None:
    facts = _facts((400, 600))
    through = geometry_of(facts, uncropped(replace(OFF, distortion=6.0)))
    curve = through.to_frame(np.column_stack([np.linspace(40, 560, 7), np.full(7, 40.0)]))
    assert straightened(facts, OFF, [curve]) == pytest.approx(6.0, abs=0.1)


def test_the_level_is_found_in_walls_and_not_in_noise() -> None:
    y, x = np.mgrid[0:600, 0:900].astype(float)
    angle = np.radians(3.0)
    u, v = x * np.cos(angle) + y * np.sin(angle), y * np.cos(angle) - x * np.sin(angle)
    bricks = (np.abs(v % 60 - 30) > 3) & (np.abs((u + 45 * (v // 60 % 2)) % 90 - 45) > 3)
    rng = np.random.default_rng(0)
    found = find_level((0.1 + 0.4 * bricks + 0.01 * rng.normal(size=x.shape)).astype(np.float32))
    assert found.sure and found.degrees == pytest.approx(-3.0, abs=0.15)
    assert not find_level(rng.random((600, 900)).astype(np.float32)).sure
