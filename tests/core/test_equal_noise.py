"""Pictures made equally noisy, the colour of shadows, and gradients under the probe."""

from __future__ import annotations

import numpy as np
import pytest
import shots

from irvane.core.errors import Cancelled
from irvane.core.judge.equal_noise import (
    amount_for,
    as_noisy,
    equal_noise,
    even_places,
    places,
    relative_noise,
)
from irvane.core.judge.figures import shadow_cast, shadow_light, whole_figures
from irvane.core.judge.matching import Match
from irvane.core.judge.place import place_figures
from irvane.core.line.context import make_context
from irvane.core.line.develop import denoise_whole, develop
from irvane.core.line.frame import Frame
from irvane.core.noise.denoise import Removal
from irvane.core.pixels.places import OutputRegion
from irvane.core.settings import Settings


def test_the_amount_is_that_of_a_mixture_of_plain_and_clean() -> None:
    # statistics: (1 − s)·p + s·c of independent noises has the variance (1 − s)²·4 + s²·0.25
    def variance(s: float) -> float:
        return (1 - s) ** 2 * 4 + s**2 * 0.25

    squares = (variance(0.0), variance(0.5), variance(1.0))
    amount, noise = amount_for(np.sqrt(variance(0.3)), squares)
    assert amount == pytest.approx(30, abs=1) and noise == pytest.approx(np.sqrt(variance(0.3)), rel=0.02)
    assert amount_for(5.0, squares)[0] == 0, "nothing is made noisier than it is"
    assert amount_for(0.01, squares)[0] == pytest.approx(94, abs=2), "the cleanest of the mixtures"


def test_noise_of_a_place_is_relative_to_its_light() -> None:
    rng = np.random.default_rng(3)
    light = np.repeat(rng.normal(0.2, 0.01, (40, 40, 1)), 3, axis=2)
    assert relative_noise(lambda _r: light, OutputRegion(0, 0, 40, 40)) == pytest.approx(0.05, rel=0.05)
    assert relative_noise(lambda _r: light * 0, OutputRegion(0, 0, 40, 40)) == np.inf
    with pytest.raises(ValueError, match="too dark"):
        even_places(lambda _r: light * 0, places((400, 600)))


@pytest.fixture(scope="module")
def noisy() -> Frame:
    camera = shots.photograph("coffee.png") * shots.NEUTRAL.astype(np.float32) * 0.6
    developed = develop(shots.loaded(np.ascontiguousarray(camera[:264, :372]), iso=6400), Settings().sensor)
    frame = Frame(developed, make_context(developed), False)
    removal = Removal(1.0, "fast")
    frame.wholes[removal] = denoise_whole(developed, Settings().sensor, removal)
    return frame


def test_a_cleaner_view_gets_noise_back_until_both_are_equal(noisy: Frame) -> None:
    fast = Settings().with_value("noise.method", "fast")
    reference = as_noisy(noisy, fast.with_value("noise.amount", 40.0))
    amount, ratio = equal_noise(reference, noisy, fast.with_value("noise.amount", 100.0))
    assert amount == pytest.approx(40, abs=6) and ratio == pytest.approx(1, abs=0.06)
    shown = Match(amount=amount, noise=ratio).applied(fast)
    chosen, noise = even_places(reference, places(noisy.developed.extent))
    own = [relative_noise(as_noisy(noisy, shown), places(noisy.developed.extent)[k]) for k in chosen]
    assert np.median(own) == pytest.approx(noise, rel=0.08)
    assert "noise removal 40 %" in Match(amount=40.0, noise=1.0).words()


def test_without_a_denoised_picture_it_is_asked_for_where_it_helps(noisy: Frame) -> None:
    bare = Frame(noisy.developed, noisy.context, False)
    fast = Settings().with_value("noise.method", "fast")
    clean = as_noisy(noisy, fast.with_value("noise.amount", 100.0))
    assert equal_noise(clean, bare, fast)[0] == 100.0
    amount, ratio = equal_noise(as_noisy(bare, fast), bare, fast)
    assert amount == 0.0 and ratio == pytest.approx(1.0)
    with pytest.raises(Cancelled):
        equal_noise(clean, bare, fast, lambda _share: False)


def test_shadows_that_are_neutral_have_no_cast_whatever_their_noise() -> None:
    rng = np.random.default_rng(5)
    dark = rng.normal(0.18 / 32, 0.003, (200, 300, 3)).astype(np.float32)
    found = shadow_cast(shadow_light(dark))
    assert found == pytest.approx((0, 0), abs=0.02)
    tinted = dark * np.array([2.0**0.2, 1, 2.0**-0.1], np.float32)
    assert shadow_cast(shadow_light(tinted)) == pytest.approx((0.2, -0.1), abs=0.03)
    assert shadow_cast(shadow_light(np.full((200, 300, 3), 0.18, np.float32))) is None, "no shadows"
    assert shadow_cast(shadow_light(dark[:3, :3])) is None


def test_a_cast_given_to_a_frame_is_read_from_it() -> None:
    grey = np.full((240, 360, 3), 0.18 / 20, np.float32) * shots.NEUTRAL.astype(np.float32)
    developed = develop(shots.loaded(grey, iso=100), Settings().sensor)
    settings = Settings().with_value("noise.amount", 0.0)
    context = make_context(developed)
    plain = whole_figures(developed, settings, context)[0].cast
    assert plain == pytest.approx((0, 0), abs=0.04)
    redder = settings.with_value("light.curve_red", ((0.0, 0.25),))
    assert whole_figures(developed, redder, context)[0].cast == pytest.approx((0.25, 0), abs=0.05)


@pytest.mark.parametrize("steps", [0, 3])
def test_a_gradient_under_the_probe_tells_its_steps(steps: int) -> None:
    ramp = np.linspace(0.10, 0.40, 400, dtype=np.float32)
    if steps:
        ramp = np.round(ramp / 0.01) * np.float32(0.01)
    camera = np.repeat(np.repeat(ramp[None, :, None], 300, 0), 3, 2) * shots.NEUTRAL.astype(np.float32)
    developed = develop(shots.loaded(np.ascontiguousarray(camera), iso=100), Settings().sensor)
    settings = Settings().with_value("noise.amount", 0.0)
    found = place_figures(developed, settings, make_context(developed), OutputRegion(140, 190, 160, 210))
    assert found.gradient is not None and found.mtf50 is None
    assert (found.gradient.steps >= 1) == bool(steps)
