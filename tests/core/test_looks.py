"""Other ways to see a region, and clip marks: what they show is what is there."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import shots

from irvane.core.colour.rendering import to_screen
from irvane.core.image import BAYER, SIX_BY_SIX, Mosaic
from irvane.core.judge.figures import whole_figures
from irvane.core.line.clip_flags import BLACK, GAMUT, SENSOR, WHITE, Limits, gamut_marks, reduced_marks
from irvane.core.line.context import Context, make_context
from irvane.core.line.develop import Developed, denoise_whole, develop
from irvane.core.line.looks import LOOKS, PICTURE, missing, render_look
from irvane.core.line.view import render_view
from irvane.core.noise.denoise import Removal
from irvane.core.pixels.places import OutputRegion
from irvane.core.settings import Settings

OFF = Settings().with_value("noise.amount", 0.0)


def _frame(
    cfa: np.ndarray = BAYER, flip: int = 0, gain: float = 1.0, iso: float = 3200
) -> tuple[Developed, Context]:
    camera = (
        shots.photograph("astronaut.png", reduced=False)[:240, :300] * shots.NEUTRAL.astype(np.float32) * gain
    )
    loaded = shots.loaded(np.ascontiguousarray(camera), iso, cfa, flip)
    developed = develop(loaded, replace(Settings().sensor, defects="off", banding="off"))
    return developed, make_context(developed)


@pytest.fixture(scope="module")
def frame() -> tuple[Developed, Context]:
    return _frame()


@pytest.mark.parametrize("name", LOOKS)
def test_every_look_covers_the_region(frame: tuple[Developed, Context], name: str) -> None:
    for step in (1.0, 2.5):
        region = OutputRegion(20, 31, 140, 171, step)
        seen = render_look(name, frame[0], OFF, frame[1], region)
        usual = render_view(frame[0], OFF, frame[1], region)
        assert abs(seen.top - usual.top) <= step and abs(seen.right - usual.right) <= step
        assert seen.pixels.dtype == np.uint8 and seen.pixels[..., :3].std() >= 0
        assert (missing(name, frame[0]) == "") != (name == "origin"), "of a merge only"


def test_the_picture_is_the_view(frame: tuple[Developed, Context]) -> None:
    region = OutputRegion(0, 0, 240, 300)
    np.testing.assert_array_equal(
        render_look(PICTURE, *frame[:1], OFF, frame[1], region).pixels, render_view(*frame[:1], OFF, frame[1], region).pixels
    )  # fmt: skip


def test_a_lift_is_exposure_for_the_eye_only(frame: tuple[Developed, Context]) -> None:
    region = OutputRegion(0, 0, 240, 300)
    lifted = render_look("lifted-2", *frame[:1], OFF, frame[1], region).pixels.astype(int)
    offset = render_view(*frame[:1], OFF, frame[1], region, offset=2.0).pixels.astype(int)
    np.testing.assert_array_equal(lifted, offset)
    assert lifted.mean() > render_view(*frame[:1], OFF, frame[1], region).pixels.mean() + 20


@pytest.mark.parametrize("name", ["stress-contrast", "stress-shadows", "stress-curve"])
def test_stress_is_what_later_settings_would_show(frame: tuple[Developed, Context], name: str) -> None:
    region = OutputRegion(40, 50, 140, 190)
    seen = render_look(name, *frame[:1], OFF, frame[1], region).pixels.astype(int)
    tried = OFF
    for path, value in LOOKS[name].changes:
        tried = tried.with_value(path, value)
    np.testing.assert_array_equal(seen, render_view(*frame[:1], tried, frame[1], region).pixels.astype(int))
    assert np.abs(seen - render_view(*frame[:1], OFF, frame[1], region).pixels.astype(int)).mean() > 0.3


def test_luminance_and_colour_part_the_picture(frame: tuple[Developed, Context]) -> None:
    region = OutputRegion(0, 0, 240, 300)
    grey = render_look("luminance", *frame[:1], OFF, frame[1], region).pixels
    assert (grey[..., 0] == grey[..., 1]).all() and (grey[..., 1] == grey[..., 2]).all()
    neutral = np.full((96, 96, 3), 0.3, np.float32) * shots.NEUTRAL.astype(np.float32)
    neutral[:, 48:] *= 0.5
    developed = develop(shots.loaded(neutral, iso=100), Settings().sensor)
    colour = render_look("colour", developed, OFF, make_context(developed), OutputRegion(0, 0, 96, 96)).pixels
    # two greys of different brightness look the same where only colour is seen
    assert np.ptp(colour[16:-16, 16:-16, :3].reshape(-1, 3).mean(axis=0)) < 4
    assert abs(float(colour[:, 8:40].mean()) - float(colour[:, 56:88].mean())) < 2


@pytest.mark.parametrize("cfa", [BAYER, SIX_BY_SIX], ids=["bayer", "six"])
@pytest.mark.parametrize("flip", [0, 3, 5, 6])
def test_the_mosaic_is_shown_as_it_is(cfa: np.ndarray, flip: int) -> None:
    developed, context = _frame(cfa, flip)
    assert developed.mosaic is not None
    turns = {0: 0, 3: 2, 5: 1, 6: 3}[flip]
    values = np.rot90(developed.mosaic.data, turns)
    colours = np.rot90(developed.mosaic.colours(), turns)
    region = OutputRegion(17, 23, 101, 118)
    seen = render_look("mosaic", developed, OFF, context, region).pixels[..., :3]
    part = slice(17, 101), slice(23, 118)
    expected = np.zeros((84, 95, 3), np.float32)
    np.put_along_axis(
        expected, colours[part][..., None].astype(int), np.clip(values[part], 0, 1)[..., None], 2
    )
    assert np.abs(seen.astype(int) - to_screen(expected)[..., :3].astype(int)).max() <= 1


def test_one_colour_of_the_mosaic_keeps_its_values() -> None:
    developed, context = _frame()
    assert developed.mosaic is not None
    seen = render_look("mosaic-blue", developed, OFF, context, OutputRegion(0, 0, 240, 300)).pixels
    blue = np.repeat(np.clip(developed.mosaic.data[1::2, 1::2], 0, 1)[..., None], 3, 2)
    np.testing.assert_allclose(seen[::2, ::2, :3].astype(int), to_screen(blue)[..., :3].astype(int), atol=1)
    np.testing.assert_array_equal(seen[::2], seen[1::2])


def test_removed_noise_is_what_denoising_took() -> None:
    flat = np.full((192, 192, 3), 0.2, np.float32)
    noise = shots.noise_of(6400)
    loaded = shots.loaded(flat, iso=6400)
    assert loaded.mosaic is not None
    loaded = replace(loaded, mosaic=shots.noisy(Mosaic(loaded.mosaic.data, BAYER), noise), noise=noise)
    developed = develop(loaded, Settings().sensor)
    context, region = make_context(developed), OutputRegion(24, 24, 168, 168)
    nothing = render_look("removed", developed, OFF, context, region).pixels[..., :3]
    assert nothing.std() == 0
    full = Settings().with_value("noise.amount", 100.0)
    clean = denoise_whole(developed, full.sensor, Removal(1.0))
    made = replace(developed, denoised=clean, removal=Removal(1.0))
    removed = render_look("removed", made, full, context, region).pixels[..., :3] / 255
    # one standard deviation is a tenth of the range; interpolation has averaged some of it away
    encoded = np.sqrt(np.where(removed <= 0.04045, removed / 12.92, ((removed + 0.055) / 1.055) ** 2.4))
    assert 0.03 < encoded.std() < 0.11
    assert encoded.mean() == pytest.approx(0.5, abs=0.01)


def test_zones_are_whole_stops_around_mid_grey(frame: tuple[Developed, Context]) -> None:
    shown = (
        render_look("zones", *frame[:1], Settings(), frame[1], OutputRegion(0, 0, 100, 150)).pixels[..., :3]
        / 255
    )
    assert np.ptp(shown, axis=2).max() == 0
    linear = np.where(shown <= 0.04045, shown / 12.92, ((shown + 0.055) / 1.055) ** 2.4)
    stops = np.log2(linear[(linear > 0.01) & (linear < 0.9)] / 0.18)
    assert np.abs(stops - np.round(stops)).max() < 0.15, "up to the rounding of eight bits"


def test_looks_that_cannot_be_had_say_so(frame: tuple[Developed, Context]) -> None:
    finished = replace(frame[0], mosaic=None, cfa=None, noise=None)
    assert missing("mosaic", finished) and missing("removed", finished)
    assert not missing(PICTURE, finished) and not missing("luminance", finished)


def test_reduced_marks_keep_every_single_one() -> None:
    bits = np.zeros((50, 70), np.uint8)
    bits[33, 41], bits[0, 0], bits[49, 69] = 1, 4, 2
    for step in (1.0, 2.5, 7.3):
        shape = (int(np.ceil(50 / step)), int(np.ceil(70 / step)))
        found = reduced_marks(bits, shape, 0, 0, step)
        assert found[int(33 / step), int(41 / step)] & 1
        assert found[0, 0] & 4
        assert found[-1, -1] & 2
        assert np.count_nonzero(found) <= 12


@pytest.mark.parametrize(("space", "lost"), [("srgb", True), ("rec2020", False)])
def test_colours_that_the_output_space_does_not_hold_are_marked(space: str, lost: bool) -> None:
    """The green primary of BT.2020 lies outside sRGB (ITU-R BT.2020, IEC 61966-2-1); greys and noise at black do not."""
    light = np.zeros((8, 8, 3), np.float32)
    light[:4] = [0.0, 0.5, 0.0]
    light[4:] = 0.2
    found = gamut_marks(light, space)
    assert (found[:4] == (GAMUT if lost else 0)).all() and not found[4:].any()
    noise = np.random.default_rng(1).normal(0, 1e-4, (64, 64, 3)).astype(np.float32)
    assert not gamut_marks(noise, space).any()


def test_clipping_is_marked_where_it_is() -> None:
    developed, context = _frame(gain=3.0, iso=100)
    assert developed.clipped is not None and developed.clipped.any()
    region = OutputRegion(0, 0, 240, 300)
    view = render_view(developed, OFF, context, region, marks=Limits())
    assert view.marks is not None
    np.testing.assert_array_equal(view.marks & SENSOR, developed.clipped)
    white = (view.pixels[..., :3] == 255).any(axis=2)
    marked = view.marks & WHITE > 0
    assert white[marked].all() and marked.sum() > 0.8 * white.sum()
    dark = render_view(developed, OFF.with_value("light.exposure", -10.0), context, region, marks=Limits())
    assert dark.marks is not None
    assert (dark.marks & WHITE == 0).all() and (dark.marks & BLACK).any()
    assert render_view(developed, OFF, context, region).marks is None


def test_the_exact_picture_marks_single_pixels() -> None:
    developed, context = _frame(gain=3.0, iso=100)
    assert developed.clipped is not None
    single = replace(developed, clipped=np.zeros_like(developed.clipped))
    single.clipped[100, 200] = 2
    _, exact = whole_figures(single, OFF, context, step_wished=3.0, marked=Limits())
    assert exact is not None and exact.marks is not None
    assert exact.marks.shape == exact.pixels.shape[:2]
    places = np.argwhere(exact.marks & SENSOR)
    np.testing.assert_array_equal(places, [[33, 66]])
